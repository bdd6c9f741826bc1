#include "character/layout.hpp"

#include "math/aligned.hpp"

#include <algorithm>
#include <cstddef>

namespace gait::detail {
namespace {

/// The cache lines of a block that every frame reads, whatever plays.
KeptList<std::uint32_t> lines_of_each_frame(const PerformerLayout& layout, const PerformerNeeds& needs) {
    KeptList<std::uint32_t> lines(needs.layers.get_allocator().memory());
    constexpr std::size_t of_a_layer = 5, of_others = 16;
    lines.reserve(of_a_layer * needs.layers.size() + of_others);
    const auto read = [&](std::size_t offset, std::size_t size) {
        for (std::size_t line = offset / cache_line; size > 0 && line * cache_line < offset + size; ++line) {
            lines.push_back(std::uint32_t(line));
        }
    };
    // Of very many inputs a frame reads few.
    constexpr std::size_t most_inputs = 64;
    const std::size_t inputs = std::min(needs.parameters, most_inputs);
    // What happened in the last step stands at the header's end, and is only written.
    read(0, offsetof(PerformerHeader, records));
    read(layout.memory, std::min(needs.computed, most_inputs) * sizeof(double));
    read(layout.cursors, needs.cursors * sizeof(PlanePoint));
    read(layout.raw, inputs * sizeof(float));
    read(layout.smoothed, inputs * sizeof(float));
    for (const LayerLayout& layer : layout.layers) {
        read(layer.header, offsetof(LayerHeader, instances) + sizeof(Instance));
        read(layer.header + offsetof(LayerHeader, path), sizeof(ActiveNode));
    }
    std::sort(lines.begin(), lines.end());
    lines.erase(std::unique(lines.begin(), lines.end()), lines.end());
    return lines;
}

} // namespace

PerformerLayout PerformerLayout::make(const PerformerNeeds& needs) {
    PerformerLayout layout;
    layout.layers = KeptList<LayerLayout>(needs.layers.get_allocator().memory());
    layout.layers.reserve(needs.layers.size());
    layout.lanes = round_up(needs.joints, lane_padding);
    layout.sign_words = (layout.lanes + 31) / 32;
    layout.parameter_count = needs.parameters;
    layout.pose_rows = needs.scales ? 10 : 7;

    std::size_t end = sizeof(PerformerHeader);
    const auto place = [&](std::size_t size, std::size_t alignment) {
        const std::size_t offset = round_up(end, alignment);
        end = offset + size;
        return offset;
    };
    const auto place_all = [&]<typename Value>(std::size_t count, Value) {
        return place(count * sizeof(Value), alignof(Value));
    };
    // What few frames need stands first, what every frame needs last and together, and next to the header of whatever
    // performer stands behind: a crowd waits for pages of memory as well as for lines, and processors read on by
    // themselves.
    layout.deals = place_all(needs.picks, Deal{});
    layout.feet = place_all(needs.legs, PlantedFoot{});
    layout.resumes = place_all(needs.resumes, std::uint16_t{});
    layout.detail_turns = place_all(needs.details ? 2 * 4 * layout.lanes : 0, std::int16_t{});
    layout.detail_moves = place_all(needs.details ? 2 * 3 * needs.moved : 0, float{});
    for (const LayerNeeds& own : needs.layers) {
        LayerLayout layer;
        layer.most_playing = own.playing;
        layer.most_terms = own.terms;
        layer.offset_move = place_all(2 * 3 * needs.moved, float{});
        layer.value_offset = place_all(needs.values, float{});
        const std::size_t first = own.first_joint / lane_padding * lane_padding;
        layer.reach = {first, own.last_joint == 0 ? layout.lanes : round_up(own.last_joint, lane_padding) - first};
        layer.hemispheres = place_all(3 * layer.reach.lanes, std::int8_t{});
        layer.offset_units = place_all((layout.lanes + window_lanes - 1) / window_lanes, OffsetUnits{});
        layer.offset_turn = place_all(6 * layer.reach.lanes, std::int16_t{});
        // The lowest layer changes no side.
        layer.most_turns = layout.layers.empty() ? 0 : layer.reach.lanes * 3 / 8;
        layer.side_turns = place_all(layer.most_turns, SideTurn{});
        layer.carried = own.in_model ? layer.reach.lanes : 0;
        layer.carry_sides = place_all(2 * layer.carried, std::int8_t{});
        layout.layers.push_back(layer);
    }
    for (LayerLayout& layer : layout.layers) {
        layer.slots = place(0, alignof(TermState));
        layer.term_states = place_all(layer.most_terms, TermState{}) - layer.slots;
        layer.terms = place_all(layer.most_terms, float{}) - layer.slots;
        layer.velocity_correction = place_all(1, VelocityCorrection{}) - layer.slots;
        layer.signs = place_all(layout.sign_words, std::uint32_t{}) - layer.slots;
        layer.playheads = place_all(layer.most_playing, Playhead{}) - layer.slots;
        layer.slot_bytes = place(0, alignof(TermState)) - layer.slots;
        end = layer.slots + most_instances * layer.slot_bytes;
    }
    layout.signals = place_all(needs.signals, SentSignal{});
    layout.smoothed_states = place_all(needs.smoothed, SmoothedState{});
    layout.cursor_states = place_all(needs.cursors, CursorState{});
    layout.memory = place_all(needs.computed, double{});
    layout.cursors = place_all(needs.cursors, PlanePoint{});
    layout.raw = place_all(needs.parameters, float{});
    layout.smoothed = place_all(needs.parameters, float{});
    for (LayerLayout& layer : layout.layers) {
        layer.header = place(sizeof(LayerHeader), cache_line); // of which a frame reads the first three lines
    }
    layout.pose = place(layout.pose_rows * layout.lanes * sizeof(float), cache_line);
    layout.bytes = round_up(end, cache_line);
    layout.lines_of_each = lines_of_each_frame(layout, needs);
    return layout;
}

} // namespace gait::detail
