#include "wire.hpp"

#include "gait/fade_style.hpp"
#include "gait/space.hpp"
#include "gait/why.hpp"

#include "character/character_data.hpp"
#include "compile/mask_weights.hpp"
#include "diagnostics/sink.hpp"
#include "rig/body_parts.hpp"

#include <fmt/format.h>

#include <cmath>

namespace gait::stage {
namespace {

using nlohmann::json;

/// A bound as JSON can say it.
json bound(float value) { return std::isfinite(value) ? json(value) : json(nullptr); }

std::string kind_word(ParameterKind kind) { return std::string(info_of(kind).name); }

json parameters_of(const Character& character) {
    json all = json::array();
    for (const ParameterInfo& info : character.parameters()) {
        all.push_back({{"name", info.name},
                       {"kind", kind_word(info.kind)},
                       {"low", bound(info.low)},
                       {"high", bound(info.high)},
                       {"default", info.default_value},
                       {"smooth", info.smooth},
                       {"at_most", info.at_most},
                       {"unit", info.unit},
                       {"note", info.note},
                       {"of", info.of},
                       {"computed", info.computed},
                       {"tune", info.tune},
                       {"one_shot", bool(character.one_shot(info.name))}});
    }
    return all;
}

json values_of(const Character& character) {
    json all = json::array();
    for (const ValueInfo& info : character.values()) {
        all.push_back({{"name", info.name},
                       {"kind", kind_word(info.kind)},
                       {"of", info.of},
                       {"unit", info.unit},
                       {"note", info.note}});
    }
    return all;
}

json layers_of(const Character& character) {
    json all = json::array();
    for (const LayerInfo& info : character.layers()) {
        all.push_back({{"name", info.name},
                       {"mask", info.mask},
                       {"weights", info.mask_weights},
                       {"one_shots", info.one_shots},
                       {"adds", info.mode == LayerMode::add}});
    }
    return all;
}

/// The document's masks, also those that no layer has.
json masks_of(const Document& document, const Rig& rig) {
    detail::DiagnosticSink unheard(document.files()); // what is wrong with them was said as they were compiled
    const auto weights = detail::mask_weights(document.masks, rig, detail::mirror_pairs(rig), unheard);
    json all = json::array();
    for (std::size_t m = 0; m < std::min(weights.size(), document.masks.size()); ++m) {
        const auto first = weights[m].begin();
        all.push_back({{"name", document.masks[m].name.value},
                       {"weights", std::vector<float>(first, first + std::ptrdiff_t(rig.joints.size()))}});
    }
    return all;
}

json states_of(const Character& character) {
    json all = json::array();
    for (std::uint16_t s = 0; s < character.states().size(); ++s) {
        const StateInfo& info = character.states()[s];
        all.push_back({{"name", info.name},
                       {"full", character.full_name(s)},
                       {"parent", info.parent == no_index ? -1 : int(info.parent)},
                       {"layer", info.layer},
                       {"machine", info.machine},
                       {"nothing", info.nothing}});
    }
    return all;
}

json transitions_of(const Character& character) {
    json all = json::array();
    for (const TransitionInfo& info : character.transitions()) {
        all.push_back({{"from", info.from == no_index ? -1 : int(info.from)},
                       {"to", info.to},
                       {"when", info.when},
                       {"fade", info.fade},
                       {"fade_by", info.fade_by},
                       {"style", std::string(info_of(info.style).name)},
                       {"line", info.place.line},
                       {"within", info.kind == TransitionKind::within}});
    }
    return all;
}

json spaces_of(const Character& character) {
    json all = json::array();
    for (std::uint16_t s = 0; s < character.states().size(); ++s) {
        const auto space = blend_space(character, StateHandle{s});
        if (!space) { continue; }
        json points = json::array();
        for (const SpacePoint& point : space->points) {
            points.push_back({{"at", point.at}, {"drawn", point.drawn}, {"clips", point.clips}});
        }
        all.push_back({{"state", s},
                       {"parameters", space->parameters},
                       {"units", space->units},
                       {"velocities", space->velocities},
                       {"points", points},
                       {"cells", space->cells},
                       {"rim", space->rim},
                       {"low", space->low},
                       {"high", space->high}});
    }
    return all;
}

} // namespace

json describe(const Performance& performance, const json& plan, const DrawnBody& body) {
    const Character& character = performance.character();
    json joints = json::array(), clips = json::array();
    for (const Joint& joint : character.rig().joints) {
        joints.push_back({{"name", joint.name}, {"parent", joint.parent}});
    }
    for (const ClipInfo& clip : character.clips()) {
        clips.push_back({{"name", clip.name}, {"seconds", clip.seconds}, {"loops", clip.loops}});
    }
    const Steering& steering = performance.steering();
    return {{"says", "document"},
            {"version", wire_version},
            {"file", performance.loaded().document.file},
            {"about", performance.loaded().document.about},
            {"frames_per_second", frames_per_second},
            {"joints", joints},
            {"joint_reals", character.data().scales ? 10 : 7},
            {"feet", performance.feet()},
            {"parameters", parameters_of(character)},
            {"values", values_of(character)},
            {"layers", layers_of(character)},
            {"states", states_of(character)},
            {"transitions", transitions_of(character)},
            {"clips", clips},
            {"spaces", spaces_of(character)},
            {"marks", character.marks()},
            {"spans", character.spans()},
            {"drive",
             {{"speed", steering.speed ? int(steering.speed.index) : -1},
              {"heading", steering.heading ? int(steering.heading.index) : -1}}},
            {"bounds", {{"pop", pop_bound}, {"seam", seam_bound}, {"snap", snap_ratio_bound}}},
            {"masks", masks_of(performance.loaded().document, character.rig())},
            {"materials", body.materials},
            {"plan", plan}};
}

json describe(const Diagnostics& diagnostics) {
    json all = json::array();
    for (const Diagnostic& one : diagnostics) {
        const char* severity = one.severity == Severity::error     ? "error"
                               : one.severity == Severity::warning ? "warning"
                                                                   : "note";
        all.push_back({{"severity", severity},
                       {"code", one.code},
                       {"message", one.message},
                       {"file", one.file},
                       {"line", one.place.line},
                       {"column", one.place.column},
                       {"text", format(one)}});
    }
    return all;
}

json describe_ways(const Performer& performer) {
    json all = json::array();
    for (const TransitionReasons& reasons : explain_transitions(performer)) {
        json parts = json::array();
        for (const ConditionPart& part : reasons.parts) {
            parts.push_back({{"text", part.text}, {"values", part.values}, {"holds", part.holds}});
        }
        all.push_back({{"transition", reasons.transition}, {"holds", reasons.holds()}, {"parts", parts}});
    }
    return {{"says", "ways"}, {"ways", all}};
}

} // namespace gait::stage
