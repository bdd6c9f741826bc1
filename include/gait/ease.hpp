/// \file
/// How a fade's weight rises from 0 to 1 over its seconds.
#pragma once

#include "gait/api.hpp"

#include <cstdint>
#include <optional>
#include <string_view>

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

/// The weight at a fraction `u` of the fade; `u` outside 0 to 1 is clamped.
[[nodiscard]] constexpr double eased(Ease ease, double u) {
    if (!(u > 0)) { return 0; }
    if (u >= 1) { return 1; }
    switch (ease) {
    case Ease::linear:
        return u;
    case Ease::in:
        return u * u;
    case Ease::out:
        return 1 - (1 - u) * (1 - u);
    case Ease::smoother:
        return u * u * u * (u * (6 * u - 15) + 10);
    case Ease::smooth:
        break;
    }
    return u * u * (3 - 2 * u);
}

/// As it is written in a document.
[[nodiscard]] GAIT_API std::string_view name_of(Ease ease);
/// The curve of that name; empty when there is none.
[[nodiscard]] GAIT_API std::optional<Ease> ease_named(std::string_view name);

} // namespace gait
