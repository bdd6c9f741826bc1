/// Moves of a body over the ground: a place and a turn about the vertical, and their logarithm (the steady motion that
/// leads there in one unit of time). The group of plane motions with a height beside it.
#pragma once

#include "gait/math.hpp"

#include <cmath>

namespace gait::detail {

/// Metres, and radians about +Y (to the left).
struct BodyStep {
    double x = 0, y = 0, z = 0, yaw = 0;
};

/// `first`, then `second` in the frame that `first` leads to.
[[nodiscard]] inline BodyStep operator*(const BodyStep& first, const BodyStep& second) {
    const auto [s, c] = sine_cosine(first.yaw);
    return {first.x + c * second.x + s * second.z, first.y + second.y, first.z - s * second.x + c * second.z,
            first.yaw + second.yaw};
}

[[nodiscard]] inline BodyStep inverse(const BodyStep& step) {
    const auto [s, c] = sine_cosine(step.yaw);
    return {-(c * step.x - s * step.z), -step.y, -(s * step.x + c * step.z), -step.yaw};
}

/// The step that leads from one place to another, both seen from the same place: `inverse(from) * to`.
[[nodiscard]] inline BodyStep step_between(const BodyStep& from, const BodyStep& to) {
    const auto [s, c] = sine_cosine(from.yaw);
    const double x = to.x - from.x, z = to.z - from.z;
    return {c * x - s * z, to.y - from.y, s * x + c * z, to.yaw - from.yaw};
}

/// sin(a) / a and (1 - cos(a)) / a.
inline void arc_factors(double angle, double& along, double& across) {
    constexpr double small = 0.06; // what a frame turns through: the series are exact to the last bit
    if (std::fabs(angle) < small) {
        const double square = angle * angle;
        along = 1 - square / 6 * (1 - square / 20 * (1 - square / 42 * (1 - square / 72)));
        across = angle / 2 * (1 - square / 12 * (1 - square / 30 * (1 - square / 56)));
    } else {
        const auto [sine, cosine] = sine_cosine(angle);
        along = sine / angle;
        across = (1 - cosine) / angle;
    }
}

/// Where the steady motion `twist` leads in one unit of time.
[[nodiscard]] inline BodyStep exponential(const BodyStep& twist) {
    double along = 1, across = 0;
    arc_factors(twist.yaw, along, across);
    return {along * twist.x + across * twist.z, twist.y, -across * twist.x + along * twist.z, twist.yaw};
}

/// The steady motion that leads to `step` in one unit of time.
[[nodiscard]] inline BodyStep logarithm(const BodyStep& step) {
    double along = 1, across = 0;
    arc_factors(step.yaw, along, across);
    const double determinant = along * along + across * across;
    return {(along * step.x - across * step.z) / determinant, step.y, (across * step.x + along * step.z) / determinant,
            step.yaw};
}

[[nodiscard]] inline BodyStep scaled(const BodyStep& twist, double by) {
    return {twist.x * by, twist.y * by, twist.z * by, twist.yaw * by};
}

/// As a transform of what stands on the ground.
[[nodiscard]] inline Transform transform_of(const BodyStep& step) {
    return {
        axis_angle({0, 1, 0}, step.yaw * degrees_per_radian), {float(step.x), float(step.y), float(step.z)}, {1, 1, 1}};
}

} // namespace gait::detail
