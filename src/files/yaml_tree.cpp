#include "files/yaml_tree.hpp"

#include "files/yaml_slips.hpp"

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
        if (anchor != 0) { // `play: &stroll`: the name was meant
            node.kind = YamlNode::Kind::scalar;
            node.scalar = anchor_;
            sink_.error(to_place(mark), "anchor", fmt::format("'&' is not used here; write '{}'", anchor_));
        }
        add(std::move(node));
    }
    void OnAnchor(const YAML::Mark& /*mark*/, const std::string& name) override { anchor_ = name; }
    void OnAlias(const YAML::Mark& mark, YAML::anchor_t /*anchor*/) override {
        sink_.error(to_place(mark), "alias", "YAML aliases (*name) are not used here; write the value out");
        YamlNode node;
        node.place = to_place(mark);
        add(std::move(node));
    }
    void OnScalar(const YAML::Mark& mark, const std::string& tag, YAML::anchor_t anchor,
                  const std::string& value) override {
        refuse_anchor(mark, anchor);
        YamlNode node;
        node.kind = YamlNode::Kind::scalar;
        node.scalar = value;
        if (tag.size() > 1 && tag[0] == '!') { // `!wet`, a tag to YAML, is meant to deny something
            node.scalar = "not " + tag.substr(1) + (value.empty() ? "" : " " + value);
            sink_.error(to_place(mark), "tag", fmt::format("'!' is not used here; write '{}'", node.scalar));
        } else {
            refuse_tag(mark, tag);
        }
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

    static bool is_number(const std::string& text) {
        return !text.empty() && std::all_of(text.begin(), text.end(), [](char c) { return c >= '0' && c <= '9'; });
    }
    /// `to moving`, `to:moving` and `to = moving`, which YAML takes for names without a value, are taken apart.
    bool mend_colon(YamlEntry& entry) {
        if (entry.value.kind != YamlNode::Kind::null || !entry.key.is_scalar() || entry.key.quoted) { return false; }
        const std::string& text = entry.key.scalar;
        const std::size_t end = text.find_first_of(" :=");
        if (end == std::string::npos || end + 1 >= text.size() || !is_known_key(text.substr(0, end))) { return false; }
        const std::string key = text.substr(0, end);
        std::size_t value = text.find_first_not_of(" :=", end);
        if (value != std::string::npos && text.substr(value).starts_with("->")) {
            value = text.find_first_not_of(" ->", value);
        }
        if (value == std::string::npos) { return false; }
        const bool blank = text[end] == ':', equals = text.substr(end, value - end).find('=') != std::string::npos;
        sink_.error(
            entry.key.place, "yaml-syntax",
            fmt::format(fmt::runtime(blank ? "a blank is missing after the colon of '{0}'; write '{0}: {1}'"
                                     : equals
                                         ? "'{0}' is parted from its value by a colon and not by '='; write '{0}: {1}'"
                                         : "a colon is missing after '{0}'; write '{0}: {1}'"),
                        key, text.substr(value)));
        entry.value = entry.key;
        entry.value.scalar = text.substr(value);
        entry.key.scalar = key;
        return true;
    }

    /// `{when: max(a, 1) > 2}` is read by YAML as two keys, `when` and `1) > 2`, and so are `{note: slow, but steady}`,
    /// `{fade: 0,25}` and `{of: free, pole}`. Joins them again and says so.
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
            if (entry.key.kind == YamlNode::Kind::null) {
                sink_.error(entry.key.place, "yaml-syntax", "two commas stand here; remove one");
                continue;
            }
            if (mend_colon(entry)) {
                mended.push_back(std::move(entry));
                continue;
            }
            if (entry.value.is_scalar() && !entry.value.quoted && i < map.entries.size() &&
                may_be_rest(map.entries[i])) {
                const std::string rest = map.entries[i].key.scalar;
                const Place place = map.entries[i].key.place;
                if (is_number(entry.value.scalar) && is_number(rest)) {
                    entry.value.scalar += "." + rest;
                    sink_.error(
                        place, "decimal-comma",
                        fmt::format("a number is written with a point: {}: {}", entry.key.scalar, entry.value.scalar));
                    ++i;
                } else if (entry.value.scalar.starts_with('(') && rest.ends_with(')')) {
                    mend_parentheses(entry, map.entries[i].key, place);
                    ++i;
                } else if (entry.key.scalar == "of" || entry.key.scalar == "take" || entry.key.scalar == "joins") {
                    mend_list(entry, map, i);
                }
            }
            if (entry.value.is_scalar() && !entry.value.quoted) {
                const std::size_t first = i;
                auto open = open_count(entry.value.scalar);
                for (; i < map.entries.size() && may_be_rest(map.entries[i]); ++i) {
                    const std::string& rest = map.entries[i].key.scalar;
                    if (open <= 0 && (rest.find(' ') == std::string::npos ||
                                      is_known_key(rest.substr(0, rest.find_first_of(" :="))))) {
                        break;
                    }
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
    /// `range: (0, 6)`.
    void mend_parentheses(YamlEntry& entry, YamlNode rest, const Place& place) {
        YamlNode first = entry.value;
        first.scalar.erase(0, 1);
        rest.scalar.pop_back();
        YamlNode list;
        list.kind = YamlNode::Kind::sequence;
        list.flow = true;
        list.place = entry.value.place;
        sink_.error(place, "unquoted-comma",
                    fmt::format("a list stands in brackets; write '{}: [{}, {}]'", entry.key.scalar, first.scalar,
                                rest.scalar));
        list.items = {first, rest};
        entry.value = std::move(list);
    }
    /// What belongs to a list that has no brackets.
    void mend_list(YamlEntry& entry, YamlNode& map, std::size_t& i) {
        YamlNode list;
        list.kind = YamlNode::Kind::sequence;
        list.flow = true;
        list.place = entry.value.place;
        std::string written = entry.value.scalar;
        const Place place = map.entries[i].key.place;
        list.items.push_back(entry.value);
        for (; i < map.entries.size() && map.entries[i].value.kind == YamlNode::Kind::null; ++i) {
            written += ", " + map.entries[i].key.scalar;
            list.items.push_back(map.entries[i].key);
        }
        sink_.error(place, "unquoted-comma",
                    fmt::format("a list stands in brackets; write '{}: [{}]'", entry.key.scalar, written));
        entry.value = std::move(list);
    }

    DiagnosticSink& sink_;
    YamlNode root_;
    std::string anchor_; ///< the last one's name
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
        // A quote that is never closed makes one text of all that follows, which a parser takes without a word.
        if (const auto open = find_open_quote(text)) {
            sink.error(open->place, "yaml-syntax", open->message);
            return std::nullopt;
        }
        return builder.take();
    } catch (const YAML::Exception& problem) {
        const YamlSlip slip = find_slip(text, problem.mark.is_null() ? Place{1, 1} : to_place(problem.mark));
        sink.error(slip.place, "yaml-syntax", slip.message);
        return std::nullopt;
    }
}

std::string describe(const YamlNode& node) {
    switch (node.kind) {
    case YamlNode::Kind::null:
        return "nothing";
    case YamlNode::Kind::scalar:
        return fmt::format("'{}'", node.scalar.size() > 60 ? node.scalar.substr(0, 57) + "..." : node.scalar);
    case YamlNode::Kind::sequence: {
        std::string items;
        for (const YamlNode& item : node.items) {
            if (!item.is_scalar() || items.size() > 40) { return fmt::format("a list of {}", node.items.size()); }
            items += (items.empty() ? "" : ", ") + item.scalar;
        }
        return fmt::format("the list [{}]", items);
    }
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
            if (!near.empty()) { meant_.emplace_back(near, &value); }
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
    // What was said of it once is read as it was meant, so that nothing follows from it.
    for (const auto& [meant, value] : meant_) {
        if (meant == key) { return value; }
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
    std::string hint;
    if (node.is_scalar()) {
        std::string pointed = node.scalar;
        std::replace(pointed.begin(), pointed.end(), ',', '.');
        double value = 0;
        const auto [end, problem] = std::from_chars(pointed.data(), pointed.data() + pointed.size(), value);
        if (pointed != node.scalar && problem == std::errc{} && end == pointed.data() + pointed.size()) {
            hint = fmt::format("; a number is written with a point: {}", pointed);
        }
    }
    sink.error(node.place, "wrong-shape",
               fmt::format("{}, is a number such as 0.2; found {}{}", what, describe(node), hint));
    return std::nullopt;
}

std::optional<bool> to_flag(const YamlNode& node, const std::string& what, DiagnosticSink& sink) {
    if (node.is_scalar() && (node.scalar == "yes" || node.scalar == "true")) { return true; }
    if (node.is_scalar() && (node.scalar == "no" || node.scalar == "false")) { return false; }
    std::string small = node.is_scalar() ? node.scalar : "";
    for (char& c : small) { c = c >= 'A' && c <= 'Z' ? char(c - 'A' + 'a') : c; }
    const bool meant = small == "yes" || small == "true" || small == "on" || small == "1";
    const bool denied = small == "no" || small == "false" || small == "off" || small == "0";
    sink.error(node.place, "wrong-shape",
               meant || denied
                   ? fmt::format("{} is yes or no; found {}: write '{}'", what, describe(node), meant ? "yes" : "no")
                   : fmt::format("{} is yes or no; found {}", what, describe(node)));
    if (meant || denied) { return meant; }
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
                       fmt::format("'{}' is written twice in '{}'; rename or remove one", key.scalar, what), what);
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
