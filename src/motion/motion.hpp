/// Motions as a frame walks them: a tree of blends over leaves, each leaf one playhead on one clip.
#pragma once

#include "machine/expression.hpp"

#include <cstdint>
#include <span>
#include <vector>

namespace gait {

/// One playhead's clip.
struct Leaf {
    std::uint16_t clip = 0;
    bool loops = false;
    bool synced = false; ///< follows the layer's shared phase instead of a playhead of its own
    double rate = 0;     ///< cycles a second: one over the clip's length; 0 for a clip of no length
    CodeRange pace;      ///< how many times as fast, when it says
};

/// A rate is held between these: times as fast, negative for backward.
inline constexpr float greatest_pace = 10;

/// A leaf, or a blend of other parts.
struct MotionPart {
    bool is_leaf = true;
    std::uint16_t leaf = 0;      ///< within the motion
    std::uint16_t parameter = 0; ///< of a blend
    std::uint32_t first_point = 0;
    std::uint32_t point_count = 0;
};

/// A place on a blend's axis.
struct BlendPoint {
    float at = 0;
    std::uint32_t part = 0;
};

struct Motion {
    std::uint32_t root = 0; ///< into `parts`
    std::uint32_t first_leaf = 0;
    std::uint32_t leaf_count = 0;
    bool synced = false; ///< some leaf follows the shared phase
    bool paced = false;  ///< some leaf has a rate of its own
};

/// A leaf as it is being played.
struct Playhead {
    double position = 0; ///< 0 to 1 through the clip
    std::uint32_t loops = 0;
    float weight = 0;        ///< within its motion
    float weight_before = 0; ///< a step ago
    float pace = 1;          ///< times as fast; negative for backward
};

/// Every motion of a character.
struct MotionTable {
    std::vector<Motion> motions;
    std::vector<MotionPart> parts;
    std::vector<BlendPoint> points; ///< of each blend in a row, rising in `at`
    std::vector<Leaf> leaves;

    [[nodiscard]] std::span<const Leaf> leaves_of(const Motion& motion) const {
        return {leaves.data() + motion.first_leaf, motion.leaf_count};
    }
};

/// Blends may nest this deep.
inline constexpr int deepest_motion = 16;

/// Adds up each leaf's weight for the parameters' `values`: piecewise linear between the neighbouring points, held
/// beyond the ends. The weights of `playheads` [one a leaf of the motion] are overwritten; they sum to 1.
void weigh(const MotionTable& table, const Motion& motion, const float* values, Playhead* playheads);

} // namespace gait
