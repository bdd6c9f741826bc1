#include "support.hpp"

#include "lamplighter_facts.hpp"

#include <catch2/catch.hpp>

#include <cmath>
#include <random>

using namespace gait;
using support::demo_clip;
using support::demo_file;

namespace {

/// Seconds from one instant of a loop to another, the short way.
double apart(double a, double b, double loop) { return std::abs(std::remainder(a - b, loop)); }

/// Everything the clip does goes along with the body's way.
ClipSource travelling(ClipSource clip, double speed) {
    auto& hips = clip.tracks[0].translation;
    for (std::size_t k = 0; k < hips.times.size(); ++k) { hips.values[k].z += float(speed * hips.times[k]); }
    return clip;
}

} // namespace

TEST_CASE("a clip in place is measured by its feet: speed, direction, steps and when they fall") {
    for (const lamplighter::Gait& gait : lamplighter::gaits) {
        const ClipMeasure m = measure_clip(demo_clip(gait.name), demo_file().rig);
        CAPTURE(gait.name);
        CHECK(m.loops);
        CHECK_FALSE(m.travels);
        CHECK(m.speed == Approx(gait.speed).epsilon(0.02));
        CHECK(std::abs(m.direction) < 2);
        CHECK(m.stride == Approx(gait.stride()).epsilon(0.02));
        CHECK(m.steps_a_minute == Approx(120 / gait.seconds).epsilon(0.001));
        REQUIRE(m.feet.size() == 2);
        constexpr double frame = 1.0 / 60;
        for (std::size_t f = 0; f < 2; ++f) {
            REQUIRE(m.feet[f].contacts.size() == 1);
            const double strike = f == 0 ? 0 : gait.seconds / 2;
            CHECK(apart(m.feet[f].contacts[0].strike, strike, gait.seconds) < frame);
            CHECK(apart(m.feet[f].contacts[0].lift_off, strike + gait.duty * gait.seconds, gait.seconds) < frame);
            CHECK(m.feet[f].slide < 0.005);
            CHECK(std::abs(m.feet[f].height) < 0.003);
        }
    }
}

TEST_CASE("a clip that stands makes no step and goes nowhere") {
    const ClipMeasure m = measure_clip(demo_clip("stand"), demo_file().rig);
    CHECK(m.speed == 0);
    CHECK(m.steps_a_minute == 0);
    CHECK(m.feet[0].down == Approx(1));
}

TEST_CASE("a clip that travels is measured by its way, and its feet hold the ground") {
    const ClipMeasure m = measure_clip(travelling(demo_clip("stroll"), 1.4), demo_file().rig);
    CHECK(m.travels);
    CHECK(m.loops);
    CHECK(m.way.z == Approx(1.4).epsilon(0.001));
    CHECK(m.speed == Approx(1.4).epsilon(0.001));
    CHECK(m.feet[0].slide < 0.005);
    CHECK(measure_clip(travelling(demo_clip("stroll"), 1.0), demo_file().rig).feet[0].slide > 0.1); // it drags its feet
}

TEST_CASE("with a centimetre of noise on the joints there is still the right number of steps") {
    for (unsigned seed = 1; seed <= 5; ++seed) {
        for (const lamplighter::Gait& gait : lamplighter::gaits) {
            ClipSource noisy = demo_clip(gait.name);
            std::mt19937 random(seed);
            std::uniform_real_distribution<float> centimetre(-0.01F, 0.01F);
            for (const char* name : {"left_foot", "right_foot", "left_toes", "right_toes"}) {
                const auto joint = std::size_t(*demo_file().rig.find(name));
                Track<Vec3>& track = noisy.tracks[joint].translation;
                track = {};
                for (int k = 0; k <= int(std::lround(gait.seconds * 60)); ++k) {
                    track.times.push_back(k / 60.0);
                    track.values.push_back(demo_file().rig.joints[joint].rest.translation +
                                           Vec3{centimetre(random), centimetre(random), centimetre(random)});
                }
                track.values.back() = track.values.front();
            }
            const ClipMeasure m = measure_clip(noisy, demo_file().rig);
            CAPTURE(seed, gait.name);
            CHECK(m.feet[0].contacts.size() == 1);
            CHECK(m.feet[1].contacts.size() == 1);
            CHECK(m.speed == Approx(gait.speed).epsilon(0.1));
        }
    }
}

TEST_CASE("feet that rock, sink or hover while they stand make their steps all the same") {
    for (const lamplighter::Gait& gait : lamplighter::gaits) {
        ClipSource drawn = demo_clip(gait.name);
        // As of a paw drawn by hand: up and down by two centimetres three times a step; one of them deep in the ground.
        for (const char* name : {"left_foot", "right_foot"}) {
            const auto joint = std::size_t(*demo_file().rig.find(name));
            const float sunk = name[0] == 'l' ? 0.05F : -0.01F;
            Track<Vec3>& track = drawn.tracks[joint].translation;
            track = {};
            for (int k = 0; k <= 24; ++k) {
                const double phase = k / 24.0;
                track.times.push_back(phase * gait.seconds);
                // Down the shin.
                const Vec3 rest = demo_file().rig.joints[joint].rest.translation;
                const float longer = sunk + 0.02F * float(std::sin(12 * pi * phase));
                track.values.push_back(rest * (1 + longer / length(rest)));
            }
        }
        const ClipMeasure m = measure_clip(drawn, demo_file().rig);
        CAPTURE(gait.name, m.feet[0].contacts.size(), m.feet[1].contacts.size());
        CHECK(m.feet[0].contacts.size() == 1);
        CHECK(m.feet[1].contacts.size() == 1);
        CHECK(m.steps_a_minute == Approx(120 / gait.seconds).epsilon(0.001));
        CHECK(m.speed == Approx(gait.speed).epsilon(0.25));
        const double half = m.feet[1].contacts[0].strike - m.feet[0].contacts[0].strike;
        CHECK(apart(half, gait.seconds / 2, gait.seconds) < 0.12 * gait.seconds);
    }
}

TEST_CASE("feet can be named") {
    const ClipMeasure m = measure_clip(demo_clip("stroll"), demo_file().rig, {"left_foot", "right_foot"});
    CHECK(m.feet[0].joint == "left_foot");
    CHECK(m.feet[1].contacts.size() == 1);
}
