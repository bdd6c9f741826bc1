#include "clip/pose_track.hpp"

#include <algorithm>
#include <unordered_map>

namespace gait {
using namespace detail;
namespace {

struct KeySpan {
    std::size_t first = 0;
    double fraction = 0; ///< 0 to 1 on the way to the next key
    double seconds = 0;  ///< between the two keys
};

template <typename Value> KeySpan find_keys(const Track<Value>& track, double seconds) {
    const auto& times = track.times;
    if (!(seconds > times.front())) { return {}; } // nor where it is no number
    if (seconds >= times.back()) { return {times.size() - 1, 0, 0}; }
    const auto after = std::upper_bound(times.begin(), times.end(), seconds);
    const std::size_t first = std::size_t(after - times.begin()) - 1;
    const double span = times[first + 1] - times[first];
    return {first, (seconds - times[first]) / span, span};
}

Vec3 weighted(const Vec3& a, double wa, const Vec3& b, double wb) { return a * float(wa) + b * float(wb); }
Quat weighted(const Quat& a, double wa, const Quat& b, double wb) {
    return {float(a.x * wa + b.x * wb), float(a.y * wa + b.y * wb), float(a.z * wa + b.z * wb),
            float(a.w * wa + b.w * wb)};
}
float weighted(float a, double wa, float b, double wb) { return float(double(a) * wa + double(b) * wb); }
float finished(float v) { return v; }
float between(float a, float b, double t) { return weighted(a, 1 - t, b, t); }
Vec3 finished(const Vec3& v) { return v; }
Quat finished(const Quat& q) { return normalized(q); }
Vec3 between(const Vec3& a, const Vec3& b, double t) { return weighted(a, 1 - t, b, t); }
Quat between(const Quat& a, const Quat& b, double t) { return slerp(a, b, t); }

template <typename Value> Value value_at(const Track<Value>& track, double seconds) {
    const auto [first, t, span] = find_keys(track, seconds);
    if (track.interpolation == Interpolation::cubic_spline) {
        // glTF 2.0, appendix C: the cubic Hermite spline, tangents scaled by the seconds between the keys.
        const Value& start = track.values[first * 3 + 1];
        if (span <= 0) { return finished(start); }
        const Value& leaving = track.values[first * 3 + 2];
        const Value& arriving = track.values[(first + 1) * 3];
        const Value& end = track.values[(first + 1) * 3 + 1];
        const double t2 = t * t, t3 = t2 * t;
        const Value tangents = weighted(leaving, (t3 - 2 * t2 + t) * span, arriving, (t3 - t2) * span);
        const Value ends = weighted(start, 2 * t3 - 3 * t2 + 1, end, -2 * t3 + 3 * t2);
        return finished(weighted(ends, 1, tangents, 1));
    }
    const Value& start = track.values[first];
    if (track.interpolation == Interpolation::step || span <= 0) { return finished(start); }
    return between(start, track.values[first + 1], t);
}

} // namespace

std::vector<Transform> pose_at(const ClipSource& source, const std::vector<Transform>& rest, double seconds) {
    std::vector<Transform> pose = rest;
    for (std::size_t i = 0; i < source.tracks.size() && i < pose.size(); ++i) {
        const JointTracks& tracks = source.tracks[i];
        if (!tracks.rotation.empty()) { pose[i].rotation = value_at(tracks.rotation, seconds); }
        if (!tracks.translation.empty()) { pose[i].translation = value_at(tracks.translation, seconds); }
        if (!tracks.scale.empty()) { pose[i].scale = value_at(tracks.scale, seconds); }
    }
    return pose;
}

float number_at(const NumberTrack& track, double seconds) {
    return track.values.empty() ? 0 : value_at(track.values, seconds);
}

namespace detail {

ClipSource arranged(const ClipSource& source, const Rig& rig) {
    std::unordered_map<std::string_view, std::size_t> by_name;
    for (std::size_t i = 0; i < rig.joints.size(); ++i) { by_name.emplace(rig.joints[i].name, i); }
    ClipSource result;
    result.name = source.name;
    result.seconds = source.seconds;
    result.keys = source.keys;
    result.tracks.resize(rig.joints.size());
    for (std::size_t i = 0; i < source.joints.size(); ++i) {
        const auto found = by_name.find(source.joints[i]);
        if (found != by_name.end()) { result.tracks[found->second] = source.tracks[i]; }
    }
    return result;
}

LoopGap gap_between(const Rig& rig, const std::vector<Transform>& first, const std::vector<Transform>& last) {
    LoopGap gap;
    const auto first_model = model_space(rig, first), last_model = model_space(rig, last);
    for (std::size_t i = 0; i < rig.joints.size(); ++i) {
        const double degrees = degrees_between(first[i].rotation, last[i].rotation);
        const double moved = 1000 * double(length(last_model[i].translation - first_model[i].translation));
        if (degrees > gap.degrees || gap.turned_joint.empty()) {
            gap.degrees = degrees;
            gap.turned_joint = rig.joints[i].name;
        }
        if (moved > gap.millimetres || gap.moved_joint.empty()) {
            gap.millimetres = moved;
            gap.moved_joint = rig.joints[i].name;
        }
    }
    return gap;
}

} // namespace detail

LoopGap loop_gap(const ClipSource& source, const Rig& rig) {
    const ClipSource on_rig = arranged(source, rig);
    const auto rest = rest_pose(rig);
    return gap_between(rig, pose_at(on_rig, rest, 0), pose_at(on_rig, rest, source.seconds));
}

} // namespace gait
