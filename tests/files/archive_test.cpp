// Documents and their files out of a game's own archive.
#include "gltf_maker.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <fstream>
#include <map>
#include <sstream>

using namespace gait;
using support::GltfMaker;

namespace {

/// Files in memory, under paths that no disk has.
struct Archive {
    std::map<std::string, std::string> held;
    std::vector<std::string> asked;

    FileReader reader() {
        return [this](const std::filesystem::path& path) -> std::optional<std::string> {
            asked.push_back(path.generic_string());
            const auto found = held.find(path.lexically_normal().generic_string());
            return found == held.end() ? std::nullopt : std::optional(found->second);
        };
    }
};

std::string bytes_of(const std::filesystem::path& path) {
    std::ifstream file(path, std::ios::binary);
    std::ostringstream text;
    text << file.rdbuf();
    return text.str();
}

constexpr const char* waver = "gait: 1\nrig: arm.gltf\nclips: {wave: {loop: yes}}\n"
                              "layers: [{name: body, machine: {start: s, states: {s: {play: wave}}}}]\n";

} // namespace

TEST_CASE("a document, the one it is based on and all their files come out of an archive as from the disk") {
    Archive archive;
    for (const char* name :
         {"lamplighter.gait.yaml", "lamplighter.glb", "harbour_master.gait.yaml", "harbour_master.glb"}) {
        archive.held[std::string("pak/quay/") + name] = bytes_of(support::project() / "demo" / name);
    }
    const Loaded loaded = load("pak/quay/harbour_master.gait.yaml", archive.reader());
    INFO(format(loaded.diagnostics));
    REQUIRE(loaded.character);
    const Loaded text =
        load_text(archive.held["pak/quay/harbour_master.gait.yaml"], "pak/quay/his.gait.yaml", archive.reader());
    REQUIRE(text.character);
    const Loaded from_disk = load(support::project() / "demo/harbour_master.gait.yaml");
    REQUIRE(from_disk.character);
    for (const auto& character : {loaded.character, text.character}) {
        Performer here(character), there(from_disk.character);
        for (int frame = 0; frame < 120; ++frame) {
            for (Performer* performer : {&here, &there}) {
                performer->set("speed", frame < 60 ? 1.4 : 3.5);
                performer->advance(1 / 60.0);
            }
        }
        CHECK(std::ranges::equal(here.bytes(), there.bytes()));
    }
}

TEST_CASE("a buffer beside a glTF file is asked of the archive, and none outside its folder") {
    const GltfMaker maker;
    Archive archive;
    archive.held = {{"pak/one.gait.yaml", waver},
                    {"pak/arm.gltf", maker.external("arm%20data.bin")},
                    {"pak/arm data.bin", maker.buffer}};
    const Loaded loaded = load("pak/one.gait.yaml", archive.reader());
    INFO(format(loaded.diagnostics));
    REQUIRE(loaded.character);
    CHECK(std::count(archive.asked.begin(), archive.asked.end(), "pak/arm data.bin") == 1);

    archive.held["pak/arm.gltf"] = maker.external("../secret.bin");
    archive.held["secret.bin"] = maker.buffer;
    archive.asked.clear();
    const Loaded outside = load("pak/one.gait.yaml", archive.reader());
    CHECK_FALSE(outside.character);
    CHECK_THAT(format(outside.diagnostics), Catch::Contains("outside its own folder"));
    CHECK(std::none_of(archive.asked.begin(), archive.asked.end(),
                       [](const std::string& path) { return path.find("secret") != std::string::npos; }));
}

TEST_CASE("what an archive lacks is said as of a disk") {
    Archive archive;
    const Loaded nothing = load("pak/one.gait.yaml", archive.reader());
    CHECK(nothing.unreadable);
    CHECK_THAT(format(nothing.diagnostics), Catch::Contains("pak/one.gait.yaml") && Catch::Contains("unreadable-file"));
    const Loaded no_rig = load_text(waver, "pak/one.gait.yaml", archive.reader());
    CHECK_FALSE(no_rig.character);
    CHECK_THAT(format(no_rig.diagnostics),
               Catch::Contains("pak/one.gait.yaml:2:6") && Catch::Contains("file reader does not have it"));
    archive.held["pak/arm.gltf"] = GltfMaker().external("gone.bin");
    const Loaded no_buffer = load_text(waver, "pak/one.gait.yaml", archive.reader());
    CHECK_FALSE(no_buffer.character);
    CHECK_THAT(format(no_buffer.diagnostics), Catch::Contains("'gone.bin' is not there"));
}

TEST_CASE("a reader that throws is heard by whoever loads") {
    const FileReader broken = [](const std::filesystem::path&) -> std::optional<std::string> {
        throw std::runtime_error("the archive is closed");
    };
    CHECK_THROWS_WITH(load("pak/one.gait.yaml", broken), "the archive is closed");
}

TEST_CASE("recordings come out of an archive too") {
    Archive archive;
    archive.held["pak/turn.bvh"] = "HIERARCHY\nROOT hips\n{\n OFFSET 0 0 0\n CHANNELS 3 Zrotation Xrotation "
                                   "Yrotation\n JOINT head\n {\n  OFFSET 0 1.7 0\n"
                                   "  CHANNELS 0\n  End Site\n  {\n   OFFSET 0 0.1 0\n  }\n }\n}\nMOTION\nFrames: "
                                   "2\nFrame Time: 0.5\n0 0 0\n0 0 30\n";
    const ImportResult result = import_file("pak/turn.bvh", {}, {}, archive.reader());
    INFO(format(result.diagnostics));
    REQUIRE(result.file);
    CHECK(result.file->clips.at(0).name == "turn");
}
