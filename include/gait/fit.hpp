/// \file
/// Fitting a clip that was made for one rig to another: other joint names, other proportions, other local axes.
#pragma once

#include "gait/api.hpp"
#include "gait/clip.hpp"
#include "gait/document.hpp"
#include "gait/rig.hpp"

#include <string>
#include <vector>

namespace gait {

/// A clip on the rig it was fitted to, and what the two rigs do not share.
struct FittedClip {
    ClipSource clip;
    std::vector<std::string> foreign; ///< joints the clip moves that the rig lacks, by the clip's names
    std::vector<std::string> unmoved; ///< joints of the rig that the clip's rig lacks: they rest
    bool as_it_was = false;           ///< the rest poses agree, so the keys were taken as they stand
};

/// Fits `clip`, made for `from`, to `to`. Joints are matched by name, after what `how` says of names; those left over
/// by side and words, so that `UpperLeg_l` is `upper_leg_left`. Where the two rest poses agree the keys are kept.
/// Elsewhere each joint's turn relative to rest is carried over in model space, and the way of the hips is scaled by
/// the ratio of the legs' lengths (hips to ankles), so that the feet stay on the ground.
[[nodiscard]] GAIT_API FittedClip fit_clip(const ClipSource& clip, const Rig& from, const Rig& to,
                                           const FitDefinition& how = {});

/// Pairs of joints (left, right) that mirror each other, by their names.
[[nodiscard]] GAIT_API std::vector<std::pair<std::string, std::string>> mirrored_joints(const Rig& rig);

} // namespace gait
