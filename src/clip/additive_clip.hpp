/// A clip as its difference to a reference pose, to be added to others.
#pragma once

#include "character/sampled_clip.hpp"

namespace gait::detail {

/// `clip` minus the first frame of `reference`: rotations [frame][x y z 0][lane] become rotation vectors in radians, in
/// each joint's parent space, so that a weighted sum of them is scaled along the geodesic; translations and scales
/// become differences. Stepped rotations and their steps are sampled as the rest is.
[[nodiscard]] SampledClip difference_of(const SampledClip& clip, const SampledClip& reference, std::size_t joints);

} // namespace gait::detail
