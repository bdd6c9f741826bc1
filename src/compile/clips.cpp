/// What the clips themselves tell the compile step: their speed, their footfalls, and what they are turned round.
#include "character/travel_path.hpp"
#include "clip/measure_poses.hpp"
#include "clip/register_loop.hpp"
#include "compile/context.hpp"
#include "math/rotations.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace gait::detail {

const ClipMeasure& CompileContext::measure(std::uint16_t clip) {
    const auto known = measures_.find(clip);
    if (known != measures_.end()) { return known->second; }
    std::vector<std::string> ankles;
    for (const Text& ankle : document.feet.ankles) { ankles.push_back(ankle.value); }
    const PreparedClip& own = prepared[clip];
    PoseTrack track = own.poses.poses();
    // Feet stand on the ground over which the body goes, not on one that goes along: where a clip's pace changes the
    // two differ.
    for (std::size_t i = 0; i < track.poses.size() && !own.travel.path.empty(); ++i) {
        const Transform body = transform_of(place_at(own.travel.path, track.times[i] / own.poses.seconds()));
        for (std::size_t j = 0; j < assets.rig->joints.size(); ++j) {
            Transform& joint = track.poses[i][j];
            if (assets.rig->joints[j].parent < 0) { joint = body * joint; }
        }
    }
    return measures_[clip] = measure_poses(track, *assets.rig, ankles);
}

CompileContext::OwnMotion CompileContext::own_motion(std::uint16_t clip) {
    const PreparedClip& own = prepared[clip];
    if (own.travel.travels && own.poses.seconds() > 0) {
        // The way's own length along itself, for a clip that turns as it goes.
        const BodyStep way = travel_between(own.travel, 0, 1);
        return {-way.x / own.poses.seconds(), way.z / own.poses.seconds()};
    }
    const ClipMeasure& measured = measure(clip);
    const double radians = measured.direction / degrees_per_radian;
    return {measured.speed * std::sin(radians), measured.speed * std::cos(radians)};
}

std::optional<CompileContext::OwnMotion> CompileContext::half_and_half(const Leaf& a, const Leaf& b) {
    const std::array<std::uint16_t, 4> key{a.clip, b.clip, a.synced ? a.warp : a.clip, b.synced ? b.warp : b.clip};
    if (const auto known = halves_.find(key); known != halves_.end()) { return known->second; }
    std::optional<OwnMotion>& result = halves_[key];
    struct Half {
        const PosedClip* clip;
        PhaseWarp warp;
        double rate; ///< strides a second
        bool steps;
    };
    std::array<Half, 2> halves;
    const std::array<const Leaf*, 2> leaves{&a, &b};
    int strides = 1;
    double cadence = 0, stepping = 0;
    for (std::size_t h = 0; h < 2; ++h) {
        const PosedClip& clip = prepared[leaves[h]->clip].poses;
        if (!(clip.seconds() > 0)) { return std::nullopt; }
        const bool warped = leaves[h]->synced && leaves[h]->warp != no_index;
        halves[h] = {&clip, warped ? data->motions.warps[leaves[h]->warp] : PhaseWarp(), 0, leaves[h]->synced};
        halves[h].rate = halves[h].warp.strides() / clip.seconds();
        if (!leaves[h]->synced) { continue; }
        strides = std::lcm(strides, halves[h].warp.strides());
        cadence += halves[h].rate;
        stepping += 1;
    }
    // Of two that do not keep step nothing is steady.
    if (stepping == 0) { return result; }
    cadence /= stepping;
    constexpr int samples_a_stride = 120;
    const int samples = samples_a_stride * strides;
    const Rig& rig = *assets.rig;
    const std::vector<Transform> rest = rest_pose(rig);
    PoseTrack both;
    // At even phases, each at the time at which the clips' clock has it: the mean of the strides' own times.
    double seconds_a_stride = 0;
    for (const Half& half : halves) { seconds_a_stride += half.steps ? 1 / half.rate : 0; }
    double start = 0;
    for (int i = 0; i <= samples; ++i) {
        const double phase = double(i) / samples_a_stride;
        double reading = 0;
        std::array<std::vector<Transform>, 2> poses;
        for (std::size_t h = 0; h < 2; ++h) {
            const Half& half = halves[h];
            const double place = half.steps ? half.warp.place(phase) : 0;
            if (half.steps) { reading += half.clip->seconds() * place; }
            const double within = i == samples && half.warp.even() ? place : place - std::floor(place);
            poses[h] = half.clip->pose_at(std::min(within, 1.0) * half.clip->seconds());
        }
        reading /= seconds_a_stride * cadence;
        if (i == 0) { start = reading; }
        both.times.push_back(reading - start);
        both.poses.push_back(rest);
        for (std::size_t j = 0; j < rest.size(); ++j) {
            const Quat one = poses[0][j].rotation, other = on_side_of(one, poses[1][j].rotation);
            both.poses.back()[j].rotation =
                normalized({one.x + other.x, one.y + other.y, one.z + other.z, one.w + other.w});
            both.poses.back()[j].translation = (poses[0][j].translation + poses[1][j].translation) * 0.5F;
        }
    }
    const ClipMeasure measured = measure_poses(with_unit_rotations(std::move(both)), rig);
    if (measured.steps_a_minute > 0) {
        const double radians = measured.direction / degrees_per_radian;
        result = OwnMotion{measured.speed * std::sin(radians), measured.speed * std::cos(radians)};
    }
    return result;
}

const KeptList<Footfall>& CompileContext::footfalls(std::uint16_t clip) {
    const auto known = footfalls_.find(clip);
    if (known != footfalls_.end()) { return known->second; }
    KeptList<Footfall>& found = footfalls_[clip] = marked_footfalls(clip);
    const double seconds = prepared[clip].poses.seconds();
    if (!found.empty() || !(seconds > 0)) { return found; }
    for (const FootMeasure& foot : measure(clip).feet) {
        if (foot.down >= 1) { continue; } // it never leaves the ground
        for (const Contact& contact : foot.contacts) {
            found.push_back(
                {std::uint8_t(foot.side == "left" ? 0 : 1), std::clamp(contact.strike / seconds, 0.0, 1.0)});
        }
    }
    return found;
}

KeptList<Footfall> CompileContext::marked_footfalls(std::uint16_t clip) const {
    KeptList<Footfall> found;
    const PreparedClip& own = prepared[clip];
    if (!(own.poses.seconds() > 0)) { return found; }
    // Turned round in time a foot comes down where it lifted off.
    const bool reversed = clip_definitions[clip]->reverse;
    for (const ClipMark& mark : own.marks) {
        for (const bool right : {false, true}) {
            const std::string name = right ? "right" : "left";
            if (mark.name != name + (reversed ? "_up" : "_down")) { continue; }
            found.push_back({std::uint8_t(right ? 1 : 0), std::clamp(mark.at / own.poses.seconds(), 0.0, 1.0)});
        }
    }
    // A mark for one foot alone is there for something else.
    const auto marks = [&](std::uint8_t foot) {
        return std::any_of(found.begin(), found.end(), [&](const Footfall& f) { return f.foot == foot; });
    };
    if (!marks(0) || !marks(1)) { found.clear(); }
    return found;
}

KeptList<FootDown> CompileContext::downs(std::uint16_t clip) {
    KeptList<FootDown> downs;
    const double seconds = prepared[clip].poses.seconds();
    const std::vector<FootMeasure>& feet = measure(clip).feet;
    for (std::size_t f = 0; f < feet.size(); ++f) {
        if (feet[f].down >= 1 || !(seconds > 0)) {
            if (feet[f].down > 0) { downs.push_back({std::uint8_t(f), 0, 1}); }
            continue;
        }
        for (const Contact& contact : feet[f].contacts) {
            const double from = contact.strike / seconds, to = contact.lift_off / seconds;
            downs.push_back({std::uint8_t(f), from, to < from ? to + 1 : to});
        }
    }
    return downs;
}

std::string CompileContext::footfall_words(std::uint16_t clip) {
    KeptList<Footfall> all = footfalls(clip);
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
    // Feet that were seen to come down all but together hop or bound: half a stride lies elsewhere.
    constexpr double least_step = 0.15; // of a stride
    if (!through || (through->shortest_step() < least_step && marked_footfalls(clip).empty())) {
        return warps_[clip] = no_index;
    }
    data->motions.warps.push_back(*through);
    return warps_[clip] = std::uint16_t(data->motions.warps.size() - 1);
}

std::uint16_t CompileContext::even_warp() {
    if (even_warp_ == no_index) {
        data->motions.warps.push_back(*PhaseWarp::through({{0, 0}, {1, 0.5}}));
        even_warp_ = std::uint16_t(data->motions.warps.size() - 1);
    }
    return even_warp_;
}

std::vector<JointCloud> CompileContext::clouds(std::uint16_t clip, const PhaseWarp& warp, double strides,
                                               int count) const {
    const PosedClip& poses = prepared[clip].poses;
    const JointClouds of_rig(*assets.rig);
    std::vector<JointCloud> clouds;
    for (int i = 0; i < count; ++i) {
        const double place = warp.place(strides * i / count), within = place - std::floor(place);
        clouds.push_back(of_rig.of(poses.pose_at(within * poses.seconds())));
    }
    return clouds;
}

std::uint16_t CompileContext::warp_by_likeness(std::uint16_t clip, std::uint16_t like, std::uint16_t warp) {
    const auto [known, is_new] = warps_by_likeness_.try_emplace({clip, like, warp}, no_index);
    if (!is_new) { return known->second; }
    const PhaseWarp lies = data->motions.warps[warp];
    const double stride = prepared[like].poses.seconds() / lies.strides(), seconds = prepared[clip].poses.seconds();
    if (!(stride > 0) || !(seconds > 0)) { return no_index; }
    const double strides = std::max(1.0, std::round(seconds / stride)), each = seconds / strides;
    constexpr double most_longer = 1.5, most_strides = 64;
    if (strides > most_strides || each > most_longer * stride || stride > most_longer * each) { return no_index; }
    constexpr int phases = 32, places_a_stride = 64;
    const int count = int(strides);
    KeptList<Footfall> halves;
    for (const double at :
         register_loop(clouds(clip, PhaseWarp(), 1, places_a_stride * count), clouds(like, lies, 1, phases), count)) {
        halves.push_back({std::uint8_t(halves.size() % 2), at - std::floor(at)});
    }
    const auto through = PhaseWarp::through(halves);
    if (!through) { return no_index; }
    data->motions.warps.push_back(*through);
    return known->second = std::uint16_t(data->motions.warps.size() - 1);
}

bool CompileContext::stands(std::uint16_t clip) {
    const std::vector<FootMeasure>& feet = measure(clip).feet;
    return !feet.empty() &&
           std::all_of(feet.begin(), feet.end(), [](const FootMeasure& foot) { return foot.down >= 1; });
}

bool CompileContext::is_lively(std::uint16_t clip) {
    constexpr int count = 8;
    constexpr float least = 0.02F; // of the rig's size
    float most = 0, size = 0;
    const auto all = clouds(clip, PhaseWarp(), 1, count);
    for (const JointCloud& cloud : all) {
        for (std::size_t j = 0; j < cloud.size(); ++j) {
            most = std::max(most, length(cloud[j] - all.front()[j]));
            size = std::max(size, length(cloud[j] - cloud.front()));
        }
    }
    return most > least * size;
}

PreparedClip CompileContext::prepare(const std::string& clip, const ClipDefinition& settings, DiagnosticSink& told) {
    const auto source = assets.clips.find(clip);
    if (source != assets.clips.end()) {
        return prepare_clip(source->second, *assets.rig, settings, mirrored_joints, told);
    }
    PreparedClip missing; // which is said elsewhere
    missing.poses = PosedClip(ClipSource{}, *assets.rig);
    return missing;
}

std::uint16_t CompileContext::turned_clip(std::uint16_t clip, const ClipTurn& turn) {
    const auto [mirror, reverse, loops] = turn;
    const bool looped = loops && !clip_definitions[clip]->loop;
    if (prepared.empty() || (!mirror && !reverse && !looped)) { return clip; }
    const std::array<std::uint16_t, 4> key{clip, std::uint16_t(mirror), std::uint16_t(reverse), std::uint16_t(looped)};
    const auto known = turned_.find(key);
    if (known != turned_.end()) { return known->second; }
    ClipDefinition& turned = turned_definitions_.emplace_back(*clip_definitions[clip]);
    turned.mirror = turned.mirror != mirror;
    turned.reverse = turned.reverse != reverse;
    turned.loop = turned.loop || looped;
    turned.name.value += mirror && reverse ? ", mirrored and reversed"
                         : mirror          ? ", mirrored"
                         : reverse         ? ", reversed"
                                           : "";
    if (looped) { turned.name.value += ", looped"; }
    DiagnosticSink said_already(document.files());
    prepared.push_back(prepare(clip_names[clip], turned, said_already));
    clip_definitions.push_back(&turned);
    name_events_of(prepared.back());
    return turned_[key] = std::uint16_t(prepared.size() - 1);
}

std::uint16_t CompileContext::additive(std::uint16_t clip, std::uint16_t against) {
    const std::array<std::uint16_t, 2> wanted{clip, against};
    const auto known = std::find(additives.begin(), additives.end(), wanted);
    if (known != additives.end()) { return std::uint16_t(known - additives.begin()); }
    additives.push_back(wanted);
    return std::uint16_t(additives.size() - 1);
}

void CompileContext::name_events_of(const PreparedClip& clip) {
    const auto add = [](KeptList<KeptText>& names, EventIndices& indices, const std::string& name) {
        if (indices.try_emplace(name, std::uint16_t(names.size())).second) { names.push_back(name); }
    };
    for (const ClipMark& mark : clip.marks) { add(data->mark_names, mark_indices, mark.name); }
    for (const ClipSpan& span : clip.spans) { add(data->span_names, span_indices, span.name); }
}

} // namespace gait::detail
