/// \file
/// The order in which a pick plays its motions.
#pragma once

#include <cstdint>

namespace gait {

/// How a pick goes from entry to entry.
enum class PickOrder : std::uint8_t { dealt, random, in_turn };

} // namespace gait
