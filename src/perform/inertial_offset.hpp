/// What a motion that no longer plays leaves behind: an offset on the layer's pose, travel and values that decays.
#pragma once

#include "perform/evaluate.hpp"

namespace gait::detail {

/// Lays the layer's offset, `elapsed` seconds after it was caught, over a window of its pose.
void apply_offset(const CharacterData& data, const PerformerBlock& block, double elapsed, Window window, PoseRows out);

/// Catches the difference between the motions `before` and those `after`, and the speed of that difference, as the
/// layer's inertial offset, to decay over `seconds`: of the pose, the travel and the values.
void capture_offset(const CharacterData& data, const PerformerBlock& block, const Evaluation& before,
                    const Evaluation& after, double seconds);

} // namespace gait::detail
