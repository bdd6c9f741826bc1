// What is said of conditions that never hold or that two states' ways share, where they ask for more than parameters.
#include "gait/inspect.hpp"
#include "gait/load.hpp"
#include "machine_support.hpp"

#include <catch2/catch.hpp>

using namespace gait;

namespace {

/// What is remarked on the conditions of two layers: legs that go from `a` to `b` and back, and arms.
std::string remarks(const std::string& there, const std::string& back, const std::string& arms = "not wet") {
    const std::string text =
        "gait: 1\nrig: r.glb\nmasks: {top: {from: joint_1}}\nclips: {low: {loop: yes}, side: {}}\n"
        "parameters:\n  {wet: {kind: flag}, speed: {kind: number, range: [0, 6]}, hands: {kind: choice, of: [free, "
        "full]},\n   twice: {kind: number, range: [0, 12], from: speed * 2}}\n"
        "layers:\n  - name: legs\n    machine:\n      start: a\n      states:\n        a: {play: low, go: [{to: b, "
        "when: \"" +
        there + "\"}]}\n        b: {play: low, go: [{to: a, when: \"" + back +
        "\"}]}\n  - name: arms\n    mask: top\n    machine:\n      start: c\n      states:\n"
        "        c: {play: low, go: [{to: d, when: wet and speed > 0 and hands == full and twice > 1}]}\n"
        "        d: {play: low, go: [{to: c, when: \"" +
        arms + "\"}]}\n";
    const DocumentRead read = read_document_text(text, "t.gait.yaml");
    const Assets assets = support::machine_assets();
    const Compiled compiled = compile(read.document, assets);
    INFO(format(read.diagnostics) << format(compiled.diagnostics));
    REQUIRE(compiled.character);
    return format(inspect(read.document, assets, compiled.character.get()));
}

constexpr const char* never = "never holds; change the condition or the range [never-holds]";

} // namespace

TEST_CASE("what is asked of another layer's state may be any number, and is not said never to hold") {
    CHECK(remarks("arms.elapsed > 9 and wet", "arms.elapsed < 2 and not wet").empty());
    CHECK(remarks("arms.left < 0.3 and wet", "arms.phase > 0.5 and not wet").empty());
    CHECK(remarks("arms.loops >= 3 and wet", "not arms.ended and not wet").empty());
    CHECK(remarks("arms is d and wet", "arms is c and not wet").empty());
    CHECK_THAT(remarks("arms.loops < -1", "wet"), Catch::Contains(never));
    CHECK_THAT(remarks("arms is d and not (arms is d)", "wet"), Catch::Contains(never));
}

TEST_CASE("what a state asks of itself may be any time, loop or phase, and no more than that") {
    CHECK(remarks("state.elapsed > 3 and wet", "state.phase < 0.2 and not wet").empty());
    CHECK(remarks("state.loops >= 2 and wet", "state.elapsed > 1 and not wet").empty());
    CHECK_THAT(remarks("state.elapsed < -1", "wet"), Catch::Contains(never));
    CHECK_THAT(remarks("state.loops < 0 and wet", "not wet"), Catch::Contains(never));
}

TEST_CASE("a computed parameter moves with those it is computed from") {
    CHECK(remarks("twice > 9 and speed > 4", "twice < 8").empty());
    // Where both ways hold at once she goes to and fro, and the remark says where.
    const std::string text = remarks("twice > 4", "twice > 3");
    CHECK_THAT(text, Catch::Contains("both hold at speed = 2.00") && Catch::Contains("[flutter]"));
}
