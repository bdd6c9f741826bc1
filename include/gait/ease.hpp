/// \file
/// The names of the curves by which a fade's weight rises from 0 to 1 over its seconds.
#pragma once

#include <cstdint>

namespace gait {

/// The standard curves. Every one but `linear`, `in` and `out` begins and ends at rest, which a fade needs to start and
/// stop without a jolt.
enum class Ease : std::uint8_t {
    smooth,   ///< 3u^2 - 2u^3, the default: velocity begins and ends at zero
    smoother, ///< 6u^5 - 15u^4 + 10u^3: acceleration begins and ends at zero as well
    linear,   ///< u: a jolt at both ends
    in,       ///< u^2: begins at rest, arrives at full speed
    out,      ///< 1 - (1 - u)^2: begins at full speed, comes to rest
};

} // namespace gait
