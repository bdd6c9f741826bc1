// What the tool writes: never over what it reads, never through a name that somebody foresaw, never half.
#include "support.hpp"

#include <catch2/catch.hpp>

#include <filesystem>
#include <sys/stat.h>
#include <unistd.h>
#include <vector>

using support::Finished;
using support::gait_tool;
namespace fs = std::filesystem;

namespace {

/// The rig, a document on it and a cue sheet, in a folder of their own.
struct Workplace {
    support::TemporaryFolder folder;
    std::string rig = folder.write("rig.glb", support::read(support::project() / "demo/lamplighter.glb")),
                base = folder.write("base.gait.yaml",
                                    "gait: 1\nrig: rig.glb\nclips: {stand: {loop: yes}, stroll: {loop: yes}}\n"
                                    "parameters: {speed: {kind: number, range: [0, 6]}}\n"
                                    "layers: [{name: body, machine: {start: moving, states: {moving: {play: {blend: "
                                    "speed, points: {0: stand, 1.4: stroll}}}}}}]\n"),
                document = folder.write("lamp.gait.yaml", "gait: 1\nbased_on: base.gait.yaml\n"),
                cues = folder.write("lamp.cues.yaml", "seconds: 1\ncues: [{at: 0.5, set: {speed: 0}}]\n");

    [[nodiscard]] std::string bytes() const {
        std::string all;
        for (const std::string& file : {rig, base, document, cues}) { all += support::read(file); }
        return all;
    }
    [[nodiscard]] std::size_t files() const {
        return std::size_t(std::distance(fs::directory_iterator((folder / "rig.glb").parent_path()), {}));
    }
};

} // namespace

TEST_CASE("an output that would overwrite what is read, or another output, is refused before anything is played") {
    const Workplace place;
    const std::string before = place.bytes();
    fs::create_symlink(place.document, place.folder / "link.csv");
    fs::create_symlink(place.rig, place.folder / "link.png");
    fs::create_symlink(place.document, place.folder / "mask.png");
    fs::create_hard_link(place.cues, place.folder / "same.csv");
    fs::create_directory(place.folder / "below");
    const auto in = [&](const std::string& name) { return (place.folder / name).string(); };
    const std::size_t files = place.files();
    const std::vector<std::vector<std::string>> refused{
        {"perform", place.document, "--bake", place.rig},
        {"perform", place.document, "--bake", in("below/../rig.glb")},
        {"perform", place.document, "--trace", place.document},
        {"perform", place.document, "--trace", place.base},
        {"perform", place.document, "--trace", in("link.csv")},
        {"perform", place.document, "--cues", place.cues, "--trace", place.cues},
        {"perform", place.document, "--cues", place.cues, "--trace", in("same.csv")},
        {"perform", place.document, "--chart", in("link.png")},
        {"perform", place.document, "--chart", in("new.png"), "--film", in("below/../new.png")},
        {"sketch", place.document, "-o", in("link.png")},
        {"map", place.document, "moving", "-o", in("link.png")},
        {"clips", place.rig, "--clip", "stroll", "--chart", in("link.png")},
        {"clips", place.rig, "--clip", "stroll", "--mask", place.document + ":arms", "--film", in("mask.png")},
        {"clips", place.rig, "--clip", "stroll", "--film", in("new.png"), "--chart", in("new.png")},
    };
    for (const std::vector<std::string>& arguments : refused) {
        INFO(arguments[0] << " " << arguments[arguments.size() - 2] << " " << arguments.back());
        const Finished finished = gait_tool(arguments);
        CHECK(finished.code == 2);
        CHECK(finished.out.empty());
        CHECK(finished.err.find("name another file") != std::string::npos);
        CHECK(place.bytes() == before);
        CHECK(place.files() == files);
    }
    const Finished other = gait_tool({"perform", place.document, "--cues", place.cues, "--trace", in("new.csv")});
    INFO(other.err);
    CHECK(other.code == 0);
    CHECK(fs::exists(in("new.csv")));
    CHECK(gait_tool({"perform", place.document, "--trace", "/dev/null", "--seconds", "1"}).code == 0);
}

TEST_CASE("a bake spares the buffer and the picture that the rig's file refers to") {
    const support::TemporaryFolder folder;
    const std::string buffer = folder.write("parts.glb", std::string(12, '\0'));
    const std::string rig =
        folder.write("rig.gltf", R"({"asset": {"version": "2.0"}, "buffers": [{"uri": "parts.glb", "byteLength": 12}],)"
                                 R"("nodes": [{"name": "hips", "children": [1]}, {"name": "spine"}],)"
                                 R"("skins": [{"joints": [0, 1]}], "scenes": [{"nodes": [0]}], "scene": 0})");
    const std::string document =
        folder.write("one.gait.yaml", "gait: 1\nrig: rig.gltf\nlayers: [{name: body, machine: {start: a, states: {a: "
                                      "{play: rest}}}}]\nclips: {rest: {loop: yes}}\n");
    const Finished finished = gait_tool({"perform", document, "--draft", "--bake", buffer});
    INFO(finished.err);
    CHECK(finished.code == 2);
    CHECK(finished.err.find("would overwrite") != std::string::npos);
    CHECK(support::read(buffer) == std::string(12, '\0'));
}

TEST_CASE("what is replaced keeps its mode, a link is followed, and nothing is left beside it") {
    const Workplace place;
    const std::string trace = place.folder.write("old.csv", "old");
    REQUIRE(::chmod(trace.c_str(), 0640) == 0);
    fs::create_symlink("old.csv", place.folder / "link.csv");
    const std::size_t files = place.files();
    const std::string link = (place.folder / "link.csv").string();
    REQUIRE(gait_tool({"perform", place.document, "--seconds", "1", "--trace", link}).code == 0);
    CHECK(fs::is_symlink(link));
    CHECK(support::read(trace).size() > 1000);
    struct stat status {};
    REQUIRE(::stat(trace.c_str(), &status) == 0);
    CHECK((status.st_mode & 07777U) == 0640);
    CHECK(place.files() == files);

    fs::create_symlink("nowhere.csv", place.folder / "broken.csv");
    const Finished broken =
        gait_tool({"perform", place.document, "--seconds", "1", "--trace", (place.folder / "broken.csv").string()});
    CHECK(broken.code == 2);
    CHECK(broken.err.find("it is a link to what is not there") != std::string::npos);
    CHECK_FALSE(fs::exists(place.folder / "nowhere.csv"));
}

TEST_CASE("a device or a pipe is no document, no rig and no cue sheet, and is not waited for") {
    const Workplace place;
    const std::string pipe = (place.folder / "pipe.glb").string();
    REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
    const std::vector<std::vector<std::string>> refused{
        {"check", "/dev/zero"}, {"check", pipe}, {"clips", pipe}, {"perform", place.document, "--cues", "/dev/zero"}};
    for (const std::vector<std::string>& arguments : refused) {
        const Finished finished = gait_tool(arguments);
        INFO(arguments[0] << " " << arguments.back() << "\n" << finished.err);
        CHECK(finished.code == 2);
        CHECK(finished.err.find("it is a device or a pipe, and a file is wanted") != std::string::npos);
    }
}

TEST_CASE("an interrupted drawing leaves nothing behind, and its program with it") {
    const Workplace place;
    const std::string chart = (place.folder / "chart.png").string();
    fs::create_directory(place.folder / "bin");
    fs::create_directory(place.folder / "temporary");
    for (const char* signal : {"INT", "TERM", "HUP"}) {
        // In place of what draws stands what interrupts us, and goes on for long.
        const std::string ended = (place.folder / "went_on").string();
        const std::string program =
            place.folder.write("bin/gnuplot", std::string("#!/bin/sh\nls -d \"$TMPDIR\"/gait-drawing-* >seen\nkill -") +
                                                  signal + " $PPID\nsleep 5\ntouch " + ended + "\n");
        fs::permissions(program, fs::perms::owner_all);
        const Finished interrupted =
            support::run({"env", "PATH=" + (place.folder / "bin").string() + ":/usr/bin:/bin",
                          "TMPDIR=" + (place.folder / "temporary").string(), support::tool().string(), "perform",
                          place.document, "--seconds", "1", "--chart", chart},
                         place.folder / "");
        INFO(signal << interrupted.err);
        CHECK(interrupted.code == 128 + (signal == std::string("INT") ? 2 : signal == std::string("TERM") ? 15 : 1));
        CHECK(support::read(place.folder / "seen").find("gait-drawing-") != std::string::npos);
        CHECK(fs::is_empty(place.folder / "temporary"));
        CHECK_FALSE(fs::exists(chart));
        CHECK_FALSE(fs::exists(ended));
    }
}

TEST_CASE("whatever goes wrong with what the tool is asked, it says so with exit code 2") {
    const Workplace place;
    const auto full = support::run({"bash", "-c", "exec \"$0\" \"$@\" >/dev/full", support::tool().string(), "--help"});
    CHECK(full.code == 2);
    CHECK_THAT(full.err, Catch::Contains("standard output cannot be written: No space left on device"));
    for (const char* command : {"check", "perform", "clips"}) {
        if (support::is_sanitized) { break; }
        const std::string file = std::string(command) == "clips" ? place.rig : place.document;
        const Finished starved = support::run(
            {"bash", "-c", "ulimit -v 45000; exec \"$0\" \"$@\"", support::tool().string(), command, file});
        INFO(command << " " << starved.err);
        CHECK(starved.code == 2);
        CHECK_THAT(starved.err, Catch::Contains("there is not enough memory"));
    }
    for (const std::vector<std::string>& wrong : std::vector<std::vector<std::string>>{
             {"perform", place.document, "--fps", "nan"},
             {"perform", place.document, "--seconds", "nan"},
             {"perform", place.document, "--seconds", "inf"},
             {"perform", place.document, "--seconds", "1e300"},
             {"perform", place.document, "--film-to", "nan", "--film", "x.png"},
             {"clips", place.rig, "--scale", "1e300"},
             {"clips", place.rig, "--scale", "nan"},
         }) {
        const Finished refused = gait_tool(wrong);
        INFO(wrong[2] << " " << wrong[3] << ": " << refused.err);
        CHECK(refused.code == 2);
        CHECK_THAT(refused.err, Catch::Contains("a number from"));
    }
    for (const std::vector<std::string>& wrong : std::vector<std::vector<std::string>>{
             {"perform", place.document, "--chart", "x.jpg"},
             {"perform", place.document, "--film", "x.jpg"},
             {"clips", place.rig, "--clip", "stroll", "--chart", "x.jpg"},
             {"clips", place.rig, "--clip", "stroll", "--film", "x.jpg"},
             {"map", place.document, "moving", "-o", "x.jpg"},
             {"sketch", place.document, "-o", "x.jpg"},
         }) {
        const Finished refused = gait_tool(wrong);
        INFO(wrong[0] << ": " << refused.err);
        CHECK(refused.code == 2);
        CHECK_THAT(refused.err, Catch::Contains("is drawn as .") && Catch::Contains("found 'x.jpg'"));
    }
}

TEST_CASE("a document whose lines end in carriage returns alone is read, and its lines are counted") {
    const Workplace place;
    std::string text = support::read(place.base);
    text.replace(text.find("1.4: stroll"), 11, "1.4: strol");
    for (char& c : text) { c = c == '\n' ? '\r' : c; }
    const Finished checked = gait_tool({"check", place.folder.write("old.gait.yaml", text)});
    CHECK(checked.code == 1);
    CHECK_THAT(checked.err, Catch::Contains("old.gait.yaml:5:") && Catch::Contains("did you mean 'stroll'?"));
}

TEST_CASE("a long performance is played in the memory of a short one") {
    if (support::is_sanitized) { return; }
    const Workplace place;
    const auto with_little = [&](const std::string& seconds, const std::vector<std::string>& more) {
        std::vector<std::string> command{"bash",
                                         "-c",
                                         "ulimit -v 120000; exec \"$0\" \"$@\"",
                                         support::tool().string(),
                                         "perform",
                                         place.document,
                                         "--seconds",
                                         seconds};
        command.insert(command.end(), more.begin(), more.end());
        return support::run(command);
    };
    const Finished played = with_little("3600", {});
    INFO(played.err);
    CHECK(played.code == 0);
    const Finished refused = with_little("86400", {"--fps", "20", "--bake", (place.folder / "long.bvh").string()});
    CHECK(refused.code == 2);
    CHECK_THAT(refused.err, Catch::Contains("keep every frame, and 1728000 of them take some"));
}

TEST_CASE("no byte of a text is run or read as a format by what draws it", "[long]") {
    const Workplace place;
    const auto run_here = [&](std::vector<std::string> arguments) {
        arguments.insert(arguments.begin(), support::tool().string());
        return support::run(arguments, place.folder / "");
    };
    for (int first = 1; first < 256; first += 32) {
        // As YAML escapes them, so that none is lost on the way; and all of them around what would be run.
        std::string bytes, name;
        for (int byte = first; byte < std::min(first + 32, 256); ++byte) {
            if (byte == '.') { continue; } // a state's name has none
            constexpr const char* digits = "0123456789ABCDEF";
            bytes += std::string("\\x") + digits[byte / 16] + digits[byte % 16];
        }
        const std::string text = "`touch PWNED`" + bytes + "$(touch PWNED)'; !touch PWNED\\n\\\"`touch PWNED`\\\"%";
        place.folder.write("hostile.gait.yaml",
                           "gait: 1\nabout: \"" + text +
                               "\"\nrig: rig.glb\nclips: {stand: {loop: yes}, stroll: {loop: yes}}\n"
                               "parameters: {speed: {kind: number, range: [0, 6], unit: \"" +
                               text +
                               "\"}}\n"
                               "layers: [{name: \"" +
                               text + "\", machine: {start: \"" + text + "\", states: {\"" + text +
                               "\": {play: {blend: speed, points: {0: stand, 1.4: stroll}}, go: [{to: other, when: "
                               "speed > 9}]}, other: "
                               "{play: {blend: speed, points: {0: stand, 1.4: stroll}}}}}}]\n");
        const std::size_t files = place.files();
        for (const std::vector<std::string>& command : std::vector<std::vector<std::string>>{
                 {"perform", "hostile.gait.yaml", "--seconds", "0.2", "--chart", "drawn.svg"},
                 {"perform", "hostile.gait.yaml", "--seconds", "0.2", "--film", "drawn.svg"},
                 {"map", "hostile.gait.yaml", "other", "-o", "drawn.svg", "--samples", "2"},
                 {"sketch", "hostile.gait.yaml", "-o", "drawn.svg"}}) {
            const Finished drawn = run_here(command);
            INFO(first << " " << command[0] << " " << command.back() << "\n" << drawn.err);
            CHECK(drawn.code == 0);
            CHECK(support::read(place.folder / "drawn.svg").find("</svg>") != std::string::npos);
            fs::remove(place.folder / "drawn.svg");
            CHECK(place.files() == files);
        }
    }
}

TEST_CASE("a body as tall as a planet is drawn as quickly as any") {
    const support::TemporaryFolder folder;
    const std::string giant = folder.write(
        "giant.bvh",
        "HIERARCHY\nROOT hips\n{\nOFFSET 0 1 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation "
        "Yrotation\nJOINT leg\n{\nOFFSET 0 100000000 0\nCHANNELS 3 Zrotation Xrotation Yrotation\nEnd Site\n{\nOFFSET "
        "0 "
        "100000000 0\n}\n}\n}\nMOTION\nFrames: 3\nFrame Time: 0.1\n0 0 0 0 0 0 0 0 0\n0 0 100000000 1 0 0 3 3 3\n"
        "0 0 200000000 2 0 0 90 0 0\n");
    for (const char* view : {"side", "three-quarters", "above", "path"}) {
        for (const char* file : {"giant.svg", "giant.gif"}) {
            const Finished drawn = support::run({"timeout", "30", support::tool().string(), "clips", giant, "--clip",
                                                 "giant", "--film", (folder / file).string(), "--view", view});
            INFO(view << " " << file << " " << drawn.err);
            CHECK(drawn.code == 0);
        }
    }
}
