// Mistakes in documents that the other tests do not make: what is said of each, and what to write instead.
#include "gait/load.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>
#include <fmt/core.h>

using namespace gait;

namespace {

Assets clips() {
    Assets assets = support::assets(3, {support::held("low", 3, 0), support::held("high", 3, 30)});
    assets.rig->joints[1].name = "spine";
    assets.rig->joints[2].name = "arm";
    return assets;
}

constexpr const char* head = "gait: 1\nrig: x.glb\nclips: {low: {loop: yes}, high: {}}\n";

std::string said(const std::string& rest) { return support::diagnose(head + rest, clips()); }

/// One layer with these states, the first of which is `still`.
std::string in_states(const std::string& states, const std::string& before = "") {
    return said(
        before + "parameters: {speed: {kind: number, range: [0, 6]}, way: {kind: angle}, wet: {kind: flag}, " +
        "hands: {kind: choice, of: [free, full]}, hop: {kind: signal}}\n" +
        "layers:\n  - name: body\n    machine:\n      start: still\n      states:\n        still: {play: low}\n" +
        states);
}

/// A state that plays this.
std::string playing(const std::string& play, const std::string& before = "") {
    return in_states("        b: {play: " + play + "}\n", before);
}

/// Two layers: legs that stand and walk, and arms with these lines.
std::string in_arms(const std::string& arms, const std::string& before = "", const std::string& legs = "") {
    return said(before + "masks: {upper: {from: spine}}\nlayers:\n  - name: legs\n    machine:\n      start: stand\n" +
                "      states:\n        stand: {play: low}\n        walk: {play: high}\n" + legs + "  - name: arms\n" +
                arms);
}

constexpr const char* arms_machine =
    "    mask: upper\n    machine:\n      start: free\n      states:\n        free: {play: nothing}\n"
    "        busy: {play: low}\n        which: {junction: [{to: busy}]}\n";

auto has(const std::string& expected) { return Catch::Contains(expected); }

} // namespace

TEST_CASE("what is called twice is said once for each kind of thing") {
    CHECK_THAT(in_states("        still: {play: low}\n"), has("'still' is written twice in 'states'"));
    CHECK_THAT(said("clip_sets: [{take: [low]}]\nlayers: [{name: a, machine: {start: s, states: {s: {play: low}}}}]\n"),
               has("two clips are called 'low' [doubled-name]"));
    CHECK_THAT(in_arms(arms_machine, "decide: [arms, arms]\n"), has("'arms' decides once a step [doubled-name]"));
    CHECK_THAT(in_arms("    machine: {start: a, states: {a: {play: low}}}\n  - name: arms\n    machine: {start: a, "
                       "states: {a: {play: low}}}\n"),
               has("two layers are called 'arms' [doubled-name]"));
    CHECK_THAT(said("parameters: {hands: {kind: choice, of: [free, free]}}\nlayers: [{name: a, machine: {start: s, "
                    "states: {s: {play: low}}}}]\n"),
               has("'free' stands here twice [doubled-name]"));
}

TEST_CASE("what a program calls twice is refused as what a file writes twice is") {
    Document document =
        read_document_text(std::string(head) + "parameters: {wet: {kind: flag}}\nvalues: {top: {kind: number}}\n"
                                               "masks: {upper: {from: spine}}\nmotions: {idle: low}\n"
                                               "layers: [{name: a, machine: {start: s, states: {s: {play: idle}}}}]\n",
                           "x")
            .document;
    REQUIRE(compile(document, clips()).character);
    document.parameters.push_back(document.parameters.front());
    document.values.push_back(document.values.front());
    document.masks.push_back(document.masks.front());
    document.motions.push_back(document.motions.front());
    document.clips.push_back(document.clips.front());
    auto& states = document.layers.front().machine.states;
    states.push_back(states.front());
    const Compiled compiled = compile(document, clips());
    CHECK_FALSE(compiled.character);
    const std::string text = format(compiled.diagnostics);
    for (const char* what :
         {"two parameters are called 'wet'", "two values are called 'top'", "two masks are called 'upper'",
          "two motions are called 'idle'", "two clips are called 'low'", "two states are called 's'"}) {
        CHECK_THAT(text, has(what));
    }
}

TEST_CASE("a state is one thing, and a junction is no more than its branches") {
    CHECK_THAT(in_states("        b: {play: low, junction: [{to: still}]}\n"),
               has("state 'b' is one thing: write 'play', 'machine' or 'junction', not several [wrong-shape]"));
    CHECK_THAT(in_states("        b: {play: low, resume: yes}\n"),
               has("'resume' goes on where a machine was left, and this state has none; remove it [wrong-shape]"));
    CHECK_THAT(in_states("        b: {junction: [{to: still}], go: [{to: still, when: wet}]}\n"),
               has("a junction is passed at once and has no 'go'; remove it [wrong-shape]"));
    CHECK_THAT(in_states("        b: {junction: [{when: wet}]}\n"),
               has("this branch leads nowhere; add 'to: STATE' [missing-key]"));
    CHECK_THAT(in_states("        b: {junction: []}\n"),
               has("a junction needs branches, such as [{to: A, when: wet}, {to: B}] [missing-key]"));
    CHECK_THAT(in_states("        b: {play: low, moved_by: clips}\n"), has("no mover 'clips'; did you mean 'clip'?"));
    CHECK_THAT(in_states("        b: {play: low, inputs: alive}\n"), has("did you mean 'live'?"));
    CHECK_THAT(in_states("        b: low\n"), has("state 'b' is a map of play, machine, junction"));
    CHECK_THAT(in_states("        b: {play: low, go: [{to: still, when: wet, style: frosen}]}\n"),
               has("no style 'frosen'; did you mean 'frozen'? [unknown-style]"));
    CHECK_THAT(in_states("        b: {play: low, go: [{to: still.inside, when: wet}]}\n"),
               has("'still' has no machine inside it, so there is no 'still.inside' [unknown-state]"));
}

TEST_CASE("machines inside machines are found by their way, as deep as it goes") {
    const std::string nested =
        "        air: {machine: {start: up, states: {up: {machine: {start: a, states: {a: {play: "
        "low}, b: {play: low}}}}}}}\n";
    CHECK(in_states(nested + "        b: {play: low, go: [{to: air.up.b, when: wet}]}\n").empty());
    CHECK_THAT(in_states(nested + "        b: {play: low, go: [{to: air.up.c, when: wet}]}\n"), has("no state 'c'"));
    std::string deep = "{play: low}";
    for (int i = 0; i < 9; ++i) { deep = "{machine: {start: s, states: {s: " + deep + "}}}"; }
    CHECK_THAT(in_states("        deep: " + deep + "\n"), has("states nest deeper than 8 [too-deep]"));
    for (int i = 0; i < 70; ++i) { deep = "{machine: {start: s, states: {s: " + deep + "}}}"; }
    CHECK_THAT(in_states("        deep: " + deep + "\n"), has("machines nest too deeply here [too-deep]"));
    std::string motion = "low";
    for (int i = 0; i < 70; ++i) { motion = "{mix: [" + motion + "]}"; }
    CHECK_THAT(playing(motion), has("motions nest too deeply here [too-deep]"));
}

TEST_CASE("picks, chooses and mixes say what they lack") {
    CHECK_THAT(playing("{pick: {}}"), has("a pick needs motions; add 'of: [CLIP, {play: CLIP}]' [missing-key]"));
    CHECK_THAT(playing("{pick: {of: []}}"), has("a pick needs motions"));
    CHECK_THAT(playing("{pick: {of: low}}"), has("'of' is a list; found 'low'"));
    CHECK_THAT(playing("{pick: {of: [{share: 2}]}}"), has("this entry plays nothing; add 'play: CLIP' [missing-key]"));
    CHECK_THAT(playing("{pick: {of: [low, {play: {pick: {of: [low, high]}}}]}}"),
               has("a pick inside a pick never ends; write its entries here [wrong-shape]"));
    CHECK_THAT(playing("{pick: {of: [low, nothing]}}"),
               has("nothing is played in a state, or in a choose, of a layer that lies over others [wrong-shape]"));
    CHECK_THAT(playing("{pick: {order: shuffled, of: [low]}}"),
               has("no order 'shuffled'; there are dealt, random, in turn"));
    CHECK_THAT(playing("{pick: {of: [low, {play: high, loops: 3}]}}"),
               has("'loops' counts the rounds of a motion that loops, and this one is played once; write 'loop: yes' "
                   "beside it, or leave 'loops' out [no-effect]"));
    CHECK(playing("{pick: {of: [{play: low, loops: 2}, high, {play: {clip: high, loop: yes}, loops: 3}]}}").empty());
    std::string many;
    for (int i = 0; i < 65; ++i) { many += i == 0 ? "low" : ", low"; }
    CHECK_THAT(playing("{pick: {of: [" + many + "]}}"), has("a pick has at most 64 entries [too-many]"));
    CHECK_THAT(playing("{choose: on_entry}"),
               has("this choose has no motions; add 'of: [{when: CONDITION, play: CLIP}, {play: CLIP}]'"));
    CHECK_THAT(playing("{choose: wet}"), has("this choose has no motions; add 'of: {VALUE: CLIP}'"));
    CHECK_THAT(playing("{choose: dry, of: {yes: low, no: high}}"), has("no parameter 'dry'"));
    CHECK(playing("{choose: wet, of: {true: low, false: high}}").empty());
    CHECK_THAT(playing("{mix: low}"), has("'mix' is a list, such as"));
    CHECK_THAT(playing("{mix: [low, high], fade: -1}"), has("a fade lasts 0 to 60 seconds; found -1 [wrong-range]"));
    CHECK_THAT(playing("{add: low}"), has("nothing is said to add it to; add 'to: MOTION' [missing-key]"));
    CHECK_THAT(playing("{add: high, to: low, against: stand}"), has("no clip 'stand'"));
}

TEST_CASE("blend spaces say what is wrong with their axes, points and cells") {
    CHECK_THAT(
        said("parameters: {speed: {kind: number, range: [0, 6]}, way: {kind: angle, at_most: 90}}\nlayers: [{name: "
             "body, machine: {start: a, states: {a: {play: {blend: [way, speed], points: [{at: [0, 0], play: low}, "
             "{at: [0, 1], play: {clip: high, loop: yes}}, {at: [90, 1], play: low}]}}}}}]\n"),
        has("in which it is bounded by the speed's 'at_most'; write it at 'speed' [no-effect]"));
    CHECK_THAT(playing("{blend: hands, points: {1: low}}"),
               has("'hands' is a choice and a blend space runs along a number or an angle [wrong-type]"));
    CHECK_THAT(
        playing("{blend: [speed, way, wet], points: {1: low}}"),
        has("a blend space runs along one parameter or two, such as 'blend: speed' or 'blend: [heading, speed]'; "
            "found 3"));
    CHECK_THAT(playing("{blend: speed, points: low}"), has("'points' is a list; found 'low'"));
    CHECK_THAT(playing("{blend: speed, points: [{at: measured, to: 2, play: low}]}"),
               has("a point that is measured holds at one place; remove 'to' [wrong-shape]"));
    CHECK_THAT(playing("{blend: [way, speed], points: [{at: [0, 1], play: low}, {at: [90, 1], play: low}, {at: [0, 2], "
                       "play: low}], cells: [[1, 2]]}"),
               has("a cell lists the points at its corners, counted from 1, such as [1, 2, 4] [wrong-shape]"));
    CHECK_THAT(playing("{blend: speed, points: {1: low}, weigh: bends}"),
               has("no way to weigh 'bends'; did you mean 'bands'?"));
    CHECK_THAT(playing("{blend: speed, points: {1: low}, fill: mirrored}"),
               has("no way to fill 'mirrored'; did you mean 'mirror'?"));
    CHECK_THAT(playing("{blend: speed, points: {1: low}, keep_pace: [2, 3]}"),
               has("the slowest is more than 0 and at most 1, the fastest 1 to 10; found 2 and 3 [wrong-range]"));
}

TEST_CASE("cells that a program left without corners are refused, and do not crash") {
    Document document =
        read_document_text(std::string(head) +
                               "parameters: {x: {kind: number, range: [0, 1]}, y: {kind: number, range: "
                               "[0, 1]}}\nlayers: [{name: a, machine: {start: s, states: {s: {play: "
                               "{blend: [x, y], points: [{at: [0, 0], play: low}, {at: [1, 0], play: "
                               "low}, {at: [0, 1], play: low}], cells: [[1, 2, 3]]}}}}}]\n",
                           "x")
            .document;
    CHECK(compile(document, clips()).character);
    document.layers.front().machine.states.front().play.blend->cells.front().clear();
    CHECK_THAT(format(compile(document, clips()).diagnostics), has("one has fewer than three corners"));
}

TEST_CASE("named motions and machines say how they are handed their arguments") {
    CHECK_THAT(playing("low(", "motions: {idle: low}\n"),
               has("is neither a name nor a name with arguments, such as paces(trot, run)"));
    CHECK_THAT(playing("\"walks(low)\"", "motions: {\"paces(a)\": a}\n"), has("no motion 'walks'"));
    CHECK_THAT(playing("\"paces(low, high)\"", "motions: {\"paces(a)\": a}\n"), has("paces"));
    CHECK_THAT(
        said("motions: {\"paces(a\": low}\nlayers: [{name: a, machine: {start: s, states: {s: {play: low}}}}]\n"),
        has("is not a name with arguments; write NAME or NAME(one, other) [wrong-name]"));
    CHECK_THAT(playing("one", "motions: {one: two, two: one}\n"), has("one"));
}

TEST_CASE("layers say what they lack, and what only those above the lowest may have") {
    CHECK_THAT(said("layers: [{machine: {start: s, states: {s: {play: low}}}}]\n"),
               has("this layer has no name; add 'name: body' [missing-key]"));
    CHECK_THAT(said("layers: [{name: a}]\n"),
               has("this layer has no machine; add 'machine:' with 'start' and 'states' [missing-key]"));
    CHECK_THAT(in_states("        b: {play: low, whole_body: yes}\n"),
               has("'b' stands in the lowest layer, which has the whole body and its way anyhow; remove 'whole_body'"));
    CHECK_THAT(in_arms("    mode: add\n    machine: {start: s, states: {s: {play: high, whole_body: yes}}}\n"),
               has("a layer that adds counts on top of the others; it has no state that needs the whole body"));
    CHECK_THAT(in_arms("    against: low\n    machine: {start: s, states: {s: {play: high}}}\n"),
               has("'against' is what a layer's differences are measured against; write 'mode: add' beside it"));
    CHECK_THAT(in_arms("    mode: adds\n    machine: {start: s, states: {s: {play: high}}}\n"),
               has("no mode 'adds'; did you mean 'add'? [unknown-mode]"));
    CHECK_THAT(in_arms("    space: world\n    machine: {start: s, states: {s: {play: high}}}\n"),
               has("no space 'world'; there are local, model [unknown-space]"));
    CHECK_THAT(in_arms("    fade: 61\n    machine: {start: s, states: {s: {play: high}}}\n"),
               has("a fade lasts 0 to 60 seconds; found 61 [wrong-range]"));
    CHECK_THAT(in_arms(arms_machine + std::string("  - name: both hands\n    machine: {start: s, states: {s: {play: "
                                                  "high}}}\n")),
               has("a layer's name is one word of letters, digits and _; found 'both hands' [wrong-name]"));
    std::string many = "layers:\n";
    for (int i = 0; i < 17; ++i) {
        many += fmt::format("  - {{name: l{}, machine: {{start: s, states: {{s: {{play: low}}}}}}}}\n", i);
    }
    CHECK_THAT(said(many), has("a document has at most 16 layers, those of its one-shots among them [too-many]"));
}

TEST_CASE("what layers have to do with one another names layers, states and nothing else") {
    const std::string machine = arms_machine;
    const auto leading = [&](const std::string& leads) {
        return in_arms(machine + "        ringing: {play: low, leads: " + leads + "}\n");
    };
    CHECK(leading("[{layer: legs, to: stand}]").empty());
    CHECK_THAT(leading("[{layer: legs}]"),
               has("a lead sends another layer to a state; write {layer: legs, to: still} [missing-key]"));
    CHECK_THAT(leading("[{layer: legz, to: stand}]"), has("no layer 'legz'; did you mean 'legs'? [unknown-layer]"));
    CHECK_THAT(leading("[{layer: legs, to: stnad}]"), has("no state 'stnad'; did you mean 'stand'? [unknown-state]"));
    CHECK_THAT(leading("[{layer: arms, to: free}]"),
               has("a state leads other layers; in its own write a transition [wrong-layer]"));
    const auto forbidding = [&](const std::string& forbid) { return in_arms(machine, "forbid: [" + forbid + "]\n"); };
    CHECK(forbidding("{yields: arms.busy, while: legs.walk}").empty());
    CHECK_THAT(
        forbidding("{yields: arms.busy}"),
        has("this says what may not be at once; write {yields: arms.raised, while: legs.running} [missing-key]"));
    CHECK_THAT(forbidding("{yields: arms.busy, while: legs}"),
               has("'legs' is a whole layer and a state of it is wanted; write legs.STATE [wrong-name]"));
    CHECK_THAT(forbidding("{yields: arms.which, while: legs.walk}"),
               has("'which' is a junction, in which a layer never stands; name a state [wrong-name]"));
    CHECK_THAT(forbidding("{yields: legs.stand, while: legs.walk}"),
               has("one layer is in one state at a time anyhow; 'forbid' names states of two layers [wrong-layer]"));
    CHECK_THAT(forbidding("{yields: arms.busy, while: legs.walk, to: busy}"),
               has("where 'busy' yields, it would go to itself; write 'to: STATE' [wrong-forbid]"));
    CHECK_THAT(in_arms(machine, "decide: [heads]\n"), has("no layer 'heads'"));
}

TEST_CASE("masks and feet say how much of a joint, how far and when") {
    const auto mask = [](const std::string& written) {
        return said("masks: {upper: " + written +
                    "}\nlayers: [{name: a, machine: {start: s, states: {s: {play: low}}}}]\n");
    };
    CHECK(mask("{from: spine, ramp: 2}").empty());
    CHECK_THAT(mask("{from: spine, ramp: 0.5}"), has("'ramp' is a whole number of joints from 1 to 100; found 0.5"));
    CHECK_THAT(mask("{joints: {arm: 2}}"), has("a joint's part is 0 to 1; found 2 [wrong-range]"));
    CHECK_THAT(mask("{joints: {arm: much}}"), has("a joint's part, 0 to 1, is a number"));
    CHECK_THAT(mask("{ramp: 2}"), has("a mask needs a joint to begin at, joints, or other masks; add 'from: JOINT'"));
    CHECK_THAT(mask("spine"), has("a mask is a map of from, ramp, mirror_of, rest_of, joins, without, joints"));
    CHECK_THAT(mask("{from: spin}"), has("no joint 'spin'; did you mean 'spine'?"));
    const auto feet = [](const std::string& written) {
        return said("feet: " + written + "\nlayers: [{name: a, machine: {start: s, states: {s: {play: low}}}}]\n");
    };
    CHECK_THAT(feet("yes"), has("'feet' is a map of planted, most, release, ankles"));
    CHECK_THAT(feet("{planted: yes, most: 11}"), has("'most' is 0.01 to 10 metres; found 11 [wrong-range]"));
}

TEST_CASE("one-shots say what they play, on what, and what a second call does") {
    const auto shot = [](const std::string& written) {
        return said("masks: {upper: {from: spine}}\nparameters: {wet: {kind: flag}}\none_shots: {greet: " + written +
                    "}\nlayers: [{name: a, machine: {start: s, states: {s: {play: low}}}}]\n");
    };
    CHECK(shot("{play: high, mask: upper, again: queue, wait: 1, fade: [0.1, 0.2]}").empty());
    CHECK_THAT(shot("{mask: upper}"), has("one-shot 'greet' plays nothing; add 'play: CLIP' [missing-key]"));
    CHECK_THAT(shot("high"), has("one-shot 'greet' is a map of play, mask, fade, again, wait, until"));
    CHECK_THAT(shot("{play: high, mask: upper, again: stop}"), has("no way 'stop'; there are ignore, restart, queue"));
    CHECK_THAT(shot("{play: high, mask: upper, wait: 4000}"),
               has("'wait' is 0 to 3600 seconds; found 4000 [wrong-range]"));
    CHECK_THAT(shot("{play: high, mask: uper}"), has("no mask 'uper'; did you mean 'upper'?"));
    CHECK_THAT(shot("{play: high, mask: upper, until: dry}"), has("no parameter 'dry'"));
}
