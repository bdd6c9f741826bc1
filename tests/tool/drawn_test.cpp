// What the tool draws and tells of documents that the lamplighter's own are not: spaces on one parameter, states that
// mix, pick and add, bodies without a skin and ways that lead far.
#include "support.hpp"

#include <catch2/catch.hpp>
#include <fmt/core.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cstdlib>

using nlohmann::json;
using support::Finished;
using support::gait_tool;

namespace {

/// A document that plays in every way a state can.
std::string every_way(const support::TemporaryFolder& folder) {
    const std::string rig = (support::project() / "demo/lamplighter.glb").string();
    return folder.write("ways.gait.yaml", "gait: 1\nrig: " + rig + R"doc(
clips:
  {stand: {loop: yes}, stroll: {loop: yes}, trot: {loop: yes}, run: {loop: yes}, wave: {}, look_out: {}, lean_left: {}}
parameters:
  {speed: {kind: number, range: [0, 6], unit: m/s}, pace: {kind: number, range: [0, 1]}, way: {kind: angle}}
motions: {"going(one, other)": {blend: pace, points: {0: one, 1: other}}}
machines:
  "wait(what)":
    start: a
    states:
      a: {play: what, go: {to: b, when: pace > 0.9}}
      b: {play: {pick: {order: in turn, between: stand, of: [look_out, wave]}}, go: {to: a, when: speed > 1}}
layers:
  - name: body
    machine:
      start: still
      states:
        still: {play: {pick: {of: [stand, look_out]}}, go: {to: moving, when: speed > 0.1}}
        moving:
          play: {blend: speed, points: {0: stand, 1.4: stroll, 2.6: trot, 4.2: run}}
          go: [{to: mixed, when: pace > 0.5}, {to: between, when: speed < 0.1}]
        mixed: {play: {mix: [stroll, {play: wave, weight: pace}]}, go: {to: turning, when: speed > 3}}
        turning: {play: {blend: way, points: {0: stroll, 90: trot, 180: run}}, go: {to: leaning, when: speed > 4}}
        leaning: {play: {add: lean_left, to: stroll, weight: pace}, go: {to: handed, when: speed > 4.5}}
        handed: {play: "going(stroll, trot)", go: {to: drawn, when: speed > 5}}
        drawn: {play: {pick: {order: random, of: [look_out, wave]}}, go: {to: between, when: speed > 5.5}}
        between: {machine: "wait(stand)", go: {to: still, when: speed < 0.05}}
)doc");
}

struct Box {
    double left = 1e9, right = -1e9, top = 1e9, bottom = -1e9;
};

/// What each path of a picture spans, where it is a body's: filled, and outlined or not.
std::vector<Box> limbs_of(const std::string& svg) {
    std::vector<Box> boxes;
    for (std::size_t at = svg.find(" d=\""); at != std::string::npos; at = svg.find(" d=\"", at + 1)) {
        const std::string path = svg.substr(at + 4, svg.find('"', at + 4) - at - 4);
        if (path.find('C') == std::string::npos) { continue; } // a limb is round
        Box box;
        bool across = true;
        const char* here = path.c_str();
        while (*here != '\0') {
            char* end = nullptr;
            const double number = std::strtod(here, &end);
            if (end == here) {
                ++here;
                continue;
            }
            here = end;
            (across ? box.left : box.top) = std::min(across ? box.left : box.top, number);
            (across ? box.right : box.bottom) = std::max(across ? box.right : box.bottom, number);
            across = !across;
        }
        boxes.push_back(box);
    }
    return boxes;
}

/// The round, baked without its skin.
std::string baked_round(const support::TemporaryFolder& folder, const std::string& seconds) {
    const std::string path = (folder / "round.bvh").string();
    const Finished baked = gait_tool({"perform", "demo/lamplighter.gait.yaml", "--cues", "demo/round.cues.yaml",
                                      "--seconds", seconds, "--bake", path, "--quiet"});
    INFO(baked.err);
    REQUIRE(baked.code == 0);
    return path;
}

} // namespace

TEST_CASE("a space on one parameter is mapped with each point's share and what the feet do, within its range") {
    const support::TemporaryFolder folder;
    const std::string ways = every_way(folder), picture = (folder / "moving.svg").string();
    const Finished mapped = gait_tool({"map", ways, "moving", "-o", picture, "--samples", "4"});
    INFO(mapped.err);
    REQUIRE(mapped.code == 0);
    CHECK_THAT(mapped.out, Catch::Contains("  stroll  1.40 m/s\n"));
    CHECK_THAT(mapped.out, Catch::Contains("speed by the feet"));
    const std::string svg = support::read(picture);
    for (const char* word : {"4 points by speed", "share of each point", "speed (m/s)", "what the feet do", "stroll"}) {
        CHECK_THAT(svg, Catch::Contains(word));
    }
    // Nobody goes at less than nothing.
    CHECK_THAT(svg, !Catch::Contains("-0.5<"));
    const json told = json::parse(gait_tool({"map", ways, "moving", "--samples", "4", "--json"}).out);
    REQUIRE(told["points"].size() == 4);
    CHECK(told["points"][3]["clips"][0] == "run");
    CHECK(told["measured"].size() > 8);
}

TEST_CASE("a space on an angle is drawn all the way round, and one without a unit has none") {
    const support::TemporaryFolder folder;
    const std::string ways = every_way(folder);
    const auto drawn = [&](const std::string& state) {
        const std::string picture = (folder / (state + ".svg")).string();
        const Finished mapped = gait_tool({"map", ways, state, "-o", picture});
        INFO(mapped.err);
        REQUIRE(mapped.code == 0);
        CHECK_THAT(mapped.out, !Catch::Contains("by the feet"));
        return support::read(picture);
    };
    const std::string turning = drawn("turning");
    for (const char* word : {"way (deg)", "-180", "-135", " 180<"}) { CHECK_THAT(turning, Catch::Contains(word)); }
    const std::string handed = drawn("handed");
    CHECK_THAT(handed, Catch::Contains("2 points by pace"));
    CHECK_THAT(handed, !Catch::Contains("pace ("));
}

TEST_CASE("what cannot be mapped is said, and why") {
    const support::TemporaryFolder folder;
    const std::string ways = every_way(folder);
    const Finished mixed = gait_tool({"map", ways, "mixed"});
    CHECK(mixed.code == 2);
    CHECK(mixed.err == "gait: state 'mixed' plays no blend space; name one that does\n");
    const Finished nowhere = gait_tool({"map", ways, "moving", "-o", "/nowhere/moving.png", "--samples", "2"});
    CHECK(nowhere.code == 2);
    CHECK_THAT(nowhere.err, Catch::StartsWith("gait: /nowhere/moving.png "));
    CHECK(gait_tool({"map", ways, "moving", "-o", "moving.txt"}).code == 2);
    const std::string handed = folder.write(
        "handed.gait.yaml",
        "gait: 1\nrig: " + (support::project() / "demo/lamplighter.glb").string() +
            "\nclips: {stroll: {loop: yes}, trot: {loop: yes}}\nparameters: {speed: {kind: number, range: [0, "
            "6]}}\n"
            "machines: {\"go(one, other)\": {start: s, states: {s: {play: {blend: speed, points: {0: one, 1: "
            "other}}}}}}\n"
            "layers: [{name: body, machine: {start: w, states: {w: {machine: \"go(stroll, trot)\"}}}}]\n");
    const Finished hangs = gait_tool({"map", handed, "w.s"});
    CHECK(hangs.code == 2);
    CHECK_THAT(hangs.err, Catch::Contains("stands in a machine that takes arguments, and its space hangs on them"));
}

TEST_CASE("a sketch says what each state plays, however it plays it") {
    const support::TemporaryFolder folder;
    const std::string ways = every_way(folder), dot = (folder / "ways.dot").string();
    const Finished drawn = gait_tool({"sketch", ways, "-o", dot});
    INFO(drawn.err);
    REQUIRE(drawn.code == 0);
    const std::string text = support::read(dot);
    for (const char* said : {"dealt:\\nstand, look_out", "by speed:\\n0 stand, 1.4 stroll,\\n2.6 trot, 4.2 run",
                             "mixed:\\nstroll, wave by pace", "by way:\\n0 stroll, 90 trot, 180 run",
                             "stroll\\nwith lean_left added", "going(stroll, trot)", "at random:\\nlook_out, wave",
                             "between: wait(stand)", "in turn:\\nlook_out, wave\\nbetween: stand"}) {
        CHECK_THAT(text, Catch::Contains(said));
    }
}

TEST_CASE("a body without a skin is filmed as limbs, each at its joint and none drawn to where it set out from") {
    const support::TemporaryFolder folder;
    const std::string bvh = baked_round(folder, "20");
    for (const char* view : {"side", "three-quarters"}) {
        const std::string picture = (folder / "bones.svg").string();
        const Finished filmed =
            gait_tool({"clips", bvh, "--clip", "round", "--film", picture, "--view", view, "--quiet"});
        INFO(filmed.err);
        REQUIRE(filmed.code == 0);
        const std::vector<Box> limbs = limbs_of(support::read(picture));
        // Eleven bodies, and an end over a start, of more than thirty limbs each.
        REQUIRE(limbs.size() > 12 * 30);
        double widest = 0, tallest = 0;
        for (const Box& limb : limbs) {
            widest = std::max(widest, limb.right - limb.left);
            tallest = std::max(tallest, limb.bottom - limb.top);
        }
        CAPTURE(view, widest, tallest);
        // Far as she goes, the bodies are as large as the page lets them be, and no limb is longer than a
        // thigh.
        CHECK(tallest > 60);
        CHECK(tallest < 160);
        CHECK(widest < 160);
    }
}

TEST_CASE("a long clip's strikes are told up to a number, and all of them in JSON") {
    const support::TemporaryFolder folder;
    const std::string bvh = baked_round(folder, "20");
    const Finished told = gait_tool({"clips", bvh});
    CHECK(told.code == 0);
    CHECK_THAT(told.out, Catch::Contains(" s and ") && Catch::Contains(" more  "));
    std::size_t longest = 0, line = 0;
    for (const char c : told.out) {
        line = c == '\n' ? 0 : line + 1;
        longest = std::max(longest, line);
    }
    CHECK(longest < 180);
    const json all = json::parse(gait_tool({"clips", bvh, "--json"}).out);
    CHECK(all[0]["clips"][0]["feet"][0]["contacts"].size() > 10);
}

TEST_CASE("no limb is drawn from where a body set out to where its hips have gone") {
    const support::TemporaryFolder folder;
    std::string bvh =
        "HIERARCHY\nROOT place\n{\n  OFFSET 0 0 0\n  CHANNELS 3 Zrotation Xrotation Yrotation\n  JOINT hips\n"
        "  {\n    OFFSET 0 1 0\n    CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n"
        "    JOINT chest\n    {\n      OFFSET 0 0.5 0\n      CHANNELS 3 Zrotation Xrotation Yrotation\n"
        "      End Site\n      {\n        OFFSET 0 0.2 0\n      }\n    }\n  }\n}\n"
        "MOTION\nFrames: 31\nFrame Time: 0.0333333\n";
    for (int frame = 0; frame <= 30; ++frame) { bvh += fmt::format("0 0 0 0 1 {:.4f} 0 0 0 0 0 0\n", frame * 0.2); }
    const std::string picture = (folder / "gone.svg").string();
    const Finished filmed = gait_tool(
        {"clips", folder.write("gone.bvh", bvh), "--clip", "gone", "--film", picture, "--view", "side", "--quiet"});
    INFO(filmed.err);
    REQUIRE(filmed.code == 0);
    const std::vector<Box> limbs = limbs_of(support::read(picture));
    REQUIRE(limbs.size() >= 12);
    for (const Box& limb : limbs) { CHECK(limb.right - limb.left < 160); }
}

namespace {

/// Texts that would be run, or be read as a format, a quote's end or a statement, by whatever draws them.
const std::vector<std::string>& hostile_texts() {
    static const std::vector<std::string> texts{"`touch PWNED`",
                                                "%",
                                                "%s%n 100 %",
                                                "'; system('touch PWNED'); '",
                                                "\"; system(\"touch PWNED\"); \"",
                                                "a\\nb \\\\ \\N \\G @macro",
                                                "<b>&amp;</b> ]]>",
                                                "{/Bold x}_y^z",
                                                "$(touch PWNED) $HOME",
                                                "tab\tbell\a escape\x1b[31m delete\x7f",
                                                "\xC3\xA4 \xE2\x82\xAC"};
    return texts;
}

/// In YAML's double quotes.
std::string yaml_quoted(const std::string& text) {
    std::string out = "\"";
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte < 0x20 || byte == 0x7F) {
            out += fmt::format("\\x{:02x}", byte);
        } else {
            if (c == '"' || c == '\\') { out += '\\'; }
            out += c;
        }
    }
    return out + "\"";
}

} // namespace

TEST_CASE("no text of a document, a file or a cue sheet is run or read as a format by what draws it") {
    for (const std::string& text : hostile_texts()) {
        CAPTURE(text);
        const support::TemporaryFolder folder;
        const std::string rig = (support::project() / "demo/lamplighter.glb").string(), name = yaml_quoted(text);
        // A clip's name with brackets would be a motion with arguments.
        std::string clip_text = text;
        std::erase_if(clip_text, [](char c) { return c == '(' || c == ')'; });
        const std::string clip = yaml_quoted(clip_text);
        const std::string document = folder.write(
            "evil.gait.yaml",
            "gait: 1\nrig: " + rig + "\nclips:\n  " + clip +
                ": {animation: stroll, loop: yes}\n  run: {loop: yes}\nparameters:\n  speed: {kind: number, range: [0, "
                "6], unit: " +
                name + ", note: " + name + "}\nlayers:\n  - name: " + name + "\n    machine:\n      start: " + name +
                "\n      states:\n        " + name +
                ":\n          play: {blend: speed, points: [{at: 1, play: " + clip + "}, {at: 4, play: run}]}\n");
        std::string sheet_name = text;
        std::replace(sheet_name.begin(), sheet_name.end(), '/', '_');
        const std::string sheet = folder.write(sheet_name + ".cues.yaml",
                                               "about: " + name + "\nseconds: 1\ncues: [{at: 0.2, set: {speed: 3}}]\n");
        const auto draws = [&](std::vector<std::string> arguments, const std::string& picture) {
            arguments.push_back((folder / picture).string());
            const Finished drawn = support::run(
                [&] {
                    std::vector<std::string> all{support::tool().string()};
                    all.insert(all.end(), arguments.begin(), arguments.end());
                    return all;
                }(),
                folder / "");
            CAPTURE(picture, drawn.out, drawn.err);
            CHECK(drawn.code <= 1);
            CHECK(std::filesystem::exists(folder / picture));
            CHECK_FALSE(std::filesystem::exists(folder / "PWNED"));
            for (const std::string& shown : {drawn.out, drawn.err}) {
                CHECK(std::none_of(shown.begin(), shown.end(), [](char c) {
                    return (static_cast<unsigned char>(c) < 0x20 && c != '\n') || c == 0x7F;
                }));
            }
        };
        draws({"perform", document, "--cues", sheet, "--chart"}, "chart.png");
        draws({"perform", document, "--cues", sheet, "--chart"}, "chart.svg");
        draws({"perform", document, "--cues", sheet, "--film"}, "film.png");
        if (text.find('.') == std::string::npos) { draws({"map", document, text, "-o"}, "map.png"); }
        draws({"sketch", document, "-o"}, "sketch.svg");
        CHECK_NOTHROW(json::parse(gait_tool({"perform", document, "--cues", sheet, "--json"}).out));
    }
    CHECK_FALSE(std::filesystem::exists(support::project() / "PWNED"));
}
