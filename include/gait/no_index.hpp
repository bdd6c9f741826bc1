/// \file
/// The index that stands for nothing.
#pragma once

#include <cstdint>

namespace gait {

/// Where a 16-bit index refers to nothing.
inline constexpr std::uint16_t no_index = 0xFFFF;

} // namespace gait
