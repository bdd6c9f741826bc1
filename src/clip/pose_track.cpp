#include "clip/pose_track.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

constexpr double spline_step = 1.0 / 120; ///< seconds between poses along a cubic spline
constexpr double before_step = 1e-4;      ///< seconds
constexpr double closest = 1e-6;          ///< instants nearer than this are one, seconds

template <typename Value> void add_instants(const Track<Value>& track, std::vector<double>& times) {
    for (std::size_t k = 0; k < track.times.size(); ++k) {
        const double at = track.times[k];
        if (k > 0 && track.interpolation == Interpolation::step && at - track.times[k - 1] > 2 * before_step) {
            times.push_back(at - before_step);
        }
        if (k > 0 && track.interpolation == Interpolation::cubic_spline) {
            const double span = at - track.times[k - 1];
            const int parts = int(std::ceil(span / spline_step));
            for (int i = 1; i < parts; ++i) { times.push_back(track.times[k - 1] + span * i / parts); }
        }
        times.push_back(at);
    }
}

Transform between(const Transform& a, const Transform& b, double t) {
    return {slerp(a.rotation, b.rotation, t), a.translation * float(1 - t) + b.translation * float(t),
            a.scale * float(1 - t) + b.scale * float(t)};
}

} // namespace

PoseTrack to_poses(const ClipSource& source, const Rig& rig) {
    const ClipSource on_rig = arranged(source, rig);
    PoseTrack track;
    track.times = {0, source.seconds};
    for (const JointTracks& tracks : on_rig.tracks) {
        add_instants(tracks.rotation, track.times);
        add_instants(tracks.translation, track.times);
        add_instants(tracks.scale, track.times);
    }
    std::sort(track.times.begin(), track.times.end());
    track.times.erase(
        std::unique(track.times.begin(), track.times.end(), [](double a, double b) { return b - a < closest; }),
        track.times.end());
    const auto rest = rest_pose(rig);
    for (const double at : track.times) { track.poses.push_back(pose_at(on_rig, rest, at)); }
    return track;
}

std::vector<Transform> pose_at(const PoseTrack& track, double seconds) {
    const auto after = std::upper_bound(track.times.begin(), track.times.end(), seconds);
    if (after == track.times.begin()) { return track.poses.front(); }
    const auto first = std::size_t(after - track.times.begin()) - 1;
    if (after == track.times.end()) { return track.poses.back(); }
    const double t = (seconds - track.times[first]) / (track.times[first + 1] - track.times[first]);
    std::vector<Transform> pose(track.poses[first].size());
    for (std::size_t j = 0; j < pose.size(); ++j) {
        pose[j] = between(track.poses[first][j], track.poses[first + 1][j], t);
    }
    return pose;
}

ClipSource to_source(const PoseTrack& track, const Rig& rig, const ClipSource& like) {
    constexpr float negligible = 1e-7F; // metres
    constexpr double negligible_degrees = 0.001;
    ClipSource source;
    source.name = like.name;
    source.numbers = like.numbers;
    source.seconds = track.seconds();
    source.keys = int(track.times.size());
    source.tracks.resize(rig.joints.size());
    std::vector<double> times;
    for (const double at : track.times) { times.push_back(at - track.times.front()); }
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const Joint& joint = rig.joints[j];
        source.joints.push_back(joint.name);
        JointTracks& tracks = source.tracks[j];
        bool turns = false, moves = false, scales = false;
        for (const auto& pose : track.poses) {
            turns = turns || degrees_between(pose[j].rotation, joint.rest.rotation) > negligible_degrees;
            moves = moves || length(pose[j].translation - joint.rest.translation) > negligible;
            scales = scales || length(pose[j].scale - joint.rest.scale) > negligible;
        }
        for (const auto& pose : track.poses) {
            if (turns) { tracks.rotation.values.push_back(pose[j].rotation); }
            if (moves) { tracks.translation.values.push_back(pose[j].translation); }
            if (scales) { tracks.scale.values.push_back(pose[j].scale); }
        }
        if (turns) { tracks.rotation.times = times; }
        if (moves) { tracks.translation.times = times; }
        if (scales) { tracks.scale.times = times; }
    }
    return source;
}

} // namespace gait::detail
