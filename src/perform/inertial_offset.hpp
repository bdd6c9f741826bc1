/// What a motion that no longer plays leaves behind: an offset on the layer's pose, travel and values that decays.
#pragma once

#include "perform/evaluate.hpp"

#include <span>

namespace gait::detail {

/// Lays the layer's offset, `elapsed` seconds after it was caught, over a window of its pose.
void apply_offset(const CharacterData& data, const PerformerBlock& block, double elapsed, Window window, PoseRows out);

/// Catches the difference between the motions `before` and those `after`, and the speed of that difference, as the
/// layer's inertial offset, to decay over `seconds`: of the pose, the travel and the values. `chooses_signs`: the
/// newest motion, all there is after, is put on the side on which the others were (see `choose_signs`).
void capture_offset(const CharacterData& data, const PerformerBlock& block, const Evaluation& before,
                    const Evaluation& after, double seconds, bool chooses_signs = false);

/// The same between two performers whose rigs have the same joints: catches the difference between all that a layer of
/// the one shows now, `left`, and all that a layer of the other shows.
struct OtherLayer {
    const CharacterData& data;
    const PerformerBlock& block;
};
void capture_offset_from(const OtherLayer& left, const CharacterData& data, const PerformerBlock& block,
                         double seconds);

/// Lays more on the offset that a layer has just caught: a rotation vector a joint, radians, and a move for each of the
/// character's `moved`, in their units. Of joints beyond the layer's reach nothing.
void lay_on_offset(const CharacterData& data, const PerformerBlock& block, std::span<const Vec3> turns,
                   std::span<const Vec3> moves);

/// The greatest difference between what the two show now.
struct ShownDifference {
    double degrees = 0;
    double metres = 0;
    double cover = 0; ///< of how much of the layer they play something on, 0 to 1
};
[[nodiscard]] ShownDifference shown_difference(const OtherLayer& left, const CharacterData& data,
                                               const PerformerBlock& block);

} // namespace gait::detail
