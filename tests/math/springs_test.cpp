#include "gait/ease.hpp"
#include "gait/eases.hpp"
#include "gait/math.hpp"
#include "math/springs.hpp"

#include <catch2/catch.hpp>

using namespace gait;
using namespace gait::detail;

TEST_CASE("a follower reaches the same place in one step and in a hundred") {
    const Follower start{1.0, -3.0};
    const Follower whole = follow(start, 4.0, 0.12, 0.5);
    Follower steps = start;
    for (int i = 0; i < 100; ++i) { steps = follow(steps, 4.0, 0.12, 0.005); }
    CHECK(steps.value == Approx(whole.value).epsilon(1e-9));
    CHECK(steps.velocity == Approx(whole.velocity).margin(1e-7));
}

TEST_CASE("a follower lags behind a steady ramp by its lag") {
    constexpr double lag = 0.2, rate = 3.0, dt = 1e-4;
    Follower f;
    double target = 0;
    for (int i = 0; i < 40000; ++i) {
        target += rate * dt;
        f = follow(f, target, lag, dt);
    }
    CHECK((target - f.value) / rate == Approx(lag).epsilon(0.01));
}

TEST_CASE("a follower without a lag is at its target at once") {
    const Follower f = follow({1, 5}, 2, 0, 0.01);
    CHECK(f.value == 2);
    CHECK(f.velocity == 0);
}

TEST_CASE("an offset decays from its place and speed to rest, and does not overshoot") {
    for (const double velocity : {-8.0, -1.0, 0.0, 2.0}) {
        const OffsetCurve curve{0.5F, float(velocity)};
        constexpr double duration = 0.4, h = 1e-5;
        CHECK(decayed(curve, duration, 0) == Approx(0.5));
        CHECK((decayed(curve, duration, h) - decayed(curve, duration, 0)) / h == Approx(velocity).margin(0.02));
        CHECK(decayed(curve, duration, duration) == 0);
        CHECK(std::fabs(decayed(curve, duration, duration - h)) < 1e-9);
        if (velocity >= -5 * 0.5 / (duration / 4)) {
            for (double t = 0; t < duration; t += 0.001) {
                INFO("velocity " << velocity << " at " << t);
                CHECK(decayed(curve, duration, t) >= -1e-9);
            }
        }
    }
}

TEST_CASE("an offset mirrors with its sign") {
    for (double t = 0; t < 0.3; t += 0.05) {
        CHECK(decayed({-0.3F, 1.0F}, 0.3, t) == Approx(-decayed({0.3F, -1.0F}, 0.3, t)));
    }
}

TEST_CASE("what decays or follows back to nothing is there in the end, not for ever on its way") {
    const double duration = 0.3, last = duration * (1 - 1e-6);
    CHECK(decayed({0.3F, 1.0F}, duration, last) == 0);
    CHECK(decayed({0.3F, 1.0F}, duration, 0.9 * duration) != 0);
    CHECK(SharedDecay(duration, last).start() == 0);
    CHECK(SharedDecay(duration, last).velocity() == 0);
    CHECK(SharedDecay(duration, 0.9 * duration).start() != 0);
    Follower follower{1, 0};
    int steps = 0;
    for (; follower.value != 0 && steps < 1000; ++steps) {
        follower = follow(follower, 0, 0.07, 1.0 / 60);
        arrive(follower, 0, 1e-6, 1e-4);
    }
    CHECK(steps < 60);
    CHECK(follower.velocity == 0);
    Follower passes{1e-7, 1}; // and goes on
    arrive(passes, 0, 1e-6, 1e-4);
    CHECK(passes.velocity == 1);
}

TEST_CASE("every ease goes from 0 to 1 without falling") {
    for (const Ease ease : {Ease::smooth, Ease::smoother, Ease::linear, Ease::in, Ease::out}) {
        CHECK(eased(ease, -1) == 0);
        CHECK(eased(ease, 0) == 0);
        CHECK(eased(ease, 1) == 1);
        CHECK(eased(ease, 2) == 1);
        // A rounding error off an end is that end.
        CHECK(eased(ease, 1e-15) == 0);
        CHECK(eased(ease, 1 - 1e-15) == 1);
        CHECK(ease_named(name_of(ease)) == ease);
        double before = 0;
        for (double u = 0; u <= 1; u += 0.01) {
            CHECK(eased(ease, u) >= before);
            before = eased(ease, u);
        }
    }
    CHECK_FALSE(ease_named("bouncy").has_value());
}

TEST_CASE("slerp turns evenly and the short way") {
    const Quat a = axis_angle({0, 1, 0}, 10), b = axis_angle({0, 1, 0}, 100);
    CHECK(degrees_between(a, slerp(a, b, 0.25)) == Approx(22.5).epsilon(1e-5));
    CHECK(degrees_between(a, slerp(a, -b, 0.25)) == Approx(22.5).epsilon(1e-5));
}

TEST_CASE("small turns are told apart though floats are coarse") {
    const Quat a = axis_angle({1, 2, 3}, 40);
    CHECK(degrees_between(a, axis_angle({1, 2, 3}, 40.01)) == Approx(0.01).epsilon(0.02));
    CHECK(degrees_between(a, -a) == Approx(0).margin(1e-9));
}
