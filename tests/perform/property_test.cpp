#include "support.hpp"

#include <catch2/catch.hpp>

#include <random>

using namespace gait;
using support::greatest_turn;
using support::pose_of;

namespace {

/// Throws random inputs at the demo at random steps and returns the worst seam.
Seam worst_seam(unsigned seed, int steps) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> unit(0, 1);
    const auto& character = support::lamplighter().character;
    Performer performer(character);
    Performer next = performer;
    Seam worst;
    for (int i = 0; i < steps; ++i) {
        if (unit(random) < 0.3) { performer.set("speed", unit(random) < 0.3 ? 0.0 : 7 * unit(random) - 0.5); }
        if (unit(random) < 0.1) { performer.set("halt", unit(random) < 0.5); }
        next = performer;
        next.advance(1e-5);
        const Seam seam = seam_between(character->rig(), pose_of(performer), pose_of(next));
        worst.degrees = std::max(worst.degrees, seam.degrees);
        worst.millimetres = std::max(worst.millimetres, seam.millimetres);
        // From 1/240 to 1/5 s, short ones more often; now and then none, or a long one.
        const double r = unit(random);
        performer.advance(r < 0.02 ? 0 : r > 0.98 ? 2 * unit(random) : 1.0 / 240 + (1.0 / 5 - 1.0 / 240) * r * r * r);
    }
    return worst;
}

} // namespace

TEST_CASE("whatever the inputs do, at any steps, no seam shows") {
    for (unsigned seed = 1; seed <= 2500; ++seed) {
        const Seam seam = worst_seam(seed, 40);
        INFO("seed " << seed);
        REQUIRE(seam.degrees <= seam_bound);
        REQUIRE(seam.millimetres <= seam_bound);
    }
}

TEST_CASE("the same inputs give the same pose to the last bit") {
    const auto play = [] {
        std::mt19937 random(7);
        Performer performer(support::lamplighter().character);
        for (int i = 0; i < 500; ++i) {
            performer.set("speed", double(random() % 60) / 10);
            performer.advance(double(random() % 40) / 1000);
        }
        return performer;
    };
    const Performer a = play(), b = play();
    CHECK(std::equal(a.bytes().begin(), a.bytes().end(), b.bytes().begin()));
}

TEST_CASE("every instruction set plays the round within a hundredth of a degree of the best") {
    const auto play = [] {
        Performer performer(support::lamplighter().character);
        for (int i = 0; i < 300; ++i) {
            performer.set("speed", i % 80 < 40 ? 4.0 : 0.0);
            performer.advance(1.0 / 60);
        }
        return pose_of(performer);
    };
    const auto best = play();
    for (const std::string& target : runnable_targets()) {
        REQUIRE(pin_target(target));
        const auto other = play();
        pin_target({});
        INFO(target);
        CHECK(greatest_turn(best, other) < 0.01);
    }
}
