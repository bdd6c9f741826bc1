/// By what a performer's block is known to fit a character.
#pragma once

#include "gait/api.hpp"

#include <cstdint>

namespace gait::detail {

struct CharacterData;

/// Goes up when what a block holds changes its meaning.
inline constexpr std::uint16_t block_version = 6;

/// A number that characters share whose blocks mean the same: with the same joints, parameters, states, ways between
/// them, motions, clips and layers by name and in the same order. Thresholds, fades and weights may differ.
[[nodiscard]] GAIT_API std::uint64_t fingerprint_of(const CharacterData& data);

} // namespace gait::detail
