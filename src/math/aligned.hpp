/// Vectors of floats that begin on a cache line, as the kernels want them.
#pragma once

#include "gait/kept.hpp"

#include <cstddef>
#include <vector>

namespace gait::detail {

inline constexpr std::size_t cache_line = 64;
/// Joint rows are padded to this many lanes: the widest vector the kernels use.
inline constexpr std::size_t lane_padding = 16;

[[nodiscard]] constexpr std::size_t round_up(std::size_t count, std::size_t multiple) {
    return (count + multiple - 1) / multiple * multiple;
}

using AlignedFloats = std::vector<float, KeptAllocator<float, cache_line>>;

} // namespace gait::detail
