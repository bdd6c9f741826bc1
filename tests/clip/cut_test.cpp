#include "support.hpp"

#include <catch2/catch.hpp>

#include <cmath>

using namespace gait;
using support::demo_clip;
using support::demo_file;

namespace {

/// As of a session of capture: she stands for two seconds and walks on for `strides`, from the middle of a stride, the
/// body going ahead at `speed`.
ClipSource recording(double strides, double speed) {
    const ClipSource &stand = demo_clip("stand"), &stroll = demo_clip("stroll");
    constexpr double rate = 30, stands = 2, begins = 0.3;
    ClipSource made;
    made.name = "session";
    made.joints = stroll.joints;
    made.tracks.resize(made.joints.size());
    const int keys = int(std::lround((stands + strides) * rate)) + 1;
    made.keys = keys;
    made.seconds = (keys - 1) / rate;
    for (int k = 0; k < keys; ++k) {
        const double at = k / rate, walked = std::max(0.0, at - stands);
        const double phase = begins + walked - std::floor(begins + walked);
        const ClipSource& source = at < stands ? stand : stroll;
        auto pose = pose_at(source, rest_pose(demo_file().rig), at < stands ? at : phase * stroll.seconds);
        pose[0].translation.z += float(speed * walked);
        for (std::size_t j = 0; j < made.joints.size(); ++j) {
            made.tracks[j].rotation.times.push_back(at);
            made.tracks[j].rotation.values.push_back(pose[j].rotation);
            made.tracks[j].translation.times.push_back(at);
            made.tracks[j].translation.values.push_back(pose[j].translation);
        }
    }
    return made;
}

} // namespace

TEST_CASE("of a recording the strides that come round are found, in place and on the way") {
    for (const double speed : {0.0, 1.4}) {
        CAPTURE(speed);
        const std::vector<ClipCut> cuts = find_cuts(recording(3.4, speed), demo_file().rig);
        REQUIRE_FALSE(cuts.empty());
        const ClipCut& best = cuts.front();
        CAPTURE(best.from, best.to);
        CHECK(best.from >= 2); // what stands comes round as well, and is not meant
        CHECK(best.to - best.from == Approx(best.strides * 1.0).margin(0.02));
        CHECK(best.strides >= 1);
        CHECK(best.measure.gap.degrees < 1);
        CHECK(best.measure.travels == (speed > 0));
        CHECK(best.measure.speed == Approx(1.4).epsilon(0.05));
        for (std::size_t i = 1; i < cuts.size(); ++i) {
            CHECK(cuts[i].to - cuts[i].from != Approx(best.to - best.from).epsilon(0.1));
            CHECK(cuts[i].measure.gap.degrees >= best.measure.gap.degrees - 1);
        }
    }
}

TEST_CASE("of what does not come round no cut is offered, however long or short it is") {
    const auto rising = [](double seconds) {
        return support::clip("rising", 4, seconds, [](int joint, double phase) {
            return axis_angle({1, 0, 0}, (40 + joint) * phase);
        });
    };
    for (const double seconds : {0.1, 1.0, 6.0}) { CHECK(find_cuts(rising(seconds), support::chain(4)).empty()); }
    CHECK(find_cuts({}, support::chain(4)).empty());
}

TEST_CASE("a cut holds the poses of its stretch, from time zero, numbers too") {
    ClipSource stroll = demo_clip("stroll");
    stroll.numbers.push_back({"glow", {Interpolation::linear, {0, 1}, {0, 10}}});
    const ClipSource cut = cut_clip(stroll, demo_file().rig, 0.21, 0.66);
    CHECK(cut.seconds == Approx(0.45));
    const auto rest = rest_pose(demo_file().rig);
    for (const double at : {0.0, 0.1, 0.27, 0.45}) {
        CHECK(support::greatest_turn(pose_at(cut, rest, at), pose_at(stroll, rest, 0.21 + at)) < 0.02);
        CHECK(number_at(cut.numbers.front(), at) == Approx(10 * (0.21 + at)).margin(1e-3));
    }
    CHECK(cut_clip(stroll, demo_file().rig, -3, 9).seconds == Approx(stroll.seconds));
    CHECK(cut_clip(stroll, demo_file().rig, 0.4, 0.2).seconds == 0);
}
