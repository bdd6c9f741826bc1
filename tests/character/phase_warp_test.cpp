#include "character/phase_warp.hpp"

#include <catch2/catch.hpp>

#include <cmath>

using namespace gait;
using namespace gait::detail;

TEST_CASE("footfalls lie at whole and half strides, and the way between them is smooth and never backward") {
    // A limp: the right foot follows soon, and the clip begins in the middle of a step.
    const auto warp = PhaseWarp::through({{1, 0.45}, {0, 0.2}});
    REQUIRE(warp);
    CHECK(warp->strides() == 1);
    CHECK(warp->place(0) == Approx(0.2));
    CHECK(warp->place(0.5) == Approx(0.45));
    CHECK(warp->place(1) == Approx(1.2));
    CHECK(warp->place(-2) == Approx(-1.8));
    CHECK(warp->place(warp->strides_at(0)) == Approx(0).margin(1e-12));
    double before = warp->place(-1);
    for (double s = -1; s < 2; s += 0.001) {
        CHECK(warp->place(s) >= before);
        before = warp->place(s);
        CHECK(warp->strides_at(warp->place(s)) == Approx(s).margin(1e-9));
        const double measured = (warp->place(s + 1e-6) - warp->place(s - 1e-6)) / 2e-6;
        CHECK(warp->at(s).slope == Approx(measured).margin(1e-4));
        CHECK(std::fabs(warp->at(s + 1e-7).slope - warp->at(s).slope) < 1e-4); // no corner
        if (std::fabs(std::remainder(s, 0.5)) < 1e-3) { continue; }            // where the slope's own slope jumps
        const double bends = (warp->at(s + 1e-6).slope - warp->at(s - 1e-6).slope) / 2e-6;
        CHECK(warp->at(s).bend == Approx(bends).margin(1e-4));
    }
}

TEST_CASE("four steps are two strides of one clip") {
    const auto warp = PhaseWarp::through({{0, 0.0}, {1, 0.25}, {0, 0.5}, {1, 0.75}});
    REQUIRE(warp);
    CHECK(warp->strides() == 2);
    CHECK(warp->place(1) == Approx(0.5));
    CHECK(warp->place(2) == Approx(1));
    CHECK(warp->place(0.5) == Approx(0.25));
    CHECK(warp->place(-0.5) == Approx(-0.25));
    for (double s = -3; s < 5; s += 0.01) { CHECK(warp->place(s) == Approx(s / 2).margin(1e-12)); }
}

TEST_CASE("feet that do not come down in turn have no warp") {
    CHECK_FALSE(PhaseWarp::through({}));
    CHECK_FALSE(PhaseWarp::through({{0, 0.1}}));
    CHECK_FALSE(PhaseWarp::through({{0, 0.1}, {0, 0.5}}));
    CHECK_FALSE(PhaseWarp::through({{0, 0.1}, {0, 0.3}, {1, 0.5}, {1, 0.9}}));
    CHECK_FALSE(PhaseWarp::through({{1, 0.1}, {1, 0.5}}));
}
