#include "machine_support.hpp"

#include <catch2/catch.hpp>

using namespace gait;
using support::at;
using support::machine;
using support::machine_mistakes;

namespace {

const char* const two = "a: {play: low}\nb: {play: high}\n";

float seen(const Performer& performer, const char* name) {
    return performer.smoothed(performer.character().number(name));
}

} // namespace

TEST_CASE("an angle goes the short way over the wrap, and never leaves -180 to 180") {
    Performer performer(machine("heading: {kind: angle, smooth: 0.2}", two));
    performer.set("heading", 170.0);
    performer.advance(0);
    performer.set("heading", -170.0);
    float before = seen(performer, "heading");
    CHECK(before == Approx(170));
    for (int i = 0; i < 120; ++i) {
        performer.advance(1.0 / 60);
        const float now = seen(performer, "heading");
        REQUIRE((now > 169.9F || now < -169.9F)); // never through zero
        REQUIRE(now > -180.0F);
        REQUIRE(now <= 180.0F);
        before = now;
    }
    CHECK(before == Approx(-170).margin(0.01));
}

TEST_CASE("an angle may be set beyond its wrap and turned round for ever") {
    Performer performer(machine("heading: {kind: angle, smooth: 0.1}", two));
    for (int i = 0; i < 4000; ++i) {
        performer.set("heading", 7.0 * i);
        performer.advance(1.0 / 60);
    }
    // Seven degrees a frame is 420 a second, and the follower lags 0.1 s behind that.
    const double expected = std::remainder(7.0 * 3999 - 42.0 + 7.0 * 1.0, 360.0);
    CHECK(std::abs(std::remainder(double(seen(performer, "heading")) - expected, 360.0)) < 8.0);
    CHECK(performer.get(performer.character().number("heading")) ==
          Approx(std::remainder(7.0 * 3999, 360.0)).margin(1e-3));
}

TEST_CASE("smoothing and the greatest change a second are the same at any frame rate") {
    for (const char* settings : {"smooth: 0.2", "at_most: 3", "smooth: 0.15, at_most: 4"}) {
        std::vector<float> ends;
        for (const int rate : {10, 30, 60, 240}) {
            Performer performer(machine(std::string("speed: {kind: number, ") + settings + "}", two));
            performer.advance(0);
            performer.set("speed", 2.0);
            for (int i = 0; i < rate * 3 / 10; ++i) { performer.advance(1.0 / rate); }
            ends.push_back(seen(performer, "speed"));
        }
        CAPTURE(settings, ends);
        for (const float end : ends) { CHECK(end == Approx(ends[0]).epsilon(1e-5)); }
        CHECK(ends[0] > 0.2F);
        CHECK(ends[0] < 2.0F);
    }
    Performer performer(machine("speed: {kind: number, at_most: 3}", two));
    performer.advance(0);
    performer.set("speed", 2.0);
    performer.advance(0.5);
    CHECK(seen(performer, "speed") == Approx(1.5));
    performer.advance(0.5);
    CHECK(seen(performer, "speed") == Approx(2.0));
}

TEST_CASE("a choice is one of its values and is compared by name") {
    Performer performer(machine("hands: {kind: choice, of: [free, pole, lantern], default: pole}",
                                "a: {play: low, go: [{to: b, when: hands == lantern}]}\n"
                                "b: {play: high, go: [{to: a, when: hands != lantern}]}\n"));
    CHECK(performer.get(performer.character().choice("hands")) == "pole");
    CHECK(at(performer, 0.1) == "a");
    CHECK(performer.set("hands", "lantern"));
    CHECK(at(performer, 0.1) == "b");
    CHECK_FALSE(performer.set("hands", "lamp"));
    CHECK(performer.get(performer.character().choice("hands")) == "lantern");
    const std::string parameter = "hands: {kind: choice, of: [free, pole]}, wet: {kind: flag}";
    CHECK_THAT(machine_mistakes(parameter, "a: {play: low, go: [{to: a, when: hands == pol}]}\n"),
               Catch::Contains("'hands' is never 'pol'; did you mean 'pole'? [unknown-value]"));
    CHECK_THAT(machine_mistakes(parameter, "a: {play: low, go: [{to: a, when: hands}]}\n"),
               Catch::Contains("'hands' is a choice; compare it with one of its values, such as 'hands == free'"));
    CHECK_THAT(machine_mistakes(parameter, "a: {play: low, go: [{to: a, when: hands > 1}]}\n"),
               Catch::Contains("'hands' is a choice and '>' takes a number"));
    CHECK_THAT(machine_mistakes("hands: {kind: choice, of: [free]}", two),
               Catch::Contains("choice 'hands' needs at least two values; add 'of: [one, other]' [missing-key]"));
}

TEST_CASE("derived parameters are computed in the order in which they need each other") {
    Performer performer(machine("  total: {kind: number, from: twice + 1}\n  twice: {kind: number, from: speed * 2}\n"
                                "  speed: {kind: number}\n  fast: {kind: flag, from: total > 10}\n",
                                "a: {play: low, go: [{to: b, when: fast}]}\nb: {play: high}\n"));
    performer.set("speed", 4.0);
    CHECK(at(performer, 0.01) == "a");
    CHECK(seen(performer, "total") == 9);
    performer.set("speed", 5.0);
    CHECK(at(performer, 0.01) == "b");
    CHECK_FALSE(performer.set("total", 3.0)); // nobody sets what is computed
    CHECK(performer.faults().refused_values == 1);
}

TEST_CASE("a circle of derived parameters is refused, and shown") {
    CHECK_THAT(machine_mistakes("  a: {kind: number, from: b + 1}\n  b: {kind: number, from: c}\n"
                                "  c: {kind: number, from: a}\n",
                                "s: {play: low}\n"),
               Catch::Contains("'a' needs 'b' needs 'c' needs 'a', a circle that has no beginning; let one of them do "
                               "without [circular-parameter]"));
}

TEST_CASE("an earlier fall's number never leaks into the next landing") {
    const auto character = machine(
        "  airborne: {kind: flag}\n  fall_speed: {kind: number}\n"
        "  impact: {kind: number, remember: fall_speed, while: airborne and fall_speed > 0, clear: rises(airborne)}\n",
        "ground: {play: low, go: [{to: air, when: airborne, fade: 0.1}]}\n"
        "air: {play: high, go: [{to: landing, when: not airborne, fade: 0.05}]}\n"
        "landing: {play: side, go: [{to: ground, at: end}]}\n");
    Performer performer(character);
    const auto fall = [&](double fastest) {
        performer.set("airborne", true);
        for (int i = 0; i < 30; ++i) {
            performer.set("fall_speed", fastest * i / 30);
            performer.advance(1.0 / 60);
        }
        performer.set("airborne", false);
        performer.set("fall_speed", 0.0); // the ground has stopped her: the number is gone
        performer.advance(1.0 / 60);
        CHECK(performer.state_name() == "landing");
        return seen(performer, "impact");
    };
    CHECK(fall(9) == Approx(9 * 29.0 / 30));
    performer.advance(2);
    CHECK(performer.state_name() == "ground");
    CHECK(fall(1.2) == Approx(1.2 * 29.0 / 30)); // not nine
    performer.advance(2);
    performer.set("airborne", true); // a step down, so short that she never falls
    performer.advance(1.0 / 60);
    performer.set("airborne", false);
    performer.advance(1.0 / 60);
    CHECK(seen(performer, "impact") == 0);
}

TEST_CASE("the greatest value since a moment is kept until that moment comes again") {
    Performer performer(machine("  airborne: {kind: flag}\n  fall: {kind: number}\n"
                                "  worst: {kind: number, greatest: fall, while: airborne, clear: rises(airborne)}\n",
                                two));
    const auto give = [&](bool airborne, double fall) {
        performer.set("airborne", airborne);
        performer.set("fall", fall);
        performer.advance(0.02);
        return seen(performer, "worst");
    };
    CHECK(give(true, 3) == 3);
    CHECK(give(true, 7) == 7);
    CHECK(give(true, 5) == 7);
    CHECK(give(false, 9) == 7);
    CHECK(give(true, 1) == 1);
}

TEST_CASE("seconds since a condition held are counted exactly") {
    Performer performer(machine("  wet: {kind: flag}\n  dry_for: {kind: number, since: wet}\n", two));
    performer.set("wet", true);
    performer.advance(0.5);
    CHECK(seen(performer, "dry_for") == 0);
    performer.set("wet", false);
    for (int i = 0; i < 10; ++i) { performer.advance(0.1); }
    performer.advance(0);
    CHECK(seen(performer, "dry_for") == Approx(1.5)); // it held until the step in which it was seen to hold no more
}

TEST_CASE("a flag with two thresholds does not flutter on a noisy number") {
    const auto character =
        machine("  speed: {kind: number}\n  going: {kind: flag, on_when: speed > 0.4, off_when: speed < 0.2}\n",
                "a: {play: low, go: [{to: b, when: going}]}\nb: {play: high, go: [{to: a, when: not going}]}\n");
    Performer performer(character);
    int changes = 0;
    for (int i = 0; i < 600; ++i) {
        const double noise = 0.09 * ((i * 7919) % 13 - 6) / 6.0;
        performer.set("speed", 0.3 + noise + (i > 200 ? 0.3 : 0.0) - (i > 400 ? 0.5 : 0.0));
        performer.advance(1.0 / 60);
        changes += int(performer.transitions().size());
    }
    CHECK(changes == 2);
    CHECK_THAT(machine_mistakes("  speed: {kind: number}\n  going: {kind: flag, on_when: speed > 1}\n", two),
               Catch::Contains("'going' never goes off again; add 'off_when: CONDITION' [missing-key]"));
}

TEST_CASE("a flag that flips changes once a press, by a condition or a signal") {
    Performer performer(machine("  shutter: {kind: signal}\n  lit: {kind: flag, flips_on: shutter}\n"
                                "  button: {kind: flag}\n  low: {kind: flag, default: yes, flips_on: button}\n",
                                two));
    const auto lit = [&] { return performer.get(performer.character().flag("lit")); };
    const auto low = [&] { return performer.get(performer.character().flag("low")); };
    CHECK_FALSE(lit());
    performer.send("shutter");
    performer.advance(0.01);
    CHECK(lit());
    performer.advance(0.01);
    CHECK(lit());
    performer.send("shutter");
    performer.advance(0.01);
    CHECK_FALSE(lit());
    performer.send("shutter"); // in the very next step
    performer.advance(0.01);
    CHECK(lit());
    performer.send("shutter");
    performer.advance(0.01);
    CHECK_FALSE(lit());
    performer.set("button", true);
    for (int i = 0; i < 5; ++i) { performer.advance(0.01); }
    CHECK_FALSE(low()); // once, however long it is held
    performer.set("button", false);
    performer.advance(0.01);
    performer.set("button", true);
    performer.advance(0.01);
    CHECK(low());
}

TEST_CASE("edges are seen in one decision and by nothing that happens later in the step") {
    const auto character =
        machine("wet: {kind: flag}", "a: {play: low, go: [{to: b, when: rises(wet)}, {to: c, when: falls(wet)}]}\n"
                                     "b: {play: high, go: [{to: a, after: 0.1}]}\nc: {play: side}\n");
    Performer performer(character);
    performer.set("wet", true);
    CHECK(at(performer, 0.05) == "b");
    CHECK(at(performer, 0.2) == "a"); // back after a tenth of a second, and the rise is over
    CHECK(at(performer, 0.2) == "a");
    Performer one_step(character);
    one_step.set("wet", true);
    CHECK(at(one_step, 0.3) == "a"); // there and back inside one step: it rose once
    one_step.set("wet", false);
    CHECK(at(one_step, 0.01) == "c");
    CHECK_THAT(machine_mistakes("wet: {kind: flag}", "a: {play: low, go: [{to: a, when: rises(state.ended)}]}\n"),
               Catch::Contains("'rises' watches parameters and cannot speak of a state"));
}

TEST_CASE("keys that do not go together are said") {
    CHECK_THAT(machine_mistakes("  s: {kind: number}\n  a: {kind: number, from: s, remember: s}\n", two),
               Catch::Contains("'a' is computed by 'from' already; remove that or 'remember' [wrong-shape]"));
    CHECK_THAT(machine_mistakes("  s: {kind: number}\n  a: {kind: number, from: s, while: s > 1}\n", two),
               Catch::Contains("'while' goes with 'remember' and 'greatest'; remove it [wrong-shape]"));
    CHECK_THAT(machine_mistakes("  s: {kind: number}\n  a: {kind: number, flips_on: s > 1}\n", two),
               Catch::Contains("'flips_on' makes a flag; write 'kind: flag' [wrong-type]"));
    CHECK_THAT(machine_mistakes("  s: {kind: number}\n  a: {kind: number, tune: yes, from: s}\n", two),
               Catch::Contains("'a' is computed, so there is nothing to tune"));
    CHECK_THAT(machine_mistakes("a: {kind: angle, range: [0, 90]}", two),
               Catch::Contains("'a' is an angle and has no 'range'"));
    CHECK_THAT(machine_mistakes("  s: {kind: number}\n  a: {kind: number, from: state.elapsed}\n", two),
               Catch::Contains("speaks of a state, and this looks at parameters alone"));
}

TEST_CASE("getters and callbacks are tied once, outside the performer") {
    const auto character = machine("speed: {kind: number}, wet: {kind: flag}, hands: {kind: choice, of: [free, pole]},"
                                   " hop: {kind: signal}",
                                   "a: {play: marked, go: [{to: b, when: speed > 1 and wet and hands == pole}]}\n"
                                   "b: {play: high, go: [{to: a, signal: hop, fade: 0.1}]}\n");
    struct Game {
        float speed = 0;
        bool wet = false, jump = false;
        std::string hands = "free";
    } game;
    Bindings bindings(*character);
    CHECK(bindings.number("speed", [&] { return game.speed; }));
    CHECK(bindings.flag("wet", [&] { return game.wet; }));
    CHECK(bindings.choice("hands", [&] { return std::string_view(game.hands); }));
    CHECK(bindings.signal("hop", [&] { return game.jump; }));
    CHECK_FALSE(bindings.number("wet", [] { return 0.0F; }));
    std::vector<std::string> heard;
    CHECK(bindings.on_enter("b", [&](const Event&) { heard.emplace_back("b entered"); }));
    CHECK(bindings.on_leave("a", [&](const Event&) { heard.emplace_back("a left"); }));
    CHECK(bindings.on_mark("tick", [&](const Event& e) { heard.push_back(e.weight > 0.9F ? "tick" : "weak tick"); }));
    CHECK_FALSE(bindings.on_mark("tack", [](const Event&) {}));
    int all = 0;
    bindings.on_event([&](const Event&) { ++all; });
    Performer performer(character);
    bindings.advance(performer, 0.35);
    game = {1.5F, true, false, "pole"};
    bindings.advance(performer, 0.1);
    CHECK(performer.state_name() == "b");
    game.jump = true;
    bindings.advance(performer, 0.05);
    CHECK(performer.state_name() == "a");
    CHECK(heard == std::vector<std::string>{"tick", "a left", "b entered"});
    CHECK(all > 3);
}
