#include "fuzz/fuzz.hpp"
#include "gait/load.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

using namespace gait;

namespace {

Assets two_clips() { return support::assets(2, {support::held("low", 2, 0), support::held("high", 2, 30)}); }

/// A document whose single `line` stands where a mistake belongs; all else is right.
std::string with(const std::string& parameters, const std::string& states, const std::string& rest = "") {
    return "gait: 1\nrig: x.glb\nclips:\n  low: {loop: yes}\n  high: {}\nparameters:\n  speed: {kind: number, range: "
           "[0, 6]}\n  wet: {kind: flag}\n" +
           parameters +
           "layers:\n  - name: body\n    machine:\n      start: still\n      states:\n        still: {play: low}\n" +
           states + rest;
}

std::string said(const std::string& text) { return support::diagnose(text, two_clips()); }

} // namespace

TEST_CASE("a right document gives no diagnostics") { CHECK(said(with("", "")).empty()); }

TEST_CASE("the demo's document gives no diagnostics") { CHECK(format(support::lamplighter().diagnostics).empty()); }

TEST_CASE("a diagnostic shows its place, its line and a caret") {
    CHECK(said(with("", "        moving: {play: low, go: [{to: still, when: sped > 1}]}\n")) ==
          "test.gait.yaml:15:52: error: no parameter 'sped'; did you mean 'speed'? [unknown-parameter]\n"
          "            moving: {play: low, go: [{to: still, when: sped > 1}]}\n"
          "                                                       ^\n");
}

TEST_CASE("columns count characters, not bytes") {
    CHECK_THAT(said(with("  größe: {kind: number}\n", "")),
               Catch::StartsWith("test.gait.yaml:9:3: error: 'größe' cannot stand in a condition"));
    CHECK_THAT(
        said(
            "gait: 1\nrig: x\nabout: \"äöü\"\nlayers: [{name: \"ä\", machine: {start: s, states: {s: {play: lo}}}}]\n"),
        Catch::StartsWith("test.gait.yaml:4:61: error: no clip 'lo'"));
}

TEST_CASE("all mistakes are said at once") {
    const std::string text =
        said("gait: 1\nrig: x\nclips: {low: {loop: maybe}}\nparameters: {speed: {kind: nmber}}\nlayers:\n  - name: "
             "body\n    machine:\n      states:\n        a: {play: lw, go: [{to: b}]}\n");
    CHECK_THAT(text, Catch::Contains("'loop' of a clip is yes or no; found 'maybe' [wrong-shape]"));
    CHECK_THAT(text, Catch::Contains("no parameter kind 'nmber'; did you mean 'number'? [unknown-parameter-kind]"));
    CHECK_THAT(text, Catch::Contains("this machine does not say where it starts; add 'start: a' [missing-start]"));
    CHECK_THAT(text, Catch::Contains("no clip 'lw'; did you mean 'low'? [unknown-clip]"));
    CHECK_THAT(text, Catch::Contains("no state 'b'; there is only a [unknown-state]"));
}

TEST_CASE("each mistake is said with what to write instead") {
    const auto has = [](const std::string& expected) { return Catch::Contains(expected); };
    // Keys.
    CHECK_THAT(said(with("  hop: {kind: flag, notes: x}\n", "")),
               has("9:21: error: a parameter has no key 'notes'; did you mean 'note'? [unknown-key]"));
    CHECK_THAT(said(with("  hop: {kind: flag, kind: flag}\n", "")),
               has("'kind' is written twice in a parameter; remove one [doubled-key]"));
    CHECK_THAT(said(with("  speed: {kind: flag}\n", "")),
               has("'speed' is written twice in 'parameters'; rename or remove one [doubled-key]"));
    CHECK_THAT(
        said(with("  hop: {}\n", "")),
        has("parameter 'hop' does not say its kind; add 'kind: number' or angle, flag, choice, signal [missing-key]"));
    CHECK_THAT(said(with("  hop: yes\n", "")), has("a parameter is a map of kind, of, range, default, unit, note,"));
    CHECK_THAT(said(with("  not: {kind: flag}\n", "")),
               has("'not' is a word of the expressions; choose another name [wrong-name]"));
    CHECK_THAT(said(with("  two words: {kind: flag}\n", "")),
               has("'two words' cannot stand in a condition; use letters, digits and _, beginning with a letter "
                   "[wrong-name]"));
    // Numbers.
    CHECK_THAT(said(with("  a: {kind: number, range: [6, 0]}\n", "")),
               has("the range [6, 0] is empty; write the lower value first [wrong-range]"));
    CHECK_THAT(said(with("  a: {kind: number, range: 6}\n", "")),
               has("a range is its lowest and highest value, such as [0, 6]; found '6' [wrong-shape]"));
    CHECK_THAT(said(with("  a: {kind: number, range: [0, 1], default: 2}\n", "")),
               has("the default 2 lies outside the range [0, 1] [wrong-range]"));
    CHECK_THAT(said(with("  a: {kind: number, smooth: 0.1 s}\n", "")),
               has("'smooth' of a parameter, in seconds, is a number such as 0.2; found '0.1 s' [wrong-shape]"));
    CHECK_THAT(said(with("  a: {kind: number, smooth: -1}\n", "")),
               has("'smooth' is 0 to 10 seconds; found -1 [wrong-range]"));
    CHECK_THAT(said(with("  a: {kind: flag, range: [0, 1]}\n", "")),
               has("'a' is a flag and has no 'range'; remove it, or write another kind [wrong-shape]"));
    CHECK_THAT(said(with("  a: {kind: flag, default: 1}\n", "")),
               has("the default of a flag is yes or no; found '1': write 'yes' [wrong-shape]"));
    CHECK_THAT(said("tolerance: 0\n" + with("", "")),
               has("the tolerance is more than 0 millimetres and at most 1000; found 0 [wrong-range]"));
    // Motions.
    CHECK_THAT(said(with("", "        b: {play: {}}\n")),
               has("this motion plays nothing; add 'clip: NAME', 'blend: PARAMETER' with 'points', 'mix', "
                   "'add', 'pick' or 'choose' "));
    CHECK_THAT(said(with("", "        b: {}\n")), has("state 'b' plays nothing; add 'play: CLIP' [missing-key]"));
    CHECK_THAT(said(with("", "        b: {play: [low]}\n")),
               has("'play' is the name of a clip or motion, or a map with 'clip', 'blend', 'mix', 'add', 'pick' or "
                   "'choose'; found the list [low] "));
    CHECK_THAT(said(with("", "        b: {play: {clip: low, blend: speed, points: {1: low}}}\n")),
               has("a motion is either a 'clip' or a 'blend'; remove one of them [wrong-shape]"));
    CHECK_THAT(said(with("", "        b: {play: {clip: low, points: {1: low}}}\n")),
               has("'points' belongs to a blend space; add 'blend: PARAMETER' or remove it [wrong-shape]"));
    CHECK_THAT(said(with("", "        b: {play: {blend: speed}}\n")),
               has("this blend space has no points; add 'points: {1.4: stroll, 4.2: run}' [missing-key]"));
    CHECK_THAT(said(with("", "        b: {play: {blend: speed, points: {}}}\n")),
               has("a blend space needs at least one point [missing-key]"));
    CHECK_THAT(said(with("", "        b: {play: {blend: wet, points: {1: low}}}\n")),
               has("'wet' is a flag and a blend space runs along a number or an angle [wrong-type]"));
    CHECK_THAT(said(with("", "        b: {play: {blend: spede, points: {1: low}}}\n")),
               has("no parameter 'spede'; did you mean 'speed'? [unknown-parameter]"));
    CHECK_THAT(said(with("", "        b: {play: {blend: [speed, speed], points: {1: low}}}\n")),
               has("both axes of this blend space are 'speed'; name another, or write 'blend: speed' [doubled-name]"));
    CHECK_THAT(said(with("", "        b: {play: {blend: speed, points: {fast: low}}}\n")),
               has("a point's place on the axis, is a number such as 0.2; found 'fast' [wrong-shape]"));
    CHECK_THAT(said(with("", "        b: {play: {blend: speed, points: [{at: 1}]}}\n")),
               has("a point needs 'at' and 'play', such as {at: 1.4, play: stroll} [missing-key]"));
    CHECK_THAT(said(with("", "        b: {play: {blend: speed, sync: cycle, points: {1: high}}}\n")),
               has("clip 'high' does not loop, so it cannot share a cycle; add 'loop: yes' to the clip or 'sync: off' "
                   "to the blend space [wrong-sync]"));
    CHECK_THAT(said(with("", "        b: {play: {blend: speed, sync: steps, points: {1: low}}}\n")),
               has("no sync 'steps'; there are footfall, cycle, off [unknown-sync]"));
    // Transitions.
    CHECK_THAT(said(with("", "        b: {play: low, go: {to: stil, when: wet}}\n")),
               has("no state 'stil'; did you mean 'still'? [unknown-state]"));
    CHECK_THAT(said(with("", "        b: {play: low, go: {when: wet}}\n")),
               has("this transition leads nowhere; add 'to: STATE' [missing-key]"));
    CHECK_THAT(said(with("", "        b: {play: low, go: {to: still}}\n")),
               has("this transition waits for the motion's end, and the motion loops; add 'when: CONDITION', or play "
                   "the clip with 'loop: no' [never-ends]"));
    CHECK_THAT(said(with("", "        b: {play: low, go: {to: still, when: wet, at: start}}\n")),
               has("no mark 'start'; there is no mark yet [unknown-mark]"));
    CHECK_THAT(said(with("", "        b: {play: low, go: {to: still, when: wet, fade: -1}}\n")),
               has("a fade lasts 0 to 60 seconds; found -1 [wrong-range]"));
    CHECK_THAT(said(with("", "        b: {play: low, go: {to: still, when: wet, ease: smoth}}\n")),
               has("no ease 'smoth'; did you mean 'smooth'? [unknown-ease]"));
    CHECK_THAT(said(with("", "        b: {play: low, go: now}\n")), has("'go' is a list; found 'now' [wrong-shape]"));
    // The whole.
    CHECK_THAT(said("rig: x\nlayers: []\n"),
               has("a document begins with 'gait: 1', the version of its language; add that line [missing-key]"));
    CHECK_THAT(said("gait: 2\nrig: x\nlayers: []\n"),
               has("this library reads documents of version 1; found '2' [unknown-version]"));
    CHECK_THAT(said("gait: 1\nrig: x\n"),
               has("nothing is played yet; add 'layers:' with a name and a machine [missing-key]"));
    CHECK_THAT(said("gait: 1\nrig: x\nlayers: {name: a, machine: {start: a, states: {}}}\n"),
               has("this machine has no states; add 'states:' with a name and a 'play' each [missing-key]"));
    CHECK_THAT(
        said("gait: 1\nlayers: {name: a, machine: {start: a, states: {a: {play: low}}}}\nclips: {low: {loop: yes}}\n"),
        has("no rig is named; add 'rig: FILE.glb' [missing-key]"));
}

TEST_CASE("a comma that YAML cuts at is noticed, in expressions and in notes") {
    CHECK_THAT(said(with("", "        b: {play: low, go: {to: still, when: max(speed, 1) > 2}}\n")),
               Catch::Contains("inside braces a comma ends the value, so 'when' is cut off here; quote it: when: "
                               "\"max(speed, 1) > 2\" [unquoted-comma]"));
    CHECK_THAT(said(with("  a: {kind: flag, note: slow, but steady}\n", "")),
               Catch::Contains("quote it: note: \"slow, but steady\" [unquoted-comma]"));
    CHECK(said(with("", "        b: {play: low, go: {to: still, when: \"max(speed, 1) > 2\"}}\n")).empty());
    CHECK(said(with("", "        b:\n          play: low\n          go:\n            - to: still\n              when: "
                        "max(speed, 1) > 2\n"))
              .empty());
}

TEST_CASE("YAML's own traps are refused with a reason") {
    CHECK_THAT(said("gait: [1\n"), Catch::Contains("this '[' is never closed; add ']' [yaml-syntax]"));
    CHECK_THAT(said("gait: 1\n\trig: x\n"),
               Catch::Contains("a tab stands at the beginning of this line; indent by blanks alone"));
    CHECK_THAT(said("gait: 1\nrig: &a x\nabout: *a\n"),
               Catch::Contains("YAML anchors (&name) are not used here; remove it [anchor]") &&
                   Catch::Contains("YAML aliases (*name) are not used here; write the value out [alias]"));
    CHECK_THAT(said("gait: 1\nrig: !!binary x\n"),
               Catch::Contains("YAML tags (tag:yaml.org,2002:binary) are not used here; remove it [tag]"));
    CHECK_THAT(said(""), Catch::Contains("the file is empty; begin it with 'gait: 1'"));
    CHECK_THAT(said("gait: 1\n---\ngait: 1\n"),
               Catch::Contains("a second YAML document begins here after '---'; keep one a file"));
    CHECK_THAT(said(std::string("gait: 1\nrig: \0x\n", 15)),
               Catch::Contains("test.gait.yaml:2:1: error: the file holds a zero byte"));
    CHECK_THAT(said(std::string(100000, '[')), Catch::Contains("[yaml-syntax]"));
}

TEST_CASE("documents of any bytes neither crash nor hang") {
    const std::string good = support::read(support::project() / "demo/lamplighter.gait.yaml");
    unsigned random = 5;
    for (int i = 0; i < 600; ++i) {
        std::string changed = good;
        for (int k = 0; k < 4; ++k) {
            random = random * 1664525U + 1013904223U;
            const std::size_t at = (random >> 8U) % changed.size();
            if (random % 3 == 0) {
                changed.erase(at, 1 + random % 17);
            } else {
                changed[at] = "{}[]:,\n\t -&*!'\"#0x"[(random >> 4U) % 18];
            }
        }
        const DocumentRead read = read_document_text(changed, "changed.gait.yaml");
        (void)compile(read.document, two_clips());
    }
}

TEST_CASE("a document filled by a program compiles as one from a file does, and its findings name their place") {
    Document document;
    for (const char* name : {"low", "high"}) {
        document.clips.emplace_back().name = name;
        document.clips.back().loop = true;
    }
    ParameterDefinition speed;
    speed.name = "speed";
    speed.range = {0, 6};
    document.parameters = {speed};
    StateDefinition still, moving;
    still.name = "still";
    still.play = "low";
    TransitionDefinition off;
    off.to = "moving";
    off.when = "speed > 1";
    still.go = {off};
    moving.name = "moving";
    BlendDefinition blend;
    blend.parameter = "speed";
    blend.points = {{1.0, "low"}, {4.0, "high"}};
    moving.play = blend;
    LayerDefinition body;
    body.name = "body";
    body.machine.start = "still";
    body.machine.states = {still, moving};
    document.layers = {body};

    const Compiled compiled = compile(document, two_clips());
    INFO(format(compiled.diagnostics));
    REQUIRE(compiled.character);
    Performer performer(compiled.character);
    performer.set("speed", 2.5);
    performer.advance(1);
    CHECK(performer.state_name() == "moving");
    CHECK(degrees_between(support::pose_of(performer)[1].rotation, axis_angle({1, 0, 0}, 15)) < 0.2);

    document.layers[0].machine.states[0].go[0].when = "sped > 1";
    document.layers[0].machine.states[1].play.blend->points[1].play = "hihg";
    document.layers[0].machine.start = {};
    CHECK(
        format(compile(document, two_clips()).diagnostics) ==
        "layers.body.states.moving.play.points[1]: error: no clip 'hihg'; did you mean 'high'? [unknown-clip]\n"
        "layers.body: error: this machine does not say where it starts; add 'start: still' [missing-start]\n"
        "layers.body.states.still.go[0].when: error: no parameter 'sped'; did you mean 'speed'? [unknown-parameter]\n");
    document.layers.clear();
    CHECK_THAT(format(compile(document, {}).diagnostics),
               Catch::Contains("layers: error: nothing is played yet") &&
                   Catch::Contains("there is no rig; give one in the assets") &&
                   Catch::Contains("clip 'low' is not among the assets"));
}

TEST_CASE("a rig a program made out of order, or without joints, is refused") {
    const DocumentRead read = read_document_text(with("", ""), "test.gait.yaml");
    Assets assets = two_clips();
    std::swap(assets.rig->joints[0], assets.rig->joints[1]);
    CHECK_THAT(format(compile(read.document, assets).diagnostics),
               Catch::Contains("stands before its parent [wrong-rig]"));
    assets.rig->joints.clear();
    CHECK_THAT(format(compile(read.document, assets).diagnostics),
               Catch::Contains("the rig has 0 joints; 1 to 60000 are possible [wrong-rig]"));
}

TEST_CASE("files a document names are found beside it, and what is missing is said where it is named") {
    const support::TemporaryFolder folder;
    std::filesystem::copy(support::project() / "demo/lamplighter.glb", folder / "lamplighter.glb");
    const auto check = [&](const std::string& clips) {
        const std::string path =
            folder.write("a.gait.yaml", "gait: 1\nrig: lamplighter.glb\nclips: " + clips +
                                            "\nlayers: [{name: body, machine: {start: s, states: {s: {play: a}}}}]\n");
        return format(load(path).diagnostics);
    };
    CHECK(check("{a: {animation: stroll, loop: yes}}").empty());
    CHECK_THAT(check("{a: {animation: strol}}"),
               Catch::Contains("3:24: error: 'lamplighter.glb' holds no animation 'strol'; did you mean 'animation: "
                               "stroll'? [missing-animation]"));
    CHECK_THAT(check("{a: }"),
               Catch::Contains("'lamplighter.glb' holds no animation 'a'; it holds stand, stroll, trot, run, "
                               "stroll_going, stroll_ahead_right and 83 more; write 'animation: NAME'"));
    CHECK_THAT(check("{a: {file: gone.glb}}"),
               Catch::Contains("3:19: error: 'gone.glb': cannot be read: no such file or directory [unreadable-file]"));
    folder.write("broken.glb", "glTF");
    CHECK_THAT(check("{a: {file: broken.glb}}"), Catch::Contains("'broken.glb': the file is cut short"));
}

TEST_CASE("an unreadable document is one error") {
    const Loaded loaded = load("/nowhere/x.gait.yaml");
    CHECK(loaded.unreadable);
    CHECK_FALSE(loaded.character);
    CHECK(format(loaded.diagnostics) ==
          "/nowhere/x.gait.yaml: error: cannot be read: no such file or directory [unreadable-file]\n");
}

TEST_CASE(
    "each seed of the fuzzer is a document that compiles and plays, so that what it grows from reaches everything") {
    for (const char* seed : {"small", "clip_settings", "layers", "machines", "spaces"}) {
        CAPTURE(seed);
        const DocumentRead read = read_document_text(
            support::read(support::project() / "tests/fuzz/corpus/document" / seed), "seed.gait.yaml");
        const Compiled compiled = compile(read.document, fuzz::assets());
        CAPTURE(format(read.diagnostics), format(compiled.diagnostics));
        CHECK_FALSE(has_errors(read.diagnostics));
        CHECK(compiled.character);
        if (!compiled.character) { continue; }
        fuzz::play(compiled.character);
    }
}

TEST_CASE("a clip set takes what fits a pattern, but for what has settings of its own") {
    const support::TemporaryFolder folder;
    std::filesystem::copy(support::project() / "demo/lamplighter.glb", folder / "lamplighter.glb");
    const auto loaded = [&](const std::string& clips) {
        return load(folder.write("sets.gait.yaml", "gait: 1\nrig: lamplighter.glb\n" + clips +
                                                       "layers: [{name: body, machine: {start: s, states: {s: {play: "
                                                       "stand}}}}]\n"));
    };
    const Loaded all = loaded("clips: {stand: {loop: yes}, land_soft: {marks: {down: 0.1}}}\n"
                              "clip_sets: [{take: \"land_*\", prefix: a_}, {take: [\"*_going\", run], loop: yes}]\n");
    INFO(format(all.diagnostics));
    REQUIRE(all.character);
    std::vector<std::string> names;
    for (const ClipDefinition& clip : all.document.clips) { names.push_back(clip.name.value); }
    CHECK(names.size() == 3 + 2 + 16);
    CHECK(std::find(names.begin(), names.end(), "a_land_hard") != names.end());
    CHECK(std::find(names.begin(), names.end(), "a_land_soft") == names.end());
    CHECK(std::find(names.begin(), names.end(), "trot_left_going") != names.end());
    const DocumentRead unexpanded =
        read_document_text("gait: 1\nrig: x.glb\nclip_sets: [{take: \"a_*\"}]\n"
                           "layers: [{name: body, machine: {start: s, states: {s: {play: low}}}}]\n",
                           "a.gait.yaml");
    CHECK_THAT(format(compile(unexpanded.document, two_clips()).diagnostics),
               Catch::Contains("'a_*' was not looked for in its file yet; call expand_clip_sets before compile"));
    CHECK_THAT(format(loaded("clips: {stand: {loop: yes}}\nclip_sets: [{take: \"lnd_*\"}]\n").diagnostics),
               Catch::Contains("no animation of 'lamplighter.glb' fits 'lnd_*'; there are stand, stroll"));
    CHECK_THAT(format(loaded("clips: {stand: {loop: yes}}\nclip_sets: [{take: \"****\"}]\n").diagnostics),
               Catch::Contains("a pattern has one to three stars"));
}
