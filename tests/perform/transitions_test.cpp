#include "machine_support.hpp"

#include <catch2/catch.hpp>

using namespace gait;

namespace {

Assets three_clips() {
    return support::assets(2, {support::held("low", 2, 0), support::held("high", 2, 30), support::held("side", 2, 60)});
}

std::string document(const std::string& machine) {
    return "gait: 1\nrig: x.glb\nclips: {low: {loop: yes}, high: {loop: yes}, side: {}}\n"
           "parameters: {wet: {kind: flag}, dark: {kind: flag}}\nlayers:\n  - name: body\n    machine:\n" +
           machine;
}

const char* const states = "      start: a\n      states:\n        a: {play: low, go: [{to: b, when: dark}]}\n"
                           "        b: {play: high, go: [{to: a, when: not dark}]}\n        c: {play: side}\n";

std::shared_ptr<const Character> with_always(const std::string& always) {
    return support::character(document("      always: [" + always + "]\n" + states), three_clips());
}

std::string at(Performer& performer, double seconds) {
    performer.advance(seconds);
    return std::string(performer.state_name());
}

} // namespace

TEST_CASE("always leaves from whichever state is active, before the state's own ways") {
    Performer performer(with_always("{to: c, when: wet}"));
    performer.set("dark", true);
    CHECK(at(performer, 0.1) == "b");
    performer.set("wet", true);
    performer.set("dark", false);
    CHECK(at(performer, 0.1) == "c"); // not a, which b's own list would say
    CHECK(performer.transitions().size() == 1);
}

TEST_CASE("always never enters the state that is active, unless it says again") {
    Performer once(with_always("{to: c, when: wet, fade: 0.1}")),
        again(with_always("{to: c, when: wet, fade: 0.1, again: yes}"));
    for (Performer* performer : {&once, &again}) {
        performer->set("wet", true);
        performer->advance(0.1);
    }
    const auto before_once = once.instance(once.instance_count() - 1).serial,
               before_again = again.instance(again.instance_count() - 1).serial;
    once.advance(0.1);
    again.advance(0.1);
    CHECK(once.instance(once.instance_count() - 1).serial == before_once);
    CHECK(again.instance(again.instance_count() - 1).serial != before_again);
}

TEST_CASE("always spares the states it excepts") {
    Performer performer(with_always("{to: c, when: wet, except: [b]}"));
    performer.set("dark", true);
    performer.advance(0.1);
    performer.set("wet", true);
    CHECK(at(performer, 0.1) == "b");
    performer.set("dark", false);
    CHECK(at(performer, 0.1) == "c"); // through a, in the same instant
    CHECK(performer.transitions().size() == 2);
}

TEST_CASE("always is listed with each state it leaves, and its mistakes are said once") {
    const auto character = with_always("{to: c, when: wet}");
    CHECK(character->transitions().size() == 4); // from a and b, and their own
    CHECK(character->transitions()[0].when == "wet");
    const std::string said = support::diagnose(
        document(
            std::string(
                "      always: [{to: c, when: wett}, {to: d, when: wet}, {to: c}, {to: c, when: wet, except: e}]\n") +
            states),
        three_clips());
    for (const char* expected : {"no parameter 'wett'; did you mean 'wet'? [unknown-parameter]",
                                 "no state 'd'; there are a, b, c [unknown-state]",
                                 "a transition of 'always' leaves from whichever state is active, so it needs a "
                                 "condition; add 'when: CONDITION' [missing-key]",
                                 "no state 'e'; there are a, b, c [unknown-state]"}) {
        CAPTURE(expected);
        CHECK(said.find(expected) != std::string::npos);
        CHECK(said.find(expected) == said.rfind(expected));
    }
    CHECK_THAT(support::diagnose(
                   document("      start: a\n      states: {a: {play: low, go: [{to: a, when: wet, again: yes}]}}\n"),
                   three_clips()),
               Catch::Contains("a transition has no key 'again'"));
}

TEST_CASE("after leaves at its exact instant at any frame rate, and chains keep their times") {
    const auto character = support::character(
        document("      start: a\n      states:\n        a: {play: low, go: [{to: b, after: 0.35, fade: 0.1}]}\n"
                 "        b: {play: high, go: [{to: c, after: 0.21, fade: 0.1}]}\n        c: {play: low}\n"),
        three_clips());
    for (const double rate : {3.0, 10.0, 30.0, 60.0, 240.0}) {
        const std::vector<double> times = support::transition_times(character, 1, rate);
        CAPTURE(rate);
        REQUIRE(times.size() == 2);
        CHECK(times[0] == Approx(0.35));
        CHECK(times[1] == Approx(0.56));
    }
}

TEST_CASE("after, a condition and an end must all hold") {
    const auto character = support::character(
        document("      start: a\n      states:\n        a: {play: low, go: [{to: b, when: wet, after: 0.5}]}\n"
                 "        b: {play: side, go: [{to: c, at: end, after: 1.4, fade: 0.1}]}\n        c: {play: low}\n"),
        three_clips());
    Performer performer(character);
    performer.set("wet", true);
    CHECK(at(performer, 0.4) == "a");
    performer.set("wet", false);
    CHECK(at(performer, 0.4) == "a");
    performer.set("wet", true);
    CHECK(at(performer, 0.01) == "b");
    CHECK(at(performer, 1.2) == "b"); // the clip has ended after one second
    CHECK(at(performer, 0.3) == "c");
    CHECK(character->transitions()[0].when == "wet, after 0.5 s");
    CHECK_THAT(support::diagnose(document("      start: a\n      states: {a: {play: low, go: [{to: a, after: -1}]}}\n"),
                                 three_clips()),
               Catch::Contains("'after' is 0 to 86400 seconds; found -1 [wrong-range]"));
}

TEST_CASE("a condition on where its clip is holds as the clip comes there, though nothing is set") {
    const auto character =
        support::machine("wet: {kind: flag}", "a: {play: swing, go: [{to: b, when: state.phase > 0.5}]}\n"
                                              "b: {play: sway, go: [{to: c, when: state.loops >= 2}]}\nc: {play: low}");
    const auto times = support::transition_times(character, 6, 100);
    REQUIRE(times.size() == 2);
    CHECK(times[0] == Approx(0.51).margin(0.011));
    CHECK(times[1] - times[0] == Approx(2 * 1.6).margin(0.02)); // of a clip of 1.6 seconds
}

TEST_CASE("a mark and a span are met when the clip comes there, though its rate rose since it was entered") {
    for (const std::string way : {"at: tick", "inside: open"}) {
        INFO(way);
        const auto character =
            support::machine("pace: {kind: number, range: [0, 2], default: 0.1}",
                             "a: {play: {clip: marked, rate: pace}, go: [{to: b, " + way + "}]}\nb: {play: low}");
        Performer performer(character);
        for (int i = 0; i < 50; ++i) { REQUIRE(at(performer, 0.01) == "a"); } // 0.05 of a cycle
        performer.set("pace", 1.0);
        const double comes = way == "at: tick" ? 0.25 : 0.35;
        CHECK(at(performer, comes - 0.02) == "a");
        CHECK(at(performer, 0.04) == "b");
    }
}

TEST_CASE("what a way out waits for at an end or a mark may come long after it was looked at") {
    // Something else moves in every frame that another way out reads, so that the state is weighed again and again.
    const std::string parameters =
        "  wet: {kind: flag}\n  heft: {kind: number, range: [0, 100]}\n  none_yet: {kind: signal, keep: 5}\n";
    const std::string way =
        GENERATE("at: end, when: wet", "at: end, signal: none_yet, when: wet", "at: tick, when: wet");
    INFO(way);
    const bool signalled = way.find("signal") != std::string::npos, mark = way.find("tick") != std::string::npos;
    const auto character = support::machine(parameters, std::string("a: {play: ") + (mark ? "marked" : "spin") +
                                                            ", go: [{to: c, when: heft > 99}, {to: b, " + way +
                                                            "}]}\nb: {play: low}\nc: {play: high}");
    Performer performer(character);
    double entered = -1;
    for (int i = 0; i < 400 && entered < 0; ++i) {
        performer.set("heft", float(i % 90));
        if (i == 60) {
            performer.set("wet", true);
            if (signalled) { performer.send("none_yet"); }
        }
        if (at(performer, 0.02) == "b") { entered = 0.02 * i; }
    }
    // The first end, or round of the mark, after one and a fifth of a second.
    CHECK(entered > 1.19);
    CHECK(entered < 2.3);
}

TEST_CASE("what a computed value is without its smoothing counts at once, in a step of no length too") {
    const auto character = support::machine(
        "  heft: {kind: number, range: [0, 6]}\n  load: {kind: number, range: [0, 6], from: heft, smooth: 1}\n",
        "a: {play: low, go: [{to: b, when: raw(load) > 3}]}\nb: {play: high}");
    Performer performer(character);
    CHECK(at(performer, 0.1) == "a");
    CHECK(at(performer, 0.1) == "a");
    performer.set("heft", 5.0);
    CHECK(at(performer, 0) == "b");
}

TEST_CASE("with more parameters than sixty-four each still moves what hangs on it") {
    std::string parameters;
    for (int p = 0; p < 70; ++p) { parameters += "  p" + std::to_string(p) + ": {kind: number, range: [0, 1]}\n"; }
    const auto character = support::machine(parameters, "a: {play: low, go: [{to: b, when: p68 > 0.5}]}\n"
                                                        "b: {play: high, go: [{to: a, when: p4 > 0.5}]}");
    Performer performer(character);
    CHECK(at(performer, 0.5) == "a");
    performer.set("p4", 1.0); // it shares the other's place
    CHECK(at(performer, 0.5) == "a");
    performer.set("p4", 0.0);
    performer.set("p68", 1.0);
    CHECK(at(performer, 0.01) == "b");
    CHECK(at(performer, 0.5) == "b");
    performer.set("p4", 1.0);
    CHECK(at(performer, 0.01) == "a");
}
