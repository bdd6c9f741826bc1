#include "machine_support.hpp"

#include <catch2/catch.hpp>

using namespace gait;
using support::at;
using support::machine;

namespace {

/// A greeting that is asked for by a signal, and how long it is kept and held off.
std::shared_ptr<const Character> greeter(const std::string& settings, const std::string& more = "") {
    return machine("greet: {kind: signal" + settings + "}, ready: {kind: flag, default: yes}",
                   "still: {play: low, go: [{to: greeting, signal: greet, when: ready, fade: 0.1}" + more +
                       "]}\n"
                       "greeting: {play: side, go: [{to: still, at: end, fade: 0.1}]}\n");
}

int greetings(Performer& performer, double seconds, double dt = 0.01) {
    int count = 0;
    for (int i = 0; i < int(seconds / dt + 0.5); ++i) {
        performer.advance(dt);
        for (const TransitionRecord& record : performer.transitions()) {
            const TransitionInfo& info = performer.character().transitions()[record.transition];
            count += performer.character().states()[info.to].name == "greeting" ? 1 : 0;
        }
    }
    return count;
}

} // namespace

TEST_CASE("a signal is taken once, however long its action lasts") {
    Performer performer(greeter(""));
    performer.send("greet");
    CHECK(at(performer, 0.01) == "greeting");
    CHECK(greetings(performer, 5) == 0);
    CHECK(performer.state_name() == "still");
}

TEST_CASE("signals sent fast one after the other do not restart the action under way") {
    Performer performer(greeter(""));
    int entered = 0;
    for (int i = 0; i < 85; ++i) { // the clip lasts a second, and its fade begins at nine tenths
        performer.send("greet");
        entered += greetings(performer, 0.01);
        REQUIRE(performer.state_name() == "greeting");
    }
    CHECK(entered == 1);
    CHECK(greetings(performer, 3) == 0);
}

TEST_CASE("a signal that nothing takes is gone after one step, or after its keep") {
    Performer forgetful(greeter("")), patient(greeter(", keep: 0.15"));
    for (Performer* performer : {&forgetful, &patient}) {
        performer->set("ready", false);
        performer->send("greet");
        performer->advance(0.1);
        performer->set("ready", true);
        performer->advance(0.01);
    }
    CHECK(forgetful.state_name() == "still");
    CHECK(patient.state_name() == "greeting");
    Performer late(greeter(", keep: 0.15"));
    late.set("ready", false);
    late.send("greet");
    late.advance(0.16);
    late.set("ready", true);
    CHECK(at(late, 0.01) == "still");
}

TEST_CASE("a signal is offered at least once, even in a step of no time or a very long one") {
    for (const double step : {0.0, 1.0 / 240, 5.0}) {
        Performer performer(greeter(", keep: 0.01"));
        performer.send("greet");
        performer.advance(step);
        CAPTURE(step);
        CHECK(performer.transitions().size() >= 1);
    }
}

TEST_CASE("a press just before the landing counts, at the same instant at any frame rate") {
    const auto character =
        machine("hop: {kind: signal, keep: 0.2}",
                "air: {play: high, go: [{to: ground, after: 0.5, fade: 0.1}]}\n"
                "ground: {play: low, go: [{to: again, signal: hop, fade: 0.1}]}\nagain: {play: side}\n",
                "air");
    for (const double rate : {10.0, 30.0, 60.0, 240.0}) {
        Performer performer(character);
        double taken = -1;
        for (int i = 0; i < int(rate); ++i) {
            if (std::abs(i / rate - 0.4) < 1e-6) { performer.send("hop"); }
            performer.advance(1 / rate);
            for (const TransitionRecord& record : performer.transitions()) {
                const auto to = character->transitions()[record.transition].to;
                if (character->states()[to].name == "again") { taken = record.time; }
            }
        }
        CAPTURE(rate);
        CHECK(taken == Approx(0.5));
    }
}

TEST_CASE("wait holds off the next signal for so many seconds") {
    const auto character =
        machine("greet: {kind: signal, wait: 2}", "still: {play: low, go: [{to: greeting, signal: greet, fade: 0.1}]}\n"
                                                  "greeting: {play: side, go: [{to: still, after: 0.2, fade: 0.1}]}\n");
    Performer performer(character);
    int entered = 0;
    for (int i = 0; i < 500; ++i) { // five seconds of pressing
        performer.send("greet");
        entered += greetings(performer, 0.01);
    }
    CHECK(entered == 3); // at 0, 2 and 4 seconds
}

TEST_CASE("a press that is kept while the next is held off is taken as soon as it may") {
    const auto character = machine("greet: {kind: signal, wait: 1, keep: 0.5}",
                                   "still: {play: low, go: [{to: greeting, signal: greet, fade: 0.1}]}\n"
                                   "greeting: {play: side, go: [{to: still, after: 0.2, fade: 0.1}]}\n");
    for (const double rate : {10.0, 60.0}) {
        Performer performer(character);
        performer.send("greet");
        double second = -1;
        for (int i = 0; i < int(2 * rate); ++i) {
            if (std::abs(i / rate - 0.7) < 1e-6) { performer.send("greet"); }
            performer.advance(1 / rate);
            for (const TransitionRecord& record : performer.transitions()) {
                if (character->transitions()[record.transition].when == "signal greet") { second = record.time; }
            }
        }
        CAPTURE(rate);
        CHECK(second == Approx(1.0));
    }
}

TEST_CASE("signals that do not exist, or are something else, are refused and counted") {
    Performer performer(greeter(""));
    CHECK_FALSE(performer.send("great"));
    CHECK_FALSE(performer.send("ready"));
    CHECK_FALSE(performer.set("greet", true));
    CHECK(performer.faults().refused_values == 3);
    CHECK_THAT(support::machine_mistakes("greet: {kind: signal}", "a: {play: low, go: [{to: a, when: greet}]}\n", "a"),
               Catch::Contains("'greet' is a signal, which a transition takes by its own key; write 'signal: greet'"));
    CHECK_THAT(
        support::machine_mistakes("greet: {kind: signal}", "a: {play: low, go: [{to: a, signal: grete}]}\n", "a"),
        Catch::Contains("no signal 'grete'; did you mean 'greet'? [unknown-signal]"));
}
