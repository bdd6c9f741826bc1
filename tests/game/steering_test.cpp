#include "gait/footprints.hpp"
#include "gait/plain_body.hpp"
#include "gait/space.hpp"
#include "gait/steering.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

using namespace gait;

TEST_CASE("headings are zero along z, positive to the right, and come back from directions") {
    CHECK(heading_of(Vec3{0, 0, 2}).value() == Approx(0));
    CHECK(heading_of(Vec3{-1, 0, 0}).value() == Approx(90));
    CHECK(heading_of(Vec3{1, 5, 0}).value() == Approx(-90));
    CHECK(heading_of(Vec3{0, 0, -1}).value() == Approx(180));
    CHECK_FALSE(heading_of(Vec3{0, 3, 0}));
    for (const double heading : {-170.0, -45.0, 0.0, 30.0, 135.0, 180.0}) {
        CHECK(heading_of(direction_of(heading)).value() == Approx(heading));
    }
    CHECK(heading_to({1, 0, 1}, {1, 0, 5}).value() == Approx(0));
    CHECK(wrapped_heading(540) == Approx(180));
    CHECK(wrapped_heading(-190) == Approx(170));
}

TEST_CASE("a stick is read from the camera, and let go it keeps the heading") {
    const BodyMotion ahead = motion_of(Stick{0, 1}, 90, 0, 4);
    CHECK(ahead.speed == Approx(4));
    CHECK(ahead.heading == Approx(90)); // the camera looks to the right, so that is where ahead is
    const BodyMotion aside = motion_of(Stick{1, 0}, 0, 30, 4);
    CHECK(aside.heading == Approx(60));
    const BodyMotion both = motion_of(Stick{1, 1}, 0, 0, 4); // two keys are not faster than one
    CHECK(both.speed == Approx(4));
    const BodyMotion released = motion_of(Stick{0, 0.05F}, 0, 0, 4, aside);
    CHECK(released.speed == 0);
    CHECK(released.heading == aside.heading);
    CHECK(motion_of(Stick{0, 0.55F}, 0, 0, 4).speed == Approx(2));
}

TEST_CASE("rising is not running, and falling is told apart") {
    const BodyMotion rising = motion_of(Vec3{0, 6, 0.001F}, 0);
    CHECK(rising.speed < 0.01F);
    CHECK(rising.fall_speed == 0);
    const BodyMotion falling = motion_of(Vec3{-1, -7, 0}, 90);
    CHECK(falling.speed == Approx(1));
    CHECK(falling.heading == Approx(0));
    CHECK(falling.fall_speed == Approx(7));
}

TEST_CASE("a body turns the short way, at the same pace at any frame rate, and holds where it is let go") {
    const auto turned = [](double rate) {
        Facing facing(170);
        const auto frames = [&](double seconds) { return int(std::lround(seconds * rate)); };
        for (int f = 0; f < frames(0.4); ++f) { facing.turn(-100.0F, 1 / rate); } // 90 degrees over 180
        const double between = facing.heading();
        for (int f = 0; f < frames(1); ++f) { facing.turn(std::nullopt, 1 / rate); }
        return std::pair(between, facing.heading());
    };
    const auto [between, rest] = turned(240);
    CHECK((between < -100 || between > 170)); // by 180, not by 0
    for (const double rate : {10.0, 30.0, 60.0, 1000.0}) {
        CHECK(turned(rate).first == Approx(between).margin(1e-6));
        CHECK(turned(rate).second == Approx(rest).margin(1e-6));
    }
    Facing facing(0);
    for (int f = 0; f < 300; ++f) { facing.turn(40.0F, 0.01); }
    CHECK(facing.heading() == Approx(40).margin(1e-3));
    CHECK(facing.turn_rate() == Approx(0).margin(1e-3));
    CHECK(facing.error(10) == Approx(-30).margin(1e-3));
    facing.turn(std::nullopt, 1);
    CHECK(facing.heading() == Approx(40).margin(1e-3));
}

TEST_CASE("a turn is no faster than it may be") {
    Facing facing(0, 0.1, 90);
    double fastest = 0;
    for (int f = 0; f < 200; ++f) {
        facing.turn(170.0F, 0.02);
        fastest = std::max(fastest, std::fabs(facing.turn_rate()));
    }
    CHECK(fastest < 90.01);
    CHECK(fastest > 85);
    facing.add(20);
    CHECK(facing.heading() == Approx(-170).margin(0.01));
}

TEST_CASE("whatever a game hands to its steering, what comes back is finite, and no number changes nothing") {
    constexpr double infinity = std::numeric_limits<double>::infinity(),
                     none = std::numeric_limits<double>::quiet_NaN();
    constexpr double most = std::numeric_limits<float>::max();
    const std::array numbers{none, infinity, -infinity, 1e300, -1e300, 3.4e38, 1e17, -180.0, 1e-300, 0.0};
    const auto narrowed = [&](double number) { return float(std::clamp(number, -most, most)); }; // a NaN stays one
    const auto is_heading = [](double heading) { return heading > -180.001 && heading <= 180; };
    for (const double a : numbers) {
        CAPTURE(a);
        const float narrow = narrowed(a);
        CHECK(is_heading(double(wrapped_heading(a))));
        CHECK(std::isfinite(direction_of(a).x));
        for (const double b : numbers) {
            CAPTURE(b);
            const float other = narrowed(b);
            const float strength = strength_of(Stick{narrow, other}, other);
            CHECK((strength >= 0 && strength <= 1));
            CHECK((strength_of(Stick{0.5F, 0.5F}, narrow) >= 0));
            for (const BodyMotion& motion :
                 {motion_of(Stick{narrow, other}, a, b, 4), motion_of(Stick{0, 1}, a, b, 4),
                  motion_of(Vec3{narrow, other, narrow}, b), motion_of(Vec3{1, 1, other}, a)}) {
                CHECK((motion.speed >= 0 && std::isfinite(motion.speed)));
                CHECK(is_heading(double(motion.heading)));
                CHECK((motion.fall_speed >= 0 && std::isfinite(motion.fall_speed)));
            }
            if (const auto heading = heading_to(Vec3{narrow, 0, other}, Vec3{other, 0, narrow})) {
                CHECK(is_heading(double(*heading)));
            }
            Facing facing(a, b, a);
            facing.turn(other, 0.1);
            facing.turn(90.0F, b);
            facing.add(a);
            facing.turn(std::nullopt, a);
            facing.set(b);
            facing.turn(30.0F, 0.1);
            CHECK(is_heading(facing.heading()));
            CHECK(std::isfinite(facing.turn_rate()));
            CHECK(is_heading(double(facing.error(a))));
        }
    }
    Facing facing(20);
    facing.turn(90.0F, 0.05);
    const double heading = facing.heading(), rate = facing.turn_rate();
    CHECK(rate > 0);
    for (const double number : {none, infinity, -infinity}) {
        facing.turn(float(number), 0.1);
        facing.turn(90.0F, number);
        facing.set(number);
        facing.add(number);
        CHECK(facing.heading() == heading);
        CHECK(facing.turn_rate() == rate);
    }
}

TEST_CASE("the body of a plain game goes at the pace of the legs through a reversal, and on evenly as they do "
          "something else") {
    Performer her(support::lamplighter().character);
    const Character& character = her.character();
    PlainBody game;
    game.speed = character.number("speed");
    game.heading = character.number("heading");
    const auto velocity = [&] {
        Performer soon = her;
        soon.advance(1e-4);
        return game.move(soon, 1e-4).move * 1e4F;
    };
    her.set("speed", 1.4);
    for (int frame = 0; frame < 90; ++frame) { her.advance(1.0 / 60); }
    her.set("heading", 178);
    float slowest = 9;
    for (int frame = 0; frame < 30; ++frame) {
        her.advance(1.0 / 60);
        const Vec3 now = velocity();
        slowest = std::min(slowest, length(now));
        const auto cursor = blend_cursor(her);
        REQUIRE(cursor);
        CHECK(double(length(now)) == Approx(cursor->speed).margin(0.02));
    }
    CHECK(slowest < 0.2F); // turned about it stands for a moment, as her legs do
    // A bell: she stands where she is, and the body is not at another speed at once.
    const Vec3 before = velocity();
    her.send("bell");
    her.advance(1e-4);
    REQUIRE(her.state_name() == "still");
    CHECK(length(velocity() - before) < 0.05F);
}

TEST_CASE("a foot that its clip still has standing makes no print as the body leaves the ground") {
    const Character& character = *support::lamplighter().character;
    Performer her(support::lamplighter().character);
    std::vector<Transform> pose(character.joint_count());
    const auto prints_of = [&](double rises) {
        Footprints prints(character.rig());
        GroundPlace place;
        for (int frame = 0; frame < 60; ++frame) {
            her.advance(1.0 / 60);
            her.model_pose(pose);
            place.y += rises / 60;
            prints.add(frame / 60.0, pose, place);
        }
        return prints.all().size();
    };
    CHECK(prints_of(0) == 2);
    CHECK(prints_of(2) == 0);
}
