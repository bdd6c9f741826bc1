/// How hard what decays has to brake.
#pragma once

namespace gait::detail {

/// The greatest acceleration of the quintic that decays from there: 20 x / T^2 for the place, 8 v / T for the speed.
[[nodiscard]] inline double quintic_acceleration(double place, double speed, double seconds) {
    return 20 * place / (seconds * seconds) + 8 * speed / seconds;
}

} // namespace gait::detail
