#include "clip/posed_clip.hpp"

#include <algorithm>
#include <utility>

namespace gait::detail {
namespace {

Quat times(Quat q, float by) { return {q.x * by, q.y * by, q.z * by, q.w * by}; }
Vec3 times(Vec3 v, float by) { return v * by; }
float times(float v, float by) { return v * by; }

template <typename Value> void quicken_track(Track<Value>& track, double rate) {
    for (double& at : track.times) { at /= rate; }
    if (track.interpolation != Interpolation::cubic_spline) { return; }
    for (std::size_t k = 0; k < track.values.size(); ++k) { // tangents are a second's change
        if (k % 3 != 1) { track.values[k] = times(track.values[k], float(rate)); }
    }
}

} // namespace

void quicken(NumberTrack& track, double rate) { quicken_track(track.values, rate); }

PosedClip::PosedClip(const ClipSource& source, const Rig& rig) : keys_(arranged(source, rig)), rest_(rest_pose(rig)) {}

PosedClip::PosedClip(PoseTrack poses, const Rig& rig) : poses_(std::move(poses)), rest_(rest_pose(rig)) {
    const double start = poses_->times.front();
    for (double& at : poses_->times) { at -= start; }
    put_to_rest(*poses_, rest_);
}

PosedClip::PosedClip(PoseTrack poses, const Rig& rig, const ClipSource& keys) : PosedClip(std::move(poses), rig) {
    for (const JointTracks& tracks : keys.tracks) {
        keys_.tracks.push_back(has_steps(tracks) ? tracks : JointTracks{});
    }
}

bool has_steps(const JointTracks& tracks) {
    const auto jumps = [](const auto& track) { return !track.empty() && track.interpolation == Interpolation::step; };
    return jumps(tracks.rotation) || jumps(tracks.translation) || jumps(tracks.scale);
}

std::vector<Transform> PosedClip::pose_at(double seconds) const {
    return poses_ ? detail::pose_at(*poses_, seconds) : gait::pose_at(keys_, rest_, seconds);
}

PoseTrack PosedClip::poses() const { return poses_ ? with_unit_rotations(*poses_) : to_poses(keys_, rest_); }

std::vector<double> PosedClip::instants() const {
    if (poses_) { return poses_->times; }
    std::vector<double> times{0, keys_.seconds};
    for (const JointTracks& tracks : keys_.tracks) {
        for (const auto* list : {&tracks.rotation.times, &tracks.translation.times, &tracks.scale.times}) {
            times.insert(times.end(), list->begin(), list->end());
        }
    }
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end()), times.end());
    return times;
}

std::size_t PosedClip::key_count() const {
    return poses_ ? poses_->times.size() : std::size_t(std::max(keys_.keys, 0));
}

const JointTracks& PosedClip::keys_of(std::size_t joint) const {
    static const JointTracks none;
    return joint < keys_.tracks.size() ? keys_.tracks[joint] : none;
}

void PosedClip::quicken(double rate) {
    if (poses_) {
        for (double& at : poses_->times) { at /= rate; }
    }
    for (JointTracks& tracks : keys_.tracks) {
        quicken_track(tracks.rotation, rate);
        quicken_track(tracks.translation, rate);
        quicken_track(tracks.scale, rate);
    }
    keys_.seconds /= rate;
}

} // namespace gait::detail
