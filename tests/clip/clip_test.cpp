#include "clip/sample_clip.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>

using namespace gait;
using namespace gait::detail;

namespace {
/// A document of one state that plays `name`.
std::string one_state(const std::string& name, bool loop) {
    return "gait: 1\nrig: x\nclips: {" + name + ": {loop: " + (loop ? "yes" : "no") +
           "}}\nlayers: [{name: body, machine: {start: a, states: {a: {play: " + name + "}}}}]\n";
}

Quat swing(int joint, double phase) { return axis_angle({1, 0.3F * float(joint), 0}, 50 * std::sin(2 * pi * phase)); }
} // namespace

TEST_CASE("a sampled clip stays within its tolerance of the keys, and a tighter one takes more samples") {
    const ClipSource source = support::clip("wave", 4, 2.0, swing, 120);
    const Rig rig = support::chain(4);
    std::uint32_t before = 0;
    for (const double tolerance : {0.01, 0.0005}) {
        const SampledClip sampled = sample_clip(PosedClip(source, rig), rig, true, tolerance);
        CHECK(sampled.intervals > before);
        before = sampled.intervals;
        const auto compiled =
            support::character("tolerance: " + std::to_string(tolerance * 1000) + "\n" + one_state("wave", true),
                               support::assets(4, {source}));
        Performer performer(compiled);
        double worst = 0;
        for (int step = 0; step < 200; ++step) {
            std::vector<Transform> model(4);
            performer.model_pose(model);
            const auto exact = model_space(rig, pose_at(source, rest_pose(rig), performer.time()));
            for (std::size_t j = 0; j < 4; ++j) {
                worst = std::max(worst, double(length(model[j].translation - exact[j].translation)));
            }
            performer.advance(0.0098);
        }
        INFO("tolerance " << tolerance << ", " << sampled.intervals << " samples");
        CHECK(worst <= tolerance * 1.1);
    }
}

TEST_CASE("a clip that never moves is stored as one frame") {
    const SampledClip sampled =
        sample_clip(PosedClip(support::held("still", 3, 30), support::chain(3)), support::chain(3), true, 0.0005);
    CHECK(sampled.intervals == 0);
    CHECK(sampled.moving_translations.joints.empty());
}

TEST_CASE("only joints that leave their rest place store translations") {
    ClipSource source = support::held("slide", 3, 0);
    source.tracks[1].translation.times = {0, 1};
    source.tracks[1].translation.values = {{0, 1, 0}, {0.5F, 1, 0}};
    source.tracks[2].translation.times = {0};
    source.tracks[2].translation.values = {{0, 1.25F, 0}};
    const SampledClip sampled = sample_clip(PosedClip(source, support::chain(3)), support::chain(3), true, 0.0005);
    CHECK(sampled.moving_translations.joints == KeptList<std::uint16_t>{1});
    CHECK(sampled.still_translations.joints == KeptList<std::uint16_t>{2});

    Performer performer(support::character(one_state("slide", false), support::assets(3, {source})));
    performer.advance(0.5);
    const auto pose = support::pose_of(performer);
    CHECK(pose[1].translation.x == Approx(0.25).margin(1e-4));
    CHECK(pose[2].translation.y == Approx(1.25).margin(1e-5));
}

TEST_CASE("stepped keys stay steps at their own instants") {
    ClipSource source = support::held("blink", 2, 0);
    source.tracks[1].rotation = {Interpolation::step,
                                 {0, 0.337, 0.71},
                                 {axis_angle({1, 0, 0}, 0), axis_angle({1, 0, 0}, 90), -axis_angle({1, 0, 0}, 20)}};
    Performer performer(support::character(one_state("blink", true), support::assets(2, {source})));
    const auto bend_at = [&](double time) {
        Performer copy = performer;
        copy.advance(time);
        return degrees_between(support::pose_of(copy)[1].rotation, Quat{});
    };
    CHECK(bend_at(0.336) == Approx(0).margin(0.01));
    CHECK(bend_at(0.338) == Approx(90).margin(0.01));
    CHECK(bend_at(0.709) == Approx(90).margin(0.01));
    CHECK(bend_at(0.72) == Approx(20).margin(0.01));
}

TEST_CASE("a cubic spline goes through its keys with their tangents") {
    ClipSource source = support::held("curve", 1, 0);
    source.tracks[0].rotation = {};
    auto& track = source.tracks[0].translation;
    track.interpolation = Interpolation::cubic_spline;
    track.times = {0, 1};
    track.values = {{0, 0, 0}, {0, 0, 0}, {3, 0, 0}, {0, 0, 0}, {1, 0, 0}, {0, 0, 0}};
    source.seconds = 1;
    const auto x = [&](double t) { return double(pose_at(source, rest_pose(support::chain(1)), t)[0].translation.x); };
    CHECK(x(0) == 0);
    CHECK(x(1) == Approx(1));
    CHECK((x(1e-3) - x(0)) / 1e-3 == Approx(3).epsilon(0.02));
    CHECK(x(0.5) == Approx(0.5 + 3 * 0.125)); // Hermite: half the way, and an eighth of the leaving tangent
}

namespace {

/// A joint turns a full circle in a loop: its quaternion has changed its sign as that comes round.
Assets full_circle() {
    const ClipSource spin = support::clip("spin", 2, 1.0, [](int joint, double phase) {
        return axis_angle({0, 1, 0}, joint == 1 ? 360 * phase : 0);
    });
    return support::assets(2, {spin, support::held("still", 2, 90)});
}

/// The same, six parts in ten, over a pose that is held; `leaving` is what else the state says.
Performer half_faded(const std::string& leaving) {
    Performer performer(support::character(
        "gait: 1\nrig: x\nclips: {spin: {loop: yes}, still: {loop: yes}}\n"
        "parameters: {x: {kind: number, smooth: 0}, go: {kind: flag}}\n"
        "layers: [{name: body, machine: {start: s, states: {s: {play: {blend: x, points: {0: spin, 1: still}, sync: "
        "off}" +
            leaving + "}]\n",
        full_circle()));
    performer.set("x", 0.4);
    performer.advance(0);
    return performer;
}

/// The turns of so many short steps, degrees: the greatest of each.
std::vector<double> turns_of(Performer performer, int steps) {
    std::vector<double> turns;
    for (int i = 0; i < steps; ++i) {
        const auto before = support::pose_of(performer);
        performer.advance(0.005);
        turns.push_back(support::greatest_turn(before, support::pose_of(performer)));
    }
    return turns;
}

} // namespace

TEST_CASE("a joint that turns a full circle in a loop does not jump where the loop comes round") {
    const Performer performer(support::character(one_state("spin", true), full_circle()));
    for (const double turn : turns_of(performer, 400)) { CHECK(turn == Approx(1.8).margin(0.1)); }
}

TEST_CASE("a joint that turns a full circle in a loop does not jump there either while it is half faded out") {
    for (const double turn : turns_of(half_faded("}}}"), 400)) { CHECK(turn < 10); }
}

TEST_CASE("what is left behind just after such a loop came round goes on as fast as it went") {
    Performer performer = half_faded(", go: [{to: t, when: go, fade: 0.4, style: inertial}]}, t: {play: still}}}");
    performer.advance(1.0002);
    performer.set("go", true);
    for (const double turn : turns_of(performer, 80)) { CHECK(turn < 5); }
}

TEST_CASE("quaternions written with either sign blend the same") {
    const std::string text =
        "gait: 1\nrig: x\nclips: {a: {loop: yes}, b: {loop: yes}}\nparameters: {x: {kind: number, smooth: 0}}\n"
        "layers: [{name: body, machine: {start: s, states: {s: {play: {blend: x, points: {0: a, 1: b}}}}}}]\n";
    ClipSource a = support::held("a", 2, 20), b = support::held("b", 2, 60), turned = b;
    for (auto& tracks : turned.tracks) {
        for (Quat& q : tracks.rotation.values) { q = -q; }
    }
    for (const ClipSource& second : {b, turned}) {
        Performer performer(support::character(text, support::assets(2, {a, second})));
        performer.set("x", 0.5);
        performer.advance(0.01);
        CHECK(degrees_between(support::pose_of(performer)[1].rotation, axis_angle({1, 0, 0}, 40)) < 0.01);
    }
}

TEST_CASE("the gap between a clip's end and its start is measured and placed") {
    const Rig rig = support::chain(3);
    CHECK(loop_gap(support::clip("closed", 3, 1, swing), rig).meets());
    const LoopGap gap = loop_gap(support::clip("open", 3, 1,
                                               [](int joint, double phase) {
                                                   return axis_angle({1, 0, 0}, joint == 1 ? 12 * phase : 0);
                                               }),
                                 rig);
    CHECK_FALSE(gap.meets());
    CHECK(gap.degrees == Approx(12).epsilon(0.001));
    CHECK(gap.turned_joint == "joint_1");
    CHECK(gap.moved_joint == "joint_2");
    CHECK(gap.millimetres == Approx(2000 * std::sin(6 / degrees_per_radian)).epsilon(0.001));
}
