#include "gait/load.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <chrono>
#include <random>

using namespace gait;

namespace {

const char* const two_joints = "HIERARCHY\n"
                               "ROOT hips\n"
                               "{\n"
                               "  OFFSET 0 1 0\n"
                               "  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n"
                               "  JOINT arm\n"
                               "  {\n"
                               "    OFFSET 0 0.5 0\n"
                               "    CHANNELS 3 Zrotation Xrotation Yrotation\n"
                               "    End Site\n"
                               "    {\n"
                               "      OFFSET 0 0.3 0\n"
                               "    }\n"
                               "  }\n"
                               "}\n"
                               "MOTION\n"
                               "Frames: 2\n"
                               "Frame Time: 0.5\n"
                               "0 1 0 0 0 0 0 0 0\n"
                               "0 1 2 90 0 0 0 90 0\n";

const BodyReading metres{1.0, "y"};

ImportResult read(const std::string& text, const BodyReading& how = metres) {
    const support::TemporaryFolder folder;
    return import_bvh(folder.write("walk.bvh", text), how);
}

ImportedFile good(const std::string& text, const BodyReading& how = metres) {
    const ImportResult result = read(text, how);
    INFO(format(result.diagnostics));
    REQUIRE(result.file);
    return *result.file;
}

/// The one error, without its folder.
std::string complaint(const std::string& text) {
    const ImportResult result = read(text);
    CHECK_FALSE(result.file);
    REQUIRE(result.diagnostics.size() == 1);
    Diagnostic d = result.diagnostics.front();
    d.file = "walk.bvh";
    return format(d);
}

std::string replaced(std::string text, const std::string& from, const std::string& to) {
    const auto at = text.find(from);
    REQUIRE(at != std::string::npos);
    return text.replace(at, from.size(), to);
}

} // namespace

TEST_CASE("a BVH file gives its joints and its motion") {
    const ImportedFile file = good(two_joints);
    REQUIRE(file.rig.joints.size() == 2);
    CHECK(file.rig.joints[1].name == "arm");
    CHECK(file.rig.joints[1].parent == 0);
    CHECK(file.rig.joints[1].rest.translation.y == Approx(0.5));
    REQUIRE(file.clips.size() == 1);
    CHECK(file.clips[0].name == "walk");
    CHECK(file.clips[0].seconds == Approx(0.5));
    const auto pose = pose_at(file.clips[0], rest_pose(file.rig), 0.5);
    CHECK(pose[0].translation.z == Approx(2));
    CHECK(degrees_between(pose[0].rotation, axis_angle({0, 0, 1}, 90)) < 0.001);
    CHECK(degrees_between(pose[1].rotation, axis_angle({1, 0, 0}, 90)) < 0.001);
}

TEST_CASE("turns are applied in the order of a joint's channels, whatever it is") {
    const std::vector<std::string> orders{"XYZ", "XZY", "YXZ", "YZX", "ZXY", "ZYX"};
    for (const std::string& order : orders) {
        std::string channels;
        for (const char axis : order) { channels += std::string(" ") + axis + "rotation"; }
        std::string text =
            replaced(two_joints, "    CHANNELS 3 Zrotation Xrotation Yrotation", "    CHANNELS 3" + channels);
        text = replaced(text, "0 1 2 90 0 0 0 90 0", "0 1 2 0 0 0 10 20 30");
        const ImportedFile file = good(text);
        Quat expected;
        double degrees = 10;
        for (const char axis : order) {
            expected = expected *
                       axis_angle({axis == 'X' ? 1.0F : 0, axis == 'Y' ? 1.0F : 0, axis == 'Z' ? 1.0F : 0}, degrees);
            degrees += 10;
        }
        CAPTURE(order);
        CHECK(degrees_between(pose_at(file.clips[0], rest_pose(file.rig), 0.5)[1].rotation, expected) < 0.001);
    }
}

TEST_CASE("every kind of line end, tabs, signs and exponents read alike") {
    const auto pose_of = [](const std::string& text) {
        return pose_at(good(text).clips[0], rest_pose(good(text).rig), 0.5);
    };
    const auto expected = pose_of(two_joints);
    std::string windows, old_mac, tabs = two_joints;
    for (const char c : std::string(two_joints)) {
        windows += c == '\n' ? "\r\n" : std::string(1, c);
        old_mac += c == '\n' ? '\r' : c;
    }
    for (char& c : tabs) { c = c == ' ' ? '\t' : c; }
    tabs = replaced(replaced(tabs, "End\tSite", "End Site"), "Frame\tTime", "Frame Time");
    const std::string exponents = replaced(two_joints, "0 1 2 90 0 0 0 90 0", "0e0 +1.0E+0 2000e-3 9e1 -0 .0 0 90. 0");
    for (const std::string& text : {windows, old_mac, tabs, exponents, "\xEF\xBB\xBF" + std::string(two_joints)}) {
        CHECK(support::greatest_turn(pose_of(text), expected) < 0.001);
    }
}

TEST_CASE("positions on any joint, joints without channels and several roots are read") {
    std::string text = replaced(two_joints, "    CHANNELS 3 Zrotation Xrotation Yrotation", "    CHANNELS 1 Yposition");
    text = replaced(replaced(text, "0 1 0 0 0 0 0 0 0", "0 1 0 0 0 0 0.5"), "0 1 2 90 0 0 0 90 0", "0 1 2 90 0 0 0.7");
    text = replaced(text, "MOTION", "ROOT lamp\n{\n OFFSET 1 0 0\n End Site\n {\n  OFFSET 0 1 0\n }\n}\nMOTION");
    const ImportedFile file = good(text);
    REQUIRE(file.rig.joints.size() == 3);
    CHECK(file.rig.joints[2].parent == -1);
    CHECK(pose_at(file.clips[0], rest_pose(file.rig), 0.5)[1].translation.y == Approx(0.7));
}

TEST_CASE("unit and axes are taken as said, or guessed and said") {
    const std::string centimetres =
        replaced(replaced(replaced(two_joints, "OFFSET 0 1 0", "OFFSET 0 0 100"), "OFFSET 0 0.5 0", "OFFSET 0 0 50"),
                 "OFFSET 0 0.3 0", "OFFSET 0 0 30");
    const ImportResult guessed = read(centimetres, {});
    REQUIRE(guessed.file);
    CHECK_THAT(
        format(guessed.diagnostics),
        Catch::Contains("note: BVH says neither unit nor axes: taken as 0.0254 metres a unit, which makes the body "
                        "2.03 m tall, with z up; where that is wrong, say 'scale' and 'up' in a fit [guessed-axes]"));
    CHECK(guessed.file->rig.joints[0].rest.translation.y == Approx(2.54));
    CHECK(guessed.file->rig.joints[1].rest.translation.y == Approx(1.27));
    const ImportedFile told = good(centimetres, {0.1, "z"});
    CHECK(told.rig.joints[1].rest.translation.y == Approx(5));
}

TEST_CASE("a rest pose that hangs below the ground is stood on it") {
    const std::string hanging =
        replaced(replaced(two_joints, "OFFSET 0 1 0", "OFFSET 0 0 0"), "OFFSET 0 0.5 0", "OFFSET 0 -0.9 0");
    CHECK(good(hanging).rig.joints[0].rest.translation.y == Approx(0.9));
}

TEST_CASE("every broken BVH file gets one error with its place") {
    CHECK(complaint("") ==
          "walk.bvh:1:1: error: expected 'HIERARCHY', found the end of the file; export it again as BVH "
          "[broken-file]");
    CHECK(complaint(replaced(two_joints, "OFFSET 0 0.5 0", "OFFSET 0 half 0")) ==
          "walk.bvh:8:14: error: expected a number of an offset, found 'half'; export it again as BVH [broken-file]\n"
          "        OFFSET 0 half 0\n"
          "                 ^");
    CHECK_THAT(complaint(replaced(two_joints, "3 Zrotation", "3 Wrotation")),
               Catch::Contains("9:16: error: expected a channel such as Xposition or Zrotation, found 'Wrotation'"));
    CHECK_THAT(complaint(replaced(two_joints, "CHANNELS 6", "CHANNELS 7")),
               Catch::Contains("a joint has 0 to 6 channels, found 7"));
    CHECK_THAT(complaint(replaced(two_joints, "JOINT arm", "BONE arm")),
               Catch::Contains("expected 'JOINT', 'End Site' or '}', found 'BONE'"));
    CHECK_THAT(complaint(replaced(two_joints, "Frames: 2", "Frames: 3")),
               Catch::Contains("the motion ends after 18 numbers; 3 frames of 9 are 27"));
    const ImportResult longer = read(replaced(two_joints, "Frames: 2", "Frames: 1"));
    REQUIRE(longer.file);
    CHECK_THAT(
        format(longer.diagnostics),
        Catch::Contains("20:1: warning: there is more motion than 1 frames of 9 numbers; what is over, 9 numbers, is "
                        "left out: see that 'Frames:' and the rows agree [surplus-motion]"));
    CHECK_THAT(complaint(replaced(two_joints, "Frames: 2", "Frames: 0")),
               Catch::Contains("there is at least one frame, found 0"));
    CHECK_THAT(complaint(replaced(two_joints, "Time: 0.5", "Time: 0")), Catch::Contains("are not 0 to 3600 seconds"));
    CHECK_THAT(complaint(replaced(two_joints, "0 1 2 90", "0 nan 2 90")),
               Catch::Contains("expected a number of a frame, found 'nan'"));
    CHECK_THAT(complaint(std::string(two_joints).substr(0, 100)), Catch::Contains("found"));
    std::string deep = "HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\n";
    for (int i = 0; i < 300; ++i) { deep += "JOINT a\n{\nOFFSET 0 0 0\n"; }
    CHECK_THAT(complaint(deep), Catch::Contains("joints nest deeper than 256"));
}

TEST_CASE("a BVH file cut at any length or with any byte changed neither crashes nor hangs") {
    const std::string original = two_joints;
    const support::TemporaryFolder folder;
    for (std::size_t length = 0; length < original.size(); ++length) {
        (void)import_bvh(folder.write("cut.bvh", original.substr(0, length)));
    }
    std::mt19937 random(7);
    for (int i = 0; i < 2000; ++i) {
        std::string changed = original;
        for (unsigned n = 0; n < 1 + random() % 3; ++n) { changed[random() % changed.size()] = char(random() % 256); }
        const ImportResult result = import_bvh(folder.write("changed.bvh", changed));
        CHECK((result.file.has_value() != has_errors(result.diagnostics)));
    }
}

TEST_CASE("a large BVH file is read") {
    std::string text = replaced(two_joints, "Frames: 2", "Frames: 200002");
    text = replaced(text, "Time: 0.5", "Time: 0.01");
    for (int i = 0; i < 200'000; ++i) { text += "0 1 2 10 20 30 40 50 60\n"; }
    CHECK(good(text).clips[0].keys == 200'002);
}

TEST_CASE("a motion goes through BVH and glTF and comes back as it was") {
    const Loaded& demo = support::lamplighter();
    Performer performer(demo.character);
    performer.set("speed", 2);
    BakedMotion motion{"round", 30, {}, {}};
    for (int i = 0; i < 30; ++i) {
        performer.advance(1.0 / 30);
        motion.frames.push_back(support::pose_of(performer));
    }
    const support::TemporaryFolder folder;
    // Her fingers stand last in it, for the document has details; in the file they stand with their hands.
    const Rig& rig = demo.character->rig();
    for (const Joint& joint : rig.joints) { motion.joints.push_back(joint.name); }
    REQUIRE(bake_bvh(rig, motion, folder / "round.bvh").empty());
    REQUIRE(bake_gltf(support::project() / "demo/lamplighter.glb", motion, folder / "round.glb").empty());
    const ImportResult bvh = import_bvh(folder / "round.bvh", metres), glb = import_gltf(folder / "round.glb");
    REQUIRE(bvh.file);
    REQUIRE(glb.file);
    const FittedClip fitted = fit_clip(bvh.file->clips[0], bvh.file->rig, rig);
    CHECK(fitted.foreign.empty());
    CHECK(fitted.unmoved.empty());
    CHECK(glb.file->rig.joints[12].name != rig.joints[12].name);
    // Each joint of the rig, wherever a clip has it.
    const auto posed = [&](const ClipSource& clip, double at) {
        std::vector<Transform> pose = rest_pose(rig);
        const std::vector<Transform> own = pose_at(clip, std::vector<Transform>(clip.joints.size()), at);
        for (std::size_t j = 0; j < clip.joints.size(); ++j) {
            pose[std::size_t(rig.find(clip.joints[j]).value())] = own[j];
        }
        return pose;
    };
    for (int i = 0; i < 30; ++i) {
        const double at = i / 30.0;
        const auto from_bvh = posed(fitted.clip, at), from_glb = posed(glb.file->clips[0], at);
        CHECK(support::greatest_turn(from_bvh, from_glb) < 0.01);
        CHECK(length(from_bvh[0].translation - from_glb[0].translation) < 1e-4F);
    }
    motion.joints.back() = "left_thump_2";
    CHECK_THAT(format(bake_gltf(support::project() / "demo/lamplighter.glb", motion, folder / "other.glb")),
               Catch::Contains("not called as those of the file's rig"));
}

TEST_CASE("a BVH rig with turned rest joints is written and read back") {
    // The chain's joints rest turned, which BVH cannot say: the turn must be undone and done again.
    Rig rig = support::chain(3);
    rig.joints[1].rest.rotation = axis_angle({1, 2, 3}, 50);
    rig.joints[2].rest.rotation = axis_angle({0, 1, -1}, -70);
    BakedMotion motion{"turns", 10, {}};
    for (int i = 0; i < 5; ++i) {
        auto pose = rest_pose(rig);
        for (std::size_t j = 0; j < 3; ++j) {
            pose[j].rotation = pose[j].rotation * axis_angle({1, 0, float(j)}, 20.0 * i);
        }
        motion.frames.push_back(pose);
    }
    const support::TemporaryFolder folder;
    REQUIRE(bake_bvh(rig, motion, folder / "turns.bvh").empty());
    const ImportResult back = import_bvh(folder / "turns.bvh", metres);
    REQUIRE(back.file);
    const FittedClip fitted = fit_clip(back.file->clips[0], back.file->rig, rig);
    for (int i = 0; i < 5; ++i) {
        CHECK(support::greatest_turn(pose_at(fitted.clip, rest_pose(rig), i / 10.0), motion.frames[std::size_t(i)]) <
              0.01);
    }
}
