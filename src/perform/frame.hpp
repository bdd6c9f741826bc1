/// What happens in `Performer::advance`, on the block itself.
#pragma once

#include "gait/events.hpp"
#include "perform/character_data.hpp"

#include <algorithm>
#include <array>

namespace gait {

/// Instants closer than this are one, seconds.
inline constexpr double instant = 1e-9;

/// A performer in the middle of a step.
struct Frame {
    Frame(const CharacterData& character, const PerformerBlock& performer, EventList* list = nullptr)
        : data(character), block(performer), header(performer.header()), events(list) {}

    const CharacterData& data;
    const PerformerBlock& block;
    PerformerHeader& header;
    EventList* events;    ///< null when nobody listens
    bool in_step = false; ///< inside `advance`, where what happens is told
    /// Marks that the active motion passed since the last decision.
    std::array<std::uint16_t, 16> passed; // NOLINT: only the first `passed_count` hold anything
    std::size_t passed_count = 0;

    [[nodiscard]] Instance& active() const { return header.instances[header.instance_count - 1U]; }
    [[nodiscard]] const CompiledState& state_of(const Instance& instance) const { return data.states[instance.state]; }
    [[nodiscard]] const Motion& motion_of(const Instance& instance) const {
        return data.motions.motions[state_of(instance).motion];
    }
    /// Whether some motion follows the layer's shared phase.
    [[nodiscard]] bool plays_synced() const {
        return std::any_of(header.instances.begin(), header.instances.begin() + header.instance_count,
                           [&](const Instance& i) { return motion_of(i).synced && i.loose == 0; });
    }
};

/// Default parameters, the start state, time zero. The block's bytes are all written.
void reset_block(const CharacterData& data, const PerformerBlock& block);

/// A step of `dt` seconds (finite and not negative), the pose included.
void advance_block(Frame& frame, double dt);

[[nodiscard]] double seconds_to_next_instant(const CharacterData& data, const PerformerBlock& block);

} // namespace gait
