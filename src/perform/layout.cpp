#include "perform/layout.hpp"

#include "math/aligned.hpp"

namespace gait {

PerformerLayout PerformerLayout::make(std::size_t joints, std::size_t parameters, std::size_t leaves,
                                      std::size_t moved_components, bool scales) {
    PerformerLayout layout;
    layout.lanes = round_up(joints, lane_padding);
    layout.sign_words = (joints + 31) / 32;
    layout.most_leaves = leaves;
    layout.parameter_count = parameters;
    layout.pose_rows = scales ? 10 : 7;

    std::size_t end = sizeof(PerformerHeader);
    const auto place = [&](std::size_t size, std::size_t alignment) {
        const std::size_t offset = round_up(end, alignment);
        end = offset + size;
        return offset;
    };
    layout.smoothed_exact = place(parameters * sizeof(double), alignof(double));
    layout.velocity = place(parameters * sizeof(double), alignof(double));
    layout.playheads = place(most_instances * leaves * sizeof(Playhead), alignof(Playhead));
    layout.raw = place(parameters * sizeof(float), alignof(float));
    layout.smoothed = place(parameters * sizeof(float), alignof(float));
    layout.signs = place(most_instances * layout.sign_words * sizeof(std::uint32_t), alignof(std::uint32_t));
    layout.offset_move = place(2 * moved_components * sizeof(float), alignof(float));
    layout.offset_turn = place(6 * layout.lanes * sizeof(float), cache_line);
    layout.pose = place(layout.pose_rows * layout.lanes * sizeof(float), cache_line);
    layout.bytes = round_up(end, cache_line);
    return layout;
}

} // namespace gait
