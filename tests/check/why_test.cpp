#include "machine_support.hpp"

#include <catch2/catch.hpp>

using namespace gait;

namespace {

std::string told(const Performer& performer) {
    std::string text;
    for (const TransitionReasons& weighed : explain_transitions(performer)) {
        const TransitionInfo& info = performer.character().transitions()[weighed.transition];
        text += performer.character().states()[info.to].name + (weighed.holds() ? " holds" : " waits") + ":";
        for (const ConditionPart& part : weighed.parts) {
            text +=
                " [" + part.text + (part.values.empty() ? "" : ": " + part.values) + (part.holds ? "; yes]" : "; no]");
        }
        text += "\n";
    }
    return text;
}

} // namespace

TEST_CASE("each part of a condition is told with its values and whether it holds") {
    Performer performer(
        support::machine("speed: {kind: number}, wet: {kind: flag}, hands: {kind: choice, of: [free, pole]}, hop: "
                         "{kind: signal, wait: 1}",
                         "a:\n  play: marked\n  go:\n    - {to: b, when: speed > 1 and (not wet and hands == pole)}\n"
                         "    - {to: b, when: wet or speed > 9}\n    - {to: b, signal: hop, after: 2}\n"
                         "    - {to: b, at: tick, inside: open, when: rises(wet)}\nb: {play: side, go: [{to: a, at: "
                         "end, fade: 0.2}]}\n"));
    performer.set("speed", 1.5);
    performer.advance(0.5);
    CHECK(told(performer) ==
          "b waits: [speed > 1: speed = 1.5; yes] [not wet: wet = no; yes] [hands == pole: hands = free; no]\n"
          "b waits: [wet or speed > 9: wet = no, speed = 1.5; no]\n"
          "b waits: [signal hop: not sent, or taken, or kept no longer; no] [after 2 s: 0.5 s in the state; no]\n"
          "b waits: [rises(wet): wet = no; no] [at tick; no] [inside open; yes]\n");
    performer.enter(performer.character().state("b"), 0.1);
    performer.advance(0.25);
    CHECK(told(performer) == "a waits: [at end: 0.75 s left, the fade takes 0.2 s; no]\n");
}

TEST_CASE("what settles, and what is active already, is told") {
    Performer performer(support::machine("wet: {kind: flag}, dry: {kind: flag}",
                                         "a: {play: low, go: [{to: b, when: wet, fade: 0.5, settle: yes}]}\n"
                                         "b: {play: high, go: [{to: a, when: dry}]}\n"));
    performer.set("wet", true);
    performer.set("dry", true);
    performer.advance(0.2);
    CHECK(told(performer) == "a waits: [settled: 0.3 s of its fade are left; no] [dry: dry = yes; yes]\n");
}

TEST_CASE("what layers may do next is told layer by layer, in the order in which they decide") {
    const auto order = [](const std::string& decide) {
        Performer performer(support::character(
            "gait: 1\nrig: r.glb\nclips: {low: {loop: yes}, high: {loop: yes}}\nparameters: {wet: {kind: flag}}\n" +
                decide +
                "layers:\n"
                "  - {name: legs, machine: {start: a, states: {a: {play: low, go: [{to: b, when: wet}]}, b: {play: "
                "high}}}}\n"
                "  - {name: arms, machine: {start: c, states: {c: {play: low, go: [{to: d, when: legs is b}]}, d: "
                "{play: "
                "high}}}}\n"
                "  - {name: head, machine: {start: e, states: {e: {play: low, go: [{to: f, when: not wet and arms is "
                "d}]}, f: {play: high}}}}\n",
            support::machine_assets()));
        performer.advance(0.1);
        return told(performer);
    };
    const std::string legs = "b waits: [wet: wet = no; no]\n", arms = "d waits: [legs is b: legs = a; no]\n",
                      head = "f waits: [not wet: wet = no; yes] [arms is d: arms = c; no]\n";
    CHECK(order("") == legs + arms + head);
    CHECK(order("decide: [head, legs]\n") == head + legs + arms);
}

TEST_CASE("weighing a performer leaves it as it was") {
    Performer performer(support::machine("wet: {kind: flag}", "a: {play: low, go: [{to: a, after: [1, 2]}]}\n"));
    performer.advance(0.2);
    const std::vector<std::byte> before(performer.bytes().begin(), performer.bytes().end());
    (void)explain_transitions(performer);
    CHECK(std::equal(before.begin(), before.end(), performer.bytes().begin()));
}

TEST_CASE("what a condition asks of its own state, and of another layer's, is told with its value") {
    Performer performer(support::character(
        "gait: 1\nrig: r.glb\nclips: {low: {loop: yes}, side: {}}\n"
        "layers:\n"
        "  - name: legs\n    machine:\n      start: a\n      states:\n"
        "        a:\n          play: low\n          go:\n            - {to: b, when: state.elapsed > 9}\n"
        "            - {to: b, when: state.phase > 2}\n            - {to: b, when: state.loops > 9}\n"
        "        b: {play: side, go: [{to: a, when: state.left > 9 or state.ended}]}\n"
        "  - name: arms\n    machine:\n      start: c\n      states:\n"
        "        c: {play: low, go: [{to: d, when: legs.elapsed > 9}]}\n        d: {play: low}\n",
        support::machine_assets()));
    performer.advance(0.25);
    const std::string text = told(performer);
    CHECK_THAT(text, Catch::Contains("[state.elapsed > 9: state.elapsed = 0.25; no]"));
    CHECK_THAT(text, Catch::Contains("[state.phase > 2: state.phase = "));
    CHECK_THAT(text, Catch::Contains("[state.loops > 9: state.loops = 0; no]"));
    CHECK_THAT(text, Catch::Contains("legs.elapsed = 0"));
    performer.enter(performer.character().state("legs.b"), 0);
    performer.advance(0.25);
    CHECK_THAT(told(performer),
               Catch::Contains("[state.left > 9 or state.ended: state.left = 0.75, state.ended = no; no]"));
}
