// Rigs and clips that a program fills: whatever is wrong with them is said, and nothing is read that is not there.
#include "machine_support.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <functional>
#include <limits>

using namespace gait;

namespace {

constexpr float not_a_number = std::numeric_limits<float>::quiet_NaN();

std::string mistakes(const std::function<void(Rig&, ClipSource&)>& change) {
    Assets assets = support::machine_assets();
    change(*assets.rig, assets.clips.at("swing"));
    return support::diagnose(support::machine_text("speed: {kind: number}", "a: {play: swing}"), assets);
}

} // namespace

TEST_CASE("a clip that cannot be played is one error at its name") {
    const auto clip_mistakes = [](const std::function<void(ClipSource&)>& change) {
        const std::string said = mistakes([&](Rig&, ClipSource& clip) { change(clip); });
        CHECK(std::count(said.begin(), said.end(), '\n') == 3); // the finding, the line, the caret
        CHECK_THAT(said, Catch::Contains("test.gait.yaml:8:3: error: clip 'swing' cannot be played: ") &&
                             Catch::Contains("[wrong-clip]"));
        return said;
    };
    CHECK_THAT(clip_mistakes([](ClipSource& c) { c.tracks[0].rotation.values.pop_back(); }),
               Catch::Contains("the rotation of 'joint_0' has 61 times and 60 values, and 61 are wanted"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) { c.tracks[0].rotation.interpolation = Interpolation::cubic_spline; }),
               Catch::Contains("has 61 times and 61 values, and 183 are wanted"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) { c.tracks[1].rotation.times[3] = double(not_a_number); }),
               Catch::Contains("the rotation of 'joint_1' has a key at nan s; times rise from 0 to the clip's 1 s"));
    CHECK_THAT(
        clip_mistakes([](ClipSource& c) { std::swap(c.tracks[0].rotation.times[3], c.tracks[0].rotation.times[4]); }),
        Catch::Contains("times rise from 0"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) { c.tracks[0].rotation.values[2].y = not_a_number; }),
               Catch::Contains("holds a number beyond 1e+09, or none at all"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) {
                   c.tracks[0].rotation.values[2] = {0, 0, 0, 0};
               }),
               Catch::Contains("holds a rotation of no length"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) {
                   c.tracks[0].translation.times = {0};
                   c.tracks[0].translation.values = {{0, 1e30F, 0}};
               }),
               Catch::Contains("the translation of 'joint_0' holds a number beyond"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) { c.tracks.pop_back(); }),
               Catch::Contains("it names 2 joints and has the tracks of 1"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) { c.seconds = 1e-30; }),
               Catch::Contains("it lasts 1e-30 s, and a clip lasts 0.001 to 3600 s, or is one pose of 0 s"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) { c.seconds = double(not_a_number); }),
               Catch::Contains("it lasts nan s"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) { c.seconds = 1e9; }), Catch::Contains("it lasts 1000000000 s"));
    CHECK_THAT(clip_mistakes([](ClipSource& c) {
                   c.numbers.push_back({"smile", {{}, {0, 1}, {0.5F}}});
               }),
               Catch::Contains("the numbers of 'smile': the track has 2 times and 1 values"));
}

TEST_CASE("a rig that cannot be posed is one error") {
    const auto rig_mistakes = [](const std::function<void(Rig&)>& change) {
        return mistakes([&](Rig& rig, ClipSource&) { change(rig); });
    };
    CHECK_THAT(rig_mistakes([](Rig& r) {
                   r.joints[1].rest.rotation = {not_a_number, 0, 0, 1};
               }),
               Catch::Contains("joint 'joint_1' cannot be posed: its rest rotation is no unit quaternion [wrong-rig]"));
    CHECK_THAT(rig_mistakes([](Rig& r) {
                   r.joints[1].rest.rotation = {0, 0, 0, 2};
               }),
               Catch::Contains("no unit quaternion"));
    CHECK_THAT(rig_mistakes([](Rig& r) { r.joints[0].rest.translation.y = not_a_number; }),
               Catch::Contains("or none at all"));
    CHECK_THAT(rig_mistakes([](Rig& r) { r.joints[0].rest.scale.z = 1e38F; }), Catch::Contains("beyond 1e+09"));
    CHECK_THAT(rig_mistakes([](Rig& r) { r.joints[0].inverse_bind.elements[5] = not_a_number; }),
               Catch::Contains("or none at all"));
    CHECK_THAT(rig_mistakes([](Rig& r) { r.joints[0].parent = 1; }),
               Catch::Contains("'joint_0' stands before its parent"));
    CHECK_THAT(rig_mistakes([](Rig& r) { r.joints[0].parent = -7; }),
               Catch::Contains("'joint_0' stands before its parent"));
    CHECK(mistakes([](Rig&, ClipSource&) {}).empty());
}
