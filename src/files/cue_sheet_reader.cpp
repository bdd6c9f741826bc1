#include "gait/cue_sheet.hpp"

#include "files/write_file.hpp"
#include "files/yaml_tree.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait {
using namespace detail;
namespace {

constexpr double longest_sheet = 24 * 3600; ///< seconds

class CueSheetReader {
public:
    CueSheetReader(CueSheet& sheet, DiagnosticSink& sink) : sheet_(sheet), sink_(sink) {}

    void read(const YamlNode& root) {
        const bool document =
            root.is_map() && std::any_of(root.entries.begin(), root.entries.end(), [](const YamlEntry& entry) {
                return entry.key.scalar == "gait" || entry.key.scalar == "layers";
            });
        if (document) {
            sink_.error(root.place, "other-document",
                        "this is a document, not a cue sheet; a cue sheet has 'cues:', a list such as - {at: 1, set: "
                        "{speed: 1.4}}");
            return;
        }
        const YamlMap map(root, "a cue sheet", {"about", "seconds", "body", "cues"}, sink_);
        if (!map.is_map()) { return; }
        if (map.find("about") != nullptr) { sheet_.about = map.text("about").value; }
        sheet_.seconds = seconds(map, "seconds").value_or(0);
        if (const YamlNode* body = map.find("body")) { read_body(*body); }
        if (const YamlNode* cues = map.find("cues")) {
            sheet_.cues = read_cues(*cues, 0);
        } else {
            sink_.error(root.place, "missing-key",
                        "a cue sheet needs 'cues:', a list such as - {at: 1, set: {speed: 1.4}}");
        }
    }

private:
    void read_body(const YamlNode& node) {
        const YamlMap map(node, "'body'", {"speed", "heading", "turn", "turn_rate"}, sink_);
        if (!map.is_map()) { return; }
        CueBody& body = sheet_.body.emplace();
        body.speed = map.text("speed");
        body.heading = map.text("heading");
        body.turn = map.text("turn");
        if (const auto rate = map.number("turn_rate", "degrees a second")) { body.turn_rate = *rate; }
        if (body.speed.empty() && body.turn.empty()) {
            sink_.error(node.place, "missing-key",
                        "this body goes nowhere; add 'speed: PARAMETER', 'turn: PARAMETER' or both");
        }
    }

    std::optional<double> seconds(const YamlMap& map, const char* key) {
        const auto number = map.number(key, "seconds");
        if (!number) { return std::nullopt; }
        if (number->value < 0 || number->value > longest_sheet) {
            sink_.error(number->place, "wrong-range",
                        fmt::format("'{}' is 0 to {} seconds; found {}", key, longest_sheet, number->value));
            return std::nullopt;
        }
        return number->value;
    }

    std::vector<Cue> read_cues(const YamlNode& node, int depth) {
        std::vector<Cue> cues;
        if (depth > 8) {
            sink_.error(node.place, "too-deep", "groups of cues nest deeper than 8");
            return cues;
        }
        for (const YamlNode* item : list_items(node, "'cues'", sink_)) { cues.push_back(read_cue(*item, depth)); }
        return cues;
    }

    Cue read_cue(const YamlNode& node, int depth) {
        Cue cue;
        cue.place = node.place;
        const YamlMap map(node, "a cue",
                          {"at", "set", "send", "over", "enter", "reset", "seed", "cues", "every", "times"}, sink_);
        if (!map.is_map()) { return cue; }
        if (map.find("at") == nullptr) {
            sink_.error(node.place, "missing-key", "this cue does not say when; add 'at: SECONDS'");
        }
        cue.at = seconds(map, "at").value_or(0);
        cue.over = seconds(map, "over").value_or(0);
        if (const YamlNode* set = map.find("set")) {
            for (const auto& [name, value] : named_entries(*set, "set", sink_)) { read_value(name, *value, cue); }
        }
        if (const YamlNode* send = map.find("send")) {
            if (send->is_scalar()) {
                cue.send.push_back(to_text(*send, "'send', a signal,", sink_));
            } else {
                for (const YamlNode* name : list_items(*send, "'send'", sink_)) {
                    cue.send.push_back(to_text(*name, "a signal's name", sink_));
                }
            }
        }
        if (const YamlNode* group = map.find("cues")) { cue.group = read_cues(*group, depth + 1); }
        if (const YamlNode* enter = map.find("enter")) { read_enter(*enter, cue); }
        cue.reset = map.flag("reset").value_or(false);
        if (const auto seed = map.number("seed", {})) {
            if (seed->value < 0 || seed->value > 9e15 || seed->value != std::floor(seed->value)) {
                sink_.error(seed->place, "wrong-range",
                            fmt::format("'seed' is a whole number from 0; found {}", seed->value));
            } else {
                cue.seed = std::uint64_t(seed->value);
            }
        }
        bool does_something = false;
        for (const char* key : {"set", "send", "enter", "reset", "seed", "cues"}) {
            does_something = does_something || map.find(key) != nullptr;
        }
        if (!does_something) {
            sink_.error(node.place, "missing-key",
                        "this cue does nothing; add 'set: {PARAMETER: VALUE}', 'send: SIGNAL', 'enter: STATE' or a "
                        "group of 'cues'");
        }
        if (map.find("over") != nullptr && map.find("set") == nullptr) {
            sink_.error(node.place, "wrong-shape", "'over' is how long a 'set' takes; this cue sets nothing");
        }
        if (const auto every = map.number("every", "seconds")) {
            cue.every = every->value;
            if (!(every->value > 0) || every->value > longest_sheet) {
                sink_.error(every->place, "wrong-range",
                            fmt::format("'every' is more than 0 seconds; found {}", every->value));
                cue.every = 1;
            }
        }
        if (const auto times = map.number("times", {})) {
            cue.times = int(std::clamp(times->value, 1.0, 1e6));
            if (times->value < 1 || times->value > 100'000 || times->value != std::floor(times->value)) {
                sink_.error(times->place, "wrong-range",
                            fmt::format("'times' is a whole number from 1 to 100000; found {}", times->value));
                cue.times = 1;
            }
        }
        if ((map.find("every") == nullptr) != (map.find("times") == nullptr)) {
            sink_.error(node.place, "missing-key", "a repeat needs both 'every: SECONDS' and 'times: COUNT'");
            cue.times = 1;
        }
        return cue;
    }

    void read_enter(const YamlNode& node, Cue& cue) {
        if (!node.is_map()) {
            cue.enter = to_text(node, "'enter', a state such as body.moving,", sink_);
            return;
        }
        const YamlMap map(node, "'enter'", {"state", "fade"}, sink_);
        cue.enter = map.text("state");
        if (map.find("state") == nullptr) {
            sink_.error(node.place, "missing-key", "'enter' does not say where; add 'state: body.moving'");
        }
        cue.enter_fade = seconds(map, "fade").value_or(0.2);
    }

    void read_value(const Text& name, const YamlNode& node, Cue& cue) {
        Cue::Value value{name, to_text(node, fmt::format("the value of '{}'", name.value), sink_)};
        if (!value.value.empty()) { cue.set.push_back(std::move(value)); }
    }

    CueSheet& sheet_;
    DiagnosticSink& sink_;
};

} // namespace

CueSheetRead read_cue_sheet_text(const std::string& text_as_is, const std::string& name) {
    std::string text = text_as_is;
    end_lines_alike(text);
    CueSheetRead result;
    result.sheet.file = name;
    result.sheet.source = SourceText(text);
    DiagnosticSink sink(name, result.sheet.source);
    if (const auto root = parse_yaml(text, sink)) { CueSheetReader(result.sheet, sink).read(*root); }
    result.diagnostics = sink.take();
    return result;
}

CueSheetRead read_cue_sheet(const std::filesystem::path& path) {
    const FileContents contents = read_file(path);
    if (contents.problem) {
        CueSheetRead result;
        DiagnosticSink sink(path.string(), {});
        sink.error({}, "unreadable-file", *contents.problem);
        result.diagnostics = sink.take();
        return result;
    }
    return read_cue_sheet_text(contents.bytes, path.string());
}

} // namespace gait
