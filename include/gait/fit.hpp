/// \file
/// Fitting a clip that was made for one rig to another: other joint names, other proportions, other local axes.
#pragma once

#include "gait/api.hpp"
#include "gait/clip.hpp"
#include "gait/document.hpp"
#include "gait/rig.hpp"

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace gait {

/// By what a joint of one rig was taken for one of another.
enum class JointMatching : std::uint8_t {
    stated, ///< the fit says so
    name,   ///< they are called the same, but for what the fit strips
    place,  ///< they are the same part of a leg, an arm, the spine, the neck or the head
    words,  ///< side and words of their names are the same
};

/// In a word or two: `by name`.
[[nodiscard]] GAIT_API std::string_view name_of(JointMatching matching);

struct JointMatch {
    std::string theirs, ours;
    JointMatching by = JointMatching::name;
};

/// A clip on the rig it was fitted to, and what the two rigs do not share.
struct FittedClip {
    ClipSource clip;
    std::vector<std::string> foreign; ///< joints the clip moves that the rig lacks, by the clip's names
    std::vector<std::string> unmoved; ///< joints of the rig that the clip's rig lacks: they rest
    std::vector<JointMatch> guessed;  ///< joints that no name matched, but their place in the body
    bool as_it_was = false;           ///< the rest poses agree, so the keys were taken as they stand
};

/// Which joints of `from` are which of `to`, in the order of `to`.
[[nodiscard]] GAIT_API std::vector<JointMatch> match_joints(const Rig& from, const Rig& to,
                                                            const FitDefinition& how = {});

/// Fits `clip`, made for `from`, to `to`. Joints are matched by what `how` says of names, then by name, then by their
/// place in the body (the parts of legs, arms, spine, neck and head), and by side and words, so that `UpperLeg_l` is
/// `upper_leg_left`. Where the two rest poses agree the keys are kept. Elsewhere each joint's turn relative to rest is
/// carried over in model space; of arms and legs their rest is levelled before, so that it points where ours does,
/// but for limbs that `how` turns by hand; on a body much broader for its arms they are held out as far, counted in
/// shoulders' widths. The way of the hips is scaled by the ratio of the legs' lengths, and their
/// height is such that the lower foot is as high over the ground, in proportion.
[[nodiscard]] GAIT_API FittedClip fit_clip(const ClipSource& clip, const Rig& from, const Rig& to,
                                           const FitDefinition& how = {});

/// Pairs of joints (left, right) that mirror each other, by their names.
[[nodiscard]] GAIT_API std::vector<std::pair<std::string, std::string>> mirrored_joints(const Rig& rig);

} // namespace gait
