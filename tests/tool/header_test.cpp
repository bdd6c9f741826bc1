#include "support.hpp"

#include <catch2/catch.hpp>

using support::Finished;
using support::gait_tool;

namespace {

/// What a compiler says of a program, as strictly as games build.
Finished compiled(const support::TemporaryFolder& folder, const std::string& program) {
    return support::run({"c++", "-std=c++20", "-fsyntax-only", "-Wall", "-Wextra", "-Wpedantic", "-Wconversion",
                         "-Werror", "-I", (support::project() / "include").string(), "-I", (folder / "").string(),
                         folder.write("program.cpp", program)});
}

} // namespace

TEST_CASE("a document's names become a header in which a typo does not compile") {
    const support::TemporaryFolder folder;
    const std::string header = (folder / "lamplighter.hpp").string(), listed = (folder / "lamplighter.d").string();
    const Finished made = gait_tool({"header", "demo/lamplighter.gait.yaml", "-o", header, "--depfile", listed});
    CAPTURE(made.err);
    REQUIRE(made.code == 0);
    // What it was made from, so that a build makes it anew.
    CHECK_THAT(support::read(listed), Catch::StartsWith(header + ":") && Catch::Contains("lamplighter.gait.yaml") &&
                                          Catch::Contains("lamplighter.glb"));
    const std::string used = R"(#include "lamplighter.hpp"
#include <gait/performer.hpp>
void drive(gait::Performer& her, const Lamplighter& names) {
    her.set(names.speed, 1.4F);
    her.set(names.airborne, false);
    her.set(names.lamp, Lamplighter::word(Lamplighter::Lamp::high));
    her.send(names.hop);
    her.play_once(names.play_greet);
    if (her.is_active(names.states.legs_air_take_off)) { (void)her.get(names.gives_top_speed); }
    (void)Lamplighter::Marks::left_down;
}
)";
    const Finished right = compiled(folder, used);
    CAPTURE(right.err);
    CHECK(right.code == 0);
    for (const auto& [word, slip] : {std::pair{"names.speed", "names.sped"},
                                     {"Lamp::high", "Lamp::highest"},
                                     {"her.send(names.hop)", "her.send(names.speed)"}}) {
        std::string typed = used;
        typed.replace(typed.find(word), std::string(word).size(), slip);
        CAPTURE(slip);
        CHECK(compiled(folder, typed).code != 0);
    }
}

TEST_CASE("whatever a document's names and notes are, its header compiles") {
    const support::TemporaryFolder folder;
    // Keywords, names that become alike, letters that C++ does not have, ends of comments and of lines.
    folder.write("3 hostile-names.gait.yaml",
                 "gait: 1\nabout: \"ends here */ #error x \\\\\\n#error y ?\?/\"\nrig: " +
                     (support::project() / "demo/lamplighter.glb").string() +
                     "\nclips: {stand: {loop: yes, marks: {\"left-down\": 0.1, \"left down\": 0.2}}}\n"
                     "parameters:\n"
                     "  speed: {kind: number, range: [0, 6], unit: \"m\\\\\", note: \"a \\n#error z \\\\\"}\n"
                     "  hands: {kind: choice, of: [new, int, delete]}\n"
                     "layers:\n  - name: body\n    machine:\n      start: class\n      states:\n"
                     "        class: {play: stand, go: [{to: \"a b\", when: speed > 1, fade: 0.3}]}\n"
                     "        \"a b\": {play: stand, go: [{to: \"a-b\", when: speed > 2, fade: 0.3}]}\n"
                     "        \"a-b\": {play: stand, go: [{to: \"\xC3\xA4\", when: speed > 3, fade: 0.3}]}\n"
                     "        \"\xC3\xA4\": {play: stand, go: [{to: class, when: speed < 1, fade: 0.3}]}\n");
    const std::string header = (folder / "hostile.hpp").string();
    const Finished made = gait_tool({"header", (folder / "3 hostile-names.gait.yaml").string(), "-o", header});
    CAPTURE(made.err);
    REQUIRE(made.code == 0);
    const std::string text = support::read(header);
    CAPTURE(text);
    CHECK_THAT(text, Catch::Contains("struct N3HostileNames {") && Catch::Contains("gait::StateHandle class_;") &&
                         Catch::Contains("gait::StateHandle a_b_2;"));
    const Finished built = compiled(folder, "#include \"hostile.hpp\"\nstd::string_view word() { return "
                                            "N3HostileNames::word(N3HostileNames::Hands::new_); }\n");
    CAPTURE(built.err);
    CHECK(built.code == 0);
    CHECK(gait_tool({"header", "demo/lamplighter.gait.yaml", "--name", "2 things"}).code == 2);
    CHECK(gait_tool({"header", "demo/lamplighter.gait.yaml", "-o", "names.txt"}).code == 2);
}
