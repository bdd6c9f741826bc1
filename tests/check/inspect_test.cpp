#include "gait/load.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

using namespace gait;

namespace {

/// The remarks on a document of the lamplighter's clips.
std::string remarks(const std::string& clips, const std::string& states, const std::string& parameters = "{}") {
    static const ImportResult demo = import_gltf(support::project() / "demo/lamplighter.glb");
    const DocumentRead read =
        read_document_text("gait: 1\nrig: lamplighter.glb\nclips:\n" + clips + "parameters: " + parameters +
                               "\nlayers:\n  - name: body\n    machine:\n      start: a\n      states:\n" + states,
                           "test.gait.yaml");
    INFO(format(read.diagnostics));
    REQUIRE_FALSE(has_errors(read.diagnostics));
    Assets assets;
    assets.rig = demo.file->rig;
    for (const ClipDefinition& definition : read.document.clips) {
        const std::string& wanted = definition.animation.empty() ? definition.name.value : definition.animation.value;
        for (const ClipSource& clip : demo.file->clips) {
            if (clip.name == wanted) { assets.clips.emplace(definition.name.value, clip); }
        }
    }
    return format(inspect(read.document, assets));
}

/// What `gait check` says of states that stand and wave.
std::string said_of(const std::string& states, const std::string& parameters = "{}") {
    const support::TemporaryFolder folder;
    const std::string rig = (support::project() / "demo/lamplighter.glb").string();
    const std::string document =
        folder.write("fades.gait.yaml", "gait: 1\nrig: " + rig +
                                            "\nclips: {stand: {loop: yes}, wave: {}}\nparameters: " + parameters +
                                            "\nlayers:\n  - name: body\n    machine:\n      start: a\n      states:\n" +
                                            states + "        b: {play: stand, go: {to: a, after: 3, fade: 0.2}}\n");
    return support::gait_tool({"check", document}).err;
}

} // namespace

TEST_CASE("the demo's documents give no remark") {
    for (const char* name : {"demo/lamplighter.gait.yaml", "demo/harbour_master.gait.yaml"}) {
        const Loaded loaded = load(support::project() / name);
        CHECK(format(inspect(loaded.document, load_assets(loaded.document).assets)).empty());
    }
}

TEST_CASE("a fade that is longer than its condition leaves of the motion is remarked on") {
    const auto leaving = [](const std::string& fade) {
        return said_of("        a: {play: wave, go: {to: b, when: state.left < 0.2, fade: " + fade + "}}\n");
    };
    CHECK_THAT(leaving("3"), Catch::Contains("as this leaves, 'a' has 0.2 s left, and the fade takes 3 s") &&
                                 Catch::Contains("[fade-past-end]"));
    CHECK(leaving("0.2").empty());
}

TEST_CASE("a fade past a motion's end is remarked on once, and not where more than time is waited for") {
    const auto times = [](const std::string& way) {
        const std::string said = said_of("        a: {play: wave, go: " + way +
                                             "}\n        c: {play: stand, go: {to: a, after: 3, fade: 0.2}}\n"
                                             "        on: {junction: [{to: b, when: wet, fade: 0.9}, {to: c}]}\n",
                                         "{wet: {kind: flag}}");
        int found = 0;
        for (std::size_t at = 0; (at = said.find("[fade-past-end]", at)) != std::string::npos; ++at) { ++found; }
        return found;
    };
    // Through a junction it is two transitions, and one line.
    CHECK(times("{to: on, after: 1.9, fade: 1.2}") == 1);
    CHECK(times("[{to: b, after: 1.9, fade: 1.2}, {to: on, at: end}]") == 1);
    CHECK(times("[{to: b, when: wet, after: 1.9, fade: 1.2}, {to: on, at: end}]") == 0);
}

TEST_CASE("a clip that ends where nothing follows is remarked on") {
    CHECK(remarks("  wave: {}\n", "        a: {play: wave}\n") ==
          "test.gait.yaml:11:19: warning: clip 'wave' is played once and then stands still in 'a'; its end meets its "
          "start: add "
          "'loop: yes' to the clip, or a transition with 'at: end' [stuck-at-end]\n"
          "            a: {play: wave}\n"
          "                      ^\n");
    CHECK_THAT(
        remarks("  land_hard: {}\n", "        a: {play: land_hard}\n"),
        Catch::Contains(
            "clip 'land_hard' is played once and then stands still in 'a', which nothing leaves as it ends; add a "
            "transition with 'at: end' [stuck-at-end]"));
    CHECK(remarks("  wave: {}\n  stand: {loop: yes}\n",
                  "        a: {play: wave, go: [{to: b, at: end}]}\n        b: {play: stand}\n")
              .empty());
    CHECK(remarks("  lean_left: {}\n", "        a: {play: lean_left}\n").empty()); // a pose
}

TEST_CASE("a loop that drifts off or does not meet is remarked on") {
    CHECK_THAT(
        remarks("  stroll_going: {loop: yes}\n", "        a: {play: stroll_going}\n"),
        Catch::Contains(
            "4:3: warning: clip 'stroll_going' carries the body 1.40 m away, which was taken out so that it does not "
            "jump back each time round; add 'travel: hips' to give that way to the game [drifting-clip]"));
    CHECK(remarks("  stroll_going: {loop: yes, travel: hips}\n", "        a: {play: stroll_going}\n").empty());
    CHECK_THAT(remarks("  wave: {cut: [0, 0.5], loop: yes}\n", "        a: {play: wave}\n"),
               Catch::Contains(
                   "that was spread over the whole loop and bends it: cut it where it meets itself, or play it once") &&
                   Catch::Contains("[wide-loop]"));
    CHECK_THAT(remarks("  wave: {cut: [0, 0.5], loop: yes, close: no}\n", "        a: {play: wave}\n"),
               Catch::Contains("which shows each time round; remove 'close: no', or cut it where it meets itself "
                               "[open-loop]"));
    CHECK_THAT(
        remarks("  wave_off: {animation: stroll_stop_left, loop: yes, close: no}\n", "        a: {play: wave_off}\n"),
        Catch::Contains("[open-loop]"));
    // Whoever makes it loop.
    CHECK_THAT(remarks("  wave: {cut: [0, 0.5]}\n", "        a: {play: {clip: wave, loop: yes}}\n"),
               Catch::Contains("clip 'wave' loops, but 'right_upper_arm' ends"));
    CHECK_THAT(remarks("  wave: {cut: [0, 0.5]}\n", "        a: {play: {clip: wave}, go: {to: a, at: end}}\n"),
               !Catch::Contains("loops"));
}

TEST_CASE("a blend point far from its clip's own speed is remarked on, with the speed to write") {
    const std::string speed = "{speed: {kind: number, unit: m/s}}";
    const std::string clips = "  stroll: {loop: yes}\n  run: {loop: yes}\n";
    CHECK_THAT(
        remarks(clips, "        a: {play: {blend: speed, sync: cycle, points: {1.4: stroll, 3.5: run}}}\n", speed),
        Catch::Contains(
            "'run' goes at 4.20 m/s and stands at 3.5 on 'speed', so its feet slide there; write 4.20 [off-speed]"));
    CHECK(remarks(clips, "        a: {play: {blend: speed, sync: cycle, points: {1.4: stroll, 4.2: run}}}\n", speed)
              .empty());
    CHECK(remarks(clips, "        a: {play: {blend: effort, sync: cycle, points: {0: stroll, 1: run}}}\n",
                  "{effort: {kind: number}}")
              .empty());
}

TEST_CASE("clips of unlike numbers of steps that should keep step are remarked on") {
    const std::string clips = "  stroll: {loop: yes}\n  two: {animation: stroll_stop_left, loop: yes, close: no}\n";
    const std::string said =
        remarks(clips, "        a: {play: {blend: effort, sync: cycle, points: {0: stroll, 1: two}}}\n",
                "{effort: {kind: number}}");
    CHECK_THAT(said,
               Catch::Contains(
                   "'stroll' takes 1 step of each foot a cycle and 'two' 2, so they cannot keep step; cut one to as "
                   "many as the other [unlike-steps]"));
}

TEST_CASE("a clip's way that a state leaves to the game is remarked on") {
    CHECK_THAT(
        remarks("  stroll_going: {loop: yes, travel: hips}\n", "        a: {play: stroll_going, moved_by: game}\n"),
        Catch::Contains(
            "clip 'stroll_going' travels at 1.40 m/s, and state 'a' leaves moving to the game: unless that moves as "
            "fast, the feet slide; remove 'moved_by: game', or set the speed to match [unused-travel]"));
}

TEST_CASE("a warning that is meant is answered in the document, and what is accepted and does not occur is said") {
    const support::TemporaryFolder folder;
    std::filesystem::copy(support::project() / "demo/lamplighter.glb", folder / "lamplighter.glb");
    const auto checked = [&](const std::string& whole, const std::string& beside) {
        const std::string text = "gait: 1\nrig: lamplighter.glb\n" + whole +
                                 "clips: {stand: {loop: yes}, stroll: {loop: yes}}\nparameters:\n"
                                 "  speed: {kind: number, range: [0, 6]}\n  wet: {kind: flag" +
                                 beside +
                                 "}\n  dry: {kind: flag}\nlayers:\n  - name: body\n    machine:\n      start: still\n"
                                 "      states:\n        still: {play: stand, go: [{to: moving, when: speed > 0.2}]}\n"
                                 "        moving: {play: stroll, go: [{to: still, when: speed < 0.1}]}\n";
        return support::gait_tool({"check", folder.write("accept.gait.yaml", text)});
    };
    const support::Finished plain = checked("", "");
    CHECK_THAT(plain.err, Catch::Contains("nothing looks at 'wet'") && Catch::Contains("nothing looks at 'dry'"));
    // Beside what is meant it counts there alone; at the top for all.
    const support::Finished beside = checked("", ", accept: [{unused-parameter: for the rain to come}]");
    CHECK_THAT(beside.err, !Catch::Contains("'wet'") && Catch::Contains("nothing looks at 'dry'"));
    CHECK_THAT(beside.out, Catch::Contains("accepted:\n  unused-parameter: for the rain to come\n"));
    const support::Finished all = checked("accept: [unused-parameter]\n", "");
    CHECK(all.err.empty());
    CHECK_THAT(all.out, Catch::Contains("no errors"));
    const support::Finished unmet = checked("accept: [unused-parameter, flutter]\n", "");
    CHECK_THAT(unmet.err, Catch::Contains("3:28: warning: 'flutter' is accepted for the whole document, where no such "
                                          "warning is found; remove it [not-met]"));
    // An error stays one, and so does what is no list of warnings.
    CHECK(checked("accept: [unknown-key]\nspeed: 1\n", "").code == 1);
    CHECK_THAT(checked("accept: [[flutter]]\n", "").err, Catch::Contains("'accept' lists the warnings that are meant"));
}
