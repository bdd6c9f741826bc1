/// Brings a performer's block to the processor while another one's frame is under way: in a crowd that is larger than
/// the caches a frame would otherwise wait for some forty lines, one after the other.
#pragma once

#include "character/character_data.hpp"
#include "math/aligned.hpp"

#include <cstddef>
#include <cstdint>
#include <span>

namespace gait::detail {

/// Asks for what every frame reads: headers and inputs. It reads nothing itself.
void fetch_what_all_read(const CharacterData& data, const PerformerBlock& block);

/// Asks for what the next frame reads besides, as the headers tell, which are at hand by now: what plays, and what
/// settles, decays or is shown in less. `pose`: one is made.
void fetch_what_it_reads(const CharacterData& data, const PerformerBlock& block, bool pose);

/// Asks for where a pose is made. That is soon enough as its frame begins.
void fetch_pose(const CharacterData& data, const PerformerBlock& block);

/// The lines of a block that those ask for: each is visited by an address in it.
template <typename Visit> class LinesAhead {
public:
    LinesAhead(const CharacterData& data, const PerformerBlock& block, bool pose, Visit visit)
        : data_(data), block_(block), pose_(pose), visit_(visit) {}

    void what_all_read() const { visit_lines(data_.layout.lines_of_each); }

    void what_it_reads() const {
        const PerformerHeader& header = block_.header();
        if (header.inputs_settle != 0) {
            visit(block_.smoothed_states(), data_.smoothed.size());
            visit(block_.cursor_states(), data_.cursors.size());
        }
        if (header.signals_live != 0) { visit(block_.signals(), data_.signals.size()); }
        for (std::size_t l = 0; l < data_.layers.size(); ++l) { what_a_layer_reads(block_.of_layer(l)); }
        if (!pose_ || header.detail.is_full()) { return; }
        constexpr std::size_t kept_poses = 2;
        visit(block_.detail_turns(), kept_poses * 4 * data_.layout.lanes);
        visit(block_.detail_moves(), kept_poses * 3 * data_.moved.size());
    }

    void what_a_pose_writes() const { visit_lines(data_.layout.lines_of_pose); }

private:
    void what_a_layer_reads(const PerformerBlock& own) const {
        const LayerHeader& layer = own.layer();
        if (layer.instance_count > 1) { visit(layer.instances.data(), layer.instance_count); }
        for (std::size_t i = 0; i < layer.instance_count; ++i) {
            if (own.playing(layer.instances[i]).empty()) { continue; }
            const auto slot = own.slot_in_use(layer.instances[i]);
            visit(slot.data(), slot.size());
        }
        if (layer.depth > 1) { visit(layer.path.data(), layer.depth); }
        if (!pose_) { return; }
        const std::size_t lanes = own.reach().lanes;
        if (layer.offset_active != 0) {
            constexpr std::size_t components = 6;
            visit(own.offset_turn(0), components * lanes);
            visit(own.offset_move(), components * data_.moved.size());
            visit(&own.offset_units(0), 1);
        }
        if (own.layer_index() > 0 && layer.shown != 0) { visit(own.hemispheres(own.reach().first).sign, 3 * lanes); }
        if (layer.turns_sides != 0) { visit(own.side_turns().data(), own.side_turns().size()); }
    }

    void visit_lines(std::span<const std::uint32_t> lines) const {
        const auto* bytes = reinterpret_cast<const std::byte*>(&block_.header());
        for (const std::uint32_t line : lines) { visit_(bytes + line * cache_line); }
    }
    /// The lines of `count` values.
    template <typename Value> void visit(const Value* values, std::size_t count) const {
        const auto* first = reinterpret_cast<const std::byte*>(values);
        const std::byte* end = first + count * sizeof(Value);
        if (first == end) { return; }
        for (first -= reinterpret_cast<std::uintptr_t>(first) % cache_line; first < end; first += cache_line) {
            visit_(first);
        }
    }

    const CharacterData& data_;
    const PerformerBlock& block_;
    bool pose_;
    Visit visit_;
};

} // namespace gait::detail
