/// A clip as whole poses at instants: what its settings and its fitting to another rig work on.
#pragma once

#include "gait/clip.hpp"

#include <vector>

namespace gait::detail {

/// So many joints' transforms one clip is posed or sampled as at most: what a small file of an hour, a thousand joints
/// and splines asks for stays within a gigabyte. A body of sixty joints has five thousand seconds at sixty frames.
inline constexpr std::size_t most_joint_poses = 20'000'000;

struct PoseTrack {
    std::vector<double> times;                 ///< seconds, rising strictly
    std::vector<std::vector<Transform>> poses; ///< [instant][joint], local

    [[nodiscard]] double seconds() const { return times.empty() ? 0 : times.back() - times.front(); }
};

/// The source's tracks in the rig's joint order; joints are matched by name, those it lacks get none.
[[nodiscard]] ClipSource arranged(const ClipSource& source, const Rig& rig);

/// How far `last` is from `first` [one a joint, local].
[[nodiscard]] LoopGap gap_between(const Rig& rig, const std::vector<Transform>& first,
                                  const std::vector<Transform>& last);

/// The poses of `source` on `rig` (joints matched by name) at every instant at which a key stands, with more between
/// the keys of a cubic spline and one just before each step, so that straight lines between them show the same.
[[nodiscard]] PoseTrack to_poses(const ClipSource& source, const Rig& rig);
/// The same of a source whose tracks are in the order of `rest`.
[[nodiscard]] PoseTrack to_poses(const ClipSource& arranged, const std::vector<Transform>& rest);

/// The pose at `seconds`, straight between the instants (rotations along the arc).
[[nodiscard]] std::vector<Transform> pose_at(const PoseTrack& track, double seconds);

/// The same poses, rounding made good: every rotation of length 1.
[[nodiscard]] PoseTrack with_unit_rotations(PoseTrack track);

/// Puts a joint to `rest` whose turns, moves or sizes hardly leave it all along: each of the three by itself.
void put_to_rest(PoseTrack& track, const std::vector<Transform>& rest);

/// Back to keys on `rig`'s joints, from time zero; joints that rest get no track.
[[nodiscard]] ClipSource to_source(const PoseTrack& track, const Rig& rig, const ClipSource& like);

} // namespace gait::detail
