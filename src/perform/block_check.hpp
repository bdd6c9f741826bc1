/// Whether a block that somebody stored may be played on.
#pragma once

#include "character/character_data.hpp"

namespace gait::detail {

/// Looks at every index, count and number of a block, whatever its bytes are: true when each is one that playing the
/// character could have left there, so that no frame after it reads outside of anything or makes what is no number. It
/// does not say that the block was ever reached.
[[nodiscard]] bool is_sound(const CharacterData& data, const PerformerBlock& block);

} // namespace gait::detail
