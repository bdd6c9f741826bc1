#include "support.hpp"

#include <catch2/catch.hpp>

#include <cmath>

using namespace gait;
using support::greatest_turn;
using support::pose_of;

namespace {

/// Six states, each reached by its own number, from anywhere.
std::string ring(double fade) {
    std::string text =
        "gait: 1\nrig: x\nclips: {c0: {loop: yes}, c1: {loop: yes}, c2: {loop: yes}, c3: {loop: yes}, c4: {loop: yes}, "
        "c5: {loop: yes}}\n"
        "parameters: {to: {kind: number}}\nlayers:\n  - name: body\n    machine:\n      start: s0\n      states:\n";
    for (int s = 0; s < 6; ++s) {
        text += "        s" + std::to_string(s) + ": {play: c" + std::to_string(s) + ", go: [";
        for (int t = 0; t < 6; ++t) {
            if (t != s) {
                text += "{to: s" + std::to_string(t) + ", when: to == " + std::to_string(t) +
                        ", fade: " + std::to_string(fade) + "}, ";
            }
        }
        text += "]}\n";
    }
    return text;
}

/// Clips that swing about unlike axes at unlike speeds, so that nothing agrees by chance.
Assets ring_assets(int joints = 3) {
    std::vector<ClipSource> clips;
    for (int c = 0; c < 6; ++c) {
        clips.push_back(support::clip("c" + std::to_string(c), joints, 0.7 + 0.13 * c, [c](int joint, double phase) {
            const Vec3 axis{float(std::cos(c)), float(std::sin(c + joint)), 0.4F};
            return axis_angle(axis, 25.0 * c - 60 + 30 * std::sin(2 * pi * (phase + 0.1 * joint)));
        }));
    }
    return support::assets(joints, clips);
}

constexpr double ten_microseconds = 1e-5;

/// The turn in the next ten microseconds, the inputs being as they are.
double seam(const Performer& performer) {
    Performer next = performer;
    next.advance(ten_microseconds);
    return greatest_turn(pose_of(performer), pose_of(next));
}

} // namespace

TEST_CASE("a fade may be broken into at any moment by any number of others without a seam") {
    const auto character = support::character(ring(0.4), ring_assets());
    Performer performer(character);
    int to = 0;
    double worst = 0;
    for (int i = 0; i < 3000; ++i) {
        if (i % 7 == 0) { to = (to + 1 + i % 5) % 6; }
        performer.set("to", to);
        worst = std::max(worst, seam(performer));
        performer.advance(0.004 + 0.001 * (i % 11));
        CHECK(performer.instance_count() <= 4);
    }
    CHECK(worst <= seam_bound);
}

TEST_CASE("twenty transitions a second keep four instances and fold the rest") {
    Performer performer(support::character(ring(0.5), ring_assets()));
    bool folded = false;
    std::size_t most = 0;
    for (int i = 0; i < 200; ++i) {
        performer.set("to", i % 6);
        CHECK(seam(performer) <= seam_bound);
        performer.advance(0.05);
        CHECK(performer.transitions().size() <= 1);
        folded = folded || performer.offset_seconds() > 0;
        most = std::max(most, performer.instance_count());
    }
    CHECK(folded);
    CHECK(most == 4);
    for (int i = 0; i < 100; ++i) { performer.advance(0.05); }
    CHECK(performer.instance_count() == 1);
    CHECK(performer.offset_seconds() == 0);
}

TEST_CASE("folding keeps the velocity as well as the pose") {
    Performer performer(support::character(ring(0.6), ring_assets()));
    int checked = 0;
    for (int i = 0; i < 60; ++i) {
        performer.advance(0.07);
        performer.set("to", i % 6);
        const double h = 2e-4;
        Performer back = performer;
        Performer one = performer, two = performer;
        one.advance(h);
        two.advance(h);
        two.advance(h);
        const bool folds = one.offset_seconds() > 0 && one.offset_elapsed() <= h * 1.01;
        // The pose a little before the fold: the same performer had no input changed yet.
        if (folds) {
            Performer unchanged = performer;
            std::vector<InstanceView> views;
            unchanged.set("to", performer.state_name() == "s0" ? 0 : performer.state_name()[1] - '0');
            unchanged.advance(h);
            // Over h, both ways of going on differ by less than a twentieth of a degree: the velocities agree to 250
            // deg/s^2 h.
            CHECK(greatest_turn(pose_of(unchanged), pose_of(one)) < 0.02);
            ++checked;
        }
        performer.advance(1e-3);
    }
    CHECK(checked > 10);
}

TEST_CASE("returning to a state that still fades makes a second instance of it") {
    Performer performer(support::character(ring(0.5), ring_assets()));
    performer.advance(0.1);
    performer.set("to", 1);
    performer.advance(0.1);
    performer.set("to", 0);
    performer.advance(0.1);
    REQUIRE(performer.instance_count() == 3);
    CHECK(performer.instance(0).state == performer.instance(2).state);
    CHECK(performer.instance(0).serial != performer.instance(2).serial);
    std::vector<ClipView> first(1), last(1);
    performer.instance_clips(0, first);
    performer.instance_clips(2, last);
    CHECK(first[0].phase != last[0].phase);
}

TEST_CASE("the instances' weights sum to one throughout") {
    Performer performer(support::character(ring(0.3), ring_assets()));
    for (int i = 0; i < 300; ++i) {
        performer.set("to", (i / 4) % 6);
        performer.advance(0.02);
        double sum = 0;
        for (std::size_t k = 0; k < performer.instance_count(); ++k) { sum += double(performer.instance(k).weight); }
        REQUIRE(sum == Approx(1).epsilon(1e-5));
    }
}

TEST_CASE("a fade of zero cuts") {
    Performer performer(support::character(ring(0), ring_assets()));
    performer.advance(0.1);
    performer.set("to", 3);
    CHECK(seam(performer) > 5);
    performer.advance(ten_microseconds);
    CHECK(performer.instance_count() == 1);
}

TEST_CASE("poses more than half a turn apart fade without a pop") {
    const char* const text = R"(
gait: 1
rig: x
clips: {a: {loop: yes}, b: {loop: yes}}
parameters: {turned: {kind: flag}}
layers:
  - name: body
    machine:
      start: s
      states:
        s: {play: a, go: {to: t, when: turned, fade: 0.5}}
        t: {play: b, go: {to: s, when: not turned, fade: 0.5}}
)";
    // The angle between the two goes through every value, past half a turn, during the fades.
    const auto a = support::clip("a", 2, 1.0, [](int joint, double phase) {
        return axis_angle({0, 0, 1}, joint == 1 ? 150 * std::sin(2 * pi * phase) : 0);
    });
    const auto b = support::clip("b", 2, 0.77, [](int joint, double phase) {
        return axis_angle({0, 0.2F, 1}, joint == 1 ? -100 + 50 * std::sin(2 * pi * phase) : 0);
    });
    Performer performer(support::character(text, support::assets(2, {a, b})));
    double worst = 0;
    for (int i = 0; i < 4000; ++i) {
        performer.set("turned", (i / 53) % 2 == 1);
        worst = std::max(worst, seam(performer));
        performer.advance(0.005);
    }
    CHECK(worst <= seam_bound);
}

TEST_CASE("a motion joins on the side of those it is faded over, however often a joint went round before") {
    const char* const text = R"(
gait: 1
rig: x
clips: {spin: {loop: yes}, hold: {loop: yes}}
parameters: {held: {kind: flag}}
layers:
  - name: body
    machine:
      start: s
      states:
        s: {play: spin, go: {to: t, when: held, fade: 0.4}}
        t: {play: hold}
)";
    const auto spin = support::clip("spin", 2, 4.0, [](int joint, double phase) {
        return axis_angle({0, 1, 0}, joint == 1 ? 360 * phase : 0);
    });
    const auto hold = support::clip("hold", 2, 1.0, [](int joint, double) {
        return axis_angle({0, 1, 0}, joint == 1 ? 100 : 0);
    });
    // A quarter of the way round, in the first loop and in the second, where the spinning quaternion has changed its
    // sign.
    for (const double start : {0.9, 4.9, 8.9}) {
        Performer performer(support::character(text, support::assets(2, {spin, hold})));
        performer.advance(start);
        performer.set("held", true);
        for (int i = 0; i < 39; ++i) {
            performer.advance(0.01);
            if (performer.instance_count() < 2) { break; }
            std::vector<Transform> below(2);
            performer.instance_pose(0, below);
            const double apart = degrees_between(below[1].rotation, axis_angle({0, 1, 0}, 100));
            INFO("from " << start << " s, " << i << " steps into the fade");
            CHECK(degrees_between(pose_of(performer)[1].rotation, axis_angle({0, 1, 0}, 100)) <= apart + 0.1);
        }
    }
}

TEST_CASE("translations fade and fold without a seam as rotations do") {
    Assets assets = ring_assets();
    int n = 0;
    for (auto& [name, source] : assets.clips) {
        auto& track = source.tracks[0].translation;
        track.times = source.tracks[0].rotation.times;
        for (const double t : track.times) {
            track.values.push_back({float(0.05 * n), float(1 + 0.2 * std::sin(2 * pi * t / source.seconds)), 0});
        }
        ++n;
    }
    const auto character = support::character(ring(0.4), assets);
    Performer performer(character);
    double worst = 0;
    for (int i = 0; i < 400; ++i) {
        performer.set("to", (i * 5) % 6);
        Performer next = performer;
        next.advance(ten_microseconds);
        worst = std::max(worst, seam_between(character->rig(), pose_of(performer), pose_of(next)).millimetres);
        performer.advance(0.03);
    }
    CHECK(worst <= seam_bound);
    CHECK(worst > 0);
}

TEST_CASE("a rig wider than a window of joints fades as a narrow one does") {
    Performer wide(support::character(ring(0.4), ring_assets(150)));
    Performer narrow(support::character(ring(0.4), ring_assets(3)));
    for (int i = 0; i < 200; ++i) {
        for (Performer* p : {&wide, &narrow}) {
            p->set("to", (i / 3) % 6);
            p->advance(0.017);
        }
        const auto w = pose_of(wide), n = pose_of(narrow);
        for (std::size_t j = 0; j < 3; ++j) { REQUIRE(degrees_between(w[j].rotation, n[j].rotation) < 0.05); }
        CHECK(seam(wide) <= seam_bound);
    }
}

TEST_CASE("a fade goes the short way round, by however little it is the shorter") {
    // Four clips stand ahead, one is turned to the left and one to the right: past 90 degrees each they meet behind.
    for (const double turned : {80.0, 88.0, 92.0, 95.0, 120.0}) {
        std::vector<ClipSource> clips{support::held("c0", 1, turned), support::held("c1", 1, -turned)};
        for (const char* ahead : {"c2", "c3", "c4", "c5"}) { clips.push_back(support::held(ahead, 1, 0)); }
        Performer performer(support::character(ring(0.5), support::assets(1, clips)));
        performer.advance(0.1);
        performer.set("to", 1);
        performer.advance(0.25);
        const double meets = turned < 90 ? 0 : 180;
        CAPTURE(turned);
        CHECK(degrees_between(pose_of(performer)[0].rotation, axis_angle({1, 0, 0}, meets)) < 0.1);
    }
}

TEST_CASE("a fade goes the short way to what is shown, additions and all") {
    // Turned by -30 and by -150 more, half a turn in all; the short way from there to +30 goes through 105.
    Performer performer(
        support::character(R"(gait: 1
rig: x
clips: {right: {loop: yes}, left: {loop: yes}, back: {loop: yes}, ahead: {loop: yes}}
parameters: {on: {kind: flag}}
layers:
  - name: body
    machine:
      start: turned
      states:
        turned: {play: {add: back, to: right, against: ahead}, go: [{to: other, when: on, fade: 0.5}]}
        other: {play: left, go: [{to: turned, when: not on, fade: 0.5}]}
)",
                           support::assets(1, {support::held("right", 1, -30), support::held("left", 1, 30),
                                               support::held("back", 1, -150), support::held("ahead", 1, 0)})));
    performer.advance(0.1);
    performer.set("on", true);
    performer.advance(0.25);
    CHECK(degrees_between(pose_of(performer)[0].rotation, axis_angle({1, 0, 0}, 105)) < 0.1);
}
