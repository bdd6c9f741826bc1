/// What `measure_clip` does, of poses.
#pragma once

#include "clip/pose_track.hpp"
#include "gait/measure.hpp"

namespace gait::detail {

/// See `measure_clip`. `clip` begins at time zero, and its rotations are of length 1.
[[nodiscard]] ClipMeasure measure_poses(const PoseTrack& clip, const Rig& rig,
                                        const std::vector<std::string>& feet = {});

} // namespace gait::detail
