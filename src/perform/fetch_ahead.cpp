#include "perform/fetch_ahead.hpp"

#include "math/aligned.hpp"

#include <atomic>
#include <cstddef>
#include <cstdint>
#include <hwy/cache_control.h>
#include <utility>

namespace gait::detail {
namespace {

/// Asks for the lines of `count` values.
template <typename Value> void fetch(const Value* values, std::size_t count) {
    if (count == 0) { return; }
    const auto* first = reinterpret_cast<const std::byte*>(values);
    const std::byte* end = first + count * sizeof(Value);
    for (first -= reinterpret_cast<std::uintptr_t>(first) % cache_line; first < end; first += cache_line) {
        hwy::Prefetch(first);
    }
}

/// Stands at the end of a function that does nothing but ask: to a compiler that sees into it it would have no effect,
/// and calling it would be left out.
void keep_call() { std::atomic_signal_fence(std::memory_order_acq_rel); }

/// Asks for a layer's offset from what it left.
void fetch_offset(const CharacterData& data, const PerformerBlock& block) {
    constexpr std::size_t components = 6;
    fetch(block.offset_turn(0), components * block.reach().lanes);
    fetch(block.offset_move(), components * data.moved.size());
    fetch(&block.offset_units(0), 1);
}

} // namespace

void fetch_what_all_read(const CharacterData& data, const PerformerBlock& block, bool pose) {
    const auto* bytes = reinterpret_cast<const std::byte*>(&block.header());
    for (const std::uint32_t line : data.layout.lines_of_each) { hwy::Prefetch(bytes + line * cache_line); }
    keep_call();
    if (!pose) { return; }
    const std::size_t lanes = data.layout.lanes;
    constexpr std::size_t rotation_rows = 4;
    fetch(block.pose(), rotation_rows * lanes);
    std::size_t fetched = 0;
    for (const MovedJoint& moved : data.moved) {
        const std::size_t first = moved.row * lanes + moved.joint / lane_padding * lane_padding;
        if (std::exchange(fetched, first) == first) { continue; }
        for (std::size_t row = 0; row < 3; ++row) { hwy::Prefetch(block.pose() + first + row * lanes); }
    }
}

void fetch_what_it_reads(const CharacterData& data, const PerformerBlock& block, bool pose) {
    const PerformerHeader& header = block.header();
    if (header.inputs_settle != 0) {
        fetch(block.smoothed_states(), data.smoothed.size());
        fetch(block.cursor_states(), data.cursors.size());
    }
    if (header.signals_live != 0) { fetch(block.signals(), data.signals.size()); }
    for (std::size_t l = 0; l < data.layers.size(); ++l) {
        const PerformerBlock own = block.of_layer(l);
        const LayerHeader& layer = own.layer();
        if (layer.instance_count > 1) { fetch(layer.instances.data(), layer.instance_count); }
        for (std::size_t i = 0; i < layer.instance_count; ++i) {
            if (own.playing(layer.instances[i]).empty()) { continue; }
            const auto slot = own.slot_in_use(layer.instances[i]);
            fetch(slot.data(), slot.size());
        }
        if (layer.depth > 1) { fetch(layer.path.data(), layer.depth); }
        if (pose && layer.offset_active != 0) { fetch_offset(data, own); }
        if (pose && l > 0 && layer.shown != 0) {
            fetch(own.hemispheres(own.reach().first).sign, 3 * own.reach().lanes);
        }
        if (pose && layer.turns_sides != 0) { fetch(own.side_turns().data(), own.side_turns().size()); }
    }
    keep_call();
    if (!pose || header.detail.is_full()) { return; }
    constexpr std::size_t kept_poses = 2;
    fetch(block.detail_turns(), kept_poses * 4 * data.layout.lanes);
    fetch(block.detail_moves(), kept_poses * 3 * data.moved.size());
}

} // namespace gait::detail
