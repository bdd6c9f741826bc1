/// \file
/// Stretches of a clip that come round: what of a recording, or of a clip of several strides, makes a loop.
#pragma once

#include "gait/clip.hpp"
#include "gait/measure.hpp"

#include <string>
#include <vector>

namespace gait {

/// A stretch of a clip.
struct ClipCut {
    double from = 0; ///< seconds of the clip
    double to = 0;
    int strides = 0;     ///< how often the left foot comes down in it; 0 where feet do not tell
    ClipMeasure measure; ///< of the stretch by itself: what it leaves open is its `gap`
};

/// The stretches of `clip` on `rig` (joints matched by name) that come round best, the best one first: at most `most`,
/// each of another length, 0.35 to 4 seconds. Compared are the places of all joints over windows of 0.17 s, the body
/// brought to one spot and one heading (Kovar, Gleicher and Pighin 2002, without weights). Where feet come down,
/// stretches are of whole strides. None where nothing comes round. `feet` are as in `measure_clip`.
[[nodiscard]] GAIT_API std::vector<ClipCut> find_cuts(const ClipSource& clip, const Rig& rig,
                                                      const std::vector<std::string>& feet = {}, std::size_t most = 3);

/// The poses of `clip` from one instant to another, seconds, as a clip by itself. Both are brought within it; what
/// holds no time then is one pose.
[[nodiscard]] GAIT_API ClipSource cut_clip(const ClipSource& clip, const Rig& rig, double from, double to);

} // namespace gait
