#include "compile/check_assets.hpp"

#include "math/bounds.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

constexpr std::size_t most_joints = 60'000;
bool is_near(float value) { return std::fabs(value) <= farthest; }
bool is_near(Vec3 v) { return is_near(v.x) && is_near(v.y) && is_near(v.z); }
bool is_near(Quat q) { return is_near(q.x) && is_near(q.y) && is_near(q.z) && is_near(q.w); }
/// Of some length, so that it says where something turns.
bool turns(Quat q) { return is_near(q) && dot(q, q) > 1e-12F; }
bool turns(Vec3 /*v*/) { return true; }
bool turns(float /*v*/) { return true; }

/// What is wrong with a track; empty when all is well.
template <typename Value> std::string fault_of_track(const Track<Value>& track, double seconds) {
    const bool spline = track.interpolation == Interpolation::cubic_spline;
    const std::size_t a_key = spline ? 3 : 1;
    if (track.interpolation > Interpolation::cubic_spline) { return "goes from key to key in a way that is none"; }
    if (track.values.size() != track.times.size() * a_key) {
        return fmt::format("has {} times and {} values, and {} are wanted", track.times.size(), track.values.size(),
                           track.times.size() * a_key);
    }
    double before = -1;
    for (const double at : track.times) {
        if (!(at > before && at >= 0 && at <= seconds + shortest_clip)) {
            return fmt::format("has a key at {} s; times rise from 0 to the clip's {} s", at, seconds);
        }
        before = at;
    }
    for (std::size_t k = 0; k < track.values.size(); ++k) {
        if (!is_near(track.values[k])) { return fmt::format("holds a number beyond {:g}, or none at all", farthest); }
        if ((!spline || k % 3 == 1) && !turns(track.values[k])) { return "holds a rotation of no length"; }
    }
    return {};
}

std::string fault_of(const Joint& joint) {
    const Quat q = joint.rest.rotation;
    if (!is_near(q) || std::fabs(dot(q, q) - 1) > 1e-3F) { return "its rest rotation is no unit quaternion"; }
    const bool near = is_near(joint.rest.translation) && is_near(joint.rest.scale) &&
                      std::all_of(std::begin(joint.inverse_bind.elements), std::end(joint.inverse_bind.elements),
                                  [](float e) { return is_near(e); });
    return near ? std::string() : fmt::format("a number of its rest pose is beyond {:g}, or none at all", farthest);
}

} // namespace

bool check_rig(const Rig& rig, DiagnosticSink& sink) {
    const auto wrong = [&](std::string message) {
        sink.error({}, "wrong-rig", std::move(message), "rig");
        return false;
    };
    if (rig.joints.empty() || rig.joints.size() > most_joints) {
        return wrong(fmt::format("the rig has {} joints; 1 to {} are possible", rig.joints.size(), most_joints));
    }
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const Joint& joint = rig.joints[j];
        if (joint.parent >= int(j) || joint.parent < -1) {
            return wrong(fmt::format("joint '{}' stands before its parent", joint.name));
        }
        if (const std::string fault = fault_of(joint); !fault.empty()) {
            return wrong(fmt::format("joint '{}' cannot be posed: {}", joint.name, fault));
        }
    }
    return true;
}

std::string fault_of(const ClipSource& clip) {
    const bool lasts = clip.seconds == 0 || (clip.seconds >= shortest_clip && clip.seconds <= longest_clip);
    if (!lasts) {
        return fmt::format("it lasts {} s, and a clip lasts {} to {} s, or is one pose of 0 s", clip.seconds,
                           shortest_clip, longest_clip);
    }
    if (clip.tracks.size() != clip.joints.size()) {
        return fmt::format("it names {} joints and has the tracks of {}", clip.joints.size(), clip.tracks.size());
    }
    for (std::size_t j = 0; j < clip.tracks.size(); ++j) {
        const JointTracks& tracks = clip.tracks[j];
        for (const auto& [fault, what] : {std::pair(fault_of_track(tracks.rotation, clip.seconds), "rotation"),
                                          std::pair(fault_of_track(tracks.translation, clip.seconds), "translation"),
                                          std::pair(fault_of_track(tracks.scale, clip.seconds), "scale")}) {
            if (!fault.empty()) { return fmt::format("the {} of '{}' {}", what, clip.joints[j], fault); }
        }
    }
    for (const NumberTrack& track : clip.numbers) {
        const std::string fault = fault_of_track(track.values, clip.seconds);
        if (!fault.empty()) { return fmt::format("the numbers of '{}': the track {}", track.name, fault); }
    }
    return {};
}

} // namespace gait::detail
