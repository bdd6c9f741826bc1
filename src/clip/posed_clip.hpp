/// A clip on the character's rig that can be asked for its pose at any instant.
#pragma once

#include "clip/pose_track.hpp"

#include <optional>

namespace gait::detail {

/// The keys as they came; or, once something has worked on whole poses, those poses. Neither is turned into the other.
class PosedClip {
public:
    PosedClip() = default;
    /// Joints are matched by name; those the source lacks rest.
    PosedClip(const ClipSource& source, const Rig& rig);
    /// From time zero on, whatever the first instant is. A joint that hardly leaves its rest pose rests.
    PosedClip(PoseTrack poses, const Rig& rig);
    /// The same, but for joints whose `keys` (in the rig's joint order) are steps: those stay.
    PosedClip(PoseTrack poses, const Rig& rig, const ClipSource& keys);

    [[nodiscard]] double seconds() const { return poses_ ? poses_->seconds() : keys_.seconds; }
    /// Local, one a joint.
    [[nodiscard]] std::vector<Transform> pose_at(double seconds) const;
    /// The same as straight lines between instants; see `to_poses`.
    [[nodiscard]] PoseTrack poses() const;
    /// Each instant at which a key or a pose stands, and both ends; rising strictly.
    [[nodiscard]] std::vector<double> instants() const;
    /// The greatest number of keys on one track.
    [[nodiscard]] std::size_t key_count() const;
    /// The joint's keys, for what jumps from one to the next; of clips that have poses, those alone.
    [[nodiscard]] const JointTracks& keys_of(std::size_t joint) const;
    /// Plays it `rate` times as fast.
    void quicken(double rate);

private:
    ClipSource keys_; ///< in the rig's joint order
    std::optional<PoseTrack> poses_;
    std::vector<Transform> rest_;
};

/// Whether a joint jumps from one key to the next.
[[nodiscard]] bool has_steps(const JointTracks& tracks);

/// Plays a number `rate` times as fast.
void quicken(NumberTrack& track, double rate);

} // namespace gait::detail
