#include "motion/motion.hpp"

#include <algorithm>

namespace gait {
namespace {

// Recursion is bounded by `deepest_motion`, which the compile step enforces.
void weigh_part(const MotionTable& table, std::uint32_t index, const float* values, float weight, Playhead* playheads) {
    const MotionPart& part = table.parts[index];
    if (part.is_leaf) {
        playheads[part.leaf].weight += weight;
        return;
    }
    const std::span points{table.points.data() + part.first_point, part.point_count};
    const float x = values[part.parameter];
    const auto above =
        std::upper_bound(points.begin(), points.end(), x, [](float v, const BlendPoint& p) { return v < p.at; });
    if (above == points.begin()) { return weigh_part(table, points.front().part, values, weight, playheads); }
    const BlendPoint& low = *(above - 1);
    if (above == points.end() || x == low.at) { return weigh_part(table, low.part, values, weight, playheads); }
    const float share = (x - low.at) / (above->at - low.at);
    weigh_part(table, low.part, values, weight * (1 - share), playheads);
    weigh_part(table, above->part, values, weight * share, playheads);
}

} // namespace

void weigh(const MotionTable& table, const Motion& motion, const float* values, Playhead* playheads) {
    for (std::uint32_t leaf = 0; leaf < motion.leaf_count; ++leaf) { playheads[leaf].weight = 0; }
    weigh_part(table, motion.root, values, 1, playheads);
}

} // namespace gait
