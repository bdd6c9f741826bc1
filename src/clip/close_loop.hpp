/// Bringing the end of a loop to its start: the closing frame that exporters leave out, and what does not meet.
#pragma once

#include "clip/pose_track.hpp"

namespace gait::detail {

/// The shortest time between two keys of a joint, seconds: the frame it was exported at; 0 where nothing tells.
[[nodiscard]] double frame_seconds(const ClipSource& source);

/// How long a loop takes from its last pose to its first again, seconds: 0 where the last is the first; where the first
/// lies where the last poses were heading, or as far away as a frame's step, the frame that was left out. `frame`:
/// seconds a frame, 0 for not known.
[[nodiscard]] double left_out(const PoseTrack& track, const Rig& rig, double frame);

/// Adds the first pose `seconds` after the last one, its roots moved `on` by as far as the body has gone by then.
void add_closing_frame(PoseTrack& track, const Rig& rig, double seconds, const Transform& on);

/// Turns and moves every pose by its part of what the end lacks to the start, which is returned. Joints whose tracks
/// jump from key to key (`stepped` [joint]) are left alone; and where a closing frame was `added` (seconds), those that
/// were heading for it.
LoopGap close_gap(PoseTrack& track, const Rig& rig, const std::vector<bool>& stepped, double added);

} // namespace gait::detail
