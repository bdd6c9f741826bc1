/// From a clip to even samples.
#pragma once

#include "character/sampled_clip.hpp"
#include "clip/posed_clip.hpp"
#include "gait/rig.hpp"

#include <vector>

namespace gait::detail {

/// Evenly samples `clip`, which lies on `rig`, at the lowest rate that keeps every joint within `tolerance` metres of
/// the clip in model space, both at its keys and between them.
[[nodiscard]] SampledClip sample_clip(const PosedClip& clip, const Rig& rig, bool loops, double tolerance);

/// Chooses one sign for each joint of each clip, so that all of them lie on one hemisphere as far as they can: the side
/// of the principal axis of all their samples (Markley et al. 2007), which does not depend on the order of the clips,
/// with the real part not negative. Says of each whether it keeps to that side.
void align_signs(KeptList<SampledClip>& clips, std::size_t joint_count);

} // namespace gait::detail
