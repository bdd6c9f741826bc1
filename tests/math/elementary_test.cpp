#include "gait/elementary.hpp"

#include <catch2/catch.hpp>

#include <cmath>
#include <limits>
#include <random>

using namespace gait::detail;

namespace {

/// How many units in the last place two numbers are apart.
double apart(double ours, double theirs) {
    if (ours == theirs) { return 0; }
    const double one = std::nextafter(std::fabs(theirs), HUGE_VAL) - std::fabs(theirs);
    return std::fabs(ours - theirs) / one;
}

} // namespace

TEST_CASE("elementary functions are those of the C library to a few units in the last place") {
    std::mt19937_64 random(3);
    const auto number = [&](double most) { return most * (2 * double(random() >> 11) * 0x1p-53 - 1); };
    double sine = 0, cosine = 0, tangent = 0, arc = 0, quick = 0, power = 0;
    for (int i = 0; i < 200'000; ++i) {
        const double x = number(i % 2 == 0 ? 4 : 400);
        const SineCosine both = sine_cosine(x);
        // Near their zeros both lose what the angle itself does not say.
        sine = std::max(sine, std::min(apart(both.sine, std::sin(x)), std::fabs(both.sine - std::sin(x)) * 0x1p53));
        cosine =
            std::max(cosine, std::min(apart(both.cosine, std::cos(x)), std::fabs(both.cosine - std::cos(x)) * 0x1p53));
        const double y = number(3), z = number(3);
        tangent = std::max(tangent, apart(arc_tangent(y, z), std::atan2(y, z)));
        const double unit = number(1);
        arc = std::max({arc, std::fabs(arc_sine(unit) - std::asin(unit)) * 0x1p52,
                        std::fabs(arc_cosine(unit) - std::acos(unit)) * 0x1p52});
        quick = std::max(quick, std::fabs(quick_arc_cosine(unit) - std::acos(unit)));
        const double p = number(20);
        power = std::max(power, apart(exponential(p), std::exp(p)));
    }
    CHECK(sine <= 2);
    CHECK(cosine <= 2);
    CHECK(tangent <= 3);
    CHECK(arc <= 8);
    CHECK(quick <= 2.2e-8);
    CHECK(power <= 2);
}

TEST_CASE("elementary functions hold at their ends, and what is no number stays none") {
    const double inf = std::numeric_limits<double>::infinity(), nan = std::numeric_limits<double>::quiet_NaN();
    CHECK(sine_cosine(0).sine == 0);
    CHECK(sine_cosine(0).cosine == 1);
    CHECK(std::isnan(sine_cosine(inf).sine));
    CHECK(std::isnan(sine_cosine(nan).cosine));
    CHECK(std::fabs(sine_cosine(1e15).sine) <= 1);
    CHECK(arc_tangent(0, 0) == 0);
    CHECK(arc_tangent(0, -1) == Approx(3.141592653589793));
    CHECK(arc_tangent(-1, 0) == Approx(-1.5707963267948966));
    CHECK(arc_tangent(inf, inf) == Approx(0.7853981633974483));
    CHECK(arc_tangent(1, inf) == 0);
    CHECK(std::isnan(arc_tangent(nan, 1)));
    CHECK(arc_sine(2) == arc_sine(1));
    CHECK(arc_cosine(1) == 0);
    CHECK(quick_arc_cosine(2) == 0);
    CHECK(quick_arc_cosine(-2) == 3.141592653589793);
    CHECK(std::isnan(quick_arc_cosine(nan)));
    CHECK(exponential(0) == 1);
    CHECK(exponential(-1000) == 0);
    CHECK(exponential(1000) == inf);
    CHECK(std::isnan(exponential(nan)));
    CHECK(exponential(-inf) == 0);
}
