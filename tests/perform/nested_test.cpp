#include "character/character_data.hpp"
#include "machine_support.hpp"

#include <catch2/catch.hpp>

using namespace gait;
using namespace gait::detail;
using support::at;
using support::entered;
using support::machine;
using support::machine_mistakes;

namespace {

const char* const flags = "up: {kind: flag}, down: {kind: flag}, deep: {kind: flag}";

/// The ground, and the air with a machine of its own.
std::string ground_and_air(const std::string& air_settings = "", const std::string& ground_to = "air") {
    return "ground: {play: low, go: [{to: " + ground_to + ", when: up, fade: 0.1}]}\n" + "air:\n" +
           (air_settings.empty() ? "" : "  " + air_settings + "\n") +
           "  machine:\n"
           "    start: take_off\n"
           "    states:\n"
           "      take_off: {play: side, go: [{to: float, at: end, fade: 0.1}]}\n"
           "      float: {play: high, go: [{to: fall, when: deep, fade: 0.1}]}\n"
           "      fall: {play: swing, go: [{to: ground, when: down, fade: 0.1}]}\n"
           "  go: [{to: ground, when: down and not deep, fade: 0.1}]\n";
}

std::vector<std::string> words(std::initializer_list<const char*> list) { return {list.begin(), list.end()}; }

} // namespace

TEST_CASE("a state's machine is entered at its start and left from inside or from outside") {
    Performer performer(machine(flags, ground_and_air()));
    CHECK(entered(performer, 0.1) == words({"ground"}));
    performer.set("up", true);
    CHECK(entered(performer, 0.1) == words({"air", "air.take_off"}));
    CHECK(performer.is_active(performer.character().state("air")));
    CHECK(performer.is_active(performer.character().state("body.air.take_off")));
    CHECK_FALSE(performer.is_active(performer.character().state("ground")));
    performer.set("up", false);
    CHECK(entered(performer, 1.5) == words({"air.float"}));
    CHECK(performer.seconds_in(performer.character().state("air")) == Approx(1.6).margin(0.02));
    performer.set("down", true); // left by the state that holds the machine
    CHECK(entered(performer, 0.1) == words({"ground"}));
    performer.set("up", true);
    performer.set("down", false);
    performer.set("deep", true);
    CHECK(entered(performer, 1.5) == words({"air", "air.take_off", "air.float", "air.fall"}));
    performer.set("up", false);
    performer.set("down", true); // left by a state inside
    CHECK(entered(performer, 0.1) == words({"ground"}));
}

TEST_CASE("a transition may lead straight to a state inside a machine") {
    Performer performer(machine(flags, ground_and_air("", "air.float")));
    performer.set("up", true);
    CHECK(entered(performer, 0.1) == words({"ground", "air", "air.float"}));
    CHECK_THAT(machine_mistakes(flags, ground_and_air("", "air.flaot")),
               Catch::Contains("no state 'flaot'; did you mean 'float'? [unknown-state]"));
    CHECK_THAT(machine_mistakes(flags, ground_and_air("", "ground.float")),
               Catch::Contains("'ground' has no machine inside it, so there is no 'ground.float' [unknown-state]"));
}

TEST_CASE("a machine that resumes goes on in the state it was left in, another begins anew") {
    for (const bool resumes : {false, true}) {
        Performer performer(machine(flags, ground_and_air(resumes ? "resume: yes" : "")));
        performer.set("up", true);
        (void)entered(performer, 1.5); // into air.float
        performer.set("up", false);
        performer.set("down", true);
        (void)entered(performer, 0.1);
        performer.set("down", false);
        performer.set("up", true);
        CAPTURE(resumes);
        CHECK(entered(performer, 0.1) == words({"air", resumes ? "air.float" : "air.take_off"}));
        performer.reset();
        performer.set("up", true);
        CHECK(entered(performer, 0.1) == words({"ground", "air", "air.take_off"})); // a reset forgets
    }
}

TEST_CASE("a machine that resumes begins anew when it was left in its last state") {
    Performer performer(machine("on: {kind: flag}, off: {kind: flag}",
                                "rest: {play: low, go: [{to: act, when: on}]}\nact:\n  resume: yes\n  machine:\n"
                                "    start: one\n    states:\n      one: {play: high, go: [{to: two, after: 0.3}]}\n"
                                "      two: {play: side}\n  go: [{to: rest, when: off}]\n"));
    const auto visit = [&](double seconds) {
        performer.set("off", false);
        performer.set("on", true);
        const std::string first = at(performer, 0.05);
        (void)at(performer, seconds);
        performer.set("on", false);
        performer.set("off", true);
        (void)at(performer, 0.05);
        return first;
    };
    CHECK(visit(0.1) == "act.one");
    CHECK(visit(0.4) == "act.one"); // where it was left, and on to the last
    CHECK(visit(0.1) == "act.one"); // which is not where it goes on
}

TEST_CASE("a machine has ended when a last state of it has, and what is left counts down to that") {
    const auto character = machine("x: {kind: flag}", "act:\n  machine:\n    start: one\n    states:\n"
                                                      "      one: {play: spin, go: [{to: two, at: end, fade: 0.1}]}\n"
                                                      "      two: {play: side}\n"
                                                      "  go: [{to: rest, at: end, fade: 0.25}]\nrest: {play: low}\n");
    for (const double rate : {7.0, 60.0}) {
        Performer performer(character);
        double left = -1;
        for (int i = 0; i < int(4 * rate); ++i) {
            performer.advance(1 / rate);
            for (const TransitionRecord& record : performer.transitions()) {
                if (character->states()[character->transitions()[record.transition].to].name == "rest") {
                    left = record.time;
                }
            }
        }
        CAPTURE(rate);
        CHECK(left == Approx(1.9 + 1 - 0.25)); // the fade of the last clip is over as it ends
    }
    CHECK_THAT(
        machine_mistakes("x: {kind: flag}",
                         "act:\n  machine: {start: one, states: {one: {play: low}}}\n  go: [{to: act, at: end}]\n"),
        Catch::Contains("none of its states is a last one: one without 'go', whose clip ends [never-ends]"));
}

TEST_CASE("what a state reads is its own time, and a machine's what is inside it") {
    const auto character =
        machine("x: {kind: flag}", "act:\n  machine:\n    start: one\n    states:\n"
                                   "      one: {play: high, go: [{to: two, when: state.elapsed > 0.3, fade: 0.1}]}\n"
                                   "      two: {play: low}\n"
                                   "  go: [{to: rest, when: state.elapsed >= 0.7, fade: 0.1}]\nrest: {play: low}\n");
    for (const double rate : {5.0, 240.0}) {
        const std::vector<double> times = support::transition_times(character, 1, rate);
        CAPTURE(rate);
        REQUIRE(times.size() == 2);
        CHECK(times[0] == Approx(0.3).margin(1e-6)); // thresholds are met at their instant
        CHECK(times[1] == Approx(0.7).margin(1e-6));
    }
}

TEST_CASE("machines nest to any depth that anybody can read, and deeper is said") {
    const auto nested = [](int depth) {
        std::string text = "s: ";
        for (int i = 0; i < depth; ++i) { text += "{machine: {start: s, states: {s: "; }
        text += "{play: low}";
        for (int i = 0; i < depth; ++i) { text += "}}}"; }
        return text + "\n";
    };
    Performer performer(machine("x: {kind: flag}", nested(6)));
    CHECK(performer.state_name() == "s.s.s.s.s.s.s");
    CHECK_THAT(machine_mistakes("x: {kind: flag}", nested(9)), Catch::Contains("states nest deeper than 8 [too-deep]"));
}

TEST_CASE("always of the outer machine comes before what stands inside, and never enters what is active") {
    const std::string states = "ground: {play: low}\nair:\n  machine:\n    start: one\n"
                               "    always: [{to: two, when: deep}]\n"
                               "    states: {one: {play: high}, two: {play: side}}\n";
    const auto character = support::character(
        [&] {
            std::string text = support::machine_text(flags, states, "air");
            text.replace(text.find("      states:"), 13,
                         "      always: [{to: ground, when: down}, {to: air.one, when: up}]\n      states:");
            return text;
        }(),
        support::machine_assets());
    Performer performer(character);
    performer.set("deep", true);
    performer.set("up", true);
    CHECK(at(performer, 0.1) == "air.two"); // air.one is active already, so it is not entered anew
    CHECK(performer.transitions().size() == 1);
    performer.set("up", false);
    performer.set("down", true);
    CHECK(at(performer, 0.1) == "ground");
}

TEST_CASE("a junction branches in the same frame") {
    const auto character =
        machine("hard: {kind: number}, up: {kind: flag}",
                "air: {play: low, go: [{to: which, when: up, fade: 0.1}]}\n"
                "which: {junction: [{to: roll, when: hard > 6, fade: 0.05}, {to: heavy, when: hard > 3}, {to: soft}]}\n"
                "roll: {play: side}\nheavy: {play: high}\nsoft: {play: swing}\n");
    for (const auto& [hard, state, fade] : {std::tuple{8.0, "roll", 0.05}, {4.0, "heavy", 0.1}, {1.0, "soft", 0.1}}) {
        Performer performer(character);
        performer.set("hard", hard);
        performer.set("up", true);
        CHECK(at(performer, 0.01) == state);
        REQUIRE(performer.transitions().size() == 1);
        const TransitionInfo& info = character->transitions()[performer.transitions()[0].transition];
        CHECK(info.fade == Approx(fade));
        CHECK(character->states()[info.to].name == state);
    }
    CHECK(character->states().size() == 4); // a junction is no state
}

TEST_CASE("junctions lead on to junctions, and a circle of them is refused") {
    const auto character =
        machine("a: {kind: flag}, b: {kind: flag}", "s: {play: low, go: [{to: one, when: a, fade: 0.1}]}\n"
                                                    "one: {junction: [{to: two, when: b}, {to: x}]}\n"
                                                    "two: {junction: [{to: y}]}\nx: {play: high}\ny: {play: side}\n");
    Performer performer(character);
    performer.set("a", true);
    performer.set("b", true);
    CHECK(at(performer, 0.01) == "y");
    CHECK_THAT(machine_mistakes("a: {kind: flag}", "s: {play: low, go: [{to: one, when: a}]}\n"
                                                   "one: {junction: [{to: two}]}\ntwo: {junction: [{to: one}]}\n"),
               Catch::Contains("junctions lead to one another in a circle, or more than 16 deep [circular-junction]"));
}

TEST_CASE("a machine may start in a junction, which is asked as it is entered") {
    // A landing whose first step is a branch.
    const auto character = machine("falls: {kind: number}, ground: {kind: flag}, begun: {kind: flag, default: yes}",
                                   "where: {junction: [{to: air, when: not begun}, {to: still}]}\n"
                                   "still: {play: low, go: [{to: landing, when: ground, fade: 0.1}]}\n"
                                   "air: {play: high}\n"
                                   "landing:\n  machine:\n    start: how\n    states:\n"
                                   "      how: {junction: [{to: hard, when: falls > 5}, {to: soft}]}\n"
                                   "      hard: {play: side}\n      soft: {play: high}\n"
                                   "  go: [{to: still, when: not ground}]\n",
                                   "where");
    for (const auto& [fall, expected] : {std::pair{2.0F, "landing.soft"}, {7.0F, "landing.hard"}}) {
        Performer performer(character);
        CHECK(performer.state_name() == "still"); // by what parameters are before anybody sets one
        performer.set("falls", fall);
        performer.set("ground", true);
        CHECK(at(performer, 0.05) == expected);
    }
    // Entered by hand, or led to, it starts by the same defaults.
    Performer performer(character);
    REQUIRE(performer.enter(character->state("landing"), 0));
    CHECK(performer.state_name() == "landing.soft");
}

TEST_CASE("a junction none of whose branches holds is not passed") {
    Performer performer(machine("a: {kind: flag}, b: {kind: flag}",
                                "s: {play: low, go: [{to: one, when: a, fade: 0.1}]}\n"
                                "one: {junction: [{to: x, when: b}]}\nx: {play: high}\n"));
    performer.set("a", true);
    CHECK(at(performer, 0.1) == "s");
    performer.set("b", true);
    CHECK(at(performer, 0.1) == "x");
}

TEST_CASE("a machine written once is used in several states with arguments of their own") {
    const std::string machines = "machines:\n  task(begin, hold, wanted):\n    start: raising\n    states:\n"
                                 "      raising: {play: begin, go: [{to: holding, at: end, fade: 0.1}]}\n"
                                 "      holding: {play: hold, go: [{to: done, when: not wanted, fade: 0.1}]}\n"
                                 "      done: {play: side}\n";
    const std::string states =
        "idle: {play: low, go: [{to: lifting, when: up, fade: 0.1}, {to: sheltering, when: deep, fade: 0.1}]}\n"
        "lifting: {machine: \"task(side, swing, up)\", go: [{to: idle, at: end, fade: 0.1}]}\n"
        "sheltering: {machine: \"task(spin, high, deep)\", go: [{to: idle, at: end, fade: 0.1}]}\n";
    const auto character = machine(flags, states, "idle", machines);
    Performer performer(character);
    performer.set("up", true);
    CHECK(entered(performer, 1.5) == words({"idle", "lifting", "lifting.raising", "lifting.holding"}));
    performer.set("up", false);
    CHECK(entered(performer, 1.5) == words({"lifting.done", "idle"}));
    performer.set("deep", true);
    CHECK(entered(performer, 2.5) == words({"sheltering", "sheltering.raising", "sheltering.holding"}));
    CHECK(performer.transitions().empty());
    // The condition is told with what its names stand for.
    bool found = false;
    for (const TransitionInfo& info : character->transitions()) { found = found || info.when == "not deep"; }
    CHECK(found);
}

TEST_CASE("a mistake inside what is written once names its place and its use, and is said once") {
    const std::string machines = "machines:\n  task(hold):\n    start: on\n    states:\n"
                                 "      on: {play: hold, go: [{to: off, when: speeed > 1}]}\n      off: {play: low}\n";
    const std::string said =
        machine_mistakes("speed: {kind: number}",
                         "a: {machine: task(high)}\nb: {machine: task(side)}\nc: {machine: task(hihg)}\n"
                         "d: {machine: task}\ne: {machine: tsk(low)}\n",
                         "a", machines);
    CAPTURE(said);
    const std::string wrong = "test.gait.yaml:16:45: error: no parameter 'speeed'; did you mean 'speed'? (in "
                              "'task(high)', used in line 23) [unknown-parameter]";
    CHECK(said.find(wrong) != std::string::npos);
    CHECK(said.find("speeed") == said.rfind("speeed", said.find("[unknown-parameter]")));
    CHECK_THAT(said, Catch::Contains("no clip 'hihg'; did you mean 'high'?")); // at the use, where it was written
    CHECK_THAT(said, Catch::Contains("test.gait.yaml:25:27: error"));
    CHECK_THAT(said, Catch::Contains("'task' was given 0 arguments; write task(hold) [wrong-arguments]"));
    CHECK_THAT(said, Catch::Contains("no machine 'tsk'; did you mean 'task'? [unknown-machine]"));
}

TEST_CASE("motions are written once and played in several states, with arguments, and compiled once for each") {
    const std::string motions =
        "motions:\n  idle: swing\n  paces(slow, quick): {blend: speed, points: {1: slow, 3: quick}}\n";
    const auto character =
        machine("speed: {kind: number}",
                "a: {play: idle}\nb: {play: \"paces(low, swing)\"}\nc: {play: \"paces(low, swing)\"}\n"
                "d: {play: \"paces(idle, high)\"}\n",
                "a", motions);
    Performer performer(character);
    const auto clips_of = [&](const char* state) {
        performer.reset();
        performer.set("speed", 2.0);
        performer.enter(character->state(state), 0);
        performer.advance(0);
        std::vector<ClipView> clips(8);
        clips.resize(performer.instance_clips(0, clips));
        std::string names;
        for (const ClipView& clip : clips) { names += character->clips()[clip.clip].name + " "; }
        return names;
    };
    CHECK(clips_of("a") == "swing ");
    CHECK(clips_of("b") == "low swing ");
    CHECK(clips_of("d") == "swing high ");
    CHECK(character->data().motions.motions.size() == 3); // b and c share one
    CHECK_THAT(
        machine_mistakes("x: {kind: flag}", "a: {play: loop}\n", "a", "motions: {loop: again, again: loop}\n"),
        Catch::Contains("stands for itself, or motions stand for one another more than 16 deep [circular-motion]"));
    CHECK_THAT(machine_mistakes("x: {kind: flag}", "a: {play: low}\n", "a", "motions: {low: high}\n"),
               Catch::Contains("there is a clip 'low' already; call the motion something else [doubled-name]"));
}

TEST_CASE("uses within uses do not grow without bound") {
    std::string motions = "motions:\n", machines = "machines:\n";
    for (int i = 0; i < 12; ++i) {
        const std::string next = i == 11 ? "low" : "m" + std::to_string(i + 1);
        std::string points;
        for (int p = 0; p < 9; ++p) { points += (p == 0 ? "" : ", ") + std::to_string(p) + ": " + next; }
        motions += "  m" + std::to_string(i) + ": {blend: speed, points: {" + points + "}}\n";
    }
    for (int i = 0; i < 7; ++i) {
        const std::string inner = i == 6 ? "play: low" : "machine: n" + std::to_string(i + 1);
        std::string states;
        for (int s = 0; s < 12; ++s) {
            states += std::string(s == 0 ? "" : ", ") + "s" + std::to_string(s) + ": {" + inner + "}";
        }
        machines += "  n" + std::to_string(i) + ": {start: s0, states: {" + states + "}}\n";
    }
    CHECK_THAT(
        machine_mistakes("speed: {kind: number}", "a: {play: m0}\n", "a", motions),
        Catch::Contains(
            "all uses together make more than 50000 parts of motions; use less of it in fewer places [too-many]"));
    CHECK_THAT(
        machine_mistakes("speed: {kind: number}", "a: {machine: n0}\n", "a", machines),
        Catch::Contains("all uses together make more than 50000 states; use less of it in fewer places [too-many]"));
    std::string junctions = "a: {play: low, go: [{to: j0, when: wet}]}\n";
    for (int i = 0; i < 12; ++i) {
        const std::string next = i == 11 ? "a" : "j" + std::to_string(i + 1);
        std::string branches;
        for (int b = 0; b < 5; ++b) { branches += "{to: " + next + ", when: speed > " + std::to_string(b) + "}, "; }
        junctions += "j" + std::to_string(i) + ": {junction: [" + branches + "{to: " + next + "}]}\n";
    }
    CHECK_THAT(
        machine_mistakes("speed: {kind: number}, wet: {kind: flag}", junctions),
        Catch::Contains("all uses together make more than 50000 ways; use less of it in fewer places [too-many]"));
}

TEST_CASE("a condition as deep as may be written still has room when a junction adds its own") {
    std::string deep = "1";
    for (int i = 0; i < 29; ++i) { deep = "1 + (" + deep + ")"; }
    const auto character = machine("wet: {kind: flag}", "a: {play: low, go: [{to: j, when: " + deep +
                                                            " > 2}]}\n"
                                                            "j: {junction: [{to: k, when: " +
                                                            deep +
                                                            " > 3}, {to: a}]}\n"
                                                            "k: {junction: [{to: b, when: " +
                                                            deep + " > 29}, {to: a}]}\nb: {play: high}\n");
    Performer performer(character);
    CHECK(at(performer, 0.1) == "b");
}
