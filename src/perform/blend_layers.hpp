/// Layers over one another: the pose that shows.
#pragma once

#include "perform/evaluate.hpp"

#include <span>

namespace gait::detail {

/// Which pose is asked for.
struct PoseWanted {
    std::size_t lanes = 0; ///< of its joints; the others stay as they are
    const Evaluation* what = &everything_now;
};

/// Fills the block's pose: the lowest layer, and over it those above as far as they count.
void evaluate_pose(const CharacterData& data, const PerformerBlock& block, PoseWanted wanted);
/// The same of all joints as they are now.
inline void evaluate_pose(const CharacterData& data, const PerformerBlock& block) {
    evaluate_pose(data, block, {data.layout.lanes});
}

/// How much a layer counts `shift` seconds from now as it is changing, beside its mask: its weight times the part of
/// its motions that play something.
[[nodiscard]] double layer_cover(const CharacterData& data, const PerformerBlock& block, double shift = 0);
/// The weight of the layer on each joint, its mask included.
void layer_cover(const CharacterData& data, const PerformerBlock& block, std::span<float> out);

} // namespace gait::detail
