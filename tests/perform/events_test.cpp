#include "machine_support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <fmt/format.h>
#include <map>

using namespace gait;
using support::machine;

namespace {

std::string describe(const Character& character, const Event& event) {
    switch (event.kind) {
    case EventKind::mark:
        return character.marks()[event.what];
    case EventKind::span_begun:
        return character.spans()[event.what] + " begins";
    case EventKind::span_ended:
        return character.spans()[event.what] + " ends";
    case EventKind::finished:
        return character.states()[event.state].name + " finished";
    case EventKind::left:
        return character.states()[event.state].name + " left";
    case EventKind::entered:
        break;
    }
    return character.states()[event.state].name + " entered";
}

struct Heard {
    std::vector<std::string> what;
    std::vector<double> times;
};

Heard listen(Performer& performer, double seconds, double dt) {
    Heard heard;
    EventList events;
    for (int i = 0; i < int(std::lround(seconds / dt)); ++i) {
        performer.advance(dt, events);
        for (const Event& event : events.events()) {
            heard.what.push_back(describe(performer.character(), event));
            heard.times.push_back(event.time);
        }
    }
    return heard;
}

} // namespace

TEST_CASE("marks and spans are told in order, each once a round, at the same times at any frame rate") {
    const auto character = machine("go: {kind: flag}", "a: {play: marked}\n");
    for (const double dt : {1.0 / 240, 1.0 / 60, 0.1, 0.5, 3.0}) {
        Performer performer(character);
        const Heard heard = listen(performer, 3, dt);
        CAPTURE(dt, heard.what);
        REQUIRE(heard.what.size() == 13);
        CHECK(heard.what[0] == "a entered");
        for (std::size_t round = 0; round < 3; ++round) {
            const char* const names[] = {"tick", "open begins", "open ends", "tock"};
            const double times[] = {0.3, 0.4, 0.6, 0.8};
            for (std::size_t i = 0; i < 4; ++i) {
                CHECK(heard.what[1 + 4 * round + i] == names[i]);
                CHECK(heard.times[1 + 4 * round + i] == Approx(double(round) + times[i]).margin(1e-6));
            }
        }
    }
}

TEST_CASE("a state that the game enters between two steps is told by the next one, and what it left") {
    Performer performer(machine("go: {kind: flag}", "a: {play: low, go: [{to: b, when: go}]}\nb: {play: high}\n"));
    CHECK(listen(performer, 0.1, 0.05).what == std::vector<std::string>{"a entered"});
    performer.enter(performer.character().state("b"), 0.2);
    CHECK(listen(performer, 0.1, 0.05).what == std::vector<std::string>{"a left", "b entered"});
}

TEST_CASE("a layer whose weight comes within a step tells what that step passes, and one whose weight goes is silent") {
    const std::string text =
        "gait: 1\nrig: x.glb\nclips: {low: {loop: yes}, marked: {loop: yes, marks: {tick: 0.3}}}\n"
        "parameters: {much: {kind: number, range: [0, 1], smooth: 0}}\nlayers:\n"
        "  - {name: body, machine: {start: a, states: {a: {play: low}}}}\n"
        "  - {name: arms, weight: much, fade: 0, machine: {start: a, states: {a: {play: marked}}}}\n";
    Performer performer(
        support::character(text, support::assets(2, {support::held("low", 2, 0), support::held("marked", 2, 15)})));
    (void)listen(performer, 0.25, 0.25);
    performer.set("much", 1);
    CHECK(listen(performer, 0.1, 0.1).what == std::vector<std::string>{"tick"});
    CHECK(listen(performer, 0.9, 0.9).what.empty());
    performer.set("much", 0);
    CHECK(listen(performer, 0.1, 0.1).what.empty());
}

TEST_CASE("a clip that has spans and no marks tells them") {
    const std::string text = "gait: 1\nrig: x.glb\nclips: {stroll: {loop: yes, spans: {open: [0.4, 0.6]}}}\n"
                             "layers: [{name: body, machine: {start: a, states: {a: {play: stroll}}}}]\n";
    Performer performer(support::character(text, support::assets(2, {support::held("stroll", 2, 15)})));
    CHECK(listen(performer, 1, 0.05).what == std::vector<std::string>{"a entered", "open begins", "open ends"});
}

TEST_CASE("a mark may stand at several instants of a clip, and a way waits for whichever comes next") {
    const auto assets = support::assets(2, {support::held("walk", 2, 15, 2), support::held("rest", 2, 0)});
    const auto document = [](const std::string& marks, const std::string& after) {
        return "gait: 1\nrig: x.glb\nclips: {walk: {loop: yes, marks: " + marks +
               "}, rest: {loop: yes}}\nlayers: [{name: body, machine: {start: a, states: {a: {play: walk, go: {to: b, "
               "at: "
               "down, after: " +
               after + "}}, b: {play: rest}}}}]\n";
    };
    for (const double dt : {1.0 / 240, 0.1}) {
        Performer performer(support::character(document("{down: [1.7, 0.5, 1.1]}", "9"), assets));
        const Heard heard = listen(performer, 4, dt);
        CAPTURE(dt, heard.what);
        CHECK(heard.what == std::vector<std::string>{"a entered", "down", "down", "down", "down", "down", "down"});
        const std::vector<double> times{0, 0.5, 1.1, 1.7, 2.5, 3.1, 3.7};
        for (std::size_t i = 1; i < std::min(times.size(), heard.times.size()); ++i) {
            CHECK(heard.times[i] == Approx(times[i]).margin(1e-6));
        }
        Performer waits(support::character(document("{down: [0.5, 1.1]}", "0.6"), assets));
        (void)listen(waits, 1.05, 0.05);
        CHECK(waits.state_name() == "a");
        (void)listen(waits, 0.1, 0.05);
        CHECK(waits.state_name() == "b");
    }
    CHECK(support::diagnose(document("{down: []}", "1"), assets).find("a mark's second") != std::string::npos);
    CHECK(support::diagnose(document("{down: [0.5, soon]}", "1"), assets).find("'soon'") != std::string::npos);
}

TEST_CASE("a step that lasts a minute tells every mark of it") {
    Performer performer(machine("go: {kind: flag}", "a: {play: marked}\n"));
    EventList events;
    performer.advance(60, events);
    CHECK(events.events().size() == 1 + 4 * 60);
    CHECK(events.lost() == 0);
}

TEST_CASE("small steps tell every mark that a large one tells, wherever it stands, in and out of step") {
    // Many, and some on the borders of the parts in which a step looks for them, or a hair beside.
    std::string instants = "0.013, 0.5, 0.7071";
    for (const int part : {0, 1, 7, 31, 32, 63}) {
        for (const double beside : {0.0, 1e-7, 3e-5}) { instants += fmt::format(", {}", part / 64.0 + beside); }
    }
    const auto character = support::character(
        fmt::format(
            "gait: 1\nrig: x.glb\nclips:\n"
            "  even: {{loop: yes, marks: {{left_down: 0.1, right_down: 0.6, here: [{0}]}}}}\n"
            "  limp: {{loop: yes, marks: {{left_down: 0.05, right_down: 0.3, here: [{0}]}}}}\n"
            "parameters: {{x: {{kind: number, smooth: 0}}}}\nlayers: [{{name: body, machine: {{start: s, states: "
            "{{s: {{play: {{blend: x, sync: footfall, points: {{0: even, 1: limp}}}}}}}}}}}}]\n",
            instants),
        support::assets(2, {support::held("even", 2, 15, 1), support::held("limp", 2, 15, 1)}));
    const auto told = [&](double x, double seconds, int steps) {
        Performer performer(character);
        performer.set("x", x);
        EventList events(4096);
        std::map<std::uint16_t, int> times;
        for (int i = 0; i < steps; ++i) {
            performer.advance(seconds / steps, events);
            for (const Event& event : events.events()) {
                if (event.kind == EventKind::mark) { ++times[event.clip]; }
            }
        }
        return times;
    };
    for (const double x : {0.0, 0.4, 1.0}) {
        // A step of more than half a round looks at all of them. None ends near one.
        for (const double seconds : {0.9973, 2.4973}) {
            CAPTURE(x, seconds);
            const auto large = told(x, seconds, int(seconds) + 1);
            CHECK(large.size() == (x == 0.4 ? 2U : 1U));
            for (const int steps : {61, 240, 997}) { CHECK(told(x, seconds, steps) == large); }
        }
    }
}

TEST_CASE("a mark at a clip's very end is told even when the state is left in that step") {
    const auto assets = support::machine_assets();
    std::string text =
        support::machine_text("go: {kind: flag}", "a: {play: side, go: [{to: b, at: end, fade: 0}]}\nb: {play: low}\n");
    text.replace(text.find("side: {}"), 8, "side: {marks: {hand_off: 1.0, hand_on: 0.0}}");
    const auto character = support::character(text, assets);
    for (const double dt : {1.0 / 60, 0.4, 2.0}) {
        Performer performer(character);
        const Heard heard = listen(performer, 2, dt);
        CAPTURE(dt);
        CHECK(heard.what ==
              std::vector<std::string>{"a entered", "hand_on", "hand_off", "a finished", "a left", "b entered"});
        CHECK(heard.times[3] == Approx(1.0));
    }
}

TEST_CASE("a mark is told with its clip's share of the pose, and a motion left behind goes on telling") {
    Performer performer(machine(
        "go: {kind: flag}", "a: {play: marked, go: [{to: b, when: go, fade: 0.4, ease: linear}]}\nb: {play: low}\n"));
    EventList events;
    performer.advance(0.7, events);
    performer.set("go", true);
    performer.advance(0.3, events);
    const auto all = events.events();
    REQUIRE(all.size() == 3);
    CHECK(describe(performer.character(), all[0]) == "a left");
    CHECK(describe(performer.character(), all[2]) == "tock");
    CHECK(all[2].time == Approx(0.8));
    CHECK(all[2].weight == Approx(0.75).margin(0.01)); // a quarter of the fade is done
}

TEST_CASE("a span that a motion is taken away from inside of ends then") {
    Performer performer(
        machine("go: {kind: flag}", "a: {play: marked, go: [{to: b, when: go, fade: 0.05}]}\nb: {play: low}\n"));
    (void)listen(performer, 0.5, 0.01);
    performer.set("go", true);
    const Heard heard = listen(performer, 0.5, 0.01);
    CHECK(heard.what == std::vector<std::string>{"a left", "b entered", "open ends"});
    Performer cut(machine("go: {kind: flag}", "a: {play: marked, go: [{to: b, when: go, fade: 0}]}\nb: {play: low}\n"));
    (void)listen(cut, 0.5, 0.01);
    cut.set("go", true);
    CHECK(listen(cut, 0.5, 0.01).what == std::vector<std::string>{"open ends", "a left", "b entered"});
}

TEST_CASE("machines are finished with the last of their states, from the inside out") {
    Performer performer(machine("go: {kind: flag}", "act:\n  machine: {start: one, states: {one: {play: side}}}\n"));
    const Heard heard = listen(performer, 2, 0.1);
    CHECK(heard.what == std::vector<std::string>{"act entered", "act.one entered", "act.one finished", "act finished"});
}

TEST_CASE("a performer is the same to the last bit whether anybody listens or not") {
    const auto character =
        machine("go: {kind: flag}", "a: {play: marked, go: [{to: b, at: tock, fade: 0.2}]}\n"
                                    "b: {play: side, go: [{to: a, at: end, fade: 0.1, style: inertial}]}\n");
    Performer silent(character), heard(character);
    EventList events;
    for (int i = 0; i < 300; ++i) {
        silent.advance(0.013);
        heard.advance(0.013, events);
    }
    CHECK(std::equal(silent.bytes().begin(), silent.bytes().end(), heard.bytes().begin()));
}

TEST_CASE("a state gives numbers that blend with its fade, and flags and choices that switch") {
    const std::string values =
        "values:\n  top_speed: {kind: number, default: 6, unit: m/s}\n  may_hop: {kind: flag, default: yes}\n"
        "  late: {kind: flag, switch: middle}\n  stance: {kind: choice, of: [easy, braced]}\n";
    for (const char* style : {"cross", "inertial"}) {
        const auto character = machine(
            "go: {kind: flag}",
            std::string("a: {play: low, values: {top_speed: 2}, go: [{to: b, when: go, fade: 0.4, style: ") + style +
                "}]}\n" +
                "b: {play: high, values: {top_speed: 4, may_hop: no, late: yes, stance: braced}}\nc: {play: low}\n",
            "a", values);
        Performer performer(character);
        const auto number = character->number_value("top_speed");
        const auto hop = character->flag_value("may_hop"), late = character->flag_value("late");
        const auto stance = character->choice_value("stance");
        CHECK(performer.get(number) == 2);
        CHECK(performer.get(hop));
        CHECK(performer.get(stance) == "easy");
        performer.set("go", true);
        performer.advance(0.1);
        CAPTURE(style);
        CHECK(performer.get(number) == Approx(2 + 2 * eased(Ease::smooth, 0.25)).margin(1e-4));
        CHECK_FALSE(performer.get(hop)); // at the start of the fade
        CHECK(performer.get(stance) == "braced");
        CHECK_FALSE(performer.get(late)); // in its middle
        performer.advance(0.15);
        CHECK(performer.get(late));
        performer.advance(0.3);
        CHECK(performer.get(number) == 4);
        performer.enter(character->state("c"), 0.1);
        performer.advance(0.2);
        CHECK(performer.get(number) == 6); // what no state says
    }
}

TEST_CASE("values are taken from the states around, and their mistakes are said") {
    const std::string values =
        "values:\n  top_speed: {kind: number, default: 6}\n  stance: {kind: choice, of: [easy, braced]}\n";
    const auto character = machine("go: {kind: flag}",
                                   "a:\n  values: {top_speed: 3, stance: braced}\n  machine:\n    start: x\n"
                                   "    states: {x: {play: low}, y: {play: high, values: {top_speed: 1}}}\n",
                                   "a", values);
    Performer performer(character);
    CHECK(performer.get(character->number_value("top_speed")) == 3);
    performer.enter(character->state("a.y"), 0);
    CHECK(performer.get(character->number_value("top_speed")) == 1);
    CHECK(performer.get(character->choice_value("stance")) == "braced");
    const std::string said = support::machine_mistakes(
        "go: {kind: flag}", "a: {play: low, values: {top_sped: 3, stance: brased, top_speed: fast}}\n", "a", values);
    CHECK_THAT(said, Catch::Contains("no value 'top_sped'; did you mean 'top_speed'? [unknown-value]"));
    CHECK_THAT(said, Catch::Contains("no value 'brased'; did you mean 'braced'?"));
    CHECK_THAT(said, Catch::Contains("'top_speed' is a number; write one such as 1.4; found 'fast' [wrong-type]"));
}

TEST_CASE("events are put in order of time, and those of one time stay as they were added, however many") {
    for (const std::size_t count : {0U, 1U, 2U, 3U, 5U, 64U, 65U, 1000U, 4001U}) {
        for (const int times : {1, 3, 50}) {
            CAPTURE(count, times);
            EventList list;
            std::vector<Event> expected;
            std::uint32_t random = 7;
            for (std::size_t i = 0; i < count; ++i) {
                random = random * 1664525U + 1013904223U;
                Event event;
                event.time = std::floor(double(random >> 16U) / 65536 * times);
                event.kind = EventKind((random >> 8U) % 6);
                event.what = std::uint16_t(i); // tells them apart
                list.add(event);
                expected.push_back(event);
            }
            const auto names = [](std::span<const Event> events) {
                std::vector<std::uint16_t> out;
                for (const Event& event : events) { out.push_back(event.what); }
                return out;
            };
            list.sort_by_time();
            std::stable_sort(expected.begin(), expected.end(),
                             [](const Event& a, const Event& b) { return a.time < b.time; });
            CHECK(names(list.events()) == names(expected));
            // Of the second half alone, with the kinds.
            list.sort_from(count / 2);
            std::stable_sort(
                expected.begin() + std::ptrdiff_t(count / 2), expected.end(),
                [](const Event& a, const Event& b) { return std::pair(a.time, a.kind) < std::pair(b.time, b.kind); });
            CHECK(names(list.events()) == names(expected));
        }
    }
}
