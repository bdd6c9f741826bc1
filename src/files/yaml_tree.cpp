#include "files/yaml_tree.hpp"

#include <fmt/format.h>
#include <yaml-cpp/eventhandler.h>
#include <yaml-cpp/yaml.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <sstream>
#include <unordered_set>

namespace gait::detail {
namespace {

Place to_place(const YAML::Mark& mark) { return {mark.line + 1, mark.column + 1}; }

/// Builds the tree from the parser's events. (Its own node tree follows aliases into cycles and forgets nothing
/// doubled.)
class TreeBuilder : public YAML::EventHandler {
public:
    explicit TreeBuilder(DiagnosticSink& sink) : sink_(sink) {}

    void OnDocumentStart(const YAML::Mark& /*mark*/) override {}
    void OnDocumentEnd() override {}
    void OnNull(const YAML::Mark& mark, YAML::anchor_t anchor) override {
        YamlNode node;
        node.place = to_place(mark);
        refuse_anchor(mark, anchor);
        add(std::move(node));
    }
    void OnAlias(const YAML::Mark& mark, YAML::anchor_t /*anchor*/) override {
        sink_.error(to_place(mark), "alias", "YAML aliases (*name) are not used here; write the value out");
        YamlNode node;
        node.place = to_place(mark);
        add(std::move(node));
    }
    void OnScalar(const YAML::Mark& mark, const std::string& tag, YAML::anchor_t anchor,
                  const std::string& value) override {
        refuse_anchor(mark, anchor);
        refuse_tag(mark, tag);
        YamlNode node;
        node.kind = YamlNode::Kind::scalar;
        node.scalar = value;
        node.quoted = tag == "!";
        node.place = to_place(mark);
        add(std::move(node));
    }
    void OnSequenceStart(const YAML::Mark& mark, const std::string& tag, YAML::anchor_t anchor,
                         YAML::EmitterStyle::value style) override {
        open(YamlNode::Kind::sequence, mark, tag, anchor, style);
    }
    void OnSequenceEnd() override { close(); }
    void OnMapStart(const YAML::Mark& mark, const std::string& tag, YAML::anchor_t anchor,
                    YAML::EmitterStyle::value style) override {
        open(YamlNode::Kind::map, mark, tag, anchor, style);
    }
    void OnMapEnd() override { close(); }

    [[nodiscard]] YamlNode take() { return std::move(root_); }

private:
    struct Open {
        YamlNode node;
        std::optional<YamlNode> key;
    };

    void refuse_anchor(const YAML::Mark& mark, YAML::anchor_t anchor) {
        if (anchor != 0) { sink_.error(to_place(mark), "anchor", "YAML anchors (&name) are not used here; remove it"); }
    }
    void refuse_tag(const YAML::Mark& mark, const std::string& tag) {
        if (tag != "?" && tag != "!" && !tag.empty()) {
            sink_.error(to_place(mark), "tag", fmt::format("YAML tags ({}) are not used here; remove it", tag));
        }
    }

    void open(YamlNode::Kind kind, const YAML::Mark& mark, const std::string& tag, YAML::anchor_t anchor,
              YAML::EmitterStyle::value style) {
        refuse_anchor(mark, anchor);
        refuse_tag(mark, tag);
        Open opened;
        opened.node.kind = kind;
        opened.node.flow = style == YAML::EmitterStyle::Flow;
        opened.node.place = to_place(mark);
        stack_.push_back(std::move(opened));
    }

    void close() {
        YamlNode done = std::move(stack_.back().node);
        stack_.pop_back();
        if (done.is_map() && done.flow) { mend_split_values(done); }
        add(std::move(done));
    }

    void add(YamlNode node) {
        if (stack_.empty()) {
            root_ = std::move(node);
            return;
        }
        Open& parent = stack_.back();
        if (parent.node.is_sequence()) {
            parent.node.items.push_back(std::move(node));
        } else if (!parent.key) {
            parent.key = std::move(node);
        } else {
            parent.node.entries.push_back({std::move(*parent.key), std::move(node)});
            parent.key.reset();
        }
    }

    /// `{when: max(a, 1) > 2}` is read by YAML as two keys, `when` and `1) > 2`, and so is `{note: slow, but steady}`.
    /// Joins them again and says so.
    void mend_split_values(YamlNode& map) {
        const auto open_count = [](const std::string& text) {
            return std::count(text.begin(), text.end(), '(') - std::count(text.begin(), text.end(), ')');
        };
        const auto may_be_rest = [](const YamlEntry& entry) {
            return entry.value.kind == YamlNode::Kind::null && entry.key.is_scalar() && !entry.key.quoted;
        };
        std::vector<YamlEntry> mended;
        for (std::size_t i = 0; i < map.entries.size();) {
            YamlEntry entry = std::move(map.entries[i++]);
            if (entry.value.is_scalar() && !entry.value.quoted) {
                const std::size_t first = i;
                auto open = open_count(entry.value.scalar);
                for (; i < map.entries.size() && may_be_rest(map.entries[i]); ++i) {
                    const std::string& rest = map.entries[i].key.scalar;
                    if (open <= 0 && rest.find(' ') == std::string::npos) { break; }
                    entry.value.scalar += ", " + rest;
                    open += open_count(rest);
                }
                if (i > first) {
                    sink_.error(map.entries[first].key.place, "unquoted-comma",
                                fmt::format("inside braces a comma ends the value, so '{}' is cut off here; quote it: "
                                            "{}: \"{}\"",
                                            entry.key.scalar, entry.key.scalar, entry.value.scalar));
                }
            }
            mended.push_back(std::move(entry));
        }
        map.entries = std::move(mended);
    }

    DiagnosticSink& sink_;
    YamlNode root_;
    std::vector<Open> stack_;
};

} // namespace

void set_file(YamlNode& node, int file) {
    node.place.file = file;
    for (YamlNode& item : node.items) { set_file(item, file); }
    for (YamlEntry& entry : node.entries) {
        set_file(entry.key, file);
        set_file(entry.value, file);
    }
}

void end_lines_alike(std::string& text) {
    for (std::size_t at = text.find('\r'); at != std::string::npos; at = text.find('\r', at + 1)) {
        if (at + 1 == text.size() || text[at + 1] != '\n') { text[at] = '\n'; }
    }
}

std::optional<YamlNode> parse_yaml(const std::string& text, DiagnosticSink& sink) {
    const std::size_t zero = text.find('\0');
    if (zero != std::string::npos) {
        sink.error({1 + int(std::count(text.begin(), text.begin() + std::ptrdiff_t(zero), '\n')), 1}, "yaml-syntax",
                   "the file holds a zero byte, so it is no text; save it as UTF-8");
        return std::nullopt;
    }
    try {
        std::istringstream stream(text);
        YAML::Parser parser(stream);
        TreeBuilder builder(sink);
        if (!parser.HandleNextDocument(builder)) {
            sink.error({1, 1}, "empty-file",
                       "the file is empty; begin it with 'gait: 1' for a document or 'cues:' for a cue sheet");
            return std::nullopt;
        }
        TreeBuilder rest(sink);
        if (parser.HandleNextDocument(rest)) {
            sink.error(rest.take().place, "yaml-syntax",
                       "a second YAML document begins here after '---'; keep one a file");
            return std::nullopt;
        }
        return builder.take();
    } catch (const YAML::Exception& problem) {
        std::string message = problem.msg;
        if (text.find('\t') != std::string::npos) {
            message += " (the file holds tabs, which YAML does not allow for indentation)";
        }
        sink.error(problem.mark.is_null() ? Place{1, 1} : to_place(problem.mark), "yaml-syntax",
                   "this is not YAML: " + message);
        return std::nullopt;
    }
}

std::string describe(const YamlNode& node) {
    switch (node.kind) {
    case YamlNode::Kind::null:
        return "nothing";
    case YamlNode::Kind::scalar:
        return fmt::format("'{}'", node.scalar.size() > 60 ? node.scalar.substr(0, 57) + "..." : node.scalar);
    case YamlNode::Kind::sequence:
        return "a list";
    case YamlNode::Kind::map:
        break;
    }
    return "a map";
}

YamlMap::YamlMap(const YamlNode& node, std::string what, std::vector<std::string> keys, DiagnosticSink& sink)
    : what_(std::move(what)), sink_(sink) {
    if (!node.is_map()) {
        sink.error(node.place, "wrong-shape",
                   fmt::format("{} is a map of {}; found {}", what_, fmt::join(keys, ", "), describe(node)));
        return;
    }
    node_ = &node;
    std::vector<bool> seen(keys.size(), false);
    for (const auto& [key, value] : node.entries) {
        const auto known = key.is_scalar() ? std::find(keys.begin(), keys.end(), key.scalar) : keys.end();
        if (known == keys.end()) {
            const std::string near = nearest_name(key.scalar, keys);
            sink.error(key.place, "unknown-key",
                       near.empty() ? fmt::format("{} has no key {}; it may have {}", what_, describe(key),
                                                  fmt::join(keys, ", "))
                                    : fmt::format("{} has no key {}; did you mean '{}'?", what_, describe(key), near));
        } else if (seen[std::size_t(known - keys.begin())]) {
            sink.error(key.place, "doubled-key",
                       fmt::format("'{}' is written twice in {}; remove one", key.scalar, what_));
        } else {
            seen[std::size_t(known - keys.begin())] = true;
        }
    }
}

const YamlNode* YamlMap::find(std::string_view key) const {
    if (node_ == nullptr) { return nullptr; }
    for (const auto& [k, value] : node_->entries) {
        if (k.is_scalar() && k.scalar == key) { return &value; }
    }
    return nullptr;
}

Text YamlMap::text(std::string_view key) const {
    const YamlNode* node = find(key);
    return node == nullptr ? Text{} : to_text(*node, fmt::format("'{}' of {}", key, what_), sink_);
}

std::optional<Number> YamlMap::number(std::string_view key, const std::string& unit) const {
    const YamlNode* node = find(key);
    if (node == nullptr) { return std::nullopt; }
    return to_number(*node, fmt::format("'{}' of {}{}{}", key, what_, unit.empty() ? "" : ", in ", unit), sink_);
}

std::optional<bool> YamlMap::flag(std::string_view key) const {
    const YamlNode* node = find(key);
    return node == nullptr ? std::nullopt : to_flag(*node, fmt::format("'{}' of {}", key, what_), sink_);
}

std::optional<Number> to_number(const YamlNode& node, const std::string& what, DiagnosticSink& sink) {
    if (node.is_scalar()) {
        std::string_view text = node.scalar;
        if (text.starts_with('+')) { text.remove_prefix(1); }
        double value = 0;
        const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (problem == std::errc{} && end == text.data() + text.size() && std::isfinite(value)) {
            return Number(value, node.place);
        }
    }
    sink.error(node.place, "wrong-shape", fmt::format("{}, is a number such as 0.2; found {}", what, describe(node)));
    return std::nullopt;
}

std::optional<bool> to_flag(const YamlNode& node, const std::string& what, DiagnosticSink& sink) {
    if (node.is_scalar() && (node.scalar == "yes" || node.scalar == "true")) { return true; }
    if (node.is_scalar() && (node.scalar == "no" || node.scalar == "false")) { return false; }
    sink.error(node.place, "wrong-shape", fmt::format("{} is yes or no; found {}", what, describe(node)));
    return std::nullopt;
}

Text to_text(const YamlNode& node, const std::string& what, DiagnosticSink& sink) {
    if (!node.is_scalar() || node.scalar.empty()) {
        sink.error(node.place, "wrong-shape", fmt::format("{} is a text; found {}", what, describe(node)));
        return {};
    }
    return {node.scalar, node.text_place()};
}

std::vector<std::pair<Text, const YamlNode*>> named_entries(const YamlNode& node, const std::string& what,
                                                            DiagnosticSink& sink) {
    std::vector<std::pair<Text, const YamlNode*>> entries;
    if (!node.is_map()) {
        sink.error(node.place, "wrong-shape",
                   fmt::format("{} are a map with a name each; found {}", what, describe(node)));
        return entries;
    }
    std::unordered_set<std::string_view> names;
    for (const auto& [key, value] : node.entries) {
        if (!key.is_scalar() || key.scalar.empty()) {
            sink.error(key.place, "wrong-shape", fmt::format("{} need a name each; found {}", what, describe(key)));
            continue;
        }
        if (!names.insert(key.scalar).second) {
            sink.error(key.place, "doubled-key",
                       fmt::format("'{}' is written twice in '{}'; rename or remove one", key.scalar, what));
            continue;
        }
        entries.emplace_back(Text(key.scalar, key.text_place()), &value);
    }
    return entries;
}

std::vector<const YamlNode*> list_items(const YamlNode& node, const std::string& what, DiagnosticSink& sink) {
    std::vector<const YamlNode*> items;
    if (node.is_sequence()) {
        for (const YamlNode& item : node.items) { items.push_back(&item); }
    } else if (node.is_map()) {
        items.push_back(&node);
    } else {
        sink.error(node.place, "wrong-shape", fmt::format("{} is a list; found {}", what, describe(node)));
    }
    return items;
}

} // namespace gait::detail
