/// What happens in `Performer::advance`, on the block itself.
#pragma once

#include "perform/character_data.hpp"

namespace gait {

/// Default parameters, the start state, time zero. The block's bytes are all written.
void reset_block(const CharacterData& data, const PerformerBlock& block);

/// A step of `dt` seconds (finite and not negative), the pose included.
void advance_block(const CharacterData& data, const PerformerBlock& block, double dt);

/// Makes `state` the active one, its motion faded in over what plays. `by` is the transition that did it, for the
/// record.
void enter_state(const CharacterData& data, const PerformerBlock& block, std::uint16_t state, std::uint16_t by,
                 double fade, Ease ease);

[[nodiscard]] double seconds_to_next_instant(const CharacterData& data, const PerformerBlock& block);

} // namespace gait
