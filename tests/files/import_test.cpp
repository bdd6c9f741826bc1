#include "gltf_maker.hpp"

#include <catch2/catch.hpp>

#include <limits>

using namespace gait;
using support::GltfMaker;

namespace {

ImportedFile import_good(const std::string& bytes, const std::string& name = "arm.gltf") {
    const support::TemporaryFolder folder;
    const ImportResult result = import_gltf(folder.write(name, bytes));
    INFO(format(result.diagnostics));
    REQUIRE(result.file);
    return *result.file;
}

/// The one error a file gives, without its folder.
std::string complaint(const std::string& bytes, const std::string& name = "arm.gltf") {
    const support::TemporaryFolder folder;
    const ImportResult result = import_gltf(folder.write(name, bytes));
    CHECK_FALSE(result.file);
    REQUIRE(std::count_if(result.diagnostics.begin(), result.diagnostics.end(),
                          [](const Diagnostic& d) { return d.severity == Severity::error; }) == 1);
    Diagnostic d = result.diagnostics.back();
    d.file = std::filesystem::path(d.file).filename().string();
    return format(d);
}

Transform hand_at(const ImportedFile& file, double seconds, std::size_t clip = 0) {
    return pose_at(file.clips[clip], rest_pose(file.rig), seconds)[std::size_t(*file.rig.find("hand"))];
}

} // namespace

TEST_CASE("embedded, external and binary files hold the same rig and clip") {
    const GltfMaker maker;
    const support::TemporaryFolder folder;
    folder.write("arm data.bin", maker.buffer);
    const ImportResult external = import_gltf(folder.write("arm.gltf", maker.external("arm%20data.bin")));
    INFO(format(external.diagnostics));
    REQUIRE(external.file);
    for (const ImportedFile& file :
         {import_good(maker.embedded()), import_good(maker.binary(), "arm.glb"), *external.file}) {
        REQUIRE(file.rig.joints.size() == 2);
        CHECK(file.rig.joints[0].name == "arm");
        CHECK(file.rig.joints[1].parent == 0);
        CHECK(file.rig.joints[1].rest.translation.y == 0.5F);
        REQUIRE(file.clips.size() == 1);
        CHECK(file.clips[0].name == "wave");
        CHECK(file.clips[0].seconds == 1);
        CHECK(degrees_between(hand_at(file, 0.5).rotation, axis_angle({1, 0, 0}, 45)) < 0.01);
        CHECK(degrees_between(pose_at(file.clips[0], rest_pose(file.rig), 0.5)[0].rotation, Quat{}) == 0);
    }
}

TEST_CASE("an armature's rotation, scale and place are folded in, so that metres and up come out right") {
    GltfMaker maker;
    // Centimetres, Z up: what an exporter leaves above the skeleton.
    maker.json["nodes"][0]["rotation"] = {-0.70710678, 0, 0, 0.70710678};
    maker.json["nodes"][0]["scale"] = {0.01, 0.01, 0.01};
    maker.json["nodes"][1]["translation"] = {0, 0, 100};
    maker.json["nodes"][2]["translation"] = {0, 0, 50};
    std::vector<float> bind(32, 0.0F);
    for (const std::size_t m : {0U, 16U}) {
        for (const std::size_t d : {0U, 5U, 10U, 15U}) { bind[m + d] = 1; }
    }
    bind[13] = -1;
    maker.json["skins"][0]["inverseBindMatrices"] = maker.add_floats(bind, "MAT4");
    const ImportedFile file = import_good(maker.embedded());
    const auto model = model_space(file.rig, rest_pose(file.rig));
    CHECK(model[0].translation.y == Approx(1).margin(1e-5));
    CHECK(model[1].translation.y == Approx(1.5).margin(1e-5));
    CHECK(model[1].scale.x == Approx(1));
    CHECK(rest_height(file.rig) == Approx(0.5).epsilon(1e-4));
    // The skin lands where it did: model times bind, with the scale gone from one and in the other.
    const Matrix4 skin = to_matrix(model[0]) * file.rig.joints[0].inverse_bind;
    CHECK(skin.elements[0] == Approx(0.01).margin(1e-6));
}

TEST_CASE("a root's keys are folded with its armature") {
    GltfMaker maker;
    maker.json["nodes"][0]["scale"] = {2, 2, 2};
    maker.json["nodes"][0]["translation"] = {5, 0, 0};
    const int times = maker.add_floats({0, 1}, "SCALAR"), places = maker.add_floats({0, 1, 0, 0, 2, 0}, "VEC3");
    maker.json["animations"][0]["samplers"].push_back({{"input", times}, {"output", places}});
    maker.json["animations"][0]["channels"].push_back(
        {{"sampler", 1}, {"target", {{"node", 1}, {"path", "translation"}}}});
    const ImportedFile file = import_good(maker.embedded());
    const Vec3 root = pose_at(file.clips[0], rest_pose(file.rig), 1)[0].translation;
    CHECK(root.x == Approx(5));
    CHECK(root.y == Approx(4));
    CHECK(hand_at(file, 0).translation.y == Approx(1));
}

TEST_CASE("an animated node above the skin becomes a joint, and a node between joints too") {
    GltfMaker maker;
    maker.json["nodes"].push_back({{"name", "finger"}, {"translation", {0, 0.1, 0}}});
    maker.json["nodes"][2]["children"] = {3};
    maker.json["skins"][0]["joints"] = {1, 3}; // the hand only links
    maker.json["animations"][0]["channels"].push_back(
        {{"sampler", 0}, {"target", {{"node", 0}, {"path", "rotation"}}}});
    const ImportedFile file = import_good(maker.embedded());
    REQUIRE(file.rig.joints.size() == 4);
    CHECK(file.rig.joints[0].name == "armature");
    CHECK_FALSE(file.rig.joints[0].in_skin);
    CHECK(file.rig.joints[1].in_skin);
    CHECK_FALSE(file.rig.joints[2].in_skin);
    CHECK(file.rig.joints[3].parent == 2);
}

TEST_CASE("joints come in topological order whatever the file's") {
    GltfMaker maker;
    maker.json["nodes"] = {
        {{"name", "hand"}, {"translation", {0, 0.5, 0}}}, {{"name", "finger"}}, {{"name", "arm"}, {"children", {0}}}};
    maker.json["nodes"][0]["children"] = {1};
    maker.json["scenes"][0]["nodes"] = {2};
    maker.json["skins"][0]["joints"] = {1, 0, 2};
    const ImportedFile file = import_good(maker.embedded());
    REQUIRE(file.rig.joints.size() == 3);
    for (std::size_t j = 0; j < 3; ++j) { CHECK(file.rig.joints[j].parent == int(j) - 1); }
    CHECK(file.rig.joints[0].name == "arm");
}

TEST_CASE("step, linear and cubic keys are read as they are meant") {
    GltfMaker maker;
    const float h = 0.70710678F;
    maker.add_clip("stepped", {0, 1}, {{0, 0, 0, 1}, {h, 0, 0, h}}, "STEP");
    maker.add_clip("cubic", {0, 1},
                   {{0, 0, 0, 0}, {0, 0, 0, 1}, {0, 0, 0, 0}, {0, 0, 0, 0}, {h, 0, 0, h}, {0, 0, 0, 0}}, "CUBICSPLINE");
    const ImportedFile file = import_good(maker.embedded());
    CHECK(degrees_between(hand_at(file, 0.99, 1).rotation, Quat{}) == 0);
    CHECK(degrees_between(hand_at(file, 1.0, 1).rotation, Quat{}) == Approx(90).epsilon(1e-4));
    CHECK(degrees_between(hand_at(file, 0.5, 2).rotation, axis_angle({1, 0, 0}, 45)) < 0.01);
    CHECK(degrees_between(hand_at(file, 0.1, 2).rotation, Quat{}) < 4); // slow at the ends, unlike linear's 9
}

TEST_CASE("normalised integers are read as fractions") {
    GltfMaker maker;
    const std::vector<std::int16_t> turns{0, 0, 0, 32767, 23170, 0, 0, 23170};
    const int view = maker.add_view(std::string(reinterpret_cast<const char*>(turns.data()), 16));
    const int accessor = maker.add_accessor(view, 5122, 2, "VEC4");
    maker.json["accessors"][std::size_t(accessor)]["normalized"] = true;
    maker.json["animations"][0]["samplers"][0]["output"] = accessor;
    CHECK(degrees_between(hand_at(import_good(maker.embedded()), 1).rotation, axis_angle({1, 0, 0}, 90)) < 0.01);

    const std::vector<std::int8_t> bytes{0, 0, 0, 127, -128, 0, 0, 0};
    const int byte_view = maker.add_view(std::string(reinterpret_cast<const char*>(bytes.data()), 8));
    const int byte_accessor = maker.add_accessor(byte_view, 5120, 2, "VEC4");
    maker.json["accessors"][std::size_t(byte_accessor)]["normalized"] = true;
    maker.json["animations"][0]["samplers"][0]["output"] = byte_accessor;
    CHECK(degrees_between(hand_at(import_good(maker.embedded()), 1).rotation, axis_angle({1, 0, 0}, 180)) < 0.01);
}

TEST_CASE("sparse accessors are applied") {
    GltfMaker maker;
    const std::vector<float> replaced{1, 0, 0, 0};
    const int indices = maker.add_view(std::string("\1\0", 2)),
              values = maker.add_view(std::string(reinterpret_cast<const char*>(replaced.data()), 16));
    const auto output = maker.json["animations"][0]["samplers"][0]["output"].get<std::size_t>();
    maker.json["accessors"][output]["sparse"] = {{"count", 1},
                                                 {"indices", {{"bufferView", indices}, {"componentType", 5123}}},
                                                 {"values", {{"bufferView", values}}}};
    CHECK(degrees_between(hand_at(import_good(maker.embedded()), 1).rotation, axis_angle({1, 0, 0}, 180)) < 0.01);
    CHECK(degrees_between(hand_at(import_good(maker.embedded()), 0).rotation, Quat{}) == 0);
}

TEST_CASE("doubled names and several skins are told apart and said") {
    GltfMaker maker;
    maker.add_clip("wave", {0, 2}, {{0, 0, 0, 1}, {0, 0, 0, 1}});
    maker.json["nodes"].push_back({{"name", "cat"}, {"children", {4}}});
    maker.json["nodes"].push_back({{"name", "tail"}});
    maker.json["scenes"][0]["nodes"].push_back(3);
    maker.json["skins"].push_back({{"name", "cat"}, {"joints", {4}}});
    maker.json["nodes"][1]["name"] = "hand";
    const support::TemporaryFolder folder;
    const std::string path = folder.write("arm.gltf", maker.embedded());
    const ImportResult result = import_gltf(path);
    REQUIRE(result.file);
    CHECK(result.file->clips[1].name == "wave_2");
    CHECK(result.file->clips[1].seconds == 2);
    CHECK(result.file->rig.joints[1].name == "hand_2");
    const std::string said = format(result.diagnostics);
    CHECK_THAT(said, Catch::Contains("two animations are called 'wave'; the second is taken as 'wave_2'"));
    CHECK_THAT(said, Catch::Contains("two joints are called 'hand'; the second is taken as 'hand_2'"));
    CHECK_THAT(said, Catch::Contains("the file has 2 skins; 'body' (2 joints) is taken and 'cat' (1 joints) left out"));
    const ImportResult cat = import_gltf(path, "cat");
    REQUIRE(cat.file);
    CHECK(cat.file->rig.joints[0].name == "tail");
    CHECK_THAT(format(import_gltf(path, "dog").diagnostics), Catch::Contains("no skin 'dog'; the file has body, cat"));
}

TEST_CASE("a file without a skin gives its animated nodes") {
    GltfMaker maker;
    maker.json.erase("skins");
    const ImportedFile file = import_good(maker.embedded());
    REQUIRE(file.rig.joints.size() == 1);
    CHECK(file.rig.joints[0].name == "hand");
    CHECK(file.rig.joints[0].rest.translation.y == Approx(1.5));
    maker.json.erase("animations");
    CHECK_THAT(complaint(maker.embedded()),
               Catch::Contains("neither a skin nor an animated node") && Catch::Contains("[no-joints]"));
}

TEST_CASE("a morph target's weights come along as numbers, by the names the exporter gave them") {
    GltfMaker maker;
    const int base = maker.add_floats({0, 0, 0, 0, 1, 0, 1, 0, 0}, "VEC3");
    const int target = maker.add_floats({0, 0, 0, 0, 0, 0, 0, 0, 0.1F}, "VEC3");
    maker.json["meshes"] = {
        {{"name", "face"},
         {"extras", {{"targetNames", {"blink", "smile"}}}},
         {"primitives",
          {{{"attributes", {{"POSITION", base}}}, {"targets", {{{"POSITION", target}}, {{"POSITION", target}}}}}}}}};
    maker.json["nodes"].push_back({{"name", "face"}, {"mesh", 0}});
    maker.json["scenes"][0]["nodes"].push_back(3);
    auto& animation = maker.json["animations"][0];
    const int times = maker.add_floats({0, 0.5F, 1}, "SCALAR"),
              weights = maker.add_floats({0, 0.2F, 1, 0.4F, 0, 0.6F}, "SCALAR");
    animation["samplers"].push_back({{"input", times}, {"output", weights}});
    animation["channels"].push_back({{"sampler", 1}, {"target", {{"node", 3}, {"path", "weights"}}}});
    const ImportedFile file = import_good(maker.embedded());
    REQUIRE(file.clips[0].numbers.size() == 2);
    CHECK(file.clips[0].numbers[0].name == "blink");
    CHECK(number_at(file.clips[0].numbers[0], 0.25) == Approx(0.5));
    CHECK(number_at(file.clips[0].numbers[1], 0.75) == Approx(0.5));
    // One weight too few.
    maker.json["accessors"][std::size_t(weights)]["count"] = 5;
    CHECK_THAT(complaint(maker.embedded()),
               Catch::Contains("the weights of clip 'wave' cannot be read: 3 times and 5 values for 2 morph targets"));
}

TEST_CASE("what an import leaves out or doubts is said") {
    const auto said = [](const std::function<void(GltfMaker&)>& bend) {
        GltfMaker maker;
        bend(maker);
        const support::TemporaryFolder folder;
        return format(import_gltf(folder.write("arm.gltf", maker.embedded())).diagnostics);
    };
    CHECK_THAT(said([](GltfMaker& m) {
                   m.json["animations"][0]["channels"][0]["target"]["node"] = 3;
                   m.json["nodes"].push_back({{"name", "lamp"}});
               }),
               Catch::Contains("warning: clip 'wave' moves no joint of 'body'; it is left out [empty-clip]"));
    CHECK_THAT(said([](GltfMaker& m) {
                   m.json["nodes"].push_back({{"name", "lamp"}});
                   nlohmann::json channel = m.json["animations"][0]["channels"][0];
                   channel["target"]["node"] = 3;
                   m.json["animations"][0]["channels"].push_back(channel);
               }),
               Catch::Contains("note: clip 'wave' also moves 1 thing that is no joint; it is left out [other-tracks]"));
    CHECK_THAT(said([](GltfMaker& m) {
                   m.json["nodes"][0]["scale"] = {0, 0, 0};
               }),
               Catch::Contains("scale it to nothing; apply the scale before exporting [uneven-scale]"));
    CHECK_THAT(
        said([](GltfMaker& m) {
            m.add_clip("age", {0, 90000}, {{0, 0, 0, 1}, {0, 0, 0, 1}});
        }),
        Catch::Contains("error: clip 'age' lasts 90000 seconds and 3600 are possible; its times may be in another unit "
                        "[too-long]"));
}

TEST_CASE("a buffer behind a link that leads out of the folder is not read") {
    const support::TemporaryFolder folder, elsewhere;
    const std::string text = R"({"asset":{"version":"2.0"},"nodes":[{"name":"hips"}],"skins":[{"joints":[0]}],)"
                             R"("buffers":[{"byteLength":8,"uri":"keys.bin"}]})";
    const std::string file = folder.write("arm.gltf", text);
    const std::string outside = elsewhere.write("keys.bin", "12345678");
    std::filesystem::create_symlink(outside, folder / "keys.bin");
    CHECK_THAT(format(import_gltf(file).diagnostics),
               Catch::Contains("which lies or leads outside its own folder; put the buffer beside the file"));
    std::filesystem::remove(folder / "keys.bin");
    folder.write("real.bin", "12345678");
    std::filesystem::create_symlink("real.bin", folder / "keys.bin");
    CHECK(import_gltf(file).file);
}

TEST_CASE("every broken file gets one clear error") {
    const GltfMaker good;
    const auto broken = [&](const std::function<void(GltfMaker&)>& bend) {
        GltfMaker maker;
        bend(maker);
        return complaint(maker.embedded());
    };
    const auto output = good.json["animations"][0]["samplers"][0]["output"].get<std::size_t>();
    const auto input = good.json["animations"][0]["samplers"][0]["input"].get<std::size_t>();

    CHECK(complaint("") == "arm.gltf: error: this is not glTF: a .glb begins with 'glTF' and a .gltf with '{'; export "
                           "the file as glTF 2.0 [broken-file]");
    CHECK_THAT(complaint("{\"asset\": "),
               Catch::Contains("cannot be read as glTF 2.0") && Catch::Contains("export it again"));
    CHECK_THAT(complaint(good.binary().substr(0, 300), "arm.glb"),
               Catch::Contains("the file is cut short: it says it has"));
    CHECK_THAT(complaint(good.binary().substr(0, 9), "arm.glb"),
               Catch::Contains("the file is cut short: a .glb begins with a header"));
    CHECK_THAT(complaint(good.external("elsewhere.bin")),
               Catch::Contains("its buffer 'elsewhere.bin' is not there; put it beside the file or export as .glb"));
    CHECK_THAT(complaint(good.external("../../../../etc/passwd")),
               Catch::Contains("outside its own folder; put the buffer beside the file"));
    CHECK_THAT(broken([](GltfMaker& m) {
                   m.json["skins"][0]["joints"] = {1, 99};
               }),
               Catch::Contains("skin 0 names joint node 99, and there are 3 nodes"));
    CHECK_THAT(broken([](GltfMaker& m) { m.json["nodes"][2]["children"] = {0}; }),
               Catch::Contains("node") && Catch::Contains("among its own ancestors"));
    CHECK_THAT(broken([](GltfMaker& m) {
                   m.json["nodes"][0]["children"] = {1, 2};
               }),
               Catch::Contains("node 2 has two parents, 0 and 1"));
    CHECK_THAT(broken([](GltfMaker& m) { m.json["nodes"][2]["children"] = {7}; }),
               Catch::Contains("node 2 has child 7"));
    CHECK_THAT(broken([&](GltfMaker& m) { m.json["accessors"][output]["count"] = 3; }),
               Catch::Contains("it claims 3 elements and its view holds 32 bytes"));
    CHECK_THAT(broken([&](GltfMaker& m) { m.json["accessors"][output]["count"] = 4000000000U; }),
               Catch::Contains("it claims 4000000000 elements"));
    CHECK_THAT(broken([&](GltfMaker& m) { m.json["accessors"][output]["count"] = 1; }),
               Catch::Contains("2 times and 1 values"));
    CHECK_THAT(broken([&](GltfMaker& m) { m.json["accessors"][output]["bufferView"] = 77; }),
               Catch::Contains("it names buffer view 77"));
    CHECK_THAT(broken([&](GltfMaker& m) { m.json["bufferViews"][output]["byteLength"] = 1000000; }),
               Catch::Contains("is larger than its buffer"));
    CHECK_THAT(broken([&](GltfMaker& m) { m.json["bufferViews"][output]["buffer"] = 4; }),
               Catch::Contains("it names buffer 4 of 1"));
    CHECK_THAT(broken([&](GltfMaker& m) { m.json["accessors"][output]["type"] = "VEC3"; }),
               Catch::Contains("another number of components"));
    CHECK_THAT(broken([](GltfMaker& m) { m.json["animations"][0]["channels"][0]["sampler"] = 5; }),
               Catch::Contains("they name sampler 5 of 1"));
    CHECK_THAT(broken([](GltfMaker& m) { m.json["animations"][0]["channels"][0]["target"]["node"] = 50; }),
               Catch::Contains("moves node 50"));
    CHECK_THAT(broken([](GltfMaker& m) { m.json["animations"][0]["samplers"][0]["interpolation"] = "BEZIER"; }),
               Catch::Contains("interpolation 'BEZIER' is unknown"));
    CHECK_THAT(broken([&](GltfMaker& m) {
                   m.json["animations"][0]["samplers"][0]["input"] = m.add_floats({1, 0.5F}, "SCALAR");
               }),
               Catch::Contains("their times do not rise from zero"));
    CHECK_THAT(broken([&](GltfMaker& m) {
                   m.json["animations"][0]["samplers"][0]["input"] = m.add_floats({0, 90000}, "SCALAR");
               }),
               Catch::Contains("its times may be in another unit"));
    CHECK_THAT(broken([&](GltfMaker& m) {
                   const float nan = std::numeric_limits<float>::quiet_NaN();
                   m.json["animations"][0]["samplers"][0]["output"] = m.add_floats({0, 0, 0, 1, nan, 0, 0, 1}, "VEC4");
               }),
               Catch::Contains("hold a number that is not finite") && Catch::Contains("'hand' (rotation)"));
    CHECK_THAT(broken([&](GltfMaker& m) {
                   m.json["animations"][0]["samplers"][0]["output"] = m.add_floats({0, 0, 0, 1, 0, 0, 0, 0}, "VEC4");
               }),
               Catch::Contains("a rotation has zero length"));
    CHECK_THAT(broken([](GltfMaker& m) {
                   m.json["nodes"][0]["scale"] = {1, 2, 1};
               }),
               Catch::Contains("scale it unevenly"));
    CHECK_THAT(broken([](GltfMaker& m) { m.json["nodes"][0]["scale"] = {-1, 1, 1}; }), Catch::Contains("mirror it"));
    CHECK_THAT(broken([](GltfMaker& m) {
                   m.json["skins"][0]["inverseBindMatrices"] = m.add_floats(std::vector<float>(16, 0.0F), "MAT4");
               }),
               Catch::Contains("2 joints and 1 inverse bind matrices"));
    CHECK_THAT(broken([&](GltfMaker& m) {
                   m.json["accessors"][input]["sparse"] = {{"count", 9},
                                                           {"indices", {{"bufferView", 0}, {"componentType", 5123}}},
                                                           {"values", {{"bufferView", 0}}}};
               }),
               Catch::Contains("it replaces 9 of 2 elements"));
    CHECK_THAT(complaint("{\"a\":" + std::string(20000, '[') + std::string(20000, ']') + "}"),
               Catch::Contains("its JSON nests deeper than 64 levels"));
    CHECK_THAT(format(import_gltf("/nowhere/arm.glb").diagnostics),
               Catch::Contains("/nowhere/arm.glb: error: cannot be read: no such file or directory [unreadable-file]"));
    CHECK_THAT(format(import_gltf("/tmp").diagnostics), Catch::Contains("it is a folder, and a file is wanted"));
}

TEST_CASE("a file cut at any length or with any byte changed neither crashes nor hangs") {
    const std::string whole = GltfMaker().binary(), text = GltfMaker().embedded();
    const support::TemporaryFolder folder;
    for (const std::string& original : {whole, text}) {
        for (std::size_t length = 0; length < original.size(); length += 7) {
            (void)import_gltf(folder.write("cut.glb", original.substr(0, length)));
        }
        unsigned random = 1;
        for (std::size_t i = 0; i < 400; ++i) {
            std::string changed = original;
            for (int k = 0; k < 3; ++k) {
                random = random * 1664525U + 1013904223U;
                changed[random % changed.size()] = char(random >> 24U);
            }
            const ImportResult result = import_gltf(folder.write("changed.glb", changed));
            CHECK(result.file.has_value() != has_errors(result.diagnostics));
        }
    }
}

TEST_CASE("what is baked is read back as it was played") {
    const support::TemporaryFolder folder;
    GltfMaker maker;
    maker.json["nodes"][0]["rotation"] = {-0.70710678, 0, 0, 0.70710678};
    maker.json["nodes"][0]["scale"] = {0.01, 0.01, 0.01};
    const std::string source = folder.write("arm.gltf", maker.embedded()), out = (folder / "out.glb").string();
    const ImportedFile file = import_good(maker.embedded());
    BakedMotion motion{"played", 30, {}};
    for (int f = 0; f < 20; ++f) {
        auto pose = rest_pose(file.rig);
        pose[0].rotation = axis_angle({0, 1, 0.5F}, 9 * f);
        pose[0].translation.z += 0.01F * float(f);
        pose[1].rotation = axis_angle({1, 0, 0}, -5 * f);
        motion.frames.push_back(pose);
    }
    const Diagnostics problems = bake_gltf(source, motion, out);
    INFO(format(problems));
    REQUIRE(problems.empty());
    const ImportResult back = import_gltf(out);
    REQUIRE(back.file);
    REQUIRE(back.file->clips.size() == 1);
    CHECK(back.file->clips[0].name == "played");
    for (std::size_t f = 0; f < 20; ++f) {
        const auto pose = pose_at(back.file->clips[0], rest_pose(back.file->rig), double(f) / 30);
        CHECK(support::greatest_turn(pose, motion.frames[f]) < 0.01);
        CHECK(length(pose[0].translation - motion.frames[f][0].translation) < 1e-5F);
    }
    motion.frames[0].pop_back();
    CHECK_THAT(format(bake_gltf(source, motion, out)), Catch::Contains("the motion has 1 joints and the file's rig 2"));
    motion.frames.erase(motion.frames.begin());
    CHECK_THAT(format(bake_gltf(source, motion, "/nowhere/out.glb")),
               Catch::Contains("/nowhere/out.glb: error: cannot be written: no such file or directory"));
}

TEST_CASE("a node placed by a matrix stands where its parts would put it, mirrored ones too, and can be baked") {
    GltfMaker parts, matrix;
    const Quat turn = axis_angle({0, 0, 1}, 90);
    parts.json["nodes"][2]["translation"] = {0.1, 0.5, 0.2};
    parts.json["nodes"][2]["rotation"] = {turn.x, turn.y, turn.z, turn.w};
    parts.json["nodes"][2]["scale"] = {2, 3, 1};
    // Column by column: x becomes y, twice as long; y becomes minus x, three times as long.
    matrix.json["nodes"][2].erase("translation");
    matrix.json["nodes"][2]["matrix"] = {0, 2, 0, 0, -3, 0, 0, 0, 0, 0, 1, 0, 0.1, 0.5, 0.2, 1};
    matrix.json["animations"][0]["channels"].clear();
    matrix.json["animations"][0]["channels"].push_back(
        {{"sampler", 0}, {"target", {{"node", 1}, {"path", "rotation"}}}});
    const ImportedFile by_parts = import_good(parts.embedded()), by_matrix = import_good(matrix.embedded());
    const Transform expected = by_parts.rig.joints[1].rest, placed = by_matrix.rig.joints[1].rest;
    CHECK(length(placed.translation - expected.translation) < 1e-6F);
    CHECK(degrees_between(placed.rotation, expected.rotation) < 1e-3);
    CHECK(length(placed.scale - expected.scale) < 1e-5F);
    matrix.json["nodes"][2]["matrix"] = {-1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0.5, 0, 1};
    const Transform mirrored = import_good(matrix.embedded()).rig.joints[1].rest;
    CHECK(mirrored.scale.x * mirrored.scale.y * mirrored.scale.z == Approx(-1));

    // What is animated may not be placed by a matrix: the bake takes it apart, and the rig stands as it did.
    const support::TemporaryFolder folder;
    const std::string source = folder.write("arm.gltf", matrix.embedded()), out = (folder / "out.glb").string();
    const ImportedFile file = import_good(matrix.embedded());
    BakedMotion still{"still", 30, {rest_pose(file.rig), rest_pose(file.rig)}};
    const Diagnostics problems = bake_gltf(source, still, out);
    INFO(format(problems));
    REQUIRE(problems.empty());
    const ImportResult back = import_gltf(out);
    REQUIRE(back.file);
    const auto before = model_space(file.rig, rest_pose(file.rig)),
               after = model_space(back.file->rig, rest_pose(back.file->rig));
    CHECK(length(before[1].translation - after[1].translation) < 1e-5F);
    CHECK_THAT(support::read(out), !Catch::Contains("\"matrix\""));
}

TEST_CASE("a bake keeps what the file holds beside its motion: shapes, sparse data and pictures") {
    GltfMaker maker;
    const int base = maker.add_floats({0, 0, 0, 0, 1, 0, 1, 0, 0}, "VEC3");
    const int target = maker.add_floats({0, 0, 0, 0, 0, 0, 0, 0, 0.1F}, "VEC3");
    const std::vector<float> replaced{9, 8, 7};
    const int indices = maker.add_view(std::string("\2\0", 2)),
              values = maker.add_view(std::string(reinterpret_cast<const char*>(replaced.data()), 12));
    maker.json["accessors"][std::size_t(target)]["sparse"] = {
        {"count", 1},
        {"indices", {{"bufferView", indices}, {"componentType", 5123}}},
        {"values", {{"bufferView", values}}}};
    const int picture = maker.add_view("a picture of a lantern");
    maker.json["images"] = {{{"bufferView", picture}, {"mimeType", "image/png"}}};
    maker.json["meshes"] = {
        {{"name", "face"},
         {"primitives", {{{"attributes", {{"POSITION", base}}}, {"targets", {{{"POSITION", target}}}}}}}}};
    maker.json["nodes"].push_back({{"name", "face"}, {"mesh", 0}});
    maker.json["scenes"][0]["nodes"].push_back(3);
    const support::TemporaryFolder folder;
    const std::string source = folder.write("arm.gltf", maker.embedded()), out = (folder / "out.glb").string();
    const ImportedFile file = import_good(maker.embedded());
    const Diagnostics problems = bake_gltf(source, {"still", 30, {rest_pose(file.rig), rest_pose(file.rig)}}, out);
    INFO(format(problems));
    REQUIRE(problems.empty());
    const std::string bytes = support::read(out);
    CHECK_THAT(bytes, Catch::Contains("a picture of a lantern"));
    CHECK_THAT(bytes, Catch::Contains("\"sparse\"") && Catch::Contains("\"targets\""));
    CHECK_THAT(bytes, Catch::Contains(std::string(reinterpret_cast<const char*>(replaced.data()), 12)));
    // Baking what was baked changes nothing more.
    const std::string again = (folder / "again.glb").string();
    REQUIRE(bake_gltf(out, {"still", 30, {rest_pose(file.rig), rest_pose(file.rig)}}, again).empty());
    CHECK(support::read(again).size() == bytes.size());

    // What its meshes refer to and is not there is one error, and nothing is written.
    maker.json["meshes"][0]["primitives"][0]["targets"][0]["POSITION"] = 99;
    const std::string broken = folder.write("broken.gltf", maker.embedded()), never = (folder / "never.glb").string();
    CHECK_THAT(format(bake_gltf(broken, {"still", 30, {rest_pose(file.rig)}}, never)),
               Catch::Contains("its meshes refer to data that is not there; export the file again"));
    CHECK_FALSE(std::filesystem::exists(never));
}

TEST_CASE("each way an accessor can lie is said") {
    const GltfMaker good;
    const auto output = good.json["animations"][0]["samplers"][0]["output"].get<std::size_t>();
    const auto broken = [&](const std::function<void(nlohmann::json&)>& bend) {
        GltfMaker maker;
        const std::vector<float> replaced{1, 0, 0, 0};
        const int indices = maker.add_view(std::string("\1\0", 2)),
                  values = maker.add_view(std::string(reinterpret_cast<const char*>(replaced.data()), 16));
        maker.json["accessors"][output]["sparse"] = {{"count", 1},
                                                     {"indices", {{"bufferView", indices}, {"componentType", 5123}}},
                                                     {"values", {{"bufferView", values}}}};
        bend(maker.json);
        return complaint(maker.embedded());
    };
    CHECK_THAT(broken([&](nlohmann::json& j) { j["accessors"][output]["sparse"]["indices"]["componentType"] = 5126; }),
               Catch::Contains("its sparse indices have component type 5126"));
    CHECK_THAT(broken([&](nlohmann::json& j) { j["accessors"][output]["sparse"]["count"] = 9; }),
               Catch::Contains("it replaces 9 of 2 elements"));
    CHECK_THAT(broken([&](nlohmann::json& j) { j["accessors"][output]["componentType"] = 4000; }),
               Catch::Contains("it cannot be read as glTF 2.0") && Catch::Contains("4000"));
    CHECK_THAT(broken([&](nlohmann::json& j) {
                   j["accessors"][output].erase("sparse");
                   j["accessors"][output].erase("bufferView");
               }),
               Catch::Contains("its accessor has no buffer view"));
    CHECK_THAT(broken([&](nlohmann::json& j) {
                   j["nodes"][2]["rotation"] = {0, 0, 0, 0};
               }),
               Catch::Contains("has a rotation of zero length; export the file again"));
    CHECK_THAT(broken([&](nlohmann::json& j) { j["animations"][0]["samplers"][0]["output"] = 77; }),
               Catch::Contains("it names accessor 77 of"));
}
