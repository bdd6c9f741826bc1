/// What the clips themselves tell the compile step: their speed, their footfalls, and what they are turned round.
#include "clip/travel_path.hpp"
#include "perform/compile_context.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gait {

const ClipMeasure& CompileContext::measure(std::uint16_t clip) {
    const auto known = measures_.find(clip);
    if (known != measures_.end()) { return known->second; }
    return measures_[clip] = measure_clip(prepared[clip].source, *assets.rig);
}

CompileContext::OwnMotion CompileContext::own_motion(std::uint16_t clip) {
    const PreparedClip& own = prepared[clip];
    if (own.travel.travels && own.source.seconds > 0) {
        // The way's own length along itself, for a clip that turns as it goes.
        const BodyStep way = travel_between(own.travel, 0, 1);
        return {-way.x / own.source.seconds, way.z / own.source.seconds};
    }
    const ClipMeasure& measured = measure(clip);
    const double radians = measured.direction / degrees_per_radian;
    return {measured.speed * std::sin(radians), measured.speed * std::cos(radians)};
}

const std::vector<Footfall>& CompileContext::footfalls(std::uint16_t clip) {
    const auto known = footfalls_.find(clip);
    if (known != footfalls_.end()) { return known->second; }
    std::vector<Footfall>& found = footfalls_[clip];
    const PreparedClip& own = prepared[clip];
    if (!(own.source.seconds > 0)) { return found; }
    const auto add = [&](bool right, double at) {
        found.push_back({std::uint8_t(right ? 1 : 0), std::clamp(at / own.source.seconds, 0.0, 1.0)});
    };
    // Turned round in time a foot comes down where it lifted off.
    const bool reversed = clip_definitions[clip]->reverse;
    for (const ClipMark& mark : own.marks) {
        for (const bool right : {false, true}) {
            const std::string name = right ? "right" : "left";
            if (mark.name == name + (reversed ? "_up" : "_down")) { add(right, mark.at); }
        }
    }
    if (!found.empty()) { return found; }
    for (const FootMeasure& foot : measure(clip).feet) {
        if (foot.down >= 1) { continue; } // it never leaves the ground
        for (const Contact& contact : foot.contacts) { add(foot.side != "left", contact.strike); }
    }
    return found;
}

std::string CompileContext::footfall_words(std::uint16_t clip) {
    std::vector<Footfall> all = footfalls(clip);
    std::sort(all.begin(), all.end(), [](const Footfall& a, const Footfall& b) { return a.at < b.at; });
    std::string words;
    for (const Footfall& footfall : all) {
        words += (words.empty() ? "" : ", ") + std::string(footfall.foot == 0 ? "left" : "right");
    }
    return words;
}

std::uint16_t CompileContext::warp(std::uint16_t clip) {
    const auto known = warps_.find(clip);
    if (known != warps_.end()) { return known->second; }
    const auto through = PhaseWarp::through(footfalls(clip));
    if (!through) { return warps_[clip] = no_index; }
    data->motions.warps.push_back(*through);
    return warps_[clip] = std::uint16_t(data->motions.warps.size() - 1);
}

std::uint16_t CompileContext::turned_clip(std::uint16_t clip, bool mirror, bool reverse) {
    if (prepared.empty() || (!mirror && !reverse)) { return clip; }
    const std::array<std::uint16_t, 3> key{clip, std::uint16_t(mirror), std::uint16_t(reverse)};
    const auto known = turned_.find(key);
    if (known != turned_.end()) { return known->second; }
    ClipDefinition& turned = turned_definitions_.emplace_back(*clip_definitions[clip]);
    turned.mirror = turned.mirror != mirror;
    turned.reverse = turned.reverse != reverse;
    turned.name.value += mirror && reverse ? ", mirrored and reversed" : mirror ? ", mirrored" : ", reversed";
    DiagnosticSink said_already(document);
    const auto source = assets.clips.find(clip_names[clip]);
    prepared.push_back(source == assets.clips.end()
                           ? PreparedClip{}
                           : prepare_clip(source->second, *assets.rig, turned, mirrored_joints, said_already));
    clip_definitions.push_back(&turned);
    name_moments_of(prepared.back());
    return turned_[key] = std::uint16_t(prepared.size() - 1);
}

std::uint16_t CompileContext::additive(std::uint16_t clip, std::uint16_t against) {
    const std::array<std::uint16_t, 2> wanted{clip, against};
    const auto known = std::find(additives.begin(), additives.end(), wanted);
    if (known != additives.end()) { return std::uint16_t(known - additives.begin()); }
    additives.push_back(wanted);
    return std::uint16_t(additives.size() - 1);
}

void CompileContext::name_moments_of(const PreparedClip& clip) {
    const auto add = [](std::vector<std::string>& names, const std::string& name) {
        if (std::find(names.begin(), names.end(), name) == names.end()) { names.push_back(name); }
    };
    for (const ClipMark& mark : clip.marks) { add(data->mark_names, mark.name); }
    for (const ClipSpan& span : clip.spans) { add(data->span_names, span.name); }
}

} // namespace gait
