#include "gait/open.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

using nlohmann::json;
using support::Finished;
using support::gait_tool;

TEST_CASE("pack writes a document as one small file, and says what became of it") {
    const support::TemporaryFolder folder;
    const std::string out = (folder / "lamplighter.gaitpack").string(), listed = (folder / "lamplighter.d").string();
    const Finished made =
        gait_tool({"pack", "demo/lamplighter.gait.yaml", "--strip", "--report", "-o", out, "--depfile", listed});
    CAPTURE(made.out, made.err);
    REQUIRE(made.code == 0);
    CHECK_THAT(made.out, Catch::StartsWith(out + ": ") && Catch::Contains("no joint is off by more than 0.0") &&
                             Catch::Contains("stroll_back_left"));
    CHECK_THAT(support::read(listed), Catch::StartsWith(out + ":") && Catch::Contains("lamplighter.glb"));
    const std::string bytes = support::read(out);
    CHECK(bytes.size() < 300'000);
    const gait::OpenedPack opened = gait::open_file(out);
    CAPTURE(opened.problem);
    REQUIRE(opened.character);
    CHECK(opened.made_from != 0);
    // The same bytes again, and others where the document says otherwise or is told to.
    const std::string again = (folder / "again.gaitpack").string();
    CHECK(gait_tool({"pack", "demo/lamplighter.gait.yaml", "--strip", "-o", again}).code == 0);
    CHECK(support::read(again) == bytes);
    const Finished fast =
        gait_tool({"pack", "demo/lamplighter.gait.yaml", "--strip", "--clips", "fast", "-o", again, "--json"});
    const json said = json::parse(fast.out);
    CHECK(said["clips_are"] == "fast");
    CHECK(said["bytes"] == support::read(again).size());
    CHECK(said["bytes_of_clips"] == said["bytes_of_clips_as_played"]);
    CHECK(said["clips"].size() >= 60);
    CHECK(gait::open_file(again).made_from == opened.made_from);
}

TEST_CASE("pack refuses what cannot be packed, and leaves what is there alone") {
    const support::TemporaryFolder folder;
    const std::string kept = folder.write("kept.gaitpack", "mine");
    const std::string broken =
        folder.write("broken.gait.yaml",
                     "gait: 1\nrig: " + (support::project() / "demo/lamplighter.glb").string() + "\npack: tiny\n");
    const Finished wrong = gait_tool({"pack", broken, "-o", kept});
    CHECK(wrong.code == 1);
    CHECK_THAT(wrong.err, Catch::Contains(":3:7: error: no way to pack clips 'tiny'"));
    CHECK(support::read(kept) == "mine");
    const std::string own =
        folder.write("own.gait.yaml", support::read(support::project() / "demo/crossing.gait.yaml"));
    for (const std::vector<std::string>& arguments :
         {std::vector<std::string>{"pack", "demo/crossing.gait.yaml"},
          {"pack", "demo/crossing.gait.yaml", "-o", "x.zip"},
          {"pack", "demo/crossing.gait.yaml", "-o", kept, "--clips", "huge"},
          {"pack", "demo/crossing.gait.yaml", "-o", kept, "--tolerance", "0"},
          {"pack", "demo/crossing.gait.yaml", "-o", "/nowhere/x.gaitpack"}}) {
        const Finished result = gait_tool(arguments);
        INFO(result.err);
        CHECK(result.code == 2);
        CHECK_THAT(result.err, Catch::StartsWith("gait: "));
    }
    CHECK(support::read(kept) == "mine");
}

TEST_CASE("a game loop by the runtime alone plays a pack from a folder where nothing else is") {
    const support::TemporaryFolder folder;
    const std::string pack = (folder / "lamplighter.gaitpack").string();
    REQUIRE(gait_tool({"pack", "demo/lamplighter.gait.yaml", "--strip", "-o", pack}).code == 0);
    const Finished played = support::run({GAIT_FROM_A_PACK}, folder / "");
    CAPTURE(played.out, played.err);
    CHECK(played.code == 0);
    CHECK_THAT(played.out, Catch::Contains(" 4.0 s  moving         ( 0.00,  3.70) m,") && Catch::Contains(" steps"));
    const Finished nothing = support::run({GAIT_FROM_A_PACK, "gone.gaitpack"}, folder / "");
    CHECK(nothing.code == 2);
    CHECK_THAT(nothing.err, Catch::Contains("gone.gaitpack: it cannot be read: "));
}
