#include "clip/pose_track.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

constexpr double spline_step = 1.0 / 120; ///< seconds between poses along a cubic spline
constexpr double before_step = 1e-4;      ///< seconds
constexpr double closest = 1e-6;          ///< instants nearer than this are one, seconds

/// Instants of a clip, of which many tracks have the same ones.
class Instants {
public:
    /// Those of a clip of so many seconds, which are posed on so many joints.
    Instants(double seconds, std::size_t joints)
        : times_{0, seconds}, end_(seconds),
          most_(std::max<std::size_t>(1000, most_joint_poses / std::max<std::size_t>(1, joints))),
          closest_(std::max(closest, seconds / double(most_))) {}

    void add(double at) {
        times_.push_back(at);
        if (times_.size() >= full_) { tidy(); }
    }
    std::vector<double> take() {
        tidy();
        times_.back() = end_;
        return std::move(times_);
    }

private:
    void tidy() {
        std::sort(times_.begin(), times_.end());
        times_.erase(std::unique(times_.begin(), times_.end(), [&](double a, double b) { return b - a < closest_; }),
                     times_.end());
        full_ = std::max(full_, 2 * times_.size());
    }
    std::vector<double> times_;
    double end_; ///< seconds
    std::size_t most_;
    double closest_;             ///< seconds
    std::size_t full_ = 100'000; ///< as many are tidied up
};

template <typename Value> void add_instants(const Track<Value>& track, Instants& times) {
    for (std::size_t k = 0; k < track.times.size(); ++k) {
        const double at = track.times[k];
        if (k > 0 && track.interpolation == Interpolation::step && at - track.times[k - 1] > 2 * before_step) {
            times.add(at - before_step);
        }
        if (k > 0 && track.interpolation == Interpolation::cubic_spline) {
            const double span = at - track.times[k - 1];
            const int parts = int(std::ceil(span / spline_step));
            for (int i = 1; i < parts; ++i) { times.add(track.times[k - 1] + span * i / parts); }
        }
        times.add(at);
    }
}

Transform between(const Transform& a, const Transform& b, double t) {
    return {slerp(a.rotation, b.rotation, t), a.translation * float(1 - t) + b.translation * float(t),
            a.scale * float(1 - t) + b.scale * float(t)};
}

} // namespace

PoseTrack to_poses(const ClipSource& arranged, const std::vector<Transform>& rest) {
    PoseTrack track;
    Instants instants(arranged.seconds, rest.size());
    for (const JointTracks& tracks : arranged.tracks) {
        add_instants(tracks.rotation, instants);
        add_instants(tracks.translation, instants);
        add_instants(tracks.scale, instants);
    }
    track.times = instants.take();
    for (const double at : track.times) { track.poses.push_back(pose_at(arranged, rest, at)); }
    return track;
}

PoseTrack to_poses(const ClipSource& source, const Rig& rig) { return to_poses(arranged(source, rig), rest_pose(rig)); }

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

PoseTrack with_unit_rotations(PoseTrack track) {
    for (auto& pose : track.poses) {
        for (Transform& joint : pose) { joint.rotation = normalized(joint.rotation); }
    }
    return track;
}

namespace {

/// Which of a joint's three leave its rest pose by more than nobody sees.
struct Leaves {
    bool turns = false, moves = false, scales = false;
};

Leaves leaves_rest(const PoseTrack& track, std::size_t joint, const Transform& rest) {
    constexpr float negligible = 1e-7F; // metres
    constexpr double negligible_degrees = 0.001;
    Leaves leaves;
    for (const auto& pose : track.poses) {
        leaves.turns = leaves.turns || degrees_between(pose[joint].rotation, rest.rotation) > negligible_degrees;
        leaves.moves = leaves.moves || length(pose[joint].translation - rest.translation) > negligible;
        leaves.scales = leaves.scales || length(pose[joint].scale - rest.scale) > negligible;
    }
    return leaves;
}

} // namespace

void put_to_rest(PoseTrack& track, const std::vector<Transform>& rest) {
    for (std::size_t j = 0; j < rest.size(); ++j) {
        const Leaves leaves = leaves_rest(track, j, rest[j]);
        for (auto& pose : track.poses) {
            if (!leaves.turns) { pose[j].rotation = rest[j].rotation; }
            if (!leaves.moves) { pose[j].translation = rest[j].translation; }
            if (!leaves.scales) { pose[j].scale = rest[j].scale; }
        }
    }
}

ClipSource to_source(const PoseTrack& track, const Rig& rig, const ClipSource& like) {
    ClipSource source;
    source.name = like.name;
    source.numbers = like.numbers;
    source.seconds = track.seconds();
    source.keys = int(track.times.size());
    source.tracks.resize(rig.joints.size());
    std::vector<double> times;
    for (const double at : track.times) { times.push_back(at - track.times.front()); }
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        source.joints.push_back(rig.joints[j].name);
        JointTracks& tracks = source.tracks[j];
        const auto [turns, moves, scales] = leaves_rest(track, j, rig.joints[j].rest);
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
