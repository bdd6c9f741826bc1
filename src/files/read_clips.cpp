#include "files/read_clips.hpp"

#include "files/yaml_values.hpp"

#include <fmt/core.h>

#include <algorithm>

#include <array>
#include <iterator>
#include <string_view>

namespace gait::detail {
namespace {

constexpr const char* clip_settings[] = {"file",   "animation", "fit",  "cut",  "reverse", "mirror",
                                         "travel", "close",     "rate", "loop", "marks",   "spans"};

/// A joint's name, or a map with `joint`, `take` and `in_place`.
std::optional<TravelDefinition> read_travel(const YamlNode& node, DiagnosticSink& sink) {
    TravelDefinition travel;
    if (node.is_scalar()) {
        travel.joint = to_text(node, "'travel'", sink);
        if (!node.quoted && (node.scalar == "no" || node.scalar == "false")) { return std::nullopt; }
        return travel;
    }
    const YamlMap map(node, "'travel'", {"joint", "take", "in_place"}, sink);
    if (!map.is_map()) { return std::nullopt; }
    travel.joint = map.text("joint");
    if (map.find("joint") == nullptr) {
        sink.error(node.place, "missing-key", "'travel' does not say whose way it takes; add 'joint: hips'");
        return std::nullopt;
    }
    travel.in_place = map.flag("in_place").value_or(false);
    if (const YamlNode* take = map.find("take")) {
        travel.forward = travel.sideways = travel.vertical = travel.turn = false;
        for (const YamlNode* item : list_items(*take, "'take'", sink)) {
            const Text word = to_text(*item, "what to take", sink);
            if (word.value == "forward") {
                travel.forward = true;
            } else if (word.value == "sideways") {
                travel.sideways = true;
            } else if (word.value == "vertical") {
                travel.vertical = true;
            } else if (word.value == "turn") {
                travel.turn = true;
            } else if (!word.empty()) {
                sink.unknown(word.place, "part of a way", word.value, {"forward", "sideways", "vertical", "turn"});
            }
        }
    }
    return travel;
}

void read_clip_settings(const YamlMap& map, ClipDefinition& clip, DiagnosticSink& sink) {
    clip.file = map.text("file");
    clip.animation = map.text("animation");
    clip.fit = map.text("fit");
    if (const YamlNode* cut = map.find("cut")) {
        clip.cut = read_window(*cut, "'cut' is the first and the last second to keep", sink);
    }
    clip.reverse = map.flag("reverse").value_or(false);
    clip.mirror = map.flag("mirror").value_or(false);
    if (const YamlNode* travel = map.find("travel")) { clip.travel = read_travel(*travel, sink); }
    if (const auto rate = map.number("rate", "times as fast")) { clip.rate = *rate; }
    clip.loop = map.flag("loop").value_or(false);
    clip.close = map.flag("close").value_or(true);
    if (const YamlNode* marks = map.find("marks")) {
        for (const auto& [name, value] : named_entries(*marks, "marks", sink)) {
            // One instant, or a list of them.
            const bool several = value->is_sequence() && !value->items.empty();
            const YamlNode* const first = several ? value->items.data() : value;
            for (const YamlNode* each = first; each != first + (several ? value->items.size() : 1); ++each) {
                if (const auto at = to_number(*each, "a mark's second", sink)) { clip.marks.push_back({name, *at}); }
            }
        }
    }
    if (const YamlNode* spans = map.find("spans")) {
        for (const auto& [name, value] : named_entries(*spans, "spans", sink)) {
            if (const auto window = read_window(*value, "a span is its first and its last second", sink)) {
                clip.spans.push_back({name, window->first, window->second});
            }
        }
    }
}

void read_turns(const YamlNode& node, FitDefinition& fit, DiagnosticSink& sink) {
    for (const auto& [joint, value] : named_entries(node, "'turn' of a fit", sink)) {
        std::array<double, 3> degrees{};
        if (!value->is_sequence() || value->items.size() != 3) {
            sink.error(
                value->place, "wrong-shape",
                fmt::format("a turn is degrees about X, Y and Z, such as [0, 0, -45]; found {}", describe(*value)));
            continue;
        }
        bool good = true;
        for (std::size_t axis = 0; axis < 3; ++axis) {
            const auto number = to_number(value->items[axis], "degrees", sink);
            good = good && number.has_value();
            degrees[axis] = number ? number->value : 0;
        }
        if (good) { fit.turn.emplace_back(joint, degrees); }
    }
}

} // namespace

std::optional<Number> read_scale(const YamlMap& map, DiagnosticSink& sink) {
    const auto scale = map.number("scale", "metres a unit");
    if (!scale || (scale->value > 0 && scale->value <= 1000)) { return scale; }
    sink.error(scale->place, "wrong-range",
               fmt::format("'scale' is how many metres a unit is, such as 0.01; found {}", scale->value));
    return std::nullopt;
}

Text read_axis(const YamlMap& map, const char* key, DiagnosticSink& sink) {
    Text axis = map.text(key);
    const std::vector<std::string> known{"x", "y", "z", "-x", "-y", "-z"};
    if (axis.empty() || std::find(known.begin(), known.end(), axis.value) != known.end()) { return axis; }
    sink.unknown(axis.place, "axis", axis.value, known);
    return {};
}

void read_clips(const YamlNode& node, Document& document, DiagnosticSink& sink) {
    for (const auto& [name, value] : named_entries(node, "clips", sink)) {
        ClipDefinition clip;
        clip.name = name;
        clip.place = value->place;
        if (value->kind != YamlNode::Kind::null) {
            read_clip_settings(YamlMap(*value, "a clip", {std::begin(clip_settings), std::end(clip_settings)}, sink),
                               clip, sink);
        }
        document.clips.push_back(std::move(clip));
    }
}

void read_clip_sets(const YamlNode& node, Document& document, DiagnosticSink& sink) {
    std::vector<std::string> keys{"take", "prefix", "suffix"};
    for (const char* key : clip_settings) {
        if (std::string_view(key) != "animation") { keys.emplace_back(key); }
    }
    for (const YamlNode* item : list_items(node, "'clip_sets'", sink)) {
        const YamlMap map(*item, "a clip set", keys, sink);
        ClipDefinition common;
        common.place = item->place;
        read_clip_settings(map, common, sink);
        const Text prefix = map.text("prefix"), suffix = map.text("suffix");
        const YamlNode* take = map.find("take");
        if (take == nullptr || (!take->is_sequence() && !take->is_scalar())) {
            if (map.is_map()) {
                sink.error(
                    take == nullptr ? item->place : take->place, "missing-key",
                    "a clip set lists the animations it takes; add 'take: [NAME, NAME]', or 'take: \"stroll_*\"'");
            }
            continue;
        }
        std::vector<const YamlNode*> names{take};
        if (take->is_sequence()) {
            names.clear();
            for (const YamlNode& name : take->items) { names.push_back(&name); }
        }
        for (const YamlNode* name : names) {
            const Text animation = to_text(*name, "an animation's name", sink);
            if (animation.value.find('*') != std::string::npos) {
                document.clip_patterns.push_back({common, animation, prefix, suffix});
                continue;
            }
            ClipDefinition clip = common;
            clip.animation = animation;
            clip.name = Text(prefix.value + clip.animation.value + suffix.value, clip.animation.place);
            if (!clip.animation.empty()) { document.clips.push_back(std::move(clip)); }
        }
    }
}

void read_fits(const YamlNode& node, Document& document, DiagnosticSink& sink) {
    for (const auto& [name, value] : named_entries(node, "fits", sink)) {
        FitDefinition fit;
        fit.name = name;
        const YamlMap map(*value, "a fit", {"strip", "joints", "scale", "up", "faces", "turn"}, sink);
        fit.strip = map.text("strip");
        if (const YamlNode* joints = map.find("joints")) {
            fit.joints = read_name_pairs(*joints, "'joints' of a fit", sink);
        }
        fit.scale = read_scale(map, sink);
        fit.up = read_axis(map, "up", sink);
        fit.faces = read_axis(map, "faces", sink);
        if (const YamlNode* turn = map.find("turn")) { read_turns(*turn, fit, sink); }
        document.fits.push_back(std::move(fit));
    }
}

} // namespace gait::detail
