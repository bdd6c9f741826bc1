/// Moves of a body over the ground: a place and a turn about the vertical, and their logarithm (the steady motion that
/// leads there in one unit of time). The group of plane motions with a height beside it.
#pragma once

#include "gait/math.hpp"

#include <array>
#include <cmath>

namespace gait::detail {

/// Metres, and radians about +Y (to the left).
struct BodyStep {
    double x = 0, y = 0, z = 0, yaw = 0;
};

/// Radians: below it the series that follow are exact to the last bit. A frame turns through less.
inline constexpr double small_turn = 0.06;

/// Of a turn that is small, sin(a) / a and (1 - cos(a)) / a (Abramowitz and Stegun 1964, 4.3.65 and 4.3.66).
struct SmallTurn {
    explicit SmallTurn(double angle) {
        const double square = angle * angle;
        along = polynomial(square, std::array{1.0, -1.0 / 6, 1.0 / 120, -1.0 / 5040, 1.0 / 362880});
        across = angle * polynomial(square, std::array{1.0 / 2, -1.0 / 24, 1.0 / 720, -1.0 / 40320, 1.0 / 3628800});
    }
    double along, across;
};

/// Of a yaw, which is mostly none or small.
[[nodiscard]] inline SineCosine sine_cosine_of_yaw(double yaw) {
    if (yaw == 0) { return {0, 1}; }
    if (!(std::fabs(yaw) < small_turn)) { return sine_cosine(yaw); }
    const SmallTurn turn(yaw);
    return {yaw * turn.along, 1 - yaw * turn.across};
}

/// A way whose direction is turned to the left, by radians.
[[nodiscard]] inline BodyStep turned(const BodyStep& way, double left) {
    const auto [s, c] = sine_cosine_of_yaw(left);
    return {c * way.x + s * way.z, way.y, c * way.z - s * way.x, way.yaw};
}

/// `first`, then `second` in the frame that `first` leads to.
[[nodiscard]] inline BodyStep operator*(const BodyStep& first, const BodyStep& second) {
    const BodyStep then = turned(second, first.yaw);
    return {first.x + then.x, first.y + then.y, first.z + then.z, first.yaw + then.yaw};
}

[[nodiscard]] inline BodyStep inverse(const BodyStep& step) {
    const auto [s, c] = sine_cosine_of_yaw(step.yaw);
    return {-(c * step.x - s * step.z), -step.y, -(s * step.x + c * step.z), -step.yaw};
}

/// The step that leads from one place to another, both seen from the same place: `inverse(from) * to`.
[[nodiscard]] inline BodyStep step_between(const BodyStep& from, const BodyStep& to) {
    return turned({to.x - from.x, to.y - from.y, to.z - from.z, to.yaw - from.yaw}, -from.yaw);
}

/// Where the steady motion `twist` leads in one unit of time.
[[nodiscard]] inline BodyStep exponential(const BodyStep& twist) {
    const double angle = twist.yaw;
    SmallTurn turn(angle);
    if (!(std::fabs(angle) < small_turn)) {
        const auto [sine, cosine] = sine_cosine(angle);
        turn.along = sine / angle;
        turn.across = (1 - cosine) / angle;
    }
    const auto [along, across] = turn;
    return {along * twist.x + across * twist.z, twist.y, -across * twist.x + along * twist.z, angle};
}

/// The steady motion that leads to `step` in one unit of time: the inverse of `exponential`.
[[nodiscard]] inline BodyStep logarithm(const BodyStep& step) {
    const double angle = step.yaw, square = angle * angle;
    const double across = angle / 2;
    double along = 0; // a / 2 over the tangent of a / 2 (Abramowitz and Stegun 1964, 4.3.70)
    if (std::fabs(angle) < small_turn) {
        along = polynomial(square, std::array{1.0, -1.0 / 12, -1.0 / 720, -1.0 / 30240, -1.0 / 1209600});
    } else {
        const auto [sine, cosine] = sine_cosine(across);
        along = across * cosine / sine;
    }
    return {along * step.x - across * step.z, step.y, across * step.x + along * step.z, angle};
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
