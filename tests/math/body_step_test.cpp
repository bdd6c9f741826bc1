#include "math/body_step.hpp"

#include <catch2/catch.hpp>

#include <cmath>

using namespace gait::detail;

namespace {

/// How far two steps are from each other, metres and radians alike.
double apart(const BodyStep& a, const BodyStep& b) {
    return std::hypot(std::hypot(a.x - b.x, a.y - b.y), std::hypot(a.z - b.z, a.yaw - b.yaw));
}

} // namespace

TEST_CASE("a steady motion leads where its logarithm says, however little it turns", "[body-step]") {
    for (const double yaw : {0.0, 1e-12, 1e-7, 0.0599, 0.0601, -0.0599, -0.0601, 0.5, -3.0}) {
        CAPTURE(yaw);
        const BodyStep twist{0.4, 0.1, 1.3, yaw};
        CHECK(apart(logarithm(exponential(twist)), twist) < 1e-14);
        // Half the motion twice is the whole of it: that holds for the true factors alone.
        const BodyStep half = exponential(scaled(twist, 0.5));
        CHECK(apart(half * half, exponential(twist)) < 1e-14);
    }
}

TEST_CASE("the step between two places leads from the one to the other", "[body-step]") {
    for (const double yaw : {0.0, 0.03, -2.0, 3.1}) {
        const BodyStep from{1, 0.2, -3, yaw}, to{-0.5, 0.1, 2, 0.7};
        CHECK(apart(from * step_between(from, to), to) < 1e-14);
        CHECK(apart(step_between(from, to), inverse(from) * to) < 1e-14);
    }
}
