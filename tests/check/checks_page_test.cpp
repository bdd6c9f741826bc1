// Runs the examples of docs/checks.md: each wrong one gets its remark, each right one none.
#include "gait/load.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <sstream>

using namespace gait;

namespace {

struct Example {
    std::string code, wrong, right;
};

struct Page {
    std::string beginning;
    std::vector<Example> examples;
};

Page read_page() {
    Page page;
    std::istringstream lines(support::read(support::project() / "docs/checks.md"));
    bool inside = false;
    std::string block;
    for (std::string line; std::getline(lines, line);) {
        if (line.starts_with("## `")) { page.examples.push_back({line.substr(4, line.size() - 5), {}, {}}); }
        if (line == "```yaml") {
            inside = true;
            block.clear();
        } else if (line == "```") {
            inside = false;
            if (page.examples.empty()) {
                page.beginning = block;
            } else {
                Example& example = page.examples.back();
                (example.wrong.empty() ? example.wrong : example.right) = block;
            }
        } else if (inside) {
            block += line + "\n";
        }
    }
    return page;
}

/// All findings about a document in the demo's folder, with a sheet that sends `greet` and sets nothing.
Diagnostics findings(const std::string& text, bool with_sheet) {
    DocumentRead read = read_document_text(text, (support::project() / "demo/example.gait.yaml").string());
    Diagnostics all = read.diagnostics;
    const AssetsRead assets = load_assets(read.document);
    const Compiled compiled = compile(read.document, assets.assets);
    all.insert(all.end(), assets.diagnostics.begin(), assets.diagnostics.end());
    all.insert(all.end(), compiled.diagnostics.begin(), compiled.diagnostics.end());
    std::vector<CueSheet> sheets;
    if (with_sheet) { sheets.push_back(read_cue_sheet_text("cues: [{at: 1, send: greet}]", "greet.cues.yaml").sheet); }
    const Diagnostics remarks = inspect(read.document, assets.assets, compiled.character.get(), sheets);
    all.insert(all.end(), remarks.begin(), remarks.end());
    return all;
}

} // namespace

TEST_CASE("each wrong example of the page of checks gets its remark, each right one none") {
    const Page page = read_page();
    REQUIRE(page.examples.size() >= 16);
    for (const Example& example : page.examples) {
        CAPTURE(example.code);
        REQUIRE_FALSE(example.right.empty());
        const bool with_sheet = example.code == "unsent-signal" || example.code == "unset-parameter";
        const Diagnostics wrong = findings(page.beginning + example.wrong, with_sheet);
        CAPTURE(format(wrong));
        REQUIRE(wrong.size() == 1);
        CHECK(wrong[0].code == example.code);
        CHECK(wrong[0].place.line > 0);
        const Diagnostics right = findings(page.beginning + example.right, with_sheet);
        CAPTURE(format(right));
        CHECK(right.empty());
    }
}

TEST_CASE("remarks show the values at which a machine goes to and fro") {
    const Page page = read_page();
    const auto said = [&](const std::string& states) {
        return format(
            findings(page.beginning +
                         "parameters: {speed: {kind: number, range: [0, 6]}, wet: {kind: flag}, at: {kind: number, "
                         "default: 2, tune: yes}}\nlayers: [{name: body, machine: {start: a, states: {" +
                         states + "}}}]\n",
                     false));
    };
    CHECK_THAT(
        said(
            "a: {play: stand, go: [{to: b, when: speed > 1}]}, b: {play: run, go: [{to: a, when: wet or speed < at}]}"),
        Catch::Contains(
            "'a' leads to 'b' when 'speed > 1' and back when 'wet or speed < at'; both hold at speed = 1.002"));
    CHECK_THAT(said("a: {play: stand, go: [{to: b, when: speed >= at and wet}]}, b: {play: run, go: [{to: a, when: "
                    "speed < at}]}"),
               Catch::Contains("they meet at speed = 2, so a number that trembles there"));
    CHECK_THAT(said("a: {play: stand, go: [{to: b, when: speed > 3 and speed < at and wet}]}, b: {play: run, go: [{to: "
                    "a, when: not wet}]}"),
               Catch::Contains("'speed > 3 and speed < at and wet' never holds: 'speed' ranges from 0 to 6"));
    // Conditions that take time, or wait for something, do not flutter.
    CHECK(said("a: {play: stand, go: [{to: b, when: wet or speed > at, after: 0.5}]}, b: {play: run, go: [{to: a, "
               "when: wet or speed < 3}]}")
              .empty());
    // Nor do flags that are each other's opposite.
    CHECK(
        said("a: {play: stand, go: [{to: b, when: wet and speed > at}]}, b: {play: run, go: [{to: a, when: not wet}]}")
            .empty());
}

TEST_CASE("what a cue sheet leaves alone is named, behind computed parameters too, and what its body goes by is used") {
    const support::TemporaryFolder folder;
    const std::string document = folder.write(
        "a.gait.yaml",
        "gait: 1\nrig: " + (support::project() / "demo/lamplighter.glb").string() +
            "\nclips: {stand: {loop: yes}, stroll: {loop: yes}}\nparameters:\n  speed: {kind: number, range: [0, "
            "1.5]}\n"
            "  heading: {kind: angle}\n  turn: {kind: number, range: [-1, 1]}\n  wet: {kind: flag}\n"
            "  hands: {kind: choice, of: [free, full]}\n  fall: {kind: number}\n"
            "  impact: {kind: number, remember: fall, while: fall > 1}\nlayers:\n  - name: body\n    machine:\n"
            "      start: s\n      states:\n"
            "        s: {play: stand, go: [{to: m, when: speed > 0.3 and not wet and hands == free, fade: 0.3}]}\n"
            "        m: {play: {blend: speed, points: [stand, stroll]}, go: [{to: s, when: speed < 0.2 and impact < 3, "
            "fade: 0.3}]}\n");
    const std::string sheet = folder.write("a.cues.yaml", "seconds: 3\nbody: {speed: speed, heading: heading, turn: "
                                                          "turn}\ncues: [{at: 1, set: {speed: 1}}]\n");
    const std::string told = support::gait_tool({"check", document, "--cues", sheet}).err;
    CAPTURE(told);
    for (const char* name : {"wet", "hands", "fall", "heading", "turn"}) {
        CHECK(told.find(std::string("no cue sets '") + name + "'") != std::string::npos);
    }
    CHECK(told.find("'impact'") == std::string::npos);
    CHECK(told.find("nothing looks at") == std::string::npos);
    const std::string alone = support::gait_tool({"check", document}).err;
    CHECK(alone.find("no cue sets") == std::string::npos);
    CHECK(alone.find("nothing looks at 'heading'") != std::string::npos);
}
