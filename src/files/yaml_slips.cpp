#include "files/yaml_slips.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <set>
#include <string_view>
#include <tuple>
#include <vector>

namespace gait::detail {
namespace {

bool is_word(char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_'; }

std::string trimmed(std::string_view text) {
    const std::size_t from = text.find_first_not_of(" \t\r");
    if (from == std::string_view::npos) { return {}; }
    return std::string(text.substr(from, text.find_last_not_of(" \t\r") + 1 - from));
}

/// How many blanks, in words.
std::string blanks(std::size_t count) { return fmt::format("{} blank{}", count, count == 1 ? "" : "s"); }

struct Line {
    int number = 1;   ///< from 1
    std::string text; ///< without its comment
    std::size_t indent = 0;
    bool in_flow = false; ///< it begins inside braces or brackets of a line before
    [[nodiscard]] bool is_empty() const { return trimmed(text).empty(); }
    [[nodiscard]] bool is_item() const {
        return text.compare(indent, 1, "-") == 0 && (text.size() == indent + 1 || text[indent + 1] == ' ');
    }
    /// Where the contents of an item begin.
    [[nodiscard]] std::size_t contents() const {
        std::size_t at = indent;
        while (text.compare(at, 2, "- ") == 0) { at = std::min(text.find_first_not_of(' ', at + 1), text.size()); }
        return at;
    }
    [[nodiscard]] Place at(std::size_t column) const { return {number, int(column) + 1}; }
};

/// An opened brace, bracket or quote.
struct Opened {
    char sign = 0;
    std::size_t line = 0, column = 0;
};

class SlipFinder {
public:
    SlipFinder(const std::string& text, const Place& failed) : failed_(failed) { read(text); }

    YamlSlip run() {
        for (const auto find : {&SlipFinder::odd_blank, &SlipFinder::open_quote, &SlipFinder::brackets,
                                &SlipFinder::bad_start, &SlipFinder::in_braces, &SlipFinder::dash, &SlipFinder::colon,
                                &SlipFinder::indentation, &SlipFinder::lone_word}) {
            if (auto slip = (this->*find)()) { return *slip; }
        }
        return {failed_,
                "this could not be read: in this line or the one before something is missing or too much, a colon, a "
                "comma, a bracket, a quote or a blank at the line's beginning"};
    }

    /// A quote that is open where the text ends.
    [[nodiscard]] std::optional<YamlSlip> never_closed() const {
        if (open_quote_.sign == 0) { return std::nullopt; }
        return YamlSlip{
            lines_[open_quote_.line].at(open_quote_.column),
            fmt::format("this {} is never closed, so that all that follows is part of the text; add {} where it ends",
                        open_quote_.sign, open_quote_.sign)};
    }

private:
    /// Splits the text into lines, leaves out comments, and keeps account of what is open.
    void read(const std::string& text) {
        std::size_t begin = 0;
        for (int number = 1; begin <= text.size(); ++number) {
            const std::size_t end = std::min(text.find('\n', begin), text.size());
            Line line;
            line.number = number;
            line.in_flow = !open_.empty();
            scan(text.substr(begin, end - begin), line);
            line.indent = std::min(line.text.find_first_not_of(' '), line.text.size());
            lines_.push_back(std::move(line));
            begin = end + 1;
        }
    }
    void scan(const std::string& text, Line& line) {
        const std::size_t l = lines_.size();
        char before = ' ';
        bool value_may_begin = true;
        for (std::size_t c = 0; c < text.size(); ++c) {
            const char sign = text[c];
            if (open_quote_.sign != 0) {
                if (sign == '\\' && open_quote_.sign == '"') {
                    ++c;
                } else if (sign == open_quote_.sign) {
                    if (sign == '\'' && c + 1 < text.size() && text[c + 1] == '\'') {
                        ++c;
                    } else {
                        if (open_quote_.line != l && long_quote_.sign == 0) { long_quote_ = open_quote_; }
                        open_quote_ = {};
                    }
                }
                continue;
            }
            if (sign == '#' && (before == ' ' || before == '\t')) {
                line.text = text.substr(0, c);
                return;
            }
            if ((sign == '"' || sign == '\'') && value_may_begin) {
                open_quote_ = {sign, l, c};
            } else if (sign == '{' || sign == '[') {
                if (value_may_begin || !open_.empty()) { open_.push_back({sign, l, c}); }
            } else if ((sign == '}' || sign == ']') && !surplus_) {
                const char opener = sign == '}' ? '{' : '[';
                if (!open_.empty() && open_.back().sign == opener) {
                    open_.pop_back();
                } else if (!open_.empty()) {
                    crossed_ = open_.back();
                    surplus_ = Opened{sign, l, c};
                } else {
                    surplus_ = Opened{sign, l, c};
                }
            }
            value_may_begin = sign == ' ' ? value_may_begin
                                          : (sign == ':' || sign == ',' || sign == '[' || sign == '{' || sign == '-');
            before = sign;
        }
        line.text = text;
    }

    /// The lines up to the one at which the parser gave up.
    [[nodiscard]] std::size_t last() const { return std::min(lines_.size(), std::size_t(std::max(1, failed_.line))); }

    std::optional<YamlSlip> odd_blank() {
        for (std::size_t l = 0; l < last(); ++l) {
            const Line& line = lines_[l];
            const std::size_t tab = line.text.find('\t');
            if (tab != std::string::npos && line.text.find_first_not_of(" \t") > tab && !line.is_empty()) {
                return YamlSlip{line.at(tab), "a tab stands at the beginning of this line; indent by blanks alone (an "
                                              "editor can turn tabs into them)"};
            }
            const std::size_t wide = line.text.find("\xC2\xA0");
            if (wide != std::string::npos) {
                return YamlSlip{line.at(wide),
                                "a no-break space stands here, which only looks like a blank; write a plain one"};
            }
        }
        return std::nullopt;
    }

    std::optional<YamlSlip> open_quote() {
        if (auto slip = never_closed()) { return slip; }
        // One that ends in another line has most likely met the next one's beginning.
        if (long_quote_.sign != 0 && long_quote_.line < last()) {
            return YamlSlip{lines_[long_quote_.line].at(long_quote_.column),
                            fmt::format("this {} is not closed in its line; add {} where the text ends",
                                        long_quote_.sign, long_quote_.sign)};
        }
        return std::nullopt;
    }

    std::optional<YamlSlip> brackets() {
        if (surplus_ && crossed_ && surplus_->line == crossed_->line) {
            const Line& line = lines_[surplus_->line];
            const char right = crossed_->sign == '{' ? '}' : ']';
            if (line.text.compare(surplus_->column + 1, 1, std::string(1, right)) == 0) {
                return YamlSlip{line.at(surplus_->column),
                                fmt::format("this '{}' closes nothing; remove it", surplus_->sign)};
            }
            return YamlSlip{line.at(crossed_->column),
                            fmt::format("this '{}' is never closed; add '{}' before the '{}' of column {}",
                                        crossed_->sign, right, surplus_->sign, surplus_->column + 1)};
        }
        // One that is opened where a line begins that is no part of it.
        int looked = 0;
        for (std::size_t l = 0; l < lines_.size(); ++l) {
            const Line& line = lines_[l];
            if (!line.in_flow || line.is_empty()) { continue; }
            const std::string text = trimmed(line.text);
            std::size_t word = 0;
            while (word < text.size() && is_word(text[word])) { ++word; }
            const bool is_key =
                word > 0 && text.compare(word, 1, ":") == 0 && text.find_first_of("}]") == std::string::npos;
            if (!line.is_item() && !(is_key && line.indent <= lines_[l - 1].indent)) { continue; }
            const auto opened = still_open(l);
            constexpr int enough = 64; // of what looks like it and is not: each is a look through all before it
            if (!opened && ++looked < enough) { continue; }
            if (!opened) { break; }
            return YamlSlip{lines_[opened->line].at(opened->column),
                            fmt::format("this '{}' is never closed; add '{}' at the end of its line", opened->sign,
                                        opened->sign == '{' ? '}' : ']')};
        }
        if (surplus_) {
            const Line& line = lines_[surplus_->line];
            if (crossed_) {
                return YamlSlip{
                    line.at(surplus_->column),
                    fmt::format("'{}' stands here, but what is open is the '{}' of line {} column {}; write '{}'",
                                surplus_->sign, crossed_->sign, lines_[crossed_->line].number, crossed_->column + 1,
                                crossed_->sign == '{' ? '}' : ']')};
            }
            return YamlSlip{line.at(surplus_->column),
                            fmt::format("this '{}' closes nothing; remove it, or open it with '{}' before",
                                        surplus_->sign, surplus_->sign == '}' ? '{' : '[')};
        }
        if (!open_.empty()) {
            const Opened& opened = open_.back();
            return YamlSlip{
                lines_[opened.line].at(opened.column),
                fmt::format("this '{}' is never closed; add '{}'", opened.sign, opened.sign == '{' ? '}' : ']')};
        }
        return std::nullopt;
    }
    /// What is open as line `l` begins, of a line before.
    [[nodiscard]] std::optional<Opened> still_open(std::size_t l) const {
        std::vector<Opened> open;
        for (std::size_t k = 0; k < l; ++k) {
            for (std::size_t c = 0; c < lines_[k].text.size(); ++c) {
                const char sign = lines_[k].text[c];
                if (sign == '{' || sign == '[') { open.push_back({sign, k, c}); }
                if ((sign == '}' || sign == ']') && !open.empty()) { open.pop_back(); }
            }
        }
        return open.empty() ? std::nullopt : std::optional(open.back());
    }

    /// A value that begins with a sign that YAML keeps to itself.
    std::optional<YamlSlip> bad_start() {
        const Line& line = lines_[last() - 1];
        for (const char sign : {'%', '@', '`', '*', '|', '>'}) {
            for (std::size_t at = line.text.find(sign); at != std::string::npos; at = line.text.find(sign, at + 1)) {
                const std::size_t before = at == 0 ? std::string::npos : line.text.find_last_not_of(' ', at - 1);
                if (before == std::string::npos ||
                    std::string_view(":,[{").find(line.text[before]) == std::string_view::npos) {
                    continue;
                }
                const std::string value = trimmed(line.text.substr(at, line.text.find_first_of(",}]", at) - at));
                return YamlSlip{
                    line.at(at),
                    sign == '*'
                        ? fmt::format("a value cannot begin with '*'; YAML's aliases are not used here: write '{}'",
                                      value.substr(1))
                        : fmt::format("a value cannot begin with '{}'; quote it: \"{}\"", sign, value)};
            }
        }
        return std::nullopt;
    }

    /// Inside braces: a comma or a colon that is missing, or another sign in its place.
    std::optional<YamlSlip> in_braces() {
        const Line& line = lines_[last() - 1];
        const std::string& text = line.text;
        int keys = -1; // of the entry; none outside braces
        std::size_t entry = 0;
        std::vector<std::pair<int, std::size_t>> outer;
        for (std::size_t c = 0; c < text.size(); ++c) {
            if (text[c] == '"') {
                const std::size_t end = text.find('"', c + 1);
                if (end == std::string::npos) { return std::nullopt; }
                c = end;
                continue;
            }
            if (text[c] == '{') {
                outer.emplace_back(keys, entry);
                keys = 0, entry = c + 1;
            } else if (text[c] == '[') {
                outer.emplace_back(keys, entry);
                keys = -1;
            } else if ((text[c] == '}' || text[c] == ']') && !outer.empty()) {
                std::tie(keys, entry) = outer.back();
                outer.pop_back();
            } else if (text[c] == ',' && keys >= 0) {
                keys = 0, entry = c + 1;
            } else if (text[c] == ':' && keys >= 0 && (c + 1 == text.size() || text[c + 1] == ' ')) {
                if (++keys < 2) { continue; }
                std::size_t word = c;
                while (word > 0 && is_word(text[word - 1])) { --word; }
                const std::string key = text.substr(word, c - word);
                const std::string first = trimmed(text.substr(entry, text.find(':', entry) - entry));
                if (is_known_key(key)) {
                    const std::size_t sign = text.find_last_not_of(' ', word - 1);
                    if (text[sign] == ';') {
                        return YamlSlip{line.at(sign),
                                        fmt::format("a ';' parts nothing here; write ',' before '{}'", key)};
                    }
                    return YamlSlip{line.at(word), fmt::format("a comma is missing before '{}'", key)};
                }
                const std::string value = trimmed(
                    text.substr(text.find(':', entry) + 1, text.find_first_of(",}", c) - text.find(':', entry) - 1));
                return YamlSlip{line.at(c),
                                fmt::format("a colon ends a name, so '{}' is cut off here; quote it: {}: \"{}\"", first,
                                            first, value)};
            }
        }
        return std::nullopt;
    }

    /// `-{to: ...}` and `-name`.
    std::optional<YamlSlip> dash() {
        for (std::size_t l = 0; l < last(); ++l) {
            const Line& line = lines_[l];
            if (line.in_flow || line.is_empty() || line.text[line.indent] != '-' || line.is_item() ||
                line.text.compare(line.indent, 3, "---") == 0) {
                continue;
            }
            return YamlSlip{line.at(line.indent + 1), "a blank is missing after '-', which begins an item of a list"};
        }
        return std::nullopt;
    }

    /// A line that should be `name: value` and has no colon, or no blank after it.
    std::optional<YamlSlip> colon() {
        for (std::size_t l = last(); l-- > 0;) {
            const Line& line = lines_[l];
            if (l + 3 < last()) { break; } // it lies near where the parser gave up
            if (line.in_flow || line.is_empty()) { continue; }
            const std::size_t from = line.contents();
            const std::string text = trimmed(line.text.substr(std::min(from, line.text.size())));
            if (text.empty() || text[0] == '{' || text[0] == '[' || text[0] == '"' || text[0] == '\'') { continue; }
            if (text.find(": ") != std::string::npos && text.find(": ") < text.find_first_of("{[")) { continue; }
            if (text.ends_with(':')) { continue; }
            std::size_t word = 0;
            while (word < text.size() && is_word(text[word])) { ++word; }
            if (word == 0) { continue; }
            if (text[word] == ':' && word + 1 < text.size()) {
                return YamlSlip{line.at(from + word), fmt::format("a blank is missing after the colon; write '{}: {}'",
                                                                  text.substr(0, word), text.substr(word + 1))};
            }
            if (word == text.size()) {
                const bool deeper = l + 1 < lines_.size() && lines_[l + 1].indent > line.indent;
                if (deeper) {
                    return YamlSlip{line.at(from + word),
                                    fmt::format("a colon is missing after '{}'; write '{}:'", text, text)};
                }
                continue;
            }
            if (text[word] == ' ' && (is_known_key(text.substr(0, word)) || l + 1 == last())) {
                return YamlSlip{line.at(from + word),
                                fmt::format("a colon is missing after '{}'; write '{}: {}'", text.substr(0, word),
                                            text.substr(0, word), trimmed(text.substr(word)))};
            }
        }
        return std::nullopt;
    }

    /// A word by itself, or a comma after what has ended.
    std::optional<YamlSlip> lone_word() {
        for (std::size_t l = last(); l-- > 0 && l + 4 > last();) {
            const Line& line = lines_[l];
            if (line.in_flow || line.is_empty()) { continue; }
            const std::string text = trimmed(line.text);
            if (text.ends_with("},") || text.ends_with("],")) {
                return YamlSlip{line.at(line.text.find_last_of(',')), "a comma stands after what has ended; remove it"};
            }
            if (!text.empty() && std::all_of(text.begin(), text.end(), is_word)) {
                return YamlSlip{
                    line.at(line.indent),
                    fmt::format("'{}' stands here by itself; write '{}:' and what belongs to it, or remove it", text,
                                text)};
            }
        }
        return std::nullopt;
    }

    /// A line that begins where nothing it could belong to does.
    std::optional<YamlSlip> indentation() {
        struct Level {
            std::size_t indent = 0;
            bool list = false;
        };
        std::vector<Level> open;
        const Line* before = nullptr;
        for (std::size_t l = 0; l < last(); ++l) {
            const Line& line = lines_[l];
            if (line.in_flow || line.is_empty() || line.text.starts_with("---")) { continue; }
            const bool list = line.is_item();
            std::optional<Level> left;
            while (!open.empty() && open.back().indent > line.indent) {
                left = open.back();
                open.pop_back();
            }
            const bool same = !open.empty() && open.back().indent == line.indent;
            if (same && open.back().list != list &&
                !(list && before != nullptr && trimmed(before->text).ends_with(':') && before->indent == line.indent)) {
                return YamlSlip{line.at(line.indent),
                                list ? "this line begins with '- ', as an item of a list, but stands among lines that "
                                       "begin with a name; remove '- ', or indent it"
                                     : "this line stands among the items of a list, which begin with '- '; begin it "
                                       "so, or indent it otherwise"};
            }
            if (!same && left) { // it lies between two levels
                const bool outer =
                    !open.empty() && open.back().list == list && fits_outer(l, open.back().indent, left->indent);
                const std::size_t wanted = outer ? open.back().indent : left->indent;
                return YamlSlip{
                    line.at(line.indent),
                    fmt::format("this line is indented by {}, which fits nothing above it; its neighbours have {}",
                                blanks(line.indent), wanted)};
            }
            if (!same && before != nullptr && !opens_more(*before)) {
                return YamlSlip{
                    line.at(line.indent),
                    fmt::format("this line is indented by {}, but nothing above it opens that; its neighbours have {}",
                                blanks(line.indent), open.empty() ? 0 : open.back().indent)};
            }
            if (!same) { open.push_back({line.indent, list}); }
            // An item opens what its contents begin.
            for (std::size_t at = line.indent; list && at < line.contents();) {
                const std::size_t next = std::min(line.text.find_first_not_of(' ', at + 1), line.text.size());
                const bool item = line.text.compare(next, 2, "- ") == 0;
                const std::string rest = trimmed(line.text.substr(next));
                const bool is_map =
                    !item && !rest.empty() && rest[0] != '{' && rest[0] != '[' && rest.find(':') != std::string::npos;
                if (item || is_map) { open.push_back({next, item}); }
                at = next;
                if (!item) { break; }
            }
            before = &line;
        }
        return std::nullopt;
    }
    /// Of two levels the nearer one; where the line opens more, that which what follows is two blanks deeper than.
    [[nodiscard]] bool fits_outer(std::size_t l, std::size_t outer, std::size_t inner) const {
        const auto off = [](std::size_t a, std::size_t b) { return a > b ? a - b : b - a; };
        const std::size_t indent = lines_[l].indent;
        std::size_t next = l + 1;
        while (next < lines_.size() && lines_[next].is_empty()) { ++next; }
        if (opens_more(lines_[l]) && next < lines_.size() && lines_[next].indent > indent) {
            return off(lines_[next].indent, outer + 2) < off(lines_[next].indent, inner + 2);
        }
        return off(indent, outer) < off(indent, inner);
    }
    [[nodiscard]] static bool opens_more(const Line& line) {
        const std::string text = trimmed(line.text);
        return text.ends_with(':') || text == "-" || text.ends_with(": |") || text.ends_with(": >");
    }

    Place failed_;
    std::vector<Line> lines_;
    std::vector<Opened> open_;
    Opened open_quote_, long_quote_; ///< not yet closed; closed in another line than its own
    std::optional<Opened> surplus_, crossed_;
};

} // namespace

bool is_known_key(const std::string& word) {
    static const std::set<std::string> keys{
        "gait",      "about",     "based_on",  "rig",          "details", "pack",    "tolerance", "clips",
        "clip_sets", "fits",      "mirror",    "parameters",   "values",  "feet",    "masks",     "motions",
        "machines",  "layers",    "one_shots", "forbid",       "decide",  "accept",  "file",      "animation",
        "fit",       "cut",       "reverse",   "travel",       "close",   "rate",    "loop",      "marks",
        "spans",     "take",      "kind",      "of",           "range",   "default", "unit",      "note",
        "smooth",    "at_most",   "tune",      "keep",         "wait",    "from",    "remember",  "greatest",
        "since",     "on_when",   "off_when",  "flips_on",     "while",   "clear",   "switch",    "planted",
        "most",      "release",   "ankles",    "ramp",         "joins",   "without", "rest_of",   "mirror_of",
        "joints",    "play",      "clip",      "blend",        "points",  "weigh",   "cells",     "fill",
        "sync",      "keep_pace", "inputs",    "mix",          "weight",  "mask",    "add",       "to",
        "against",   "pick",      "between",   "order",        "share",   "loops",   "choose",    "when",
        "else",      "name",      "mode",      "space",        "machine", "start",   "always",    "states",
        "junction",  "resume",    "moved_by",  "whole_body",   "leads",   "layer",   "go",        "signal",
        "after",     "at",        "inside",    "fade",         "ease",    "style",   "enter_at",  "settle",
        "except",    "again",     "from_here", "in_step_with", "yields",  "until",   "seconds",   "body",
        "cues",      "set",       "send",      "over",         "enter",   "reset",   "seed",      "every",
        "times",     "strip",     "turn",      "scale",        "up",      "faces",   "reason"};
    return keys.contains(word);
}

YamlSlip find_slip(const std::string& text, const Place& failed_at) { return SlipFinder(text, failed_at).run(); }

std::optional<YamlSlip> find_open_quote(const std::string& text) { return SlipFinder(text, {}).never_closed(); }

} // namespace gait::detail
