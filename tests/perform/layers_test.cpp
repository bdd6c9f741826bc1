#include "gait/compile.hpp"
#include "gait/inspect.hpp"
#include "gait/load.hpp"
#include "gait/open.hpp"
#include "gait/pack.hpp"
#include "gait/smoothness.hpp"
#include "gait/why.hpp"
#include "machine_support.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cstring>
#include <map>
#include <optional>
#include <random>

using namespace gait;
using support::greatest_turn;
using support::pose_of;

namespace {

constexpr int joints = 6;
constexpr double frame = 1.0 / 60;

/// Every joint held at so many degrees about X.
ClipSource pose(const char* name, double degrees, double seconds = 1) {
    return support::held(name, joints, degrees, seconds);
}

/// Every joint swings to and fro once.
ClipSource swing(const char* name, double degrees, double seconds = 1) {
    return support::clip(name, joints, seconds, [&](int joint, double phase) {
        return axis_angle({1, 0, 0}, degrees * std::sin(2 * pi * phase + joint));
    });
}

const Assets& assets() {
    static const Assets made =
        support::assets(joints, {pose("low", 0), pose("high", 40), pose("up", 60), swing("sway", 20),
                                 swing("step", 30, 0.7), pose("act", 50, 0.5), pose("nod", 10)});
    return made;
}

const char* const clips = "gait: 1\nrig: r.glb\nclips:\n  low: {loop: yes}\n  high: {loop: yes}\n  up: {loop: yes}\n"
                          "  sway: {loop: yes}\n  step: {loop: yes}\n  act: {}\n  nod: {loop: yes}\n";

std::shared_ptr<const Character> make(const std::string& rest) { return support::character(clips + rest, assets()); }
std::string said(const std::string& rest) { return support::diagnose(clips + rest, assets()); }

/// The turn of a joint about X, degrees.
double bent(const Performer& performer, std::size_t joint) {
    const Quat q = pose_of(performer)[joint].rotation;
    return 2 * std::atan2(double(q.x), double(q.w)) * degrees_per_radian;
}

void play(Performer& performer, double seconds) {
    for (int i = 0; i < int(std::lround(seconds / frame)); ++i) { performer.advance(frame); }
}

const char* const two =
    "parameters:\n  busy: {kind: flag}\n  fast: {kind: flag}\n  much: {kind: number, range: [0, 1]}\n"
    "  tap: {kind: signal}\n"
    "masks:\n  upper: {from: joint_3}\n  soft: {from: joint_2, ramp: 3}\n";

const char* const legs = "layers:\n"
                         "  - name: legs\n"
                         "    machine:\n"
                         "      start: still\n"
                         "      states:\n"
                         "        still: {play: sway, go: [{to: going, when: fast, fade: 0.3}]}\n"
                         "        going: {play: step, go: [{to: still, when: not fast, fade: 0.3}]}\n";

} // namespace

TEST_CASE("masked joints follow their layer, and all others are as without it to the last bit") {
    const auto with = make(std::string(two) + legs +
                           "  - {name: arms, mask: upper, machine: {start: a, states: {a: {play: high}}}}\n");
    const auto without = make(std::string(two) + legs);
    Performer a(with), b(without);
    std::mt19937 random(3);
    for (int i = 0; i < 400; ++i) {
        const bool fast = random() % 20 < 10;
        if (i % 7 == 0) {
            a.set("fast", fast);
            b.set("fast", fast);
        }
        a.advance(frame);
        b.advance(frame);
        const auto pa = pose_of(a), pb = pose_of(b);
        for (std::size_t j = 0; j < joints; ++j) {
            CAPTURE(i, j);
            if (j < 3) { REQUIRE(std::memcmp(&pa[j], &pb[j], sizeof(Transform)) == 0); }
            if (j >= 3) { REQUIRE(bent(a, j) == Approx(40).margin(0.01)); }
        }
    }
}

TEST_CASE("whatever the layers above do, the joints outside their masks are as without them, to the last bit",
          "[long]") {
    // Below: picks, chance, signals that wait and are kept, thresholds, edges, and a condition that is looked at every
    // step. Above: layers that come and go, lead one another, and one-shots; and nothing of theirs in step with it.
    const std::string inputs =
        "parameters:\n  busy: {kind: flag}\n  fast: {kind: flag}\n  much: {kind: number, range: [0, 1]}\n"
        "  turned: {kind: number, smooth: 0.3, range: [0, 1]}\n  tap: {kind: signal, keep: 0.4}\n"
        "  held: {kind: flag, flips_on: tap}\n  most: {kind: number, greatest: turned, clear: rises(busy)}\n"
        "masks:\n  upper: {from: joint_3}\n  top: {from: joint_5}\n";
    const std::string below = "layers:\n  - name: legs\n    machine:\n      start: still\n      states:\n"
                              "        still:\n          play: {pick: {order: random, of: [{play: sway, share: 2}, "
                              "{play: step, loops: [1, 3]}, act]}}\n"
                              "          go:\n            - {to: going, when: fast, fade: 0.3}\n"
                              "            - {to: turning, after: [0.4, 1.7], fade: 0.2, style: inertial}\n"
                              "        going:\n          play: {blend: turned, points: {0: step, 1: sway}}\n"
                              "          go:\n            - {to: hopping, signal: tap, fade: 0.1}\n"
                              "            - {to: still, when: \"not fast and state.phase > 0.3\", fade: 0.3}\n"
                              "        turning: {play: {mix: [low, {play: nod, weight: most}]}, go: [{to: hopping, "
                              "signal: tap, after: 0.2, fade: "
                              "0.15}, {to: still, when: \"state.elapsed > 0.35 and held\"}, {to: going, after: 0.9, "
                              "fade: 0.25, style: frozen}]}\n"
                              "        hopping: {play: act, go: [{to: still, at: end, fade: 0.2}]}\n";
    const std::string above =
        "  - name: arms\n    mask: upper\n    weight: much\n    fade: 0.3\n    machine:\n      start: free\n      "
        "states:\n"
        "        free: {play: nothing, go: [{to: holding, when: busy, fade: 0.4}, {to: acting, after: [0.1, 0.6], "
        "fade: 0.1}]}\n"
        "        acting: {play: {pick: {order: random, of: [act, {play: high, loops: [1, 2]}]}}, go: [{to: free, "
        "after: 0.8, fade: 0.1}]}\n"
        "        holding: {play: high, leads: {layer: head, to: up}, go: [{to: free, when: not busy, fade: 0.33}]}\n"
        "  - name: head\n    mask: top\n    machine:\n      start: down\n      states:\n"
        "        down: {play: nothing, go: [{to: up, signal: tap, fade: 0.2}]}\n"
        "        up: {play: act, go: [{to: down, at: end, fade: 0.17}]}\n"
        "one_shots:\n  greet: {play: act, mask: upper, fade: [0.1, 0.2], wait: 0.2}\n"
        "  point: {play: act, mask: top, fade: [0.07, 0.13], again: restart}\n";
    const auto with = make(inputs + below + above), without = make(inputs + below);
    Performer a(with), b(without);
    std::mt19937 random(17);
    const auto one_in = [&](unsigned n) { return random() % n == 0; };
    std::size_t led = 0, shots = 0, taps = 0;
    constexpr int frames = 200'000;
    std::vector<Transform> pa(joints), pb(joints);
    for (int i = 0; i < frames; ++i) {
        if (i % 5000 == 0) {
            a.set_seed(random());
            b.set_seed(a.seed());
        }
        for (const char* flag : {"busy", "fast"}) {
            if (!one_in(40)) { continue; }
            const bool value = one_in(2);
            a.set(flag, value);
            b.set(flag, value);
        }
        for (const char* number : {"much", "turned"}) {
            if (!one_in(30)) { continue; }
            const float value = float(random() % 1000) / 999;
            a.set(number, value);
            b.set(number, value);
        }
        if (one_in(60)) {
            a.send("tap");
            b.send("tap");
            ++taps;
        }
        if (one_in(50)) { shots += a.play_once(one_in(2) ? "greet" : "point") ? 1 : 0; }
        if (one_in(400)) { a.stop_once(with->one_shot("greet"), 0.1); }
        const double dt = one_in(50) ? 0 : double(1 + random() % 100) / 1000;
        a.advance(dt);
        b.advance(dt);
        led += a.state_name(1) == "holding" && a.state_name(2) == "up" ? 1 : 0;
        a.pose(pa);
        b.pose(pb);
        if (std::memcmp(pa.data(), pb.data(), 3 * sizeof(Transform)) != 0 || a.state_name() != b.state_name() ||
            a.time() != b.time()) {
            CAPTURE(i, a.time(), a.state_name(), b.state_name());
            FAIL("they differ");
        }
    }
    CHECK(led > 1000);
    CHECK(shots > 1000);
    CHECK(taps > 1000);
}

TEST_CASE("a ramp mixes joint by joint, and a weight fades, is nothing at zero and all at one") {
    const auto character =
        make(std::string(two) +
             "layers:\n"
             "  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n"
             "  - {name: arms, mask: soft, weight: much, fade: 0.3, machine: {start: a, states: {a: {play: "
             "high}}}}\n");
    Performer performer(character);
    play(performer, 0.5);
    CHECK(bent(performer, 5) == Approx(0).margin(1e-4));
    CHECK(performer.layer_weight(1) == 0);
    performer.set("much", 1);
    performer.advance(frame);
    CHECK(bent(performer, 5) < 10); // it fades
    play(performer, 1);
    CHECK(bent(performer, 1) == Approx(0).margin(1e-4));
    CHECK(bent(performer, 2) == Approx(40.0 / 3).margin(0.2));
    CHECK(bent(performer, 3) == Approx(80.0 / 3).margin(0.2));
    CHECK(bent(performer, 4) == Approx(40).margin(1e-3));
    performer.set("much", 0.5);
    play(performer, 1);
    CHECK(bent(performer, 5) == Approx(20).margin(0.1));
}

TEST_CASE("a layer that plays nothing lets those below show, with a fade and to the last bit") {
    const std::string arms = "  - name: arms\n"
                             "    mask: upper\n"
                             "    machine:\n"
                             "      start: free\n"
                             "      states:\n"
                             "        free: {play: nothing, go: [{to: holding, when: busy, fade: 0.4}]}\n"
                             "        holding: {play: high, go: [{to: free, when: not busy, fade: 0.4}]}\n";
    Performer with(make(std::string(two) + legs + arms)), without(make(std::string(two) + legs));
    const auto both = [&](double seconds) {
        play(with, seconds);
        play(without, seconds);
        return greatest_turn(pose_of(with), pose_of(without));
    };
    CHECK(both(0.5) == 0);
    with.set("busy", true);
    without.set("busy", true);
    const double early = both(0.1);
    CHECK(early > 0.1);
    CHECK(both(0.2) > early);
    both(0.4);
    CHECK(bent(with, 4) == Approx(40).margin(0.01));
    CHECK(with.layer_weight(1) == Approx(1));
    with.set("busy", false);
    without.set("busy", false);
    CHECK(both(0.2) > 0.1);
    CHECK(both(0.4) == 0);
    CHECK(with.state_name(1) == "free");
}

TEST_CASE("a layer that was led goes on by itself later in the same step") {
    Performer performer(make(std::string(two) + "layers:\n"
                                                "  - name: legs\n"
                                                "    machine:\n"
                                                "      start: a\n"
                                                "      states:\n"
                                                "        a: {play: low, go: [{to: b, when: busy}]}\n"
                                                "        b: {play: high, leads: [{layer: arms, to: lifted}]}\n"
                                                "  - name: arms\n"
                                                "    mask: upper\n"
                                                "    machine:\n"
                                                "      start: hanging\n"
                                                "      states:\n"
                                                "        hanging: {play: low}\n"
                                                "        lifted: {play: up, go: [{to: held, after: 0.1}]}\n"
                                                "        held: {play: high}\n"));
    performer.advance(frame);
    performer.set("busy", true);
    performer.advance(0.05);
    CHECK(performer.state_name(1) == "lifted");
    performer.reset();
    performer.set("busy", true);
    performer.advance(0.3);
    CHECK(performer.state_name(1) == "held");
}

TEST_CASE("a layer that was away joins what is below the short way again") {
    const Assets turns = support::assets(joints, {pose("low", 0), pose("far", 170), pose("round", 250)});
    const auto character = support::character(
        "gait: 1\nrig: r.glb\nclips:\n  low: {loop: yes}\n  far: {loop: yes}\n  round: {loop: yes}\n" +
            std::string(two) +
            "layers:\n  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n"
            "  - name: arms\n    mask: upper\n    weight: much\n    fade: 0\n"
            "    machine: {start: a, states: {a: {play: far, go: [{to: b, when: busy, fade: 0}]}, b: {play: round}}}\n",
        turns);
    Performer performer(character);
    const auto show = [&](float much) {
        performer.set("much", much);
        play(performer, 2);
    };
    show(1);
    CHECK(std::fabs(std::remainder(bent(performer, 4) - 170, 360)) < 0.01);
    show(0);
    performer.set("busy", true);
    play(performer, 0.2);
    // It comes back 250 degrees from what is below: half of that is 55 degrees the other way.
    show(0.5F);
    CHECK(std::fabs(std::remainder(bent(performer, 4) + 55, 360)) < 0.01);
}

TEST_CASE("motions that have only just begun do not come to the fore when what covered the body is folded away") {
    Performer performer(make(std::string(two) + legs +
                             "  - name: arms\n    mask: upper\n    machine:\n      start: a\n      states:\n"
                             "        a: {play: high}\n        b: {play: up}\n        n: {play: nothing}\n"));
    play(performer, 0.5);
    // Four begin at one instant, so that the fifth is folded away while none of them shows yet.
    for (const char* state : {"n", "b", "n", "b"}) {
        performer.enter(performer.character().state(std::string("arms.") + state), 1);
        performer.advance(0);
    }
    for (int step = 0; step < 20; ++step) {
        const auto before = pose_of(performer);
        performer.advance(1.0 / 240);
        CHECK(greatest_turn(before, pose_of(performer)) < 1);
    }
}

TEST_CASE("a layer that comes and goes leaves a fade below it untouched") {
    const std::string arms =
        "  - {name: arms, mask: upper, weight: busy, fade: 0.1, machine: {start: a, states: {a: {play: "
        "sway}}}}\n";
    Performer with(make(std::string(two) + legs + arms)), without(make(std::string(two) + legs));
    for (int i = 0; i < 90; ++i) {
        for (Performer* performer : {&with, &without}) {
            performer->set("fast", i > 10);
            performer->set("busy", i > 15 && i < 25); // in the middle of the fade
            performer->advance(frame);
        }
        const auto a = pose_of(with), b = pose_of(without);
        for (std::size_t j = 0; j < 3; ++j) { REQUIRE(std::memcmp(&a[j], &b[j], sizeof(Transform)) == 0); }
        if (i > 60) { REQUIRE(greatest_turn(a, b) == 0); }
    }
}

TEST_CASE("in model space the upper body faces where its layer has it face, while the hips sway") {
    // The lowest joint sways by ten degrees about Y, and all the others stand still.
    const Assets swaying = support::assets(
        joints, {support::clip("hips", joints, 1,
                               [](int joint, double phase) {
                                   return axis_angle({0, 1, 0}, joint == 0 ? 10 * std::sin(2 * pi * phase) : 0.0);
                               }),
                 support::clip("aim", joints, 1, [](int joint, double) {
                     return axis_angle({0, 1, 0}, joint == 3 ? 25.0 : 0.0);
                 })});
    const auto facing = [&](const char* space) {
        Performer performer(support::character(
            std::string("gait: 1\nrig: r.glb\nclips: {hips: {loop: yes}, aim: {loop: yes}}\nmasks: {upper: {from: "
                        "joint_3}}\nlayers:\n  - {name: legs, machine: {start: a, states: {a: {play: hips}}}}\n"
                        "  - {name: arms, mask: upper, space: ") +
                space + ", machine: {start: a, states: {a: {play: aim}}}}\n",
            swaying));
        double off = 0;
        std::vector<Transform> model(joints);
        for (int i = 0; i < 120; ++i) {
            performer.advance(frame);
            performer.model_pose(model);
            for (const std::size_t joint : {3U, 4U, 5U}) {
                off = std::max(off, degrees_between(model[joint].rotation, axis_angle({0, 1, 0}, 25)));
            }
            CHECK(degrees_between(model[2].rotation, model[0].rotation) < 0.01); // below the mask nothing turns
        }
        return off;
    };
    CHECK(facing("model") < 0.5);
    CHECK(facing("local") == Approx(10).margin(0.2));
}

TEST_CASE("in model space a joint that counts less than one above it changes nothing of those beside it") {
    // Then they are laid one by one, and otherwise many at a time; so many joints that they come in two windows.
    constexpr int many = 80;
    const auto turning = [](const char* name, double degrees) {
        return support::clip(name, many, 1, [degrees](int joint, double phase) {
            const Vec3 axis{joint % 3 == 0 ? 1.0F : 0.0F, joint % 3 == 1 ? 1.0F : 0.0F, joint % 3 == 2 ? 1.0F : 0.0F};
            // In the second window some come to lie on the far side of what is below them.
            return axis_angle(axis, (joint < 70 ? degrees : 12 * degrees) * std::sin(2 * pi * phase + joint));
        });
    };
    const Assets long_ones = support::assets(many, {turning("under", 9), turning("over", 14)});
    const auto with_mask = [&](const char* last) {
        return support::character(
            std::string("gait: 1\nrig: r.glb\nclips: {under: {loop: yes}, over: {loop: yes}}\n"
                        "parameters: {much: {kind: number, range: [0, 1]}}\nmasks: {upper: {from: joint_20, ramp: 4, "
                        "joints: {joint_79: ") +
                last + "}}}\nlayers:\n  - {name: legs, machine: {start: a, states: {a: {play: under}}}}\n" +
                "  - {name: arms, mask: upper, space: model, weight: much, fade: 0.2, machine: {start: a, states: {a: "
                "{play: over}}}}\n",
            long_ones);
    };
    const auto carried = with_mask("0.03"), whole = with_mask("1");
    Performer one_by_one(carried), at_once(whole), packed(open(pack(*carried).bytes).character);
    std::vector<Transform> legs_alone(many);
    double least = 180, off_legs = 0;
    for (int i = 0; i < 120; ++i) {
        for (Performer* performer : {&one_by_one, &at_once, &packed}) {
            performer->set("much", i < 20 ? 0.0F : i < 70 ? 1.0F : 0.4F);
            performer->advance(frame);
        }
        const auto a = pose_of(one_by_one), b = pose_of(at_once), c = pose_of(packed);
        CHECK(std::memcmp(a.data(), c.data(), a.size() * sizeof(Transform)) == 0);
        for (std::size_t joint = 0; joint + 1 < many; ++joint) {
            CAPTURE(i, joint);
            REQUIRE(degrees_between(a[joint].rotation, b[joint].rotation) < 0.01);
        }
        if (i < 40) { continue; }
        least = std::min(least, degrees_between(a[79].rotation, b[79].rotation));
        one_by_one.layer_pose(0, legs_alone);
        off_legs = std::max(off_legs, degrees_between(a[79].rotation, legs_alone[79].rotation));
    }
    // It goes along with what is above it, nearly as it does in the layer below.
    CHECK(off_legs < 15);
    CHECK(least > 0);
}

TEST_CASE("a layer that adds turns what is below by its difference to a pose") {
    Performer performer(
        make(std::string(two) +
             "layers:\n"
             "  - {name: legs, machine: {start: a, states: {a: {play: high}}}}\n"
             "  - {name: lean, mask: upper, mode: add, against: low, weight: much, fade: 0, machine: {start: a, "
             "states: {a: {play: nod}}}}\n"));
    play(performer, 0.1);
    CHECK(bent(performer, 4) == Approx(40).margin(0.01));
    performer.set("much", 1);
    play(performer, 0.1);
    CHECK(bent(performer, 4) == Approx(50).margin(0.01));
    CHECK(bent(performer, 1) == Approx(40).margin(0.01));
    performer.set("much", 0.5);
    play(performer, 0.1);
    CHECK(bent(performer, 4) == Approx(45).margin(0.01));
}

TEST_CASE("a layer that adds moves joints by its difference too, by its weight") {
    Assets own = assets();
    ClipSource shift = pose("shift", 0);
    shift.tracks[3].translation.times = {0};
    shift.tracks[3].translation.values = {{0.2F, 1, 0}};
    own.clips["shift"] = shift;
    Performer performer(support::character(
        std::string(clips) + "  shift: {loop: yes}\n" + two +
            "layers:\n"
            "  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n"
            "  - {name: nudge, mask: soft, mode: add, against: low, weight: much, fade: 0, machine: {start: a, states: "
            "{a: {play: shift}}}}\n",
        own));
    for (const double much : {0.0, 0.25, 1.0}) {
        performer.set("much", much);
        performer.advance(frame);
        CHECK(pose_of(performer)[3].translation.x == Approx(0.2 * much * 2 / 3).margin(1e-6)); // two thirds of its mask
    }
}

TEST_CASE("a layer moves the joints that its mask has, by its weight, and no others, though its clip moves those too") {
    Assets own = assets();
    ClipSource shift = pose("shift", 0);
    for (const std::size_t joint : {1U, 4U}) {
        shift.tracks[joint].translation.times = {0, 1};
        shift.tracks[joint].translation.values = {{0.2F, 1, 0}, {0.2F, 1, 0}};
    }
    own.clips["shift"] = shift;
    const auto with_mask = [&](const char* mask) {
        return Performer(
            support::character(std::string(clips) + "  shift: {loop: yes}\n" + two +
                                   "  hand: {from: joint_5}\nlayers:\n"
                                   "  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n"
                                   "  - {name: arms, mask: " +
                                   mask + ", weight: much, fade: 0, machine: {start: a, states: {a: {play: shift}}}}\n",
                               own));
    };
    Performer arms = with_mask("upper"), last = with_mask("hand");
    for (const double much : {0.25, 1.0}) {
        for (Performer* performer : {&arms, &last}) {
            performer->set("much", much);
            performer->advance(frame);
            CHECK(pose_of(*performer)[1].translation.x == 0);
        }
        CHECK(pose_of(arms)[4].translation.x == Approx(0.2 * much).margin(1e-6));
        CHECK(pose_of(last)[4].translation.x == 0);
    }
}

TEST_CASE("a mix under a mask inside a mix under another counts where both do, by their product") {
    Performer performer(make(std::string(two) +
                             "motions:\n  inner: {mix: [low, {play: high, mask: soft}]}\n"
                             "layers:\n"
                             "  - name: legs\n"
                             "    machine:\n"
                             "      start: a\n"
                             "      states:\n"
                             "        a: {play: {mix: [low, {play: inner, mask: upper, weight: 0.5}]}}\n"));
    performer.advance(frame);
    CHECK(bent(performer, 1) == Approx(0).margin(1e-3));
    CHECK(bent(performer, 2) == Approx(0).margin(1e-3)); // outside the outer mask
    CHECK(bent(performer, 3) == Approx(40 * 0.5 * 2 / 3).margin(0.3));
    CHECK(bent(performer, 5) == Approx(40 * 0.5).margin(0.3));
}

TEST_CASE("the topmost layer that gives a value wins, by its weight, and one that does not give it lets it through") {
    const auto character =
        make(std::string("parameters: {much: {kind: number, range: [0, 1]}}\nvalues:\n  top: {kind: number, "
                         "default: 6}\n  grip: {kind: choice, of: [open, closed]}\n  may: {kind: flag, "
                         "default: yes}\n") +
             "layers:\n"
             "  - {name: legs, machine: {start: a, states: {a: {play: low, values: {top: 4, may: no}}}}}\n"
             "  - {name: arms, weight: much, fade: 0, machine: {start: a, states: {a: {play: high, values: "
             "{top: 2, grip: closed}}}}}\n");
    Performer performer(character);
    performer.advance(frame);
    CHECK(performer.get(character->number_value("top")) == Approx(4));
    CHECK(performer.get(character->choice_value("grip")) == "open");
    performer.set("much", 0.5);
    performer.advance(frame);
    CHECK(performer.get(character->number_value("top")) == Approx(3));
    CHECK(performer.get(character->choice_value("grip")) == "closed");
    CHECK_FALSE(performer.get(character->flag_value("may")));
}

TEST_CASE("a condition asks which state another layer is in, as the step began, and how long it has been there") {
    const auto character =
        make(std::string(two) + "layers:\n"
                                "  - name: legs\n"
                                "    machine:\n"
                                "      start: still\n"
                                "      states:\n"
                                "        still: {play: low, go: [{to: bent, when: arms is raised, fade: 0}]}\n"
                                "        bent: {play: high, go: [{to: done, when: arms is not raised, fade: 0}]}\n"
                                "        done: {play: up, go: [{to: still, when: arms.elapsed > 0.5, fade: 0}]}\n"
                                "  - name: arms\n"
                                "    mask: upper\n"
                                "    machine:\n"
                                "      start: free\n"
                                "      states:\n"
                                "        free: {play: nothing, go: [{to: raised, when: busy, fade: 0.1}]}\n"
                                "        raised: {play: up, go: [{to: free, when: not busy, fade: 0.1}]}\n");
    Performer performer(character);
    performer.set("busy", true);
    performer.advance(frame);
    CHECK(performer.state_name(1) == "raised");
    CHECK(performer.state_name() == "still"); // as the step began it was not
    performer.advance(frame);
    CHECK(performer.state_name() == "bent");
    performer.set("busy", false);
    performer.advance(frame);
    performer.advance(frame);
    CHECK(performer.state_name() == "done");
    play(performer, 0.4);
    CHECK(performer.state_name() == "done");
    play(performer, 0.2);
    CHECK(performer.state_name() == "still");
}

TEST_CASE("the layers decide in the order that the document declares") {
    const auto first = [](const std::string& order) {
        // Each would send the other away as it moves; who decides first does.
        const auto character =
            make(std::string(two) + order +
                 "layers:\n"
                 "  - {name: legs, machine: {start: a, states: {a: {play: low, go: [{to: b, when: busy}]}, b: "
                 "{play: up, leads: [{layer: arms, to: led}]}}}}\n"
                 "  - {name: arms, machine: {start: a, states: {a: {play: low, go: [{to: b, when: busy}]}, b: "
                 "{play: up, leads: [{layer: legs, to: a}]}, led: {play: high}}}}\n");
        Performer performer(character);
        performer.set("busy", true);
        performer.advance(frame);
        return std::string(performer.state_name(0)) + " " + std::string(performer.state_name(1));
    };
    CHECK(first("") == "b led");
    CHECK(first("decide: [arms, legs]\n") == "a b");
}

TEST_CASE("a state leads another layer as it is entered, by a condition if need be, and never restarts what is there") {
    const auto character =
        make(std::string(two) +
             "layers:\n"
             "  - name: legs\n"
             "    machine: {start: still, states: {still: {play: sway}, down: {play: high}}}\n"
             "  - name: arms\n"
             "    mask: upper\n"
             "    machine:\n"
             "      start: free\n"
             "      states:\n"
             "        free: {play: nothing, leads: [{layer: legs, to: still, fade: 0.1}], go: [{to: work, when: "
             "busy}]}\n"
             "        work: {play: up, leads: [{layer: legs, to: down, when: fast, fade: 0.1}], go: [{to: free, "
             "when: not busy}]}\n");
    Performer performer(character);
    performer.set("busy", true);
    play(performer, 0.3);
    CHECK(performer.state_name() == "still"); // its condition does not hold
    performer.set("busy", false);
    EventList events;
    performer.advance(frame, events);
    for (const Event& event : events.events()) { CHECK(event.state != performer.state()); } // nothing was restarted
    CHECK(performer.seconds_in(character->state("still")) > 0.3);
    performer.set("fast", true);
    performer.set("busy", true);
    performer.advance(frame);
    CHECK(performer.state_name() == "down");
    performer.set("busy", false);
    performer.advance(frame);
    CHECK(performer.state_name() == "still");
}

TEST_CASE("two states that play the same named motion pass it on with its playheads, its draws and its time") {
    const auto character =
        make(std::string(two) +
             "motions:\n"
             "  idle: {pick: {order: random, of: [{play: act, share: 2}, {play: up, loops: [1, 3]}, nod]}}\n"
             "layers:\n"
             "  - name: legs\n"
             "    machine:\n"
             "      start: a\n"
             "      states:\n"
             "        a: {play: idle, go: [{to: b, when: busy, fade: 0.3}]}\n"
             "        b: {play: idle, go: [{to: a, when: not busy, fade: 0.3}]}\n");
    Performer moving(character), staying(character);
    for (int i = 0; i < 400; ++i) {
        moving.set("busy", i % 11 > 5);
        moving.advance(frame);
        staying.advance(frame);
        REQUIRE(greatest_turn(pose_of(moving), pose_of(staying)) == 0);
        REQUIRE(moving.state_name() == (i % 11 > 5 ? "b" : "a"));
    }
}

TEST_CASE("a machine that starts from where the body is stops a run by way of a trot, and a stand by standing") {
    const auto character =
        make(std::string(two) +
             "motions: {run: {clip: step}, trot: {clip: sway}, stand: {clip: low}}\n"
             "layers:\n"
             "  - name: legs\n"
             "    machine:\n"
             "      start: standing\n"
             "      states:\n"
             "        standing: {play: stand, go: [{to: running, when: fast}, {to: stopping, when: busy}]}\n"
             "        running: {play: run, go: [{to: stopping, when: busy}]}\n"
             "        stopping:\n"
             "          machine:\n"
             "            start: slow\n"
             "            from_here: yes\n"
             "            states:\n"
             "              quick: {play: run, go: [{to: slow, after: 0.2, fade: 0.1}]}\n"
             "              slow: {play: trot, go: [{to: rest, after: 0.2, fade: 0.1}]}\n"
             "              rest: {play: stand}\n");
    const auto way = [&](bool fast) {
        Performer performer(character);
        performer.set("fast", fast);
        play(performer, 0.5);
        performer.set("busy", true);
        std::string states;
        for (int i = 0; i < 60; ++i) {
            performer.advance(frame);
            const std::string name(performer.state_name());
            if (!states.ends_with(name)) { states += " " + name; }
        }
        return states;
    };
    CHECK(way(true) == " stopping.quick stopping.slow stopping.rest");
    CHECK(way(false) == " stopping.rest");
}

TEST_CASE("a state that needs the whole body counts beyond the mask, takes the travel, and hands back with a fade") {
    const auto character =
        make(std::string(two) +
             "layers:\n"
             "  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n"
             "  - name: arms\n"
             "    mask: upper\n"
             "    machine:\n"
             "      start: free\n"
             "      states:\n"
             "        free: {play: nothing, go: [{to: ring, when: busy, fade: 0.2}, {to: hold, when: fast, fade: "
             "0.2}]}\n"
             "        hold: {play: high, go: [{to: ring, when: busy, fade: 0.2}]}\n"
             "        ring: {play: up, whole_body: yes, go: [{to: free, when: not busy, fade: 0.2}]}\n");
    Performer performer(character);
    performer.set("fast", true);
    play(performer, 0.5);
    CHECK(bent(performer, 1) == Approx(0).margin(1e-4));
    CHECK(bent(performer, 4) == Approx(40).margin(0.01));
    performer.set("busy", true);
    play(performer, 0.1);
    CHECK(bent(performer, 1) > 5); // the legs fade from their layer below, not through the arms' clip
    CHECK(bent(performer, 1) < 55);
    CHECK(bent(performer, 4) > 40);
    play(performer, 0.3);
    for (std::size_t j = 0; j < joints; ++j) { CHECK(bent(performer, j) == Approx(60).margin(0.01)); }
    performer.set("busy", false);
    performer.set("fast", false);
    play(performer, 0.1);
    CHECK(bent(performer, 1) > 5);
    play(performer, 0.3);
    for (std::size_t j = 0; j < joints; ++j) { CHECK(bent(performer, j) == Approx(0).margin(1e-3)); }
}

TEST_CASE("what a state of the whole body adds moves joints no further than it counts, while it fades over another") {
    // Added, it moves the lowest joint by 0.2 m and turns it by 30 degrees.
    Assets own = assets();
    ClipSource shift = pose("shift", 30);
    shift.tracks[0].translation.times = {0};
    shift.tracks[0].translation.values = {{0.2F, 0, 0}};
    own.clips["shift"] = shift;
    const auto character =
        support::character(std::string(clips) + "  shift: {loop: yes}\n" + two +
                               "layers:\n"
                               "  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n"
                               "  - name: arms\n"
                               "    mask: upper\n"
                               "    machine:\n"
                               "      start: hold\n"
                               "      states:\n"
                               "        hold: {play: low, go: [{to: ring, when: busy, fade: 1, ease: linear}]}\n"
                               "        ring: {play: {add: shift, to: low, against: low}, whole_body: yes}\n",
                           own);
    Performer performer(character);
    performer.set("busy", true);
    performer.advance(frame);
    for (const double part : {0.1, 0.25, 0.5, 0.9, 1.0}) {
        performer.advance(part - performer.instance(1, 1).fade_elapsed);
        CAPTURE(part);
        CHECK(pose_of(performer)[0].translation.x == Approx(0.2 * part).margin(1e-4));
        CHECK(bent(performer, 0) == Approx(30 * part).margin(1));
    }
}

TEST_CASE("a mix under masks that needs the whole body fades the same whatever layers are below it") {
    // Those that nobody plays lie between the others, which so begin more than half a turn from what they fade over.
    std::vector<ClipSource> made{pose("low", 0)};
    for (const char* name : {"between_1", "between_2", "between_3", "between_4", "between_5", "between_6"}) {
        made.push_back(pose(name, 120));
    }
    const std::map<std::string, double> mixed{{"one", 230}, {"two", 235}, {"three", 240}, {"four", 245}, {"five", 250}};
    for (const auto& [name, degrees] : mixed) { made.push_back(pose(name.c_str(), degrees)); }
    std::string head = "gait: 1\nrig: r.glb\nclips:\n";
    for (const ClipSource& clip : made) { head += "  " + clip.name + ": {loop: yes}\n"; }
    const auto above = [&](const std::string& layers) {
        Performer performer(support::character(
            head + two + "layers:\n  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n" + layers +
                "  - name: arms\n    mask: upper\n    machine:\n      start: a\n      states:\n"
                "        a: {play: low, go: [{to: b, when: busy, fade: 1}]}\n"
                "        b:\n          whole_body: yes\n"
                "          play: {mix: [one, {play: two, mask: soft}, {play: three, mask: upper}, {play: four, mask: "
                "soft}, {play: five, mask: upper}]}\n",
            support::assets(joints, made)));
        performer.set("busy", true);
        play(performer, 0.5);
        return pose_of(performer);
    };
    const auto alone = above("");
    std::string layers;
    for (int more = 1; more <= 6; ++more) {
        layers += "  - {name: under_" + std::to_string(more) +
                  ", mask: soft, machine: {start: a, states: {a: {play: low}}}}\n";
        INFO("above " << more << " layers more");
        CHECK(greatest_turn(alone, above(layers)) < 1e-3);
    }
}

TEST_CASE("what is forbidden beside another layer's state is not entered, and is left as that begins") {
    const auto character =
        make(std::string(two) +
             "forbid:\n"
             "  - {yields: arms, while: legs.going, except: [wave], to: free, fade: 0.1}\n" +
             legs +
             "  - name: arms\n"
             "    mask: upper\n"
             "    machine:\n"
             "      start: free\n"
             "      states:\n"
             "        free: {play: nothing, go: [{to: raised, when: busy}, {to: wave, signal: tap}]}\n"
             "        raised: {play: high, go: [{to: free, when: not busy}]}\n"
             "        wave: {play: up, go: [{to: free, signal: tap}]}\n");
    Performer performer(character);
    performer.set("busy", true);
    performer.advance(frame);
    CHECK(performer.state_name(1) == "raised");
    performer.set("fast", true);
    performer.advance(frame);
    CHECK(performer.state_name(0) == "going");
    CHECK(performer.state_name(1) == "free");
    play(performer, 0.5);
    CHECK(performer.state_name(1) == "free"); // busy holds, and she may not
    performer.send("tap");
    performer.advance(frame);
    CHECK(performer.state_name(1) == "wave"); // the exception
    performer.send("tap");
    performer.set("fast", false);
    play(performer, 0.1);
    CHECK(performer.state_name(1) == "raised");
}

TEST_CASE("what is forbidden only while a condition holds may be until it does, and why says what it waits for") {
    const std::string machine = "  - name: arms\n"
                                "    mask: upper\n"
                                "    machine:\n"
                                "      start: free\n"
                                "      states:\n"
                                "        free: {play: nothing, go: [{to: task, when: busy}]}\n"
                                "        task: {machine: {start: lift, states: {lift: {play: high}}}}\n";
    // What a machine begins with is looked at too.
    const auto character = make(
        std::string(two) + "forbid: [{yields: arms.task.lift, while: legs.going, when: raw(much) > 0.5, to: free}]\n" +
        legs + machine);
    Performer performer(character);
    performer.set("fast", true);
    performer.set("much", 1);
    performer.set("busy", true);
    play(performer, 0.5);
    CHECK(performer.state_name(1) == "free");
    const auto waits = explain_transitions(performer);
    const auto kept = std::find_if(waits.begin(), waits.end(), [&](const TransitionReasons& weighed) {
        return character->states()[character->transitions()[weighed.transition].to].name == "task";
    });
    REQUIRE(kept != waits.end());
    CHECK_FALSE(kept->holds());
    CHECK(kept->parts.back().text == "not beside legs.going while raw(much) > 0.5");
    CHECK(kept->parts.back().values == "legs = going");
    performer.set("much", 0.4);
    play(performer, 0.5);
    CHECK(performer.state_name(1) == "task.lift");
    performer.set("busy", false);
    performer.set("much", 0.6);
    performer.advance(frame);
    CHECK(performer.state_name(1) == "free");

    const std::string wrong = std::string(two) + "forbid: [{yields: arms.task, while: legs.going, when: much}]\n";
    CHECK_THAT(said(wrong + legs + machine), Catch::Contains("wrong-type"));
}

TEST_CASE("what a lead and what is forbidden do is kept among the transitions, with what was left and why") {
    const auto character =
        make(std::string(two) + "forbid: [{yields: arms.raised, while: legs.going, fade: 0.1}]\n" + legs +
             "  - name: arms\n"
             "    mask: upper\n"
             "    machine:\n"
             "      start: free\n"
             "      states:\n"
             "        free: {play: nothing, go: [{to: raised, when: busy}, {to: bell, signal: tap}]}\n"
             "        raised: {play: high, go: [{to: free, when: not busy}]}\n"
             "        bell: {play: up, leads: [{layer: legs, to: still, when: fast, fade: 0.4}]}\n");
    Performer performer(character);
    const auto taken = [&] {
        std::string all;
        for (const TransitionRecord& record : performer.transitions()) {
            const TransitionInfo& info = character->transitions()[record.transition];
            if (info.kind == TransitionKind::written) { continue; }
            all += character->full_name(record.from) + " > " + character->full_name(info.to) + ": " + info.when +
                   (info.fade == 0.1 ? ", 0.1 s" : ", 0.4 s");
        }
        return all;
    };
    performer.set("busy", true);
    performer.advance(frame);
    CHECK(taken().empty());
    performer.set("fast", true);
    performer.advance(frame);
    CHECK(taken() == "arms.raised > arms.free: not beside legs.going, 0.1 s");
    CHECK(performer.instance(performer.instance_count(1) - 1, 1).transition ==
          performer.transitions().back().transition);
    performer.send("tap");
    performer.advance(frame);
    CHECK(taken() == "legs.going > legs.still: led by arms.bell, fast, 0.4 s");
}

TEST_CASE("a signal is taken once by each layer") {
    const char* taking =
        "{start: a, states: {a: {play: low, go: [{to: b, signal: tap}]}, b: {play: high, go: [{to: c, signal: "
        "tap}]}, c: {play: up}}}";
    Performer performer(make(std::string(two) + "layers:\n  - {name: legs, machine: " + taking +
                             "}\n  - {name: arms, mask: upper, machine: " + taking + "}\n"));
    performer.send("tap");
    play(performer, 0.2);
    CHECK(performer.state_name(0) == "b");
    CHECK(performer.state_name(1) == "b");
}

namespace {

const char* const shots = "one_shots:\n"
                          "  greet: {play: act, mask: upper, fade: [0.05, 0.1], again: ignore}\n"
                          "  point: {play: act, mask: upper, fade: 0.05, again: restart, wait: 0.1}\n"
                          "  light: {play: act, mask: upper, fade: 0.05, again: queue}\n"
                          "  shiver: {play: sway, mask: soft, fade: 0.1, until: not busy}\n";

/// How many times a state was entered and left.
std::map<std::string, int> counted(const EventList& events, const Character& character) {
    std::map<std::string, int> count;
    for (const Event& event : events.events()) {
        if (event.kind == EventKind::entered) { ++count["+" + character.states()[event.state].name]; }
        if (event.kind == EventKind::left) { ++count["-" + character.states()[event.state].name]; }
    }
    return count;
}

} // namespace

TEST_CASE("a one-shot plays over the layers, ends by itself, and they are where they would have been") {
    const auto character = make(std::string(two) + shots + legs);
    Performer performer(character), alone(character);
    EventList events;
    std::map<std::string, int> all;
    const auto both = [&](double seconds) {
        for (int i = 0; i < int(std::lround(seconds / frame)); ++i) {
            performer.advance(frame, events);
            alone.advance(frame);
            for (const auto& [what, times] : counted(events, *character)) { all[what] += times; }
        }
        return greatest_turn(pose_of(performer), pose_of(alone));
    };
    CHECK(both(0.3) == 0);
    REQUIRE(performer.play_once("greet"));
    CHECK(both(0.2) > 10);
    CHECK(performer.plays(character->one_shot("greet")));
    for (const std::size_t joint : {0U, 1U, 2U}) {
        CHECK(degrees_between(pose_of(performer)[joint].rotation, pose_of(alone)[joint].rotation) == 0);
    }
    performer.play_once("greet"); // it plays already: nobody hears
    CHECK(both(0.6) == 0);
    CHECK(all["+greet"] == 1);
    CHECK(all["-greet"] == 1);
    CHECK_FALSE(performer.play_once("grete"));
}

TEST_CASE("a second call is ignored, restarts or is queued, as the one-shot says, and a wait holds it off") {
    const auto character = make(std::string(two) + shots + legs);
    const auto entered = [&](const char* name, std::initializer_list<double> calls) {
        Performer performer(character);
        EventList events;
        std::map<std::string, int> all;
        double begun = 0, ended = 0;
        for (int i = 0; i < 180; ++i) {
            for (const double at : calls) {
                if (std::abs(i * frame - at) < frame / 2) { performer.play_once(name); }
            }
            performer.advance(frame, events);
            for (const auto& [what, times] : counted(events, *character)) { all[what] += times; }
            if (performer.plays(character->one_shot(name))) {
                ended = performer.time();
                if (begun == 0) { begun = performer.time(); }
            }
        }
        return std::pair(all[std::string("+") + name], ended - begun);
    };
    CHECK(entered("greet", {0.1, 0.3}) == std::pair(1, entered("greet", {0.1}).second));
    CHECK(entered("point", {0.1, 0.3}).first == 2);
    CHECK(entered("point", {0.1, 0.3}).second == Approx(entered("point", {0.1}).second + 0.2).margin(0.02));
    CHECK(entered("point", {0.1, 0.15}).first == 1);     // its wait is not over
    CHECK(entered("light", {0.1, 0.2, 0.3}).first == 2); // one is queued, not two
    CHECK(entered("light", {0.1, 0.2}).second > 0.85);
}

TEST_CASE("one-shots on unlike masks play at once, on the same mask the newest wins, and any can be stopped") {
    const auto character = make(std::string(two) + shots + legs);
    Performer performer(character);
    performer.set("busy", true);
    performer.play_once("shiver");
    play(performer, 1.5);
    CHECK(performer.plays(character->one_shot("shiver"))); // it loops until its condition
    performer.play_once("greet");
    play(performer, 0.1);
    CHECK(performer.plays(character->one_shot("shiver")));
    CHECK(performer.plays(character->one_shot("greet")));
    performer.play_once("point");
    play(performer, 0.1);
    CHECK_FALSE(performer.plays(character->one_shot("greet")));
    CHECK(performer.plays(character->one_shot("point")));
    CHECK(performer.stop_once(character->one_shot("point"), 0.1));
    CHECK_FALSE(performer.stop_once(character->one_shot("point"), 0.1));
    CHECK_FALSE(performer.plays(character->one_shot("point")));
    performer.set("busy", false);
    play(performer, 0.5);
    CHECK_FALSE(performer.plays(character->one_shot("shiver")));
}

TEST_CASE("whatever inputs, layers, leads and one-shots do, no seam shows") {
    const Assets wide = support::assets(joints, {pose("low", 0), pose("high", 130), pose("up", -110), swing("sway", 60),
                                                 swing("step", 90, 0.7), pose("act", 170, 0.5), pose("nod", 40)});
    const auto character = support::character(
        std::string(clips) + two + shots +
            "decide: [arms, legs]\n"
            "layers:\n"
            "  - name: legs\n"
            "    machine:\n"
            "      start: still\n"
            "      states:\n"
            "        still: {play: sway, go: [{to: going, when: fast, fade: 0.3, style: inertial}]}\n"
            "        going: {play: step, go: [{to: still, when: not fast, fade: 0.3}, {to: down, when: arms is ring, "
            "fade: "
            "0.2}]}\n"
            "        down: {play: high, go: [{to: still, after: 0.3, fade: 0.2}]}\n"
            "  - name: lean\n"
            "    mode: add\n"
            "    against: low\n"
            "    weight: much\n"
            "    mask: soft\n"
            "    machine: {start: a, states: {a: {play: nod, go: [{to: b, when: busy, fade: 0.2, style: inertial}]}, "
            "b: "
            "{play: sway, go: "
            "[{to: a, when: not busy, fade: 0.1}]}, c: {play: nothing}}}\n"
            "  - name: arms\n"
            "    mask: soft\n"
            "    space: model\n"
            "    weight: max(much, 0.5)\n"
            "    machine:\n"
            "      start: free\n"
            "      always: [{to: ring, signal: tap, fade: 0.2, again: yes}]\n"
            "      states:\n"
            "        free: {play: nothing, go: [{to: hold, when: busy, fade: 0.25}]}\n"
            "        hold: {play: up, go: [{to: free, when: not busy, fade: 0.2}, {to: other, after: 0.15, fade: "
            "0.15}]}\n"
            "        other: {play: high, leads: [{layer: legs, to: down, fade: 0.2}], go: [{to: hold, after: 0.2, "
            "fade: "
            "0.2, style: "
            "inertial}]}\n"
            "        ring: {play: act, whole_body: yes, go: [{to: free, fade: 0.2}]}\n",
        wide);
    Seam worst;
    for (unsigned seed = 1; seed <= 400; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(0, 1);
        Performer performer(character), next(character);
        for (int i = 0; i < 60; ++i) {
            if (unit(random) < 0.2) { performer.set("busy", unit(random) < 0.5); }
            if (unit(random) < 0.2) { performer.set("fast", unit(random) < 0.5); }
            if (unit(random) < 0.2) { performer.set("much", unit(random) < 0.3 ? 0 : unit(random)); }
            if (unit(random) < 0.1) { performer.send("tap"); }
            for (const char* shot : {"greet", "point", "light", "shiver"}) {
                if (unit(random) < 0.05) { performer.play_once(shot); }
            }
            next = performer;
            next.advance(2e-6); // a fade of a twentieth of a second over half a turn is fast
            const Seam seam = seam_between(character->rig(), pose_of(performer), pose_of(next));
            CAPTURE(seed, i, seam.joint, performer.state_name(0), performer.state_name(2));
            REQUIRE(seam.degrees <= seam_bound);
            worst.degrees = std::max(worst.degrees, seam.degrees);
            performer.advance(0.3 * unit(random) * unit(random));
        }
    }
    CHECK(worst.degrees > 0); // something moved
}

TEST_CASE("what is wrong with layers is said, with its place and what to write") {
    const auto layers = [](const std::string& second, const std::string& more = "") {
        return said(std::string(two) + more +
                    "layers:\n  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n" + second);
    };
    const auto has = [](const char* text) { return Catch::Contains(text); };
    CHECK_THAT(layers("  - {name: arms, mask: uper, machine: {start: a, states: {a: {play: low}}}}\n"),
               has("no mask 'uper'; did you mean 'upper'?"));
    CHECK_THAT(layers("  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n"),
               has("two layers are called 'legs'"));
    CHECK_THAT(
        layers("  - {name: arms, machine: {start: a, states: {a: {play: low, go: [{to: a, when: legs is b}]}}}}\n"),
        has("no state 'b'"));
    CHECK_THAT(
        layers("  - {name: arms, machine: {start: a, states: {a: {play: low, go: [{to: a, when: legs > 1}]}}}}\n"),
        has("'legs' is a layer; ask for its state, such as 'legs is STATE'"));
    CHECK_THAT(
        layers("  - {name: arms, machine: {start: a, states: {a: {play: low, leads: [{layer: lgs, to: a}]}}}}\n"),
        has("no layer 'lgs'; did you mean 'legs'?"));
    CHECK_THAT(layers("  - {name: busy, machine: {start: a, states: {a: {play: low}}}}\n"),
               has("'busy' is a parameter too"));
    CHECK_THAT(said(std::string(two) +
                    "layers:\n  - {name: legs, mask: upper, machine: {start: a, states: {a: {play: low}}}}\n"),
               has("below the lowest layer is nothing that could show"));
    CHECK_THAT(
        said(std::string(two) + "layers:\n  - {name: legs, machine: {start: a, states: {a: {play: nothing}}}}\n"),
        has("let 'a' play a clip"));
    CHECK_THAT(layers("  - {name: arms, mode: sum, machine: {start: a, states: {a: {play: low}}}}\n"),
               has("no mode 'sum'"));
    CHECK_THAT(layers("", "one_shots: {greet: {play: sway}}\n"),
               has("waits for the motion's end, and the motion loops"));
    CHECK_THAT(layers("", "one_shots: {greet: {mask: upper}}\n"),
               has("one-shot 'greet' plays nothing; add 'play: CLIP'"));
    CHECK_THAT(layers("", "forbid: [{yields: legs.a, while: legs.b}]\n"), has("no state 'b'"));
    CHECK_THAT(layers("", "decide: [legs, lgs]\n"), has("no layer 'lgs'; did you mean 'legs'?"));
}

TEST_CASE("masks are made from others: joined, taken out, mirrored, and what they leave") {
    const Assets own = load_assets(support::lamplighter().document).assets;
    const auto weights = [&](std::vector<MaskDefinition> masks, std::string& wrong) {
        Document document = support::lamplighter().document;
        document.masks.insert(document.masks.end(), masks.begin(), masks.end());
        document.layers[1].mask = masks.back().name;
        const Compiled compiled = compile(document, own);
        wrong = format(compiled.diagnostics);
        std::map<std::string, float> by_name;
        if (!compiled.character) { return by_name; }
        const auto& mask = compiled.character->layers()[1].mask_weights;
        for (std::size_t j = 0; j < mask.size(); ++j) { by_name[compiled.character->rig().joints[j].name] = mask[j]; }
        return by_name;
    };
    const auto named = [](const char* name) {
        MaskDefinition mask;
        mask.name = name;
        return mask;
    };
    std::string wrong;
    MaskDefinition right = named("right");
    right.from = "right_upper_arm";
    right.ramp = 2;
    MaskDefinition left = named("left");
    left.mirror_of = "right";
    MaskDefinition both = named("both");
    both.joins = {"left", "right"};
    both.joints = {{"head", 0.5}};
    auto of = weights({right, left, both}, wrong);
    CAPTURE(wrong);
    CHECK(of["right_upper_arm"] == 0.5F);
    CHECK(of["left_upper_arm"] == 0.5F);
    CHECK(of["left_hand"] == 1);
    CHECK(of["head"] == 0.5F);
    CHECK(of["hips"] == 0);
    MaskDefinition rest = named("rest");
    rest.rest_of = "both";
    rest.without = {"trunk"};
    of = weights({right, left, both, rest}, wrong);
    CHECK(of["left_foot"] == 1);
    CHECK(of["right_hand"] == 0);
    CHECK(of["chest"] == 0);
    CHECK(of["spine_1"] == Approx(2.0 / 3));
    MaskDefinition empty = named("empty");
    empty.from = "head";
    empty.without = {"trunk"};
    (void)weights({empty}, wrong);
    CHECK_THAT(wrong, Catch::Contains("mask 'empty' catches no joint"));
    left.mirror_of = "both";
    (void)weights({right, left, both}, wrong);
    CHECK_THAT(wrong, Catch::Contains("is made from itself"));
    left.mirror_of = "rigth";
    (void)weights({right, left}, wrong);
    CHECK_THAT(wrong, Catch::Contains("no mask 'rigth'; did you mean 'right'?"));
    right.from = "right_uper_arm";
    (void)weights({right}, wrong);
    CHECK_THAT(wrong, Catch::Contains("no joint 'right_uper_arm'; did you mean 'right_upper_arm'?"));
}

TEST_CASE("whether what is forbidden at once could come about is looked through, with the shortest way") {
    const auto forbidden = [](const std::string& when, const std::string& beside = "") {
        return forbidden_pairs(*make(std::string(two) + "forbid: [{yields: arms.raised, while: legs.going" + beside +
                                     "}]\n" + legs +
                                     "  - name: arms\n    mask: upper\n    machine:\n      start: free\n      states:\n"
                                     "        free: {play: nothing, go: [{to: raised, when: \"" +
                                     when +
                                     "\"}]}\n"
                                     "        raised: {play: high, go: [{to: free, when: not busy}]}\n"));
    };
    const auto open = forbidden("busy");
    REQUIRE(open.size() == 1);
    CHECK(open[0].possible);
    CHECK(open[0].route.size() == 2);
    // Only in that order: she must not be going as she raises, but may begin to while she holds.
    CHECK(forbidden("busy and legs is not going")[0].possible);
    // Never while she is still, and she is going nowhere else.
    CHECK_FALSE(forbidden("legs is going and legs is still")[0].possible);
    // A condition beside it is free, unless it speaks of the layers' states.
    const auto narrowed = forbidden("busy", ", when: much > 0.5");
    CHECK(narrowed[0].possible);
    CHECK(narrowed[0].when == "much > 0.5");
    CHECK_FALSE(forbidden("busy", ", when: much > 0.5 and legs is still")[0].possible);
}

TEST_CASE("a way to what is forbidden may lead through what another layer is led to") {
    const auto pairs_where = [](const std::string& leads) {
        return forbidden_pairs(
            *make(std::string(two) +
                  "forbid: [{yields: arms.raised, while: legs.sat}]\n"
                  "layers:\n"
                  "  - {name: legs, machine: {start: still, states: {still: {play: low}, sat: {play: high}}}}\n"
                  "  - name: arms\n    mask: upper\n    machine:\n      start: free\n      states:\n"
                  "        free: {play: nothing, go: [{to: bell, signal: tap}]}\n"
                  "        bell: {play: up, " +
                  leads + "go: [{to: raised, when: busy}]}\n        raised: {play: high}\n"));
    };
    CHECK_FALSE(pairs_where("")[0].possible); // her legs come there in no other way
    const auto led = pairs_where("leads: [{layer: legs, to: sat}], ");
    CHECK(led[0].possible);
    CHECK(led[0].route.size() == 2);
}

TEST_CASE("a layer with a weight or a state that plays nothing hides no other, one on the whole body always does") {
    const auto remarks = [](const std::string& arms) {
        const DocumentRead read = read_document_text(
            clips + std::string(two) + "layers:\n  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n" +
                "  - {name: arms, " + arms + "}\n",
            "x.gait.yaml");
        const Compiled compiled = compile(read.document, assets());
        REQUIRE(compiled.character);
        std::string codes;
        for (const Diagnostic& found : inspect(read.document, assets(), compiled.character.get())) {
            if (found.code == "hidden-layers") { codes += found.message; }
        }
        return codes;
    };
    const std::string machine = "machine: {start: a, states: {a: {play: high}}}";
    CHECK_THAT(remarks(machine), Catch::Contains("'arms' always counts on the whole body"));
    CHECK(remarks("weight: busy, " + machine).empty());
    CHECK(remarks("mask: upper, " + machine).empty());
    CHECK(remarks("mode: add, against: low, " + machine).empty());
    CHECK(remarks("machine: {start: a, states: {a: {play: high, go: [{to: b, when: busy}]}, b: {play: nothing, go: "
                  "[{to: a, when: not busy}]}}}")
              .empty());
}

TEST_CASE("a rig too large for a layer in model space is said instead of overrun") {
    const auto said_with = [](int count) {
        return support::diagnose("gait: 1\nrig: r.glb\nclips: {low: {loop: yes}}\nlayers:\n"
                                 "  - {name: legs, machine: {start: a, states: {a: {play: low}}}}\n"
                                 "  - {name: arms, space: model, machine: {start: a, states: {a: {play: low}}}}\n",
                                 support::assets(count, {support::held("low", count, 0)}));
    };
    CHECK(said_with(512).empty());
    CHECK_THAT(said_with(513), Catch::Contains("at most 512 joints, and this one has 513; write 'space: local'"));
}

TEST_CASE("all that a state may ask of itself may be asked of another layer, whose machine ends with its last state") {
    // Seconds until the legs go, by what the arms are doing; none within six.
    const auto gone = [](const std::string& when, const std::string& arms) -> std::optional<double> {
        Performer performer(
            support::character("gait: 1\nrig: r.glb\nclips: {low: {loop: yes}, swing: {loop: yes}, side: {}}\n"
                               "layers:\n"
                               "  - name: legs\n    machine:\n      start: a\n      states:\n"
                               "        a: {play: low, go: [{to: b, when: \"" +
                                   when +
                                   "\"}]}\n        b: {play: low}\n"
                                   "  - name: arms\n    machine:\n      start: c\n      states:\n        c: " +
                                   arms + "\n",
                               support::machine_assets()));
        for (int i = 0; i < 360; ++i) {
            performer.advance(1.0 / 60);
            if (performer.state_name(0) == "b") { return performer.time(); }
        }
        return std::nullopt;
    };
    const double frame = 1.0 / 60;
    // The arms are seen as they were at the start of the frame.
    CHECK(gone("arms.left < 0.5", "{play: side}").value() == Approx(0.5).margin(2.1 * frame));
    CHECK(gone("arms.ended", "{play: side}").value() == Approx(1).margin(2.1 * frame));
    CHECK(gone("arms.phase > 0.25", "{play: side}").value() == Approx(0.25).margin(2.1 * frame));
    CHECK(gone("arms.elapsed > 2", "{play: low}").value() == Approx(2).margin(2.1 * frame));
    CHECK(gone("arms.loops >= 2", "{play: low}").has_value());
    CHECK_FALSE(gone("arms.ended or arms.left < 100", "{play: low}").has_value());
    // A machine goes on while its state is none of the last.
    const std::string two = "{machine: {start: r, states: {r: {play: side, go: [{to: h, fade: 0}]}, h: {play: side}}}}";
    CHECK(gone("arms.ended", two).value() == Approx(2).margin(3.1 * frame));
    CHECK(gone("arms.left < 0.5", two).value() == Approx(1.5).margin(3.1 * frame));
    CHECK(gone("arms.elapsed > 1.5", two).value() == Approx(1.5).margin(2.1 * frame));
}
