// The lamplighter dressed up as what other people's tools export: the motion in the world stays hers.
#include "gait/load.hpp"
#include "gait/measure.hpp"
#include "gait/smoothness.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cstring>
#include <functional>
#include <map>
#include <random>

using namespace gait;
using nlohmann::json;

namespace {

/// A .glb taken apart: its text may be changed.
struct Glb {
    json text;
    std::string binary;

    explicit Glb(const std::string& bytes) {
        const auto word = [&](std::size_t at) {
            std::uint32_t value = 0;
            std::memcpy(&value, bytes.data() + at, 4);
            return std::size_t(value);
        };
        const std::size_t length = word(12);
        text = json::parse(bytes.substr(20, length));
        binary = bytes.substr(28 + length, word(20 + length));
    }
    [[nodiscard]] std::string bytes() const {
        std::string out = text.dump();
        while (out.size() % 4 != 0) { out += ' '; }
        const auto word = [](std::size_t value) {
            const auto little = std::uint32_t(value);
            std::string four(4, '\0');
            std::memcpy(four.data(), &little, 4);
            return four;
        };
        return "glTF" + word(2) + word(28 + out.size() + binary.size()) + word(out.size()) + "JSON" + out +
               word(binary.size()) + std::string("BIN\0", 4) + binary;
    }
    /// Puts everything under one more node.
    void put_under(const json& node) {
        json above = node;
        above["name"] = "exported";
        above["children"] = text["scenes"][0]["nodes"];
        text["nodes"].push_back(above);
        text["scenes"][0]["nodes"] = {text["nodes"].size() - 1};
    }
};

const Glb& naked() {
    static const Glb made(support::read(support::project() / "demo/lamplighter.glb"));
    return made;
}

const ImportedFile& hers() {
    static const ImportResult result = import_gltf(support::project() / "demo/lamplighter.glb");
    return *result.file;
}

json turn(Vec3 axis, double degrees) {
    const Quat q = axis_angle(axis, degrees);
    return {q.x, q.y, q.z, q.w};
}

/// Checks that each joint is where hers is, within a millimetre and half a degree, in some clips at some times.
void check_same_motion(const ImportedFile& file) {
    REQUIRE(file.rig.joints.size() == hers().rig.joints.size());
    std::mt19937 random(5);
    for (int i = 0; i < 40; ++i) {
        const ClipSource& own = hers().clips[random() % hers().clips.size()];
        const auto found = std::find_if(file.clips.begin(), file.clips.end(),
                                        [&](const ClipSource& clip) { return clip.name == own.name; });
        REQUIRE(found != file.clips.end());
        const double at = own.seconds * double(random() % 100) / 100;
        const auto a = model_space(hers().rig, pose_at(own, rest_pose(hers().rig), at));
        const auto b = model_space(file.rig, pose_at(*found, rest_pose(file.rig), at));
        double metres = 0, degrees = 0;
        for (std::size_t j = 0; j < a.size(); ++j) {
            metres = std::max(metres, double(length(a[j].translation - b[j].translation)));
            degrees = std::max(degrees, degrees_between(a[j].rotation, b[j].rotation));
        }
        CAPTURE(own.name, at);
        CHECK(metres < 0.001);
        CHECK(degrees < 0.5);
    }
}

/// A name as other schools write it.
std::string renamed(const std::string& name, int school) {
    const bool left = name.starts_with("left_"), right = name.starts_with("right_");
    const std::string stem = left ? name.substr(5) : right ? name.substr(6) : name;
    const std::string side = left ? "left" : "right";
    if (!left && !right) { return school == 1 ? "rig:" + name : name; }
    switch (school) {
    case 0:
        return stem + "." + (left ? "L" : "R");
    case 1:
        return "rig:" + std::string(left ? "Left" : "Right") + char(std::toupper(static_cast<unsigned char>(stem[0]))) +
               stem.substr(1);
    case 2:
        return (left ? "l_" : "r_") + stem;
    default:
        return stem + "_" + side;
    }
}

} // namespace

TEST_CASE("whichever way up, on and however large a body is exported, it walks as she does", "[long]") {
    const support::TemporaryFolder folder;
    struct Dress {
        const char* what;
        json node;
    };
    const std::vector<Dress> dresses{
        {"z up", {{"rotation", turn({1, 0, 0}, 90)}}},
        {"lying on her back for the exporter", {{"rotation", turn({1, 0, 0}, -90)}}},
        {"facing her right", {{"rotation", turn({0, 1, 0}, -90)}}},
        {"facing her left", {{"rotation", turn({0, 1, 0}, 90)}}},
        {"facing back", {{"rotation", turn({0, 1, 0}, 180)}}},
        {"upside down", {{"rotation", turn({0, 0, 1}, 180)}}},
        {"x up", {{"rotation", turn({0, 0, 1}, -90)}}},
        {"in centimetres", {{"scale", {100, 100, 100}}}},
        {"in millimetres", {{"scale", {1000, 1000, 1000}}}},
        {"in inches", {{"scale", {39.37007874, 39.37007874, 39.37007874}}}},
        {"z up and in centimetres", {{"rotation", turn({1, 0, 0}, 90)}, {"scale", {100, 100, 100}}}},
        {"a hundredth of its size", {{"scale", {0.01, 0.01, 0.01}}}},
    };
    for (const Dress& dress : dresses) {
        CAPTURE(dress.what);
        Glb file = naked();
        file.put_under(dress.node);
        const ImportResult result = import_gltf(folder.write("dressed.glb", file.bytes()));
        REQUIRE(result.file);
        CHECK_THAT(format(result.diagnostics), Catch::Contains("[turned-body]"));
        check_same_motion(*result.file);
    }
}

TEST_CASE("joints may be named in any school, and a body's stance is still seen") {
    const support::TemporaryFolder folder;
    for (int school = 0; school < 4; ++school) {
        CAPTURE(school);
        Glb file = naked();
        for (json& node : file.text["nodes"]) {
            if (node.contains("name")) { node["name"] = renamed(node["name"].get<std::string>(), school); }
        }
        file.put_under({{"rotation", turn({1, 0, 0}, 90)}, {"scale", {100, 100, 100}}});
        const ImportResult result = import_gltf(folder.write("named.glb", file.bytes()));
        REQUIRE(result.file);
        check_same_motion(*result.file);
        const auto stroll = std::find_if(result.file->clips.begin(), result.file->clips.end(),
                                         [](const ClipSource& clip) { return clip.name == "stroll"; });
        const ClipMeasure measured = measure_clip(*stroll, result.file->rig);
        CHECK(measured.feet.size() == 2);
        CHECK(measured.speed > 1);
        CHECK(std::fabs(measured.direction) < 5);
    }
}

TEST_CASE("a body whose joints are only numbered is read by its legs", "[long]") {
    const support::TemporaryFolder folder;
    for (const json& dress :
         {json{{"rotation", turn({1, 0, 0}, 90)}, {"scale", {100, 100, 100}}}, json{{"rotation", turn({0, 1, 0}, 180)}},
          json{{"rotation", turn({0, 0, 1}, 90)}},
          json{{"rotation", turn({1, 0, 0}, -90)}, {"scale", {39.37007874, 39.37007874, 39.37007874}}}}) {
        CAPTURE(dress.dump());
        Glb file = naked();
        int n = 0;
        for (json& node : file.text["nodes"]) { node["name"] = fmt::format("bone_{:03}", n++); }
        file.put_under(dress);
        const ImportResult result = import_gltf(folder.write("numbered.glb", file.bytes()));
        REQUIRE(result.file);
        CHECK_THAT(format(result.diagnostics), Catch::Contains("[turned-body]"));
        check_same_motion(*result.file);
        const auto stroll = std::find_if(result.file->clips.begin(), result.file->clips.end(),
                                         [](const ClipSource& clip) { return clip.name == "stroll"; });
        const ClipMeasure measured = measure_clip(*stroll, result.file->rig);
        CHECK(measured.speed == Approx(1.4).epsilon(0.05));
        CHECK(std::fabs(measured.direction) < 3);
    }
}

TEST_CASE("clips that face away from their own rig, or stand below its ground, are brought home") {
    const support::TemporaryFolder folder;
    Glb file = naked();
    // The root's own tracks are turned and sunk, not its rest pose: by a node between, of which the rest pose knows
    // nothing, as it is animated in every clip.
    std::size_t root = 0;
    for (std::size_t n = 0; n < file.text["nodes"].size(); ++n) {
        if (file.text["nodes"][n].value("name", "") == hers().rig.joints[0].name) { root = n; }
    }
    json& nodes = file.text["nodes"];
    json between{{"name", "mover"}, {"children", {root}}};
    for (json& node : nodes) {
        if (!node.contains("children")) { continue; }
        for (json& child : node["children"]) {
            if (child == root) { child = nodes.size(); }
        }
    }
    for (json& node : file.text["scenes"][0]["nodes"]) {
        if (node == root) { node = nodes.size(); }
    }
    nodes.push_back(between);
    const std::size_t mover = nodes.size() - 1;
    // A key: at 0 s, half a turn about +Y, and 0.8 m down, which begins with the last number of the turn.
    const std::array<float, 8> keys{0, 0, 1, 0, 0, -0.8F, 0, 0};
    const std::size_t at = file.binary.size();
    file.binary.append(reinterpret_cast<const char*>(keys.data()), sizeof keys);
    file.text["buffers"][0]["byteLength"] = file.binary.size();
    json &views = file.text["bufferViews"], &accessors = file.text["accessors"];
    const auto add = [&](std::size_t offset, std::size_t bytes, const char* type) {
        views.push_back({{"buffer", 0}, {"byteOffset", at + offset}, {"byteLength", bytes}});
        accessors.push_back({{"bufferView", views.size() - 1}, {"componentType", 5126}, {"count", 1}, {"type", type}});
        return accessors.size() - 1;
    };
    const std::size_t time = add(0, 4, "SCALAR"), rotation = add(4, 16, "VEC4"), place = add(16, 12, "VEC3");
    accessors[time]["min"] = accessors[time]["max"] = {0};
    for (json& animation : file.text["animations"]) {
        for (const auto& [output, path] : {std::pair{rotation, "rotation"}, {place, "translation"}}) {
            animation["samplers"].push_back({{"input", time}, {"output", output}});
            animation["channels"].push_back(
                {{"sampler", animation["samplers"].size() - 1}, {"target", {{"node", mover}, {"path", path}}}});
        }
    }
    const ImportResult result = import_gltf(folder.write("away.glb", file.bytes()));
    INFO(format(result.diagnostics));
    REQUIRE(result.file);
    CHECK_THAT(format(result.diagnostics), Catch::Contains("[turned-clips]"));
    for (const char* name : {"stroll", "run", "stand", "stroll_right"}) {
        CAPTURE(name);
        const auto find = [&](const ImportedFile& in) {
            return *std::find_if(in.clips.begin(), in.clips.end(), [&](const ClipSource& c) { return c.name == name; });
        };
        const ClipMeasure own = measure_clip(find(hers()), hers().rig),
                          home = measure_clip(find(*result.file), result.file->rig);
        CHECK(home.speed == Approx(own.speed).margin(0.03));
        CHECK(std::fabs(std::remainder(home.direction - own.direction, 360)) < 3);
        REQUIRE(home.feet.size() == own.feet.size());
        CHECK(home.feet[0].height == Approx(own.feet[0].height).margin(0.05));
    }
}

TEST_CASE("loops without their closing frame play as the whole ones do", "[long]") {
    const support::TemporaryFolder folder;
    Glb file = naked();
    std::map<std::size_t, bool> cut;
    for (const json& animation : file.text["animations"]) {
        for (const json& sampler : animation["samplers"]) {
            for (const char* part : {"input", "output"}) {
                const auto accessor = sampler[part].get<std::size_t>();
                json& of = file.text["accessors"][accessor];
                if (cut[accessor] || of["count"].get<int>() < 8) { continue; }
                cut[accessor] = true;
                of["count"] = of["count"].get<int>() - 1;
            }
        }
    }
    folder.write("cut.glb", file.bytes());
    folder.write("whole.glb", naked().bytes());
    const auto document = [&](const char* rig) {
        return folder.write(
            fmt::format("{}.gait.yaml", rig),
            fmt::format("gait: 1\nrig: {}.glb\nclips:\n  stand: {{loop: yes}}\n  stroll: {{loop: yes}}\n"
                        "  trot: {{loop: yes}}\n  run: {{loop: yes}}\n  stroll_right: {{loop: yes}}\n"
                        "parameters:\n  speed: {{kind: number, range: [0, 5], smooth: 0.25}}\n"
                        "layers:\n  - name: body\n    machine:\n      start: still\n      states:\n"
                        "        still: {{play: stand, go: {{to: moving, when: speed > 0.3, fade: 0.3}}}}\n"
                        "        moving:\n          play: {{blend: speed, points: {{1.4: stroll, 2.6: "
                        "trot, 4.2: run}}}}\n          go: {{to: still, when: speed < 0.2, fade: 0.3}}\n",
                        rig));
    };
    const Loaded whole = load(document("whole")), mended = load(document("cut"));
    INFO(format(mended.diagnostics));
    REQUIRE(whole.character);
    REQUIRE(mended.character);
    for (std::size_t c = 0; c < whole.character->clips().size(); ++c) {
        CAPTURE(whole.character->clips()[c].name);
        CHECK(mended.character->clips()[c].seconds == Approx(whole.character->clips()[c].seconds).margin(1e-4));
    }
    for (unsigned seed = 1; seed <= 4; ++seed) {
        std::mt19937 random(seed);
        Performer a(whole.character), b(mended.character);
        SmoothnessWatch watch(b);
        Performer before = b;
        for (int frame = 0; frame < 900; ++frame) {
            if (random() % 60 == 0) {
                const double speed = random() % 3 == 0 ? 0 : double(random() % 50) / 10;
                a.set("speed", speed);
                b.set("speed", speed);
            }
            before = b;
            a.advance(1.0 / 60);
            b.advance(1.0 / 60);
            watch.step(before, 1.0 / 60, b);
            CHECK(a.state() == b.state());
        }
        CHECK(watch.worst_seam().degrees <= seam_bound);
        CHECK(watch.worst_snap().ratio <= snap_ratio_bound);
        // Where each loop is cut does not tell in the pose.
        CHECK(support::greatest_turn(support::pose_of(a), support::pose_of(b)) < 3);
    }
}

TEST_CASE("her own document plays on a dressed-up body as on hers, feet, layers and all", "[long]") {
    const support::TemporaryFolder folder;
    const auto copy = [&](const char* name) {
        return folder.write(name, support::read(support::project() / "demo" / name));
    };
    const std::string document = copy("lamplighter.gait.yaml"), cues = copy("evening.cues.yaml");
    const auto played = [&](const Glb& glb) {
        folder.write("lamplighter.glb", glb.bytes());
        return json::parse(support::gait_tool({"perform", document, "--cues", cues, "--json"}).out);
    };
    const json own = played(naked());
    REQUIRE(own["within_bounds"] == true);
    for (const json& dress :
         {json{{"rotation", turn({1, 0, 0}, 90)}, {"scale", {100, 100, 100}}},
          json{{"rotation", turn({0, 1, 0}, 180)}, {"scale", {39.37007874, 39.37007874, 39.37007874}}},
          json{{"rotation", turn({0, 0, 1}, 180)}}}) {
        CAPTURE(dress.dump());
        Glb file = naked();
        file.put_under(dress);
        const json other = played(file);
        CHECK(other["within_bounds"] == true);
        REQUIRE(other["transitions"].size() == own["transitions"].size());
        for (std::size_t t = 0; t < own["transitions"].size(); ++t) {
            CHECK(other["transitions"][t]["to"] == own["transitions"][t]["to"]);
            CHECK(other["transitions"][t]["time_s"].get<double>() ==
                  Approx(own["transitions"][t]["time_s"].get<double>()).margin(0.02));
        }
        for (const char* axis : {"x_m", "z_m"}) {
            CHECK(other["travel"][axis].get<double>() == Approx(own["travel"][axis].get<double>()).margin(0.02));
        }
        CHECK(other["footprints"].size() == own["footprints"].size());
    }
}

TEST_CASE("clips may come in files of their own, with a skin or without, half a metre off where she stands", "[long]") {
    const support::TemporaryFolder folder;
    folder.write("lamplighter.glb", naked().bytes());
    for (const bool skinned : {true, false}) {
        for (const bool off : {false, true}) {
            CAPTURE(skinned, off);
            std::string clips;
            for (const char* name : {"stand", "stroll", "run"}) {
                Glb file = naked();
                json own = json::array();
                for (const json& animation : file.text["animations"]) {
                    if (animation["name"] == name) { own.push_back(animation); }
                }
                file.text["animations"] = own;
                if (!skinned) {
                    for (const char* part : {"skins", "meshes", "materials"}) { file.text.erase(part); }
                    for (json& node : file.text["nodes"]) {
                        node.erase("mesh");
                        node.erase("skin");
                    }
                }
                if (off) { file.put_under({{"translation", {0.5, 0, -0.3}}}); }
                folder.write(std::string(name) + ".glb", file.bytes());
                clips += fmt::format("  {0}: {{file: {0}.glb, loop: yes}}\n", name);
            }
            const auto text = [](const std::string& own) {
                return "gait: 1\nrig: lamplighter.glb\nclips:\n" + own +
                       "parameters: {speed: {kind: number, range: [0, 5], unit: m/s}}\nlayers: [{name: body, machine: "
                       "{start: go, states: {go: {play: {blend: speed, points: {0: stand, 1.4: stroll, 4.2: "
                       "run}}}}}}]\n";
            };
            const Loaded apart = load(folder.write("apart.gait.yaml", text(clips)));
            const Loaded whole = load(folder.write(
                "whole.gait.yaml", text("  stand: {loop: yes}\n  stroll: {loop: yes}\n  run: {loop: yes}\n")));
            CAPTURE(format(apart.diagnostics));
            REQUIRE(apart.character);
            REQUIRE(whole.character);
            Performer a(apart.character), b(whole.character);
            double metres = 0, degrees = 0;
            for (int frame = 0; frame < 300; ++frame) {
                for (Performer* performer : {&a, &b}) {
                    performer->set("speed", frame < 100 ? 0.0 : frame < 200 ? 2.0 : 4.0);
                    performer->advance(1.0 / 60);
                }
                std::vector<Transform> of_a(a.character().joint_count()), of_b(of_a);
                a.model_pose(of_a);
                b.model_pose(of_b);
                for (std::size_t j = 0; j < of_a.size(); ++j) {
                    metres = std::max(metres, double(length(of_a[j].translation - of_b[j].translation)));
                    degrees = std::max(degrees, degrees_between(of_a[j].rotation, of_b[j].rotation));
                }
            }
            CHECK(metres < 0.001);
            CHECK(degrees < 0.5);
        }
    }
}
