#include "character/travel_path.hpp"

#include <catch2/catch.hpp>

using namespace gait;
using namespace gait::detail;

TEST_CASE("how fast a body moves on its path is how far it comes in a moment, turned as it is there") {
    TravelPath travel;
    travel.travels = true;
    for (int i = 0; i <= 20; ++i) { // a bend, ever tighter, and up a step
        const double s = i / 20.0;
        travel.path.push_back({0.4 * s * s, 0.2 * s * s * s, 1.5 * s - 0.3 * s * s, 1.2 * s * s});
    }
    constexpr double moment = 1e-5;
    for (const double position : {0.0, 0.013, 0.05, 0.3, 0.512, 0.95, 1 - moment}) {
        CAPTURE(position);
        const BodyStep way = travel_between(travel, position, position + moment);
        const BodyStep speed = travel_speed(travel, position + moment / 2);
        CHECK(speed.x == Approx(way.x / moment).margin(1e-4));
        CHECK(speed.y == Approx(way.y / moment).margin(1e-4));
        CHECK(speed.z == Approx(way.z / moment).margin(1e-4));
        CHECK(speed.yaw == Approx(way.yaw / moment).margin(1e-4));
    }
    CHECK(travel_speed(travel, -1).z == travel_speed(travel, 0).z);
    CHECK(travel_speed(travel, 2).yaw == travel_speed(travel, 1).yaw);
}

TEST_CASE("a loop's way is gone evenly") {
    TravelPath travel;
    travel.travels = true;
    travel.cycle = {0.1, 0, 1.4, 0.3};
    const BodyStep speed = travel_speed(travel, 0.7);
    CHECK(speed.x == 0.1);
    CHECK(speed.z == 1.4);
    CHECK(speed.yaw == 0.3);
}
