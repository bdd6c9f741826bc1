#include "support.hpp"

#include <catch2/catch.hpp>

#include <cmath>
#include <cstring>
#include <limits>
#include <thread>

using namespace gait;
using support::greatest_turn;
using support::pose_of;

namespace {

/// Two held poses, 30 degrees apart, and a flag between them.
const char* const lamp = R"(
gait: 1
rig: x
clips: {low: {loop: yes}, high: {loop: yes}}
parameters: {raised: {kind: flag}}
layers:
  - name: body
    machine:
      start: down
      states:
        down: {play: low, go: {to: up, when: raised, fade: 0.4}}
        up: {play: high, go: {to: down, when: not raised, fade: 0.4}}
)";

Assets lamp_assets() { return support::assets(2, {support::held("low", 2, 0), support::held("high", 2, 30)}); }

double bend(const Performer& performer) { return degrees_between(pose_of(performer)[1].rotation, Quat{}); }

bool same_bytes(const Performer& a, const Performer& b) {
    return a.bytes().size() == b.bytes().size() &&
           std::memcmp(a.bytes().data(), b.bytes().data(), a.bytes().size()) == 0;
}

} // namespace

TEST_CASE("a performer begins at the start state in its pose") {
    const Performer performer(support::character(lamp, lamp_assets()));
    CHECK(performer.state_name() == "down");
    CHECK(performer.time() == 0);
    CHECK(bend(performer) == Approx(0).margin(1e-4));
}

TEST_CASE("a performer without a character is refused with a reason") {
    CHECK_THROWS_WITH(Performer(nullptr), Catch::Contains("needs a character"));
}

TEST_CASE("the logical state changes at once and the pose follows along the ease") {
    Performer performer(support::character(lamp, lamp_assets()));
    performer.set("raised", true);
    performer.advance(0);
    CHECK(performer.state_name() == "up");
    CHECK(bend(performer) == Approx(0).margin(1e-3));
    performer.advance(0.2);
    CHECK(bend(performer) == Approx(15).margin(0.05));
    performer.advance(0.1);
    CHECK(bend(performer) == Approx(30 * eased(Ease::smooth, 0.75)).margin(0.15));
    performer.advance(0.1);
    CHECK(bend(performer) == Approx(30).margin(1e-3));
    CHECK(performer.instance_count() == 1);
}

TEST_CASE("a transition is recorded with its instant and its condition") {
    Performer performer(support::character(lamp, lamp_assets()));
    performer.advance(0.5);
    CHECK(performer.transitions().empty());
    performer.set("raised", true);
    performer.advance(0.1);
    REQUIRE(performer.transitions().size() == 1);
    CHECK(performer.transitions()[0].time == Approx(0.5));
    CHECK(performer.character().transitions()[performer.transitions()[0].transition].when == "raised");
    performer.advance(0.1);
    CHECK(performer.transitions().empty());
}

TEST_CASE("values are clamped to the range and refused when they are not finite") {
    const auto character =
        support::character("gait: 1\nrig: x\nclips: {low: }\nparameters: {speed: {kind: number, range: [0, 6], "
                           "default: 1}}\nlayers: [{name: body, machine: {start: s, states: {s: {play: low}}}}]\n",
                           support::assets(1, {support::held("low", 1, 0)}));
    Performer performer(character);
    const NumberParameter speed = character->number("speed");
    REQUIRE(speed);
    CHECK(performer.get(speed) == 1);
    CHECK(performer.set(speed, 9));
    CHECK(performer.get(speed) == 6);
    CHECK_FALSE(performer.set(speed, std::numeric_limits<float>::quiet_NaN()));
    CHECK_FALSE(performer.set(speed, std::numeric_limits<float>::infinity()));
    CHECK_FALSE(performer.set("speed", true));
    CHECK_FALSE(performer.set("spede", 1.0));
    CHECK_FALSE(performer.set(NumberParameter{}, 1));
    CHECK_FALSE(performer.set(character->flag("speed"), true));
    CHECK(performer.get(speed) == 6);
    CHECK(performer.faults().refused_values == 6);
    CHECK(performer.set("speed", 2));
    CHECK(performer.get(speed) == 2);
}

TEST_CASE("steps that are negative or not finite are refused and counted") {
    Performer performer(support::character(lamp, lamp_assets()));
    const Performer before = performer;
    CHECK_FALSE(performer.advance(-0.1));
    CHECK_FALSE(performer.advance(std::numeric_limits<double>::quiet_NaN()));
    CHECK_FALSE(performer.advance(std::numeric_limits<double>::infinity()));
    CHECK(performer.faults().refused_steps == 3);
    CHECK(performer.time() == before.time());
    CHECK(greatest_turn(pose_of(performer), pose_of(before)) == 0);
    CHECK(performer.advance(0.1));
}

TEST_CASE("a step of no time decides but moves nothing") {
    Performer performer(support::character(lamp, lamp_assets()));
    performer.advance(1.0 / 60);
    performer.set("raised", true);
    const auto pose = pose_of(performer);
    for (int i = 0; i < 5; ++i) { performer.advance(0); }
    CHECK(performer.state_name() == "up");
    CHECK(greatest_turn(pose, pose_of(performer)) < 1e-3);
    CHECK(performer.time() == Approx(1.0 / 60));
}

TEST_CASE("a step of several seconds ends where many small ones do") {
    for (const double speed : {1.0, 3.3}) {
        Performer once(support::lamplighter().character), often = once;
        for (Performer* p : {&once, &often}) {
            p->set("speed", speed);
            p->advance(1.0);
        }
        once.advance(7.5);
        for (int i = 0; i < 750; ++i) { often.advance(0.01); }
        CHECK(once.time() == Approx(often.time()));
        CHECK(greatest_turn(pose_of(once), pose_of(often)) < 0.1);
    }
}

TEST_CASE("before the first step a smoothed parameter takes its value at once, afterwards it follows") {
    const auto& character = support::lamplighter().character;
    const NumberParameter speed = character->number("speed");
    Performer performer(character);
    performer.set(speed, 3);
    CHECK(performer.smoothed(speed) == 3);
    performer.advance(0.01);
    performer.set(speed, 0);
    CHECK(performer.smoothed(speed) == 3);
    performer.advance(0.05);
    CHECK(performer.smoothed(speed) < 3);
    CHECK(performer.smoothed(speed) > 1);
    CHECK(performer.get(speed) == 0);
}

TEST_CASE("smoothing is the same at thirty and at a hundred and forty-four frames a second") {
    const auto& character = support::lamplighter().character;
    const NumberParameter speed = character->number("speed");
    const auto after_half_a_second = [&](int frames_a_second) {
        Performer performer(character);
        performer.advance(0.1);
        performer.set(speed, 4);
        for (int i = 0; i < frames_a_second / 2; ++i) { performer.advance(1.0 / frames_a_second); }
        return performer.smoothed(speed);
    };
    CHECK(after_half_a_second(30) == Approx(after_half_a_second(144)).epsilon(1e-5));
}

TEST_CASE("a number that drives a blend space is smoothed unless the document says how") {
    const auto compile_with = [](const std::string& extra) {
        return support::character(
            "gait: 1\nrig: x\nclips: {a: {loop: yes}, b: {loop: yes}}\nparameters: {x: {kind: number" + extra +
                "}, y: {kind: number}}\n"
                "layers: [{name: body, machine: {start: s, states: {s: {play: {blend: x, points: {0: a, 1: b}}}}}}]\n",
            support::assets(1, {support::held("a", 1, 0), support::held("b", 1, 60)}));
    };
    CHECK(compile_with("")->parameters()[0].smooth == Approx(0.1));
    CHECK(compile_with("")->parameters()[1].smooth == 0);
    CHECK(compile_with(", smooth: 0")->parameters()[0].smooth == 0);
    CHECK(compile_with(", smooth: 0.3")->parameters()[0].smooth == Approx(0.3));
}

TEST_CASE("a copy and its original, advanced alike, stay the same to the last bit") {
    Performer original(support::lamplighter().character);
    for (int i = 0; i < 40; ++i) {
        original.set("speed", 0.1 * i);
        original.advance(0.013);
    }
    Performer copy = original;
    CHECK(same_bytes(copy, original));
    for (int i = 0; i < 600; ++i) {
        for (Performer* p : {&original, &copy}) {
            p->set("speed", i % 37 < 9 ? 4.0 : 0.0);
            p->set("halt", i % 53 == 0);
            p->advance(0.001 * (i % 29));
        }
        REQUIRE(same_bytes(copy, original));
    }
}

TEST_CASE("a stored block brings a performer back to that moment") {
    Performer performer(support::lamplighter().character);
    performer.set("speed", 3);
    for (int i = 0; i < 30; ++i) { performer.advance(1.0 / 60); }
    const std::vector<std::byte> stored(performer.bytes().begin(), performer.bytes().end());
    const auto pose = pose_of(performer);
    for (int i = 0; i < 30; ++i) { performer.advance(1.0 / 60); }
    CHECK(greatest_turn(pose, pose_of(performer)) > 1);
    CHECK(performer.restore(stored));
    CHECK(greatest_turn(pose, pose_of(performer)) == 0);
    CHECK_FALSE(performer.restore(std::span(stored).first(10)));
    CHECK(performer.fault_of(stored) == SnapshotFault::none);
    CHECK(performer.fault_of(std::span(stored).first(10)) == SnapshotFault::size);
    std::vector<std::byte> damaged = stored;
    for (std::size_t at = 0; at < 8; ++at) { damaged[at] = std::byte{0xFF}; } // the time
    CHECK(performer.fault_of(damaged) == SnapshotFault::damaged);
}

TEST_CASE("a block of another character is refused however alike the two are") {
    const auto made = [](const std::string& states, const std::string& more = "") {
        return support::character("gait: 1\nrig: x.glb\nclips: {low: {loop: yes}, high: {loop: yes}}\n" + more +
                                      "layers:\n  - name: body\n    machine:\n      start: a\n      states:\n" + states,
                                  support::assets(1, {support::held("low", 1, 0), support::held("high", 1, 40)}));
    };
    const std::string a = "        a: {play: low, go: [{to: b, after: 1, fade: 0.2}]}\n",
                      b = "        b: {play: high, go: [{to: a, after: 1, fade: 0.2}]}\n";
    Performer stored(made(a + b));
    stored.advance(1.1);
    const auto bytes = stored.bytes();
    // The same states the other way about, with another clip, or under other names.
    CHECK(Performer(made(b + a)).fault_of(bytes) == SnapshotFault::character);
    CHECK(Performer(made("        a: {play: high, go: [{to: b, after: 1, fade: 0.2}]}\n" + b)).fault_of(bytes) !=
          SnapshotFault::none);
    const std::string c = "        c: {play: high, go: [{to: a, after: 1, fade: 0.2}]}\n";
    CHECK(Performer(made("        a: {play: low, go: [{to: c, after: 1, fade: 0.2}]}\n" + c)).fault_of(bytes) ==
          SnapshotFault::character);
    // What was only tuned still fits.
    Performer tuned(made("        a: {play: low, go: [{to: b, after: 3, fade: 0.4}]}\n" + b));
    CHECK(tuned.restore(bytes));
    CHECK(tuned.state_name() == "b");
}

TEST_CASE("reset brings everything back to the beginning") {
    Performer fresh(support::lamplighter().character), used = fresh;
    used.set("speed", 5);
    used.set("nobody", 5);
    for (int i = 0; i < 100; ++i) { used.advance(1.0 / 60); }
    used.reset();
    CHECK(same_bytes(used, fresh));
}

TEST_CASE("performers of one character play in several threads as they play alone") {
    const auto& character = support::lamplighter().character;
    const auto play = [&](Performer& performer) {
        for (int i = 0; i < 2000; ++i) {
            performer.set("speed", i % 90 < 45 ? 4.2 : 0.0);
            performer.advance(1.0 / 60);
        }
    };
    Performer alone(character), first(character), second(character);
    play(alone);
    std::thread a([&] { play(first); }), b([&] { play(second); });
    a.join();
    b.join();
    CHECK(same_bytes(first, alone));
    CHECK(same_bytes(second, alone));
}

TEST_CASE("model-space and skinning matrices agree with the pose") {
    Performer performer(support::lamplighter().character);
    performer.set("speed", 2);
    for (int i = 0; i < 25; ++i) { performer.advance(1.0 / 60); }
    const Rig& rig = performer.character().rig();
    const std::size_t joints = rig.joints.size();
    std::vector<Transform> model(joints);
    std::vector<Matrix4> matrices(joints), skinning(joints);
    performer.model_pose(model);
    performer.model_matrices(matrices);
    performer.skinning_matrices(skinning);
    const auto reference = model_space(rig, pose_of(performer));
    for (std::size_t j = 0; j < joints; ++j) {
        INFO(rig.joints[j].name);
        CHECK(length(model[j].translation - reference[j].translation) < 1e-5F);
        CHECK(degrees_between(model[j].rotation, reference[j].rotation) < 1e-3);
        const Matrix4 expected = to_matrix(reference[j]), skin = expected * rig.joints[j].inverse_bind;
        for (int e = 0; e < 16; ++e) {
            CHECK(matrices[j].elements[e] == Approx(expected.elements[e]).margin(1e-5));
            CHECK(skinning[j].elements[e] == Approx(skin.elements[e]).margin(1e-5));
        }
    }
}

TEST_CASE("at rest the skinning matrices move nothing") {
    // The bind pose and the rest pose of the demo are one.
    const Rig& rig = support::lamplighter().character->rig();
    const auto model = model_space(rig, rest_pose(rig));
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const Matrix4 skin = to_matrix(model[j]) * rig.joints[j].inverse_bind;
        for (int e = 0; e < 16; ++e) { CHECK(skin.elements[e] == Approx(e % 5 == 0 ? 1 : 0).margin(1e-5)); }
    }
}

TEST_CASE("a buffer smaller than the rig is filled as far as it goes") {
    const Performer performer(support::lamplighter().character);
    std::vector<Transform> few(3);
    performer.pose(few);
    CHECK(degrees_between(few[1].rotation, pose_of(performer)[1].rotation) == 0);
    std::vector<Matrix4> two(2);
    two[0].elements[0] = 7;
    performer.skinning_matrices(two);
    CHECK(two[0].elements[0] == 7);
    std::vector<Transform> none;
    performer.model_pose(none);
}

TEST_CASE("a motion that ends leaves in time for its fade to be done") {
    const char* const hop = R"(
gait: 1
rig: x
clips: {hop: , low: {loop: yes}}
layers:
  - name: body
    machine:
      start: hopping
      states:
        hopping: {play: hop, go: {to: standing, fade: 0.25}}
        standing: {play: low}
)";
    const auto character =
        support::character(hop, support::assets(2, {support::held("hop", 2, 20, 1.0), support::held("low", 2, 0)}));
    for (const double dt : {1.0 / 240, 1.0 / 60, 1.0 / 10, 5.0}) {
        Performer performer(character);
        double left_at = -1;
        for (int i = 0; i < 400 && left_at < 0; ++i) {
            performer.advance(dt);
            if (!performer.transitions().empty()) { left_at = performer.transitions()[0].time; }
        }
        INFO("dt " << dt);
        CHECK(left_at == Approx(0.75).epsilon(1e-9));
    }
}

TEST_CASE("a chain of short motions keeps its times whatever the step") {
    const char* const chain = R"(
gait: 1
rig: x
clips: {a: , b: , c: , low: {loop: yes}}
layers:
  - name: body
    machine:
      start: one
      states:
        one: {play: a, go: {to: two, fade: 0.02}}
        two: {play: b, go: {to: three, at: end, fade: 0.02}}
        three: {play: c, go: {to: rest, fade: 0}}
        rest: {play: low}
)";
    const auto character =
        support::character(chain, support::assets(1, {support::held("a", 1, 0, 0.1), support::held("b", 1, 10, 0.15),
                                                      support::held("c", 1, 20, 0.2), support::held("low", 1, 0)}));
    for (const double dt : {1.0 / 240, 1.0 / 30, 1.0}) {
        Performer performer(character);
        std::vector<double> times;
        for (int i = 0; i < 400; ++i) {
            performer.advance(dt);
            for (const TransitionRecord& t : performer.transitions()) { times.push_back(t.time); }
        }
        INFO("dt " << dt);
        REQUIRE(times.size() == 3);
        CHECK(times[0] == Approx(0.08));
        CHECK(times[1] == Approx(0.08 + 0.13));
        CHECK(times[2] == Approx(0.08 + 0.13 + 0.2));
        CHECK(performer.state_name() == "rest");
    }
}

TEST_CASE("two conditions that hold in both directions change once an instant and do not spin") {
    const char* const flutter = R"(
gait: 1
rig: x
clips: {low: {loop: yes}}
parameters: {wet: {kind: flag, default: yes}}
layers:
  - name: body
    machine:
      start: a
      states:
        a: {play: low, go: {to: b, when: wet}}
        b: {play: low, go: {to: a, when: wet}}
)";
    Performer performer(support::character(flutter, support::assets(1, {support::held("low", 1, 0)})));
    for (int i = 0; i < 100; ++i) {
        performer.advance(1.0 / 60);
        CHECK(performer.transitions().size() == 1);
        CHECK(performer.instance_count() <= 4);
    }
}

TEST_CASE("several transitions that hold at once are all taken in one instant") {
    const char* const corridor = R"(
gait: 1
rig: x
clips: {low: {loop: yes}}
parameters: {open: {kind: flag, default: yes}}
layers:
  - name: body
    machine:
      start: a
      states:
        a: {play: low, go: {to: b, when: open}}
        b: {play: low, go: {to: c, when: open}}
        c: {play: low}
)";
    Performer performer(support::character(corridor, support::assets(1, {support::held("low", 1, 0)})));
    performer.advance(0.01);
    CHECK(performer.state_name() == "c");
    CHECK(performer.transitions().size() == 2);
}

TEST_CASE("synced clips of unlike length keep one phase, advanced by the weighted cadence") {
    const std::string text =
        "gait: 1\nrig: x\nclips: {a: {loop: yes}, b: {loop: yes}}\nparameters: {x: {kind: number, smooth: 0}}\n"
        "layers: [{name: body, machine: {start: s, states: {s: {play: {blend: x, sync: cycle, points: {0: a, 1: "
        "b}}}}}}]\n";
    Performer performer(
        support::character(text, support::assets(1, {support::held("a", 1, 0, 0.8), support::held("b", 1, 40, 0.5)})));
    performer.set("x", 0.5);
    performer.advance(1.0 / 60);
    std::vector<ClipView> clips(4);
    REQUIRE(performer.instance_clips(0, clips) == 2);
    CHECK(clips[0].phase == clips[1].phase);
    CHECK(clips[0].weight == Approx(0.5).margin(1e-3));
    const double before = clips[0].phase;
    performer.advance(0.1);
    performer.instance_clips(0, clips);
    CHECK(clips[0].phase - before == Approx(0.1 * (0.5 / 0.8 + 0.5 / 0.5)).epsilon(1e-6));
}

TEST_CASE("a clip whose weight was zero starts afresh when it returns, and a synced one keeps step") {
    const auto phase_of_return = [](const std::string& sync) {
        const std::string text =
            "gait: 1\nrig: x\nclips: {a: {loop: yes}, b: {loop: yes}}\nparameters: {x: {kind: number, smooth: 0}}\n"
            "layers: [{name: body, machine: {start: s, states: {s: {play: {blend: x, sync: " +
            sync + ", points: {0: a, 1: b}}}}}}]\n";
        Performer performer(
            support::character(text, support::assets(1, {support::held("a", 1, 0, 1), support::held("b", 1, 10, 1)})));
        performer.set("x", 0.5);
        performer.advance(0.3);
        performer.set("x", 0.0);
        performer.advance(0.3);
        performer.set("x", 0.5);
        performer.advance(0.1);
        std::vector<ClipView> clips(2);
        REQUIRE(performer.instance_clips(0, clips) == 2);
        return clips[1].phase;
    };
    CHECK(phase_of_return("off") == Approx(0.1));
    CHECK(phase_of_return("cycle") == Approx(0.7));
}

TEST_CASE("a motion that is left keeps the blend it had") {
    Performer performer(support::lamplighter().character);
    performer.set("speed", 4.2);
    for (int i = 0; i < 60; ++i) { performer.advance(1.0 / 60); }
    performer.set("halt", true);
    performer.set("speed", 1.4);
    for (int i = 0; i < 10; ++i) { performer.advance(1.0 / 60); }
    REQUIRE(performer.instance_count() == 2);
    std::vector<ClipView> clips(4);
    // The space, and the two clips of the lean that is added to it.
    const std::size_t count = performer.instance_clips(0, clips);
    REQUIRE(count >= 1);
    double run = 0;
    for (std::size_t c = 0; c < count; ++c) {
        const std::string& name = performer.character().clips()[clips[c].clip].name;
        CHECK(name != "stroll");
        if (name == "run") { run = double(clips[c].weight); }
    }
    CHECK(run > 0.99);
}

TEST_CASE("nested blend spaces multiply their weights, and one clip at two points is one playhead") {
    const char* const nested = R"(
gait: 1
rig: x
clips: {a: {loop: yes}, b: {loop: yes}, c: {loop: yes}}
parameters: {x: {kind: number, smooth: 0}, y: {kind: number, smooth: 0}}
layers:
  - name: body
    machine:
      start: s
      states:
        s:
          play:
            blend: x
            points:
              - {at: 0, play: a}
              - {at: 1, play: {blend: y, points: {0: b, 1: a, 2: c}}}
)";
    Performer performer(support::character(
        nested, support::assets(1, {support::held("a", 1, 0), support::held("b", 1, 40), support::held("c", 1, 80)})));
    performer.set("x", 0.5);
    performer.set("y", 0.25);
    performer.advance(0.01);
    std::vector<ClipView> clips(4);
    REQUIRE(performer.instance_clips(0, clips) == 2);
    CHECK(clips[0].weight == Approx(0.5 + 0.5 * 0.25));
    CHECK(clips[1].weight == Approx(0.5 * 0.75));
    CHECK(degrees_between(pose_of(performer)[0].rotation, axis_angle({1, 0, 0}, 40 * 0.375)) < 0.3);
}

TEST_CASE("a game may enter a state directly, with a fade and without a seam") {
    const auto& character = support::lamplighter().character;
    Performer performer(character);
    performer.set("speed", 3);
    for (int i = 0; i < 60; ++i) { performer.advance(1.0 / 60); }
    const StateHandle still = character->state("still");
    REQUIRE(still);
    CHECK(character->state("legs.still").index == still.index);
    CHECK_FALSE(character->state("flying"));
    performer.set("speed", 0);
    const auto pose = pose_of(performer);
    CHECK(performer.enter(still, 0.3));
    CHECK(performer.state_name() == "still");
    performer.advance(1e-5);
    CHECK(greatest_turn(pose, pose_of(performer)) <= seam_bound);
    CHECK_FALSE(performer.enter(StateHandle{}));
    CHECK_FALSE(performer.enter(still, -1));
    CHECK(performer.faults().refused_values == 2);
}

TEST_CASE("a seed is kept through resets and copied") {
    Performer performer(support::lamplighter().character);
    CHECK(performer.seed() == 0);
    performer.set_seed(42);
    performer.reset();
    CHECK(performer.seed() == 42);
    CHECK(Performer(performer).seed() == 42);
}

TEST_CASE("a crowd advanced on all cores is the same to the last bit as one by one") {
    const auto& character = support::lamplighter().character;
    std::vector<Performer> crowd, one_by_one;
    for (int i = 0; i < 300; ++i) {
        crowd.emplace_back(character);
        crowd.back().set("speed", 0.02 * i);
    }
    one_by_one = crowd;
    for (int frame = 0; frame < 50; ++frame) {
        advance_all(crowd, 1.0 / 60);
        for (Performer& performer : one_by_one) { performer.advance(1.0 / 60); }
    }
    for (std::size_t i = 0; i < crowd.size(); ++i) { REQUIRE(same_bytes(crowd[i], one_by_one[i])); }
    advance_all(std::span<Performer>{}, 0.1);
    advance_all(crowd, -1);
    CHECK(crowd[7].faults().refused_steps == 1);
}

TEST_CASE("more clips at once than are written down together play as a few do, and so do more differences") {
    constexpr int count = 61; // the first counts what the others leave: nothing
    std::vector<ClipSource> clips{support::held("none", 2, 0)};
    std::string names = "none: {loop: yes}", mixed, added = "none";
    for (int c = 0; c < count; ++c) {
        const std::string name = "clip_" + std::to_string(c);
        clips.push_back(support::held(name, 2, c));
        names += ", " + name + ": {loop: yes}";
        mixed += (c == 0 ? "" : ", ") + name;
    }
    for (int c = 1; c <= 12; ++c) { added = "{add: clip_" + std::to_string(c) + ", to: " + added + ", against: none}"; }
    const auto turned = [&](const std::string& motion) {
        const auto character = support::character(
            "gait: 1\nrig: x.glb\nclips: {" + names +
                "}\nlayers: [{name: body, machine: {start: s, states: {s: {play: " + motion + "}}}}]\n",
            support::assets(2, clips));
        Performer performer(character);
        performer.advance(0.1);
        return support::greatest_turn(support::pose_of(performer), {2, Transform{}});
    };
    CHECK(turned("{mix: [" + mixed + "]}") == Approx(30.5).margin(0.01));
    CHECK(turned(added) == Approx(12 * 13 / 2).margin(0.01));
}

TEST_CASE("a clip's quaternions lie on the side of no turn, whichever axis it turns about") {
    for (const double degrees : {5.0, 60.0, 120.0, 175.0}) {
        for (const Vec3 axis : {Vec3{1, 0, 0}, Vec3{0, 1, 0}, Vec3{0, 0, 1}, Vec3{1, 1, -1}, Vec3{-1, 0.3F, 0.2F}}) {
            CAPTURE(degrees, axis.x, axis.y, axis.z);
            for (const bool negated : {false, true}) {
                const auto still = support::clip("still", 2, 1, [&](int, double) {
                    const Quat turned = axis_angle(axis, degrees);
                    return negated ? -turned : turned;
                });
                Performer performer(
                    support::character("gait: 1\nrig: x.glb\nclips: {still: {loop: yes}}\nlayers: [{name: "
                                       "body, machine: {start: s, states: {s: {play: still}}}}]\n",
                                       support::assets(2, {still})));
                CHECK(support::pose_of(performer)[0].rotation.w > 0);
            }
        }
    }
}

TEST_CASE("a loop that comes round turned plays far along the rig as it plays on the whole body") {
    // Its quaternion comes back with the other sign, and counts beside one that does not.
    constexpr int joints = 40;
    const auto spinning = [](int joint, double phase) {
        return axis_angle({1, 0, 0}, joint == 36 ? 360 * phase : 0.0);
    };
    const auto playing = [&](const std::string& layers) {
        return support::character(
            "gait: 1\nrig: x.glb\nclips: {low: {loop: yes}, round: {loop: yes}}\nmasks: {tail: "
            "{from: joint_33}}\nlayers:\n" +
                layers,
            support::assets(joints, {support::held("low", joints, 0), support::clip("round", joints, 1, spinning)}));
    };
    const std::string mixed = "machine: {start: s, states: {s: {play: {mix: [round, {play: low, weight: 0.3}]}}}}}\n";
    Performer whole(playing("  - {name: body, " + mixed));
    Performer layered(playing("  - {name: body, machine: {start: s, states: {s: {play: low}}}}\n  - {name: tail, mask: "
                              "tail, " +
                              mixed));
    for (int frame = 1; frame <= 200; ++frame) {
        whole.advance(1.0 / 60);
        layered.advance(1.0 / 60);
        CAPTURE(frame);
        CHECK(support::greatest_turn(support::pose_of(whole), support::pose_of(layered)) < 1e-3);
    }
}

TEST_CASE("what is set before the first step is in the pose of time zero, and begins nothing twice") {
    const Assets assets = support::assets(3, {support::held("low", 3, 0), support::held("high", 3, 80)});
    const auto character = support::character(
        "gait: 1\nrig: r.glb\nclips: {low: {loop: yes}, high: {loop: yes}}\nparameters:\n  much: {kind: number, range: "
        "[0, 4]}\n  half: {kind: number, from: much / 2}\n  up: {kind: flag}\nlayers:\n  - name: body\n    machine:\n"
        "      start: a\n      states:\n        a: {play: {blend: half, points: {0: low, 2: high}}}\n"
        "        b: {play: high, go: {to: a, when: rises(up), fade: 0.2}}\n",
        assets);
    Performer performer(character);
    performer.set("much", 4);
    CHECK(performer.time() == 0);
    CHECK(degrees_between(support::pose_of(performer)[0].rotation, Quat{}) == Approx(80).margin(0.01));
    const auto shown = support::pose_of(performer);
    performer.advance(1e-5);
    CHECK(support::greatest_turn(shown, support::pose_of(performer)) < 0.01);
    // A state that was entered by hand stays, and a flag that is set is a change for who watches it.
    Performer entered(character);
    entered.enter(character->state("b"), 0);
    entered.set("up", true);
    CHECK(entered.state_name() == "b");
    entered.advance(0.01);
    CHECK(entered.state_name() == "a");
}
