/// Layers over one another: the pose that shows.
#pragma once

#include "perform/evaluate.hpp"

#include <span>

namespace gait::detail {

/// A rig that plays a layer in model space has at most so many joints, whose rotations stand on the stack.
inline constexpr std::size_t most_model_joints = 512;

/// Fills the block's pose: the lowest layer, and over it those above as far as they count.
void evaluate_pose(const CharacterData& data, const PerformerBlock& block);

/// How much a layer counts now, beside its mask: its weight times the part of its motions that play something.
[[nodiscard]] double layer_cover(const CharacterData& data, const PerformerBlock& block);
/// The weight of the layer on each joint, its mask included.
void layer_cover(const CharacterData& data, const PerformerBlock& block, std::span<float> out);

} // namespace gait::detail
