/// \file
/// Sine, arc tangent, exponential and their like, the same to the last bit on every machine whose doubles are IEEE 754:
/// those of the C library choose their way by the processor, so that what a frame computed with them differed by a last
/// bit from one machine to the next. By their power series (Abramowitz and Stegun 1964, 4.2.1, 4.3.65 and 4.4.42) over
/// arguments made small; good to two units in the last place.
#pragma once

#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>

namespace gait::detail {

/// The nearest whole number; halves go to the even one. For what is smaller than 2 to the 51st.
[[nodiscard]] inline double nearest_whole(double value) {
    constexpr double shift = 0x1.8p52; // from here on a double has no fractions
    return (value + shift) - shift;
}

/// The sum of coefficients times ever higher powers, the constant first: in pairs (Estrin 1960), so that little waits
/// for what is before it.
template <std::size_t count> [[nodiscard]] double polynomial(double x, const std::array<double, count>& of) {
    static_assert(count > 4 && count <= 8);
    const auto pair = [&](std::size_t first) { return first + 1 < count ? of[first] + of[first + 1] * x : of[first]; };
    const double square = x * x, low = pair(0) + pair(2) * square;
    if constexpr (count > 6) {
        return low + (pair(4) + pair(6) * square) * (square * square);
    } else {
        return low + pair(4) * (square * square);
    }
}

/// A sine and a cosine.
struct SineCosine {
    double sine, cosine;
};

/// Of an angle in radians. Beyond a hundred thousand turns what is lost is what a double cannot say; NaN for what is
/// not finite.
[[nodiscard]] inline SineCosine sine_cosine(double radians) {
    // The nearest multiple of a quarter turn is taken off in three parts, each product exact.
    constexpr double quarters = 0.6366197723675814, first = 1.5707963267341256, second = 6.077100506303966e-11,
                     third = 2.0222662487959506e-21, full_turn = 6.283185307179586;
    constexpr double largest = 6e5;
    if (!(std::fabs(radians) < largest)) { radians = std::remainder(radians, full_turn); }
    const double turns = nearest_whole(radians * quarters);
    const double x = ((radians - turns * first) - turns * second) - turns * third, z = x * x;
    const double sine =
        x + x * z *
                polynomial(z, std::array{-1.0 / 6, 1.0 / 120, -1.0 / 5040, 1.0 / 362880, -1.0 / 39916800,
                                         1.0 / 6227020800, -1.0 / 1307674368000, 1.0 / 355687428096000});
    const double cosine =
        1 - (z / 2 - z * z *
                         polynomial(z, std::array{1.0 / 24, -1.0 / 720, 1.0 / 40320, -1.0 / 3628800, 1.0 / 479001600,
                                                  -1.0 / 87178291200, 1.0 / 20922789888000}));
    switch (std::int64_t(turns == turns ? turns : 0) & 3) {
    case 0:
        return {sine, cosine};
    case 1:
        return {cosine, -sine};
    case 2:
        return {-sine, -cosine};
    default:
        return {-cosine, sine};
    }
}

/// The angle of (x, y) from the x axis, radians, -pi to pi; 0 for the origin.
[[nodiscard]] inline double arc_tangent(double y, double x) {
    // Arc tangents of eighths, each in two parts.
    constexpr std::array<std::array<double, 2>, 9> eighths{{{0, 0},
                                                            {0.12435499454676144, -3.1253241424539383e-18},
                                                            {0.24497866312686414, 1.0698755618734451e-17},
                                                            {0.35877067027057225, -2.4623815582638635e-17},
                                                            {0.4636476090008061, 2.2698777452961687e-17},
                                                            {0.5585993153435624, -5.4556305485916264e-18},
                                                            {0.6435011087932844, 1.5834785051444286e-17},
                                                            {0.7188299996216245, -2.1478388444456983e-17},
                                                            {0.7853981633974483, 3.061616997868383e-17}}};
    constexpr double half_turn = 3.141592653589793, half_turn_rest = 1.2246467991473532e-16;
    const double ax = std::fabs(x), ay = std::fabs(y);
    const bool steep = ay > ax;
    const double low = steep ? ax : ay, high = steep ? ay : ax;
    if (!(high > 0)) { return x != x || y != y ? x + y : 0; }
    const double u = low / high;
    if (!(u <= 1)) { return low != low || high != high ? low + high : arc_tangent(y < 0 ? -1 : 1, x < 0 ? -1 : 1); }
    const double eighth = nearest_whole(8 * u), c = eighth / 8;
    const double t = (u - c) / (1 + u * c), z = t * t;
    const double rest = t * z * polynomial(z, std::array{-1.0 / 3, 1.0 / 5, -1.0 / 7, 1.0 / 9, -1.0 / 11, 1.0 / 13});
    const auto& known = eighths[std::size_t(eighth)];
    double angle = known[0] + (t + (rest + known[1]));
    if (steep) { angle = half_turn / 2 - (angle - half_turn_rest / 2); }
    if (x < 0) { angle = half_turn - (angle - half_turn_rest); }
    return y < 0 ? -angle : angle;
}

/// The angle whose sine it is, radians; of what is out of -1 to 1 that of the nearer end.
[[nodiscard]] inline double arc_sine(double sine) {
    const double held = sine > 1 ? 1 : (sine < -1 ? -1 : sine);
    return arc_tangent(held, std::sqrt((1 - held) * (1 + held)));
}
/// The angle whose cosine it is.
[[nodiscard]] inline double arc_cosine(double cosine) {
    const double held = cosine > 1 ? 1 : (cosine < -1 ? -1 : cosine);
    return arc_tangent(std::sqrt((1 - held) * (1 + held)), held);
}
/// The same to within 2.2e-8, which is less than a float can say of most angles, and four times as soon (Abramowitz and
/// Stegun 1964, 4.4.46).
[[nodiscard]] inline double quick_arc_cosine(double cosine) {
    constexpr double half_turn = 3.141592653589793;
    const double held = std::fabs(cosine) > 1 ? 1 : std::fabs(cosine);
    const double angle =
        std::sqrt(1 - held) * polynomial(held, std::array{1.5707963050, -0.2145988016, 0.0889789874, -0.0501743046,
                                                          0.0308918810, -0.0170881256, 0.0066700901, -0.0012624911});
    return cosine < 0 ? half_turn - angle : angle;
}

/// e to that power.
[[nodiscard]] inline double exponential(double power) {
    constexpr double doublings = 1.4426950408889634, first = 0.6931471804855391, second = 7.440617110012397e-11;
    if (power > 709.7) { return HUGE_VAL; }
    if (power < -708) { return 0; } // what is less is nothing to a frame
    const double twos = nearest_whole(power * doublings);
    const double x = (power - twos * first) - twos * second;
    const double square = x * x, fourth = square * square;
    const double low = polynomial(
                     x, std::array{1.0, 1.0 / 2, 1.0 / 6, 1.0 / 24, 1.0 / 120, 1.0 / 720, 1.0 / 5040, 1.0 / 40320}),
                 high = polynomial(x, std::array{1.0 / 362880, 1.0 / 3628800, 1.0 / 39916800, 1.0 / 479001600,
                                                 1.0 / 6227020800, 1.0 / 87178291200}),
                 sum = low + high * (fourth * fourth);
    if (power != power) { return power; }
    const std::uint64_t bits = std::uint64_t(std::int64_t(twos) + 1023) << 52;
    double scale = 0;
    std::memcpy(&scale, &bits, sizeof scale);
    return (1 + x * sum) * scale;
}

/// The length of (x, y), where neither's square is beyond what a double holds.
[[nodiscard]] inline double length_of(double x, double y) { return std::sqrt(x * x + y * y); }

} // namespace gait::detail
