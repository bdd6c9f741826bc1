#include "support.hpp"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cstdlib>
#include <fcntl.h>
#include <regex>
#include <sys/stat.h>
#include <unistd.h>

using nlohmann::json;
using support::Finished;
using support::gait_tool;
using support::run;

namespace {

const std::string document = "demo/lamplighter.gait.yaml", cues = "demo/round.cues.yaml",
                  evening = "demo/evening.cues.yaml";

std::size_t lines(const std::string& text) { return std::size_t(std::count(text.begin(), text.end(), '\n')); }

} // namespace

TEST_CASE("every command's help names what it does and gives an example") {
    // All that the tool itself lists, each on a line of its own.
    std::vector<std::string> commands{""};
    std::istringstream listed(gait_tool({"--help"}).out);
    bool inside = false;
    for (std::string line; std::getline(listed, line);) {
        if (inside && line.starts_with("  ")) { commands.push_back(line.substr(2, line.find(' ', 2) - 2)); }
        inside = line == "Subcommands:" || (inside && line.starts_with("  "));
    }
    CHECK(commands.size() == GAIT_COMMANDS);
    for (const std::string& command : commands) {
        std::vector<std::string> arguments{"--help"};
        if (!command.empty()) { arguments.insert(arguments.begin(), command); }
        const Finished help = gait_tool(arguments);
        CAPTURE(command);
        CHECK(help.code == 0);
        CHECK_THAT(help.out, Catch::Contains("Example:\n  gait "));
    }
    CHECK(gait_tool({"--version"}).out == "gait 0.1.0\n");
}

TEST_CASE("bad usage is one line and exit code 2") {
    for (const std::vector<std::string>& arguments : {std::vector<std::string>{},
                                                      {"danse"},
                                                      {"check"},
                                                      {"perform", document, "--fps", "0"},
                                                      {"perform", document, "--bake", "x.fbx"},
                                                      {"perform", document, "--chart", "x.txt"},
                                                      {"clips", "demo/lamplighter.glb", "--film", "x.png"}}) {
        const Finished result = gait_tool(arguments);
        INFO(result.err);
        CHECK(result.code == 2);
        CHECK(lines(result.err) == 1);
        CHECK_THAT(result.err, Catch::StartsWith("gait: "));
    }
}

TEST_CASE("clips finds what loops, ready to paste, and measures and films a cut") {
    const support::TemporaryFolder folder;
    // Five seconds in which she sets off and walks on.
    const std::string walk = (folder / "walk.glb").string();
    REQUIRE(gait_tool({"perform", "demo/lamplighter.gait.yaml", "--set", "speed=1.4", "--seconds", "5", "--bake", walk})
                .code == 0);
    const Finished found = gait_tool({"clips", walk, "--cuts"});
    CAPTURE(found.out, found.err);
    CHECK(found.code == 0);
    CHECK_THAT(found.out, Catch::StartsWith("clips:\n  walk: {file: walk.glb, cut: ["));
    CHECK_THAT(found.out, Catch::Contains("], loop: yes}   # ") && Catch::Contains("# 1 stride, 1.40 m/s, closes"));
    // Pasted it stands in a document.
    const std::string pasted =
        folder.write("a.gait.yaml", "gait: 1\nrig: walk.glb\n" + found.out +
                                        "layers: [{name: body, machine: {start: go, states: {go: {play: walk}}}}]\n");
    const Finished checked = gait_tool({"check", pasted});
    CAPTURE(checked.out, checked.err);
    CHECK(checked.code == 0);
    CHECK(checked.err.find("warning") == std::string::npos);

    const std::string picture = (folder / "cut.png").string();
    const Finished cut = gait_tool(
        {"clips", "demo/lamplighter.glb", "--clip", "stroll", "--from", "0.25", "--to", "0.75", "--film", picture});
    CHECK(cut.code == 0);
    CHECK_THAT(cut.out, Catch::Contains("1 clip\n") && Catch::Contains("  stroll  0.500 s"));
    CHECK(std::filesystem::file_size(picture) > 10'000);
    const Finished alone = gait_tool({"clips", "demo/lamplighter.glb", "--from", "0.2"});
    CHECK(alone.code == 2);
    CHECK(alone.err == "gait: --from and --to cut one clip; name it with --clip\n");
    const Finished late = gait_tool({"clips", "demo/lamplighter.glb", "--clip", "stroll", "--from", "3"});
    CHECK(late.code == 2);
    CHECK_THAT(late.err, Catch::Contains("'stroll' lasts 1.000 s; a cut runs from one instant of it to a later one"));
}

TEST_CASE("clips tells the rig and each clip") {
    const Finished result = gait_tool({"clips", "demo/lamplighter.glb"});
    CHECK(result.code == 0);
    CHECK_THAT(result.out, Catch::Contains("rig 'lamplighter', 45 joints, 1.64 m"));
    CHECK_THAT(result.out, Catch::Contains("  stroll                    1.000 s    61  1.40 m/s     0 deg  in place    "
                                           "          1.40 m  120/min  yes\n"));
    CHECK_THAT(
        gait_tool({"clips", "demo/lamplighter.glb", "--marks"}).out,
        Catch::Contains(
            "  stroll: {loop: yes, marks: {left_down: 0.007, right_up: 0.108, right_down: 0.507, left_up: 0.608}}\n"));
    CHECK_THAT(gait_tool({"clips", "demo/lamplighter.glb", "--mirror"}).out,
               Catch::Contains("  left_hand          right_hand\n"));
    const Finished tree = gait_tool({"clips", "demo/lamplighter.glb", "--tree"});
    CHECK_THAT(tree.out, Catch::Contains("\n    spine_1 "));
    CHECK_THAT(tree.out, Catch::Contains("\n      spine_2 "));

    const json parsed = json::parse(gait_tool({"clips", "demo/lamplighter.glb", "--json"}).out);
    CHECK(parsed[0]["rig"]["joints"].size() == 45);
    CHECK(parsed[0]["clips"][3]["name"] == "run");
    CHECK(parsed[0]["clips"][3]["loop"]["meets"] == true);
}

TEST_CASE("clips reads the files it can and says which it cannot") {
    const Finished result = gait_tool({"clips", "demo/lamplighter.glb", "README.md"});
    CHECK(result.code == 2);
    CHECK_THAT(result.out, Catch::Contains("rig 'lamplighter'"));
    CHECK_THAT(result.err, Catch::StartsWith("README.md: error: this is not glTF"));
}

TEST_CASE("check passes the demo and fails a document with mistakes") {
    const Finished good = gait_tool({"check", document});
    CHECK(good.code == 0);
    CHECK(good.err.empty());
    CHECK_THAT(good.out, Catch::StartsWith(
                             document + ": no errors; 27 states, 62 transitions, 28 parameters, 60 clips, 45 joints"));

    const support::TemporaryFolder folder;
    std::string text = support::read(support::project() / document);
    text.replace(text.find("between: stand"), 14, "between: stnad");
    text.replace(text.find("lamplighter.glb"), 15, (support::project() / "demo/lamplighter.glb").string());
    const std::string wrong = folder.write("wrong.gait.yaml", text);
    const Finished bad = gait_tool({"check", wrong});
    CHECK(bad.code == 1);
    CHECK_THAT(bad.err, Catch::Contains(":120:16: error: no clip 'stnad'; did you mean 'stand'? (in 'idle', used in "
                                        "line 152) [unknown-clip]\n          between: stnad\n                   ^\n"));
    CHECK_THAT(bad.out, Catch::EndsWith("1 error, 0 warnings\n"));
    CHECK(json::parse(gait_tool({"check", wrong, "--json"}).out)["diagnostics"][0]["line"] == 120);
    CHECK(gait_tool({"perform", wrong}).code == 1);
    CHECK(gait_tool({"check", "/nowhere.gait.yaml"}).code == 2);
}

TEST_CASE("perform tells the story of the round and keeps its bounds") {
    const Finished result = gait_tool({"perform", document, "--cues", cues});
    CHECK(result.code == 0);
    CHECK(result.err.empty());
    CHECK_THAT(result.out, Catch::Contains("73.00 s at 60 frames a second"));
    CHECK_THAT(
        result.out,
        Catch::Contains(
            "   1.133 s  legs.still   moving  speed > start_at and not halt and arms is not ringing  0.30 s smooth  "));
    CHECK_THAT(result.out, Catch::Contains("14.000 s  legs.moving  still   halt"));
    CHECK_THAT(result.out, Catch::Contains("snap ratio") && !Catch::Contains("MISSED"));
    const json parsed = json::parse(gait_tool({"perform", document, "--cues", cues, "--json"}).out);
    CHECK(parsed["within_bounds"] == true);
    CHECK(parsed["transitions"].size() == 12);
    CHECK(parsed["seam"]["degrees"] < 0.05);
    CHECK(parsed["snap"]["ratio"] < 1.2);
    CHECK(parsed["seconds_in_state"]["legs.still"].get<double>() +
              parsed["seconds_in_state"]["legs.moving"].get<double>() ==
          Approx(73));
}

TEST_CASE("perform exits with 1 when a bound is missed") {
    const support::TemporaryFolder folder;
    std::string text = support::read(support::project() / document);
    for (std::size_t at = 0; (at = text.find("fade: 0.3", at)) != std::string::npos; ++at) {
        text.replace(at, 9, "fade: 0.0");
    }
    text.replace(text.find("lamplighter.glb"), 15, (support::project() / "demo/lamplighter.glb").string());
    const Finished result = gait_tool({"perform", folder.write("cut.gait.yaml", text), "--cues", cues});
    CHECK(result.code == 1);
    CHECK_THAT(result.out, Catch::Contains("MISSED"));
}

TEST_CASE("parameters can be set on the command line") {
    const Finished result =
        gait_tool({"perform", document, "--set", "speed=2.6", "--set", "halt=no", "--seconds", "2", "--json"});
    CHECK(result.code == 0);
    CHECK(json::parse(result.out)["transitions"][0]["to"] == "legs.moving");
    CHECK_THAT(gait_tool({"perform", document, "--set", "sped=1"}).err,
               Catch::Contains("no parameter 'sped'; did you mean 'speed'?"));
    CHECK_THAT(gait_tool({"perform", document, "--set", "speed"}).err, Catch::Contains("--set takes NAME=VALUE"));
    CHECK_THAT(gait_tool({"perform", document, "--set", "speed=fast"}).err,
               Catch::Contains("'speed' is a number; write one such as 1.4; found 'fast'"));
    CHECK_THAT(gait_tool({"perform", document, "--set", "halt=1"}).err,
               Catch::Contains("'halt' is a flag; write yes or no"));
    CHECK_THAT(gait_tool({"perform", document, "--set", "speed=99"}).err,
               Catch::Contains("'speed' ranges from 0 to 6; found 99"));
    CHECK(gait_tool({"perform", document, "--set", "speed=99"}).code == 2);
}

TEST_CASE("the trace has a row a frame with parameters, states, clips, weights and phases") {
    const support::TemporaryFolder folder;
    const std::string path = (folder / "t.csv").string();
    REQUIRE(gait_tool({"perform", document, "--cues", cues, "--seconds", "5", "--fps", "30", "--trace", path}).code ==
            0);
    const std::string trace = support::read(path);
    CHECK(lines(trace) == 1 + 151);
    CHECK_THAT(trace, Catch::StartsWith("time_s,speed_set,speed_smoothed,heading_set,heading_smoothed,"));
    CHECK_THAT(trace, Catch::Contains(",moving,still,") && Catch::Contains("stroll|trot"));
    const auto commas = [](const std::string& row) { return std::count(row.begin(), row.end(), ','); };
    std::size_t start = 0;
    const auto columns = commas(trace.substr(0, trace.find('\n')));
    while (start < trace.size()) {
        const std::size_t end = trace.find('\n', start);
        REQUIRE(commas(trace.substr(start, end - start)) == columns);
        start = end + 1;
    }
}

TEST_CASE("the bake holds the skin and the motion as played, and the validator passes it") {
    const support::TemporaryFolder folder;
    const std::string path = (folder / "b.glb").string();
    REQUIRE(gait_tool({"perform", document, "--cues", cues, "--seconds", "4", "--bake", path}).code == 0);
    const gait::ImportResult back = gait::import_gltf(path);
    REQUIRE(back.file);
    REQUIRE(back.file->clips.size() == 1);
    CHECK(back.file->clips[0].seconds == Approx(4));
    CHECK(back.file->clips[0].keys == 241);
    const Finished valid = run({"node", "tests/validator/validate.js", path});
    INFO(valid.out << valid.err);
    CHECK(valid.code == 0);
}

TEST_CASE("charts and films are drawn as what they are called") {
    const support::TemporaryFolder folder;
    for (const std::string name : {"c.png", "c.svg"}) {
        const std::string path = (folder / name).string();
        const Finished result = gait_tool({"perform", document, "--cues", cues, "--seconds", "6", "--chart", path});
        INFO(result.err);
        REQUIRE(result.code == 0);
        CHECK_THAT(support::read(path), Catch::Contains(name == "c.png" ? "PNG" : "<svg"));
    }
    for (const std::string name : {"f.png", "f.svg", "f.gif"}) {
        for (const std::string view : {"side", "above", "three-quarters"}) {
            const std::string path = (folder / name).string();
            const Finished result =
                gait_tool({"clips", "demo/lamplighter.glb", "--clip", "stroll", "--film", path, "--view", view});
            INFO(result.err);
            REQUIRE(result.code == 0);
            CHECK_THAT(support::read(path).substr(0, 200), Catch::Contains(name == "f.png"   ? "PNG"
                                                                           : name == "f.svg" ? "<svg"
                                                                                             : "GIF89a"));
        }
    }
    CHECK_THAT(
        gait_tool({"clips", "demo/lamplighter.glb", "--clip", "strol", "--film", (folder / "f.png").string()}).err,
        Catch::Contains("holds no clip 'strol'; did you mean 'stroll'?"));
}

TEST_CASE("the feet of a clip are drawn, and a chart needs one clip") {
    const support::TemporaryFolder folder;
    for (const std::string name : {"feet.png", "feet.svg"}) {
        const std::string path = (folder / name).string();
        CHECK(gait_tool({"clips", "demo/lamplighter.glb", "--clip", "stroll", "--chart", path}).code == 0);
        CHECK_THAT(support::read(path).substr(0, 200), Catch::Contains(name == "feet.png" ? "PNG" : "<svg"));
    }
    CHECK_THAT(gait_tool({"clips", "demo/lamplighter.glb", "--chart", "x.png"}).err,
               Catch::Contains("a film or a chart is made of one clip of one file"));
}

TEST_CASE("a machine is sketched with its states, its start, its ways and what always holds") {
    const support::TemporaryFolder folder;
    const Finished dot = gait_tool({"sketch", "demo/crossing.gait.yaml"});
    CHECK(dot.code == 0);
    for (const char* expected :
         {"\"0/start\" -> \"0/still\"", "\"0/setting_off\" -> \"0/strolling\" [label=\"at its end\\n0.1 s\"]",
          "\"0/landing\" -> \"0/strolling\" [label=\"going\\nafter 0.3 s\\n0.3 s\"]",
          "\"0/always\" -> \"0/hopping\" [label=\"airborne\\nnot from flying\\n0.1 s\", style=dashed]",
          "flying\\n(in_air\\nthe game moves)"}) {
        CHECK_THAT(dot.out, Catch::Contains(expected));
    }
    CHECK_THAT(gait_tool({"sketch", document}).out, Catch::Contains("leaning(carrying(paces))"));
    for (const auto& [name, begins] :
         {std::pair<std::string, std::string>{"m.png", "PNG"}, {"m.svg", "<svg"}, {"m.dot", "digraph machine"}}) {
        const std::string path = (folder / name).string();
        CHECK(gait_tool({"sketch", document, "-o", path}).code == 0);
        CHECK_THAT(support::read(path).substr(0, 1000), Catch::Contains(begins));
    }
    CHECK_THAT(gait_tool({"sketch", document, "-o", "m.gif"}).err,
               Catch::Contains("a sketch is drawn as .svg, .png or .dot; found 'm.gif'"));
    CHECK_THAT(gait_tool({"sketch", document, "-o", "/nowhere/m.png"}).err,
               Catch::Contains("/nowhere/m.png cannot be written: no such file or directory"));
}

TEST_CASE("a sketch of a large machine can be read") {
    const support::TemporaryFolder folder;
    const std::string path = (folder / "large.svg").string();
    REQUIRE(gait_tool({"sketch", document, "-o", path}).code == 0);
    const std::string drawn = support::read(path), scale = "scale(", size = "font-size=\"";
    const double scaled = std::stod(drawn.substr(drawn.find(scale) + scale.size()));
    double smallest = 100; // points
    for (std::size_t at = 0; (at = drawn.find(size, at)) != std::string::npos; ++at) {
        smallest = std::min(smallest, std::stod(drawn.substr(at + size.size())));
    }
    CHECK(scaled * smallest * 96 / 72 > 8); // pixels
}

TEST_CASE("machines inside states are sketched as boxes, junctions as diamonds, with how things fade") {
    const Finished dot = gait_tool({"sketch", document});
    for (const char* expected :
         {"subgraph \"cluster_0/air\"", "label=\"lighting\"", "arms on trunk", "\"0/onward\" [shape=diamond",
          "\"0/onward\" -> \"0/still\" [label=\"else\"]",
          "\"0/moving\" -> \"0/air/take_off\" [label=\"speed <= 1.8\\nsignal hop\\n0.24 s\"]",
          "[label=\"airborne\\nnot from landing\\n0.25 s inertial\", lhead=\"cluster_0/air\", style=dashed]",
          "\"0/air/falling\" -> \"0/landing\" [label=\"not airborne\\nafter 0.2 s\\n0.12 s inertial\"];",
          "after 3 to 7 s", "inside may_turn", "signal light", "leads\\naside < 0", "not while", "once/greet",
          "crouching\\n(crouch\\nat ducking times)"}) {
        CHECK_THAT(dot.out, Catch::Contains(expected));
    }
}

TEST_CASE("perform plants the feet of a body that its clips carry, and not of one that nobody moves") {
    const support::TemporaryFolder folder;
    const auto prints = [&](const std::string& ending, const std::string& travel, const char* planted) {
        const std::string played = folder.write(
            "a.gait.yaml",
            "gait: 1\nrig: " + (support::project() / "demo/lamplighter.glb").string() + "\nclip_sets: [{take: [stroll" +
                ending + ", stroll_right" + ending + "], loop: yes" + travel +
                "}]\nparameters: {speed: {kind: number, range: [0, 3]}}\nfeet: {planted: " + planted +
                "}\nlayers: [{name: body, machine: {start: a, states: {a: {play: {blend: speed, points: {1: stroll" +
                ending + ", 2: stroll_right" + ending + "}}}}}}]\n");
        return json::parse(
            gait_tool({"perform", played, "--set", "speed=1.5", "--seconds", "6", "--json"}).out)["footprints"];
    };
    const auto slide = [](const json& footprints) {
        double worst = 0;
        for (const auto& print : footprints) { worst = std::max(worst, print["slide_m"].get<double>()); }
        return worst;
    };
    CHECK(slide(prints("_going", ", travel: hips", "no")) > 0.002);
    CHECK(slide(prints("_going", ", travel: hips", "yes")) < 0.001);
    CHECK(prints("", "", "yes") == prints("", "", "no"));
}

TEST_CASE("why a state is not left is told in one command, over a state's time or at an instant") {
    const Finished still = gait_tool({"perform", document, "--set", "speed=0.08", "--why"});
    CHECK(still.code == 0);
    CHECK_THAT(still.out, Catch::Contains("is left or not, at 10.000 s"));
    // Written before the document as well.
    CHECK(gait_tool({"perform", "--why", document, "--set", "speed=0.08"}).out == still.out);
    const Finished none = gait_tool({"perform", "--why"});
    CHECK(none.code == 2);
    CHECK_THAT(none.err, Catch::Contains("DOCUMENT is required"));
    CHECK_THAT(still.out, Catch::Contains("speed > start_at     NO, stops it  speed = 0.08, start_at = 0.1"));
    const Finished moving = gait_tool({"perform", document, "--cues", evening, "--why", "moving"});
    CHECK_THAT(moving.out, Catch::Contains("5 x  speed < stop_at  as it left"));
    CHECK_THAT(moving.out, Catch::Contains("0 x  halt             never"));
    const json at =
        json::parse(gait_tool({"perform", document, "--cues", evening, "--why", "7.8", "--json"}).out)["why"];
    CHECK(at["state"] == "arms.free, legs.air.falling");
    // Her arms decide before her legs.
    CHECK(at["transitions"][0]["from"] == "arms.free");
    const auto& ways = at["transitions"];
    const auto landing = std::find_if(ways.begin(), ways.end(), [](const json& way) { return way["to"] == "landing"; });
    REQUIRE(landing != ways.end());
    CHECK((*landing)["parts"][0]["holds"] == false);
    CHECK((*landing)["parts"][0]["values"] == "airborne = yes");
    CHECK(gait_tool({"perform", document, "--why", "movin"}).err ==
          "gait: --why takes a state or seconds; there is no state 'movin'; did you mean 'moving'?\n");
}

TEST_CASE("check says what no cue sheet sends") {
    const Finished round = gait_tool({"check", document, "--cues", cues});
    CHECK(round.code == 0);
    CHECK_THAT(
        round.err,
        Catch::Contains("transitions wait for signal 'hop', and no cue sends it; add 'send: hop' [unsent-signal]"));
    CHECK(gait_tool({"check", document, "--cues", cues, "--cues", evening}).err.empty());
    CHECK(gait_tool({"check", document, "--cues", "/nowhere.cues.yaml"}).code == 2);
}

TEST_CASE("a BVH file is read by the tool, with the unit and the axis it is told") {
    const support::TemporaryFolder folder;
    const std::string path = (folder / "round.bvh").string();
    REQUIRE(gait_tool({"perform", document, "--seconds", "1", "--bake", path}).code == 0);
    const Finished told = gait_tool({"clips", path, "--scale", "1", "--up", "y"});
    CHECK(told.code == 0);
    CHECK(told.err.empty());
    CHECK_THAT(told.out, Catch::Contains("rig 'round', 45 joints"));
    CHECK_THAT(gait_tool({"clips", path}).err, Catch::Contains("taken as 1 metres a unit, which makes the body"));
    CHECK(gait_tool({"clips", path, "--up", "w"}).code == 2);
}

TEST_CASE("what cannot be written is said in a line and leaves nothing behind") {
    const support::TemporaryFolder folder;
    for (const std::string option : {"--trace", "--bake", "--chart", "--film"}) {
        const std::string ending = option == "--trace" ? ".csv" : option == "--bake" ? ".glb" : ".png";
        const Finished result = gait_tool({"perform", document, "--seconds", "1", option, "/nowhere/out" + ending});
        CHECK(result.code == 2);
        CHECK(lines(result.err) == 1);
        CHECK_THAT(result.err, Catch::Contains("/nowhere/out" + ending) &&
                                   Catch::Contains("cannot be written: no such file or directory"));
    }
    const Finished full = gait_tool({"perform", document, "--seconds", "1", "--trace", "/dev/full"});
    CHECK(full.code == 2);
    CHECK_THAT(full.err, Catch::Contains("/dev/full cannot be written: no space left on device"));
    std::filesystem::create_directory(folder / "taken.csv");
    CHECK_THAT(gait_tool({"perform", document, "--seconds", "1", "--trace", (folder / "taken.csv").string()}).err,
               Catch::Contains("it is a folder"));
    CHECK(std::distance(std::filesystem::directory_iterator(folder / ""), {}) == 1);
}

TEST_CASE("mistakes in a cue sheet are said and nothing is played") {
    const support::TemporaryFolder folder;
    const Finished result =
        gait_tool({"perform", document, "--cues", folder.write("w.cues.yaml", "cues: [{at: 1, set: {sped: 1}}]\n")});
    CHECK(result.code == 1);
    CHECK(result.out.empty());
    CHECK_THAT(result.err, Catch::Contains("w.cues.yaml:1:22: error: no parameter 'sped'"));
    CHECK(gait_tool({"perform", document, "--cues", "/nowhere.cues.yaml"}).code == 2);
}

TEST_CASE("quiet writes nothing but findings and JSON") {
    CHECK(gait_tool({"--quiet", "check", document}).out.empty());
    CHECK(gait_tool({"perform", document, "--seconds", "1", "-q"}).out.empty());
    CHECK(gait_tool({"clips", "demo/lamplighter.glb", "--quiet"}).out.empty());
    CHECK(json::parse(gait_tool({"check", document, "--json", "--quiet"}).out)["errors"] == 0);
    CHECK_THAT(gait_tool({"check", "/nowhere.gait.yaml", "--quiet"}).err, Catch::Contains("cannot be read"));
}

TEST_CASE("no colour and no bar is written where no terminal is") {
    const Finished result = gait_tool({"perform", document, "--cues", cues, "--seconds", "120", "--fps", "240"});
    CHECK(result.err.empty());
    CHECK(gait_tool({"check", "/nowhere.gait.yaml"}).err.find('\x1b') == std::string::npos);
}

TEST_CASE("on a terminal findings are coloured and long work shows a bar") {
    // script(1) gives the tool a terminal, where the machine has any to give (a bare root without /dev/pts has none).
    const int terminal = ::posix_openpt(O_RDWR);
    if (terminal < 0) {
        WARN("this machine gives no terminals, so none of this was tried");
        return;
    }
    ::close(terminal);
    const auto on_terminal = [](const std::string& command) {
        return run({"script", "-qec", support::tool().string() + " " + command, "/dev/null"}).out;
    };
    CHECK_THAT(on_terminal("check /nowhere.gait.yaml"), Catch::Contains("\x1b[31;1merror:\x1b[0m"));
    CHECK_THAT(on_terminal("perform " + document + " --cues " + cues + " --seconds 400 --fps 240"),
               Catch::Contains("playing [") && Catch::Contains(" s left"));
    CHECK_THAT(run({"env", "NO_COLOR=1", "script", "-qec", support::tool().string() + " check /nowhere.gait.yaml",
                    "/dev/null"})
                   .out,
               !Catch::Contains("\x1b[31"));
}

TEST_CASE("the completion scripts offer every command and option") {
    for (const std::string shell : {"bash", "zsh"}) {
        const Finished script = gait_tool({"completion", shell});
        CHECK(script.code == 0);
        CHECK_THAT(script.out, Catch::Contains("clips check perform") && Catch::Contains("--film"));
    }
    const std::string ask = gait_tool({"completion", "bash"}).out +
                            "COMP_WORDS=(gait perform --ch); COMP_CWORD=2; _gait; echo \"${COMPREPLY[@]}\"";
    CHECK(run({"bash", "-c", ask}).out == "--chart\n");
    CHECK(gait_tool({"completion", "fish"}).code == 2);
}

TEST_CASE("what is said of a body fits any") {
    const support::TemporaryFolder folder;
    const std::string rig = (support::project() / "demo/lamplighter.glb").string();
    const std::string quiet =
        folder.write("quiet.gait.yaml", "gait: 1\nrig: " + rig +
                                            "\nclips: {stand: {loop: yes}}\nlayers:\n  - name: body\n    machine:\n"
                                            "      start: rest\n      states:\n        rest: {play: stand}\n");
    std::string said = gait_tool({"manual"}).out;
    for (const std::vector<std::string>& asked :
         {std::vector<std::string>{"perform", quiet, "--seconds", "1"}, {"check", quiet}}) {
        const Finished result = gait_tool(asked);
        CAPTURE(result.err);
        CHECK(result.code == 0);
        said += result.out + result.err;
    }
    CHECK_THAT(said, Catch::Contains("no transition; it stayed in 'rest'"));
    CHECK_FALSE(std::regex_search(said, std::regex("\\b(she|hers?|he|him)\\b", std::regex::icase)));
}

TEST_CASE("the manual page says what help says") {
    const std::string page = gait_tool({"manual"}).out;
    CHECK_THAT(page, Catch::StartsWith(".TH GAIT 1"));
    for (const std::string word : {".SS gait clips", ".SS gait perform", "\\-\\-bake FILE.glb", "Exit codes: 0 done"}) {
        CHECK_THAT(page, Catch::Contains(word));
    }
}

TEST_CASE("a half-built document plays as a draft, and each gap is a warning") {
    const support::TemporaryFolder folder;
    const std::string half =
        folder.write("half.gait.yaml", "gait: 1\nrig: " + (support::project() / "demo/lamplighter.glb").string() + R"(
clips:
  stand: {loop: yes}
  juggle: {}
parameters:
  speed: {kind: number}
layers:
  - name: body
    machine:
      states:
        still: {play: stand, go: {to: moving, when: speed > 1}}
        greeting: {play: juggle, go: {to: still}}
        looking: {go: {to: still, when: speed > 3}}
        hopping: {play: hop, go: {to: landing, at: end}}
)");
    CHECK(gait_tool({"check", half}).code == 1);
    const Finished draft = gait_tool({"check", half, "--draft"});
    INFO(draft.err);
    CHECK(draft.code == 0);
    CHECK_THAT(draft.err,
               Catch::Contains("warning: clip 'juggle' is missing; the rest pose stands in for it [draft-clip]"));
    CHECK_THAT(draft.err,
               Catch::Contains("warning: there is no clip 'hop' yet; the rest pose stands in for it [draft-clip]"));
    CHECK_THAT(draft.err, Catch::Contains("warning: there is no state 'moving' yet; this draft waits in one with the "
                                          "rest pose, and does not leave it [draft-state]"));
    CHECK_THAT(draft.err,
               Catch::Contains("warning: no start is named yet; this draft starts in 'still' [draft-start]"));
    CHECK_THAT(draft.err,
               Catch::Contains("warning: state 'looking' plays nothing yet; the rest pose stands in [draft-motion]"));
    const json played =
        json::parse(gait_tool({"perform", half, "--draft", "--set", "speed=2", "--seconds", "1", "--json"}).out);
    CHECK(played["transitions"][0]["to"] == "moving");
    // A stand-in ends after a second, for those that wait for its end.
    const json hopped =
        json::parse(gait_tool({"perform", half, "--draft", "--enter", "hopping", "--seconds", "2", "--json"}).out);
    CHECK(hopped["transitions"][0]["time_s"].get<double>() == Approx(0.8));
}

TEST_CASE("a performance may begin in the state one names") {
    const json played = json::parse(
        gait_tool({"perform", document, "--enter", "legs.moving", "--set", "speed=2", "--seconds", "1", "--json"}).out);
    CHECK(played["transitions"].empty());
    CHECK(played["seconds_in_state"]["legs.moving"].get<double>() == Approx(1));
    const Finished wrong = gait_tool({"perform", document, "--enter", "flying"});
    CHECK(wrong.code == 2);
    CHECK_THAT(wrong.err, Catch::StartsWith("gait: no state 'flying'; there are still, setting_off, moving, "));
    CHECK(gait_tool({"perform", document, "--enter", "air.faling"}).err ==
          "gait: no state 'air.faling'; did you mean 'air.falling'?\n");
}

TEST_CASE("cues may enter states, reset and seed, and the clock of the story goes on") {
    const support::TemporaryFolder folder;
    const std::string sheet =
        folder.write("e.cues.yaml", "seconds: 4\ncues:\n  - {at: 0, set: {speed: 2}, enter: {state: legs.moving, "
                                    "fade: 0.4}}\n  - {at: 2, reset: yes, seed: 9}\n  - {at: 3, set: {speed: 3}}\n");
    const json played = json::parse(gait_tool({"perform", document, "--cues", sheet, "--json"}).out);
    // She is put into motion without a transition; the reset brings her back to the start, from where she sets off.
    REQUIRE(played["transitions"].size() == 1);
    CHECK(played["transitions"][0]["from"] == "legs.still");
    CHECK(played["transitions"][0]["time_s"].get<double>() == Approx(3.1).margin(0.1));
    CHECK(played["seconds_in_state"]["legs.moving"].get<double>() == Approx(2.9).margin(0.1));
    const Finished wrong =
        gait_tool({"perform", document, "--cues", folder.write("w.cues.yaml", "cues: [{at: 1, enter: legs.movin}]\n")});
    CHECK(wrong.code == 1);
    CHECK_THAT(
        wrong.err,
        Catch::Contains("w.cues.yaml:1:23: error: no state 'legs.movin'; did you mean 'legs.moving'? [unknown-state]"));
}

TEST_CASE("a space is mapped: its points, how far the feet are off, and a picture with a cue sheet's way") {
    const support::TemporaryFolder folder;
    const std::string picture = (folder / "map.png").string();
    const Finished mapped =
        gait_tool({"map", document, "moving", "-o", picture, "--cues", "demo/round.cues.yaml", "--samples", "5"});
    CAPTURE(mapped.err);
    CHECK(mapped.code == 0);
    CHECK_THAT(mapped.out, Catch::Contains("stroll_right          90.00 deg  0.77 m/s"));
    CHECK_THAT(mapped.out, Catch::Contains("speed by the feet"));
    CHECK(support::read(picture).substr(1, 3) == "PNG");
    const json told = json::parse(gait_tool({"map", document, "moving", "--samples", "4", "--json"}).out);
    CHECK(told["points"].size() == 18);
    CHECK(told["measured"].size() > 5);
    for (const auto& sample : told["measured"]) {
        CHECK(sample["got"]["speed_m_per_s"].get<double>() ==
              Approx(sample["asked"]["speed_m_per_s"].get<double>()).epsilon(0.03));
    }
    CHECK(gait_tool({"map", document, "movin"}).err == "gait: no state 'movin'; did you mean 'moving'?\n");
    CHECK(gait_tool({"map", document, "turning_left"}).code == 2);
    CHECK_THAT(gait_tool({"map", document, "turning_left"}).err, Catch::Contains("plays no blend space"));
}

TEST_CASE("a film along the path shows the way from above, still and moving") {
    const support::TemporaryFolder folder;
    for (const auto& [name, begins] :
         {std::pair<std::string, std::string>{"w.png", "\x89PNG"}, {"w.svg", "<?xml"}, {"w.gif", "GIF89a"}}) {
        const std::string path = (folder / name).string();
        const Finished filmed = gait_tool({"perform", document, "--cues", "demo/round.cues.yaml", "--seconds", "8",
                                           "--film", path, "--view", "path"});
        CAPTURE(name, filmed.err);
        CHECK(filmed.code == 0);
        CHECK(support::read(path).substr(0, begins.size()) == begins);
    }
}

TEST_CASE("from a folder of clips to a walking character in one command") {
    const support::TemporaryFolder folder;
    const std::string first = (folder / "first.gait.yaml").string();
    const Finished begun = gait_tool({"begin", "demo/lamplighter.glb", "-o", first});
    CAPTURE(begun.err);
    REQUIRE(begun.code == 0);
    for (const char* said :
         {"stand                     stands     still                   both feet stay down; 33 others begin or end as "
          "it stands",
          "stroll_right              gait       moving                  0.77 m/s 90 deg to the right",
          "hop_start                 take-off   air.take_off", "stroll_start_left         start      setting_off",
          "stroll_stop_right         stop       stopping_right", "wave                      gesture    one_shots",
          "turn_left                 turn       turning_left            turns 90 deg to the left",
          "lean_left                 pose       leaning                 a pose: to the left",
          "crouch                    low gait   crouching               0.90 m/s ahead, with bent legs"}) {
        CHECK_THAT(begun.out, Catch::Contains(said));
    }
    const Finished checked = gait_tool({"check", first});
    CHECK(checked.err.empty());
    CHECK_THAT(checked.out, Catch::Contains("no errors"));
    // It walks, turns aside, hops, waves and stops, within the bounds.
    const std::string cues = folder.write(
        "first.cues.yaml",
        "seconds: 22\nbody: {speed: speed, heading: heading}\ncues:\n"
        "  - {at: 1, send: set_off, set: {speed: 1.4}}\n  - {at: 4, set: {speed: 4.2}}\n  - {at: 6, set: {heading: "
        "120, "
        "speed: 1.2}}\n  - {at: 8, set: {heading: 0, speed: 1.4}}\n  - {at: 9, set: {stopping: yes}}\n  - {at: 10.3, "
        "set: "
        "{speed: 0, stopping: no}}\n  - {at: 12, send: wave}\n  - {at: 15, send: jump}\n  - {at: 15.4, set: "
        "{airborne: "
        "yes}}\n  - {at: 16, set: {airborne: no}}\n  - {at: 18, set: {aside: 80}}\n  - {at: 18.3, set: {aside: 0}}\n");
    const json played = json::parse(gait_tool({"perform", first, "--cues", cues, "--json"}).out);
    CHECK(played["within_bounds"] == true);
    for (const char* state :
         {"body.setting_off", "body.moving", "once_right_arm.wave", "body.air", "body.landing", "body.turning_right"}) {
        CAPTURE(state);
        CHECK(played["seconds_in_state"][state].get<double>() > 0.3);
    }
    // What is there already is not lost.
    const Finished again = gait_tool({"begin", "demo/lamplighter.glb", "-o", first});
    CHECK(again.code == 2);
    CHECK_THAT(again.err, Catch::Contains("is there already"));
    CHECK(gait_tool({"begin", "/nowhere.glb", "-o", (folder / "b.gait.yaml").string()}).code == 2);
}

TEST_CASE("clips of another rig are fitted as they are begun with") {
    const support::TemporaryFolder folder;
    const std::string first = (folder / "his.gait.yaml").string();
    const Finished begun = gait_tool({"begin", "demo/lamplighter.glb", "demo/harbour_master.glb", "-o", first});
    CAPTURE(begun.err);
    CHECK_THAT(begun.out, Catch::Contains("amble"));
    CHECK_THAT(support::read(first), Catch::Contains("rig: "));
}

TEST_CASE("a mask is shown on the body, at rest from four sides or in a clip, and a film by layers") {
    const support::TemporaryFolder folder;
    // Fills of a green kind: what counts in a mask, or moves by the second layer. Her own two sides have none.
    const auto tinted = [](const std::string& path) {
        const std::string svg = support::read(path);
        int count = 0;
        for (std::size_t at = svg.find("fill:rgb("); at != std::string::npos; at = svg.find("fill:rgb(", at + 1)) {
            double red = 0, green = 0, blue = 0;
            const int read = std::sscanf(svg.c_str() + at, "fill:rgb(%lf%%,%lf%%,%lf%%", &red, &green, &blue);
            if (read == 3 && green > 1.5 * red && green > blue) { ++count; }
        }
        return count;
    };
    const auto film = [&](std::vector<std::string> arguments, const std::string& name) {
        const std::string path = (folder / name).string();
        arguments.insert(arguments.end(), {"--film", path});
        const Finished made = gait_tool(arguments);
        CAPTURE(name, made.err);
        CHECK(made.code == 0);
        return tinted(path);
    };
    const std::string rig = "demo/lamplighter.glb";
    const int trunk = film({"clips", rig, "--mask", std::string(document) + ":trunk"}, "trunk.svg");
    const int arm = film({"clips", rig, "--mask", std::string(document) + ":right_arm"}, "arm.svg");
    CHECK(arm > 50);
    CHECK(trunk > 2 * arm);
    CHECK(film({"clips", rig, "--clip", "stroll", "--mask", std::string(document) + ":trunk"}, "stroll.svg") > trunk);
    CHECK(film({"clips", rig, "--clip", "stroll"}, "plain.svg") == 0);
    const std::vector<std::string> played{"perform", document, "--cues", "demo/evening.cues.yaml", "--seconds", "30"};
    auto by_layers = played, by_mask = played;
    by_layers.insert(by_layers.end(), {"--tint", "layers"});
    by_mask.insert(by_mask.end(), {"--tint", "trunk"});
    CHECK(film(played, "evening.svg") == 0);
    const int in_layers = film(by_layers, "layers.svg");
    CHECK(in_layers > 50);
    CHECK(film(by_mask, "mask.svg") > in_layers);

    // A stretch of it alone: she lights a lamp then, and before that her arms are free.
    auto part = by_layers, before = by_layers;
    part.insert(part.end(), {"--film-from", "26.5", "--film-to", "28"});
    before.insert(before.end(), {"--film-from", "19", "--film-to", "24"});
    CHECK(film(part, "part.svg") > 2 * in_layers);
    CHECK_THAT(support::read(folder / "part.svg"), Catch::Contains("<svg"));
    CHECK(film(before, "before.svg") == 1); // the key
    auto beyond = by_layers;
    beyond.insert(beyond.end(), {"--film-from", "40", "--film", (folder / "beyond.png").string()});
    const Finished nothing = gait_tool(beyond);
    CHECK(nothing.code == 2);
    CHECK_THAT(nothing.err, Catch::Contains("nothing is played from 40 s on; it lasts 30 s"));
    CHECK_FALSE(std::filesystem::exists(folder / "beyond.png"));

    const std::string path = (folder / "none.png").string();
    const Finished unknown = gait_tool({"perform", document, "--film", path, "--tint", "trunc"});
    CHECK(unknown.code == 2);
    CHECK_THAT(unknown.err, Catch::Contains("no mask 'trunc'; did you mean 'trunk'?"));
    const Finished view =
        gait_tool({"clips", rig, "--mask", std::string(document) + ":trunk", "--view", "side", "--film", path});
    CHECK(view.code == 2);
    CHECK_THAT(view.err, Catch::Contains("shown from four sides"));
    CHECK_FALSE(std::filesystem::exists(path));
}

TEST_CASE("what cannot be done is one line that says why, with exit code 2, whatever the command") {
    const support::TemporaryFolder folder;
    const std::string rig = "demo/lamplighter.glb", first = (folder / "first.gait.yaml").string();
    const auto refused = [](const std::vector<std::string>& arguments) {
        const Finished result = gait_tool(arguments);
        CAPTURE(arguments);
        CHECK(result.code == 2);
        CHECK(result.out.empty());
        CHECK(lines(result.err) == 1);
        return result.err;
    };
    CHECK_THAT(refused({"clips", rig, "--mask", "trunk"}),
               Catch::Contains("--mask takes DOCUMENT:NAME, such as lamplighter.gait.yaml:trunk; found 'trunk'"));
    CHECK_THAT(refused({"perform", document, "--seconds", "80000", "--fps", "1000"}),
               Catch::Contains("80000 seconds at 1000 frames a second are too many frames;"));
    CHECK_THAT(
        refused({"perform", document, "--seconds", "1990", "--fps", "1000", "--bake", (folder / "hours.bvh").string()}),
        Catch::Contains("GB of the 4 that are possible"));
    const std::string day = folder.write("day.cues.yaml", "seconds: 86400\ncues:\n  - {at: 1, set: {speed: 1}}\n");
    CHECK_THAT(refused({"map", document, "moving", "--cues", day}),
               Catch::Contains("86400 seconds at 60 frames a second are too many frames"));
    CHECK_THAT(refused({"perform", document, "--set", "hands=umbrella"}),
               Catch::Contains("'hands' is one of free, lantern"));
    CHECK_THAT(refused({"begin", rig, "-o", "/nowhere/first.gait.yaml"}),
               Catch::Contains("/nowhere/first.gait.yaml cannot be written: no such file or directory"));
    // A body without a motion: as a bake of nothing but the rest pose, its animation taken out.
    const std::string bones = folder.write("bones.gltf", R"({"asset": {"version": "2.0"}, "scene": 0,
        "scenes": [{"nodes": [0]}], "nodes": [{"name": "hips", "children": [1]}, {"name": "head", "translation": [0, 1, 0]}],
        "skins": [{"joints": [0, 1]}]})");
    CHECK_THAT(refused({"begin", bones, "-o", first}),
               Catch::Contains("holds no animation; name the files that hold the clips after it"));
    CHECK_FALSE(std::filesystem::exists(first));
}

TEST_CASE("begin tells as JSON what it made of each clip") {
    const support::TemporaryFolder folder;
    const std::string first = (folder / "first.gait.yaml").string();
    const Finished begun = gait_tool({"begin", "demo/lamplighter.glb", "-o", first, "--json"});
    REQUIRE(begun.code == 0);
    const json told = json::parse(begun.out);
    CHECK(told["document"] == first);
    REQUIRE(told["clips"].size() == 89);
    CHECK(told["clips"][0]["clip"] == "stand");
    CHECK(told["clips"][0]["role"] == "stands");
}

TEST_CASE("a choice is set by its word, and what it leads to is told") {
    const json sheltering =
        json::parse(gait_tool({"perform", document, "--set", "hands=lantern", "--seconds", "2", "--json"}).out);
    const json free =
        json::parse(gait_tool({"perform", document, "--set", "hands=free", "--seconds", "2", "--json"}).out);
    CHECK(sheltering["transitions"].size() + sheltering["seconds_in_state"].size() >
          free["transitions"].size() + free["seconds_in_state"].size());
}

TEST_CASE("no length is told as less than nothing") {
    CHECK_THAT(gait_tool({"clips", "demo/lamplighter.glb"}).out, !Catch::Contains("-0.0"));
}

TEST_CASE("what a rig from BVH plays is baked as a skeleton, which can be imported again") {
    const support::TemporaryFolder folder;
    const std::string take = (folder / "take.bvh").string(), bones = (folder / "bones.glb").string();
    REQUIRE(gait_tool({"perform", "demo/crossing.gait.yaml", "--seconds", "2", "--bake", take}).code == 0);
    const std::string text =
        folder.write("take.gait.yaml",
                     "gait: 1\nrig: take.bvh\nclips: {take: {loop: yes}}\nlayers: [{name: body, machine: {start: s, "
                     "states: {s: {play: take}}}}]\n");
    const Finished baked = gait_tool({"perform", text, "--seconds", "1", "--bake", bones});
    CAPTURE(baked.err);
    REQUIRE(baked.code == 0);
    const Finished read = gait_tool({"clips", bones, "--json"});
    CAPTURE(read.err);
    REQUIRE(read.code == 0);
    CHECK_THAT(read.out, Catch::Contains("\"bones\""));
    CHECK_THAT(gait_tool({"clips", bones}).out, Catch::Contains("45 joints") && Catch::Contains("1 clip"));
}

TEST_CASE("what a performance was is told: how long it faded, what it played, marks, spans and values") {
    const support::TemporaryFolder folder;
    const std::string trace = (folder / "evening.csv").string();
    const Finished played =
        gait_tool({"perform", document, "--cues", "demo/evening.cues.yaml", "--json", "--trace", trace});
    REQUIRE(played.code == 0);
    const json told = json::parse(played.out);
    std::set<std::string> landings, events;
    for (const json& transition : told["transitions"]) {
        // A fade by an expression lasted what it lasted.
        CHECK(transition["fade_s"].get<double>() >= 0);
        if (transition["to"] == "legs.still" && transition["because"] == "speed < stop_at") {
            CHECK(transition["fade_s"].get<double>() >= 0.3);
        }
        if (transition["to"] == "legs.landing") { landings.insert(transition["plays"][0].get<std::string>()); }
    }
    CHECK(landings == std::set<std::string>{"land_hard", "land_roll", "land_soft"}); // as was chosen on the way in
    for (const json& event : told["events"]) { events.insert(event["event"].get<std::string>()); }
    for (const char* event : {"left_down", "feet_off", "may_turn begins", "may_turn ends"}) {
        CHECK(events.contains(event));
    }
    CHECK(told["values_at_the_end"]["may_hop"] == "yes");
    const std::string rows = support::read(trace);
    const std::string heading = rows.substr(0, rows.find('\n'));
    CHECK_THAT(heading, Catch::Contains(",gives_top_speed,gives_may_hop,gives_grip,events,place_x_m"));
    CHECK_THAT(rows, Catch::Contains("|right_down,") || Catch::Contains(",right_down,"));
    CHECK_THAT(rows, Catch::Contains(",closed,"));
}

TEST_CASE("values, marks and signals have lanes in a chart, and why says what the states give") {
    const support::TemporaryFolder folder;
    const std::string chart = (folder / "evening.svg").string();
    REQUIRE(gait_tool({"perform", document, "--cues", "demo/evening.cues.yaml", "--chart", chart}).code == 0);
    const std::string drawn = support::read(chart);
    for (const char* lane :
         {"gives may_hop, no to yes", "gives grip, open to closed", ">marks<", ">signals<", ">bell<"}) {
        CHECK_THAT(drawn, Catch::Contains(lane));
    }
    CHECK_THAT(gait_tool({"perform", document, "--set", "speed=0.08", "--why"}).out,
               Catch::Contains("it gives: top_speed = 6, may_hop = yes, grip = open\n"));
}

TEST_CASE("a moving film has fifty pictures a second, and shows a second as long as it is asked to") {
    const support::TemporaryFolder folder;
    for (const auto& [slow, pictures] : {std::pair{"1", 50}, {"3", 150}}) {
        const std::string film = (folder / "stroll.gif").string();
        REQUIRE(gait_tool({"clips", "demo/lamplighter.glb", "--clip", "stroll", "--film", film, "--slow", slow}).code ==
                0);
        const std::string bytes = support::read(film);
        int count = 0, hundredths = 0;
        for (std::size_t at = bytes.find("\x21\xF9\x04"); at != std::string::npos;
             at = bytes.find("\x21\xF9\x04", at + 8)) {
            const int delay =
                static_cast<unsigned char>(bytes[at + 4]) + 256 * static_cast<unsigned char>(bytes[at + 5]);
            if (bytes[at + 7] != 0 || delay == 0 || delay > 10) { continue; } // by chance inside a picture
            ++count, hundredths += delay;
        }
        CHECK(count == pictures);
        CHECK(hundredths == 2 * pictures);
    }
}

TEST_CASE("what an option or a command should have been is said in words") {
    const auto said = [](const std::vector<std::string>& arguments) {
        const Finished done = gait_tool(arguments);
        CHECK(done.code == 2);
        return done.err;
    };
    CHECK(said({"perform", document, "--film", "x.png", "--view", "front"}) ==
          "gait: --view: one of three-quarters, side, above, path is wanted; found 'front'; 'gait --help' lists what "
          "there "
          "is\n");
    CHECK(said({"chek", document}) == "gait: there is no command 'chek'; did you mean 'check'?\n");
    CHECK_THAT(said({}), Catch::Contains("a command is wanted: begin, clips, check, perform"));
    CHECK_THAT(said({"clips", "demo/lamplighter.glb", "--up", "w"}),
               Catch::Contains("one of x, y, z, -x, -y, -z is wanted"));
    CHECK_THAT(said({"perform", document, "--film", "x.gif", "--slow", "0"}),
               Catch::Contains("a number from 1 to 20 is wanted"));
}

TEST_CASE("what frames take is told by states, by parts left out, and for the dearest ones") {
    const Finished told = gait_tool({"perform", document, "--cues", cues, "--seconds", "12", "--cost", "--json"});
    CAPTURE(told.err);
    REQUIRE(told.code == 0);
    const json cost = json::parse(told.out)["cost"];
    CHECK(cost["mean"]["pose_us"] > 0);
    CHECK(cost["mean"]["all_us"].get<double>() ==
          Approx(cost["mean"]["pose_us"].get<double>() + cost["mean"]["moving_on_us"].get<double>() +
                 cost["mean"]["feet_us"].get<double>()));
    bool moving = false, arms = false, leaning = false;
    for (const json& state : cost["states"]) { moving = moving || state["state"] == "legs.moving"; }
    for (const json& part : cost["parts"]) {
        arms = arms || part["without"] == "layer arms";
        leaning = leaning || part["without"] == "what is added in motion leaning";
    }
    CHECK((moving && arms && leaning));
    REQUIRE(cost["dearest"].size() == 5);
    CHECK(cost["dearest"][0]["all_us"] >= cost["dearest"][4]["all_us"]);
    const Finished text = gait_tool({"perform", document, "--set", "speed=1.4", "--seconds", "2", "--cost"});
    CHECK(text.code == 0);
    CHECK_THAT(text.out, Catch::Contains("a frame takes") && Catch::Contains("planted feet") &&
                             Catch::Contains("legs.moving") && Catch::Contains("legs.still to moving"));
}
