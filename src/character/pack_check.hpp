/// Whether what was read from a pack can be played: every index, range and number that a frame relies on.
#pragma once

#include "character/character_data.hpp"

#include <string>

namespace gait::detail {

/// What is wrong with a character's data, in a few words; empty where nothing is. Its rows of rotations are connected,
/// its layout is not made yet.
[[nodiscard]] std::string fault_of(const CharacterData& data);

} // namespace gait::detail
