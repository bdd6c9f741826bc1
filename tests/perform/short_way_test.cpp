// A layer that lets go of the body shows what is below it by the short way, whatever has come to be there.
#include "gait/smoothness.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>
#include <fmt/format.h>

#include <random>

using namespace gait;
using support::pose_of;

namespace {

constexpr int joints = 6, poses = 6;
constexpr double frame = 1.0 / 60;

Quat any_rotation(std::mt19937& random) {
    std::normal_distribution<float> part;
    return normalized({part(random), part(random), part(random), part(random)});
}

/// Poses in which each joint is turned anyhow.
Assets wild_assets(unsigned seed) {
    std::mt19937 random(seed);
    std::vector<ClipSource> clips;
    for (int p = 0; p < poses; ++p) {
        std::vector<Quat> turns;
        for (int j = 0; j < joints; ++j) { turns.push_back(any_rotation(random)); }
        clips.push_back(support::clip(fmt::format("p{}", p), joints, 1,
                                      [&](int joint, double) { return turns[std::size_t(joint)]; }));
    }
    return support::assets(joints, clips);
}

std::string states(int first, int count, double fade) {
    std::string text;
    for (int s = first; s < first + count; ++s) { text += fmt::format("        s{0}: {{play: p{0}}}\n", s); }
    text += "      always:\n";
    for (int s = first; s < first + count; ++s) {
        text += fmt::format("        - {{to: s{0}, when: below == b{0}, fade: {1}}}\n", s, fade);
    }
    return text;
}

/// A body of three poses that `below` chooses, and a layer over its upper joints.
std::shared_ptr<const Character> covered(const std::string& how, unsigned seed) {
    std::string text = "gait: 1\nrig: r.glb\nclips:\n";
    for (int p = 0; p < poses; ++p) { text += fmt::format("  p{}: {{loop: yes}}\n", p); }
    text += "parameters:\n  below: {kind: choice, of: [b0, b1, b2]}\n  busy: {kind: flag}\n"
            "masks:\n  upper: {from: joint_3}\n"
            "layers:\n  - name: body\n    machine:\n      start: s0\n      states:\n" +
            states(0, 3, 0.3) + how;
    return support::character(text, wild_assets(seed));
}

const std::string comes_and_goes = "machine:\n      start: free\n      states:\n"
                                   "        free: {play: nothing, go: [{to: held, when: busy, fade: 0.2}]}\n"
                                   "        held: {play: p4, go: [{to: free, when: not busy, fade: 0.2}]}\n";

/// Which way a joint is turned against its parent, or against the body.
std::vector<Quat> turns_of(const Performer& performer, bool in_model) {
    std::vector<Quat> turns;
    const Rig& rig = performer.character().rig();
    const auto pose = pose_of(performer);
    for (std::size_t j = 0; j < pose.size(); ++j) {
        const int parent = rig.joints[j].parent;
        const Quat own = pose[j].rotation;
        turns.push_back(in_model && parent >= 0 ? turns[std::size_t(parent)] * own : own);
    }
    return turns;
}

struct Way {
    double gone = 0, needed = 0, seam = 0; ///< degrees
};

/// How far the joint that strays most goes over `seconds`, and how far it had to.
Way strayed(Performer& performer, double seconds, bool in_model) {
    const auto start = turns_of(performer, in_model);
    std::vector<double> gone(start.size(), 0);
    auto before = start;
    Way worst;
    constexpr double step = 1.0 / 240;
    for (int i = 0; i < int(seconds / step); ++i) {
        Performer next = performer;
        next.advance(1e-5);
        worst.seam =
            std::max(worst.seam, seam_between(performer.character().rig(), pose_of(performer), pose_of(next)).degrees);
        performer.advance(step);
        const auto now = turns_of(performer, in_model);
        for (std::size_t j = 0; j < now.size(); ++j) { gone[j] += degrees_between(before[j], now[j]); }
        before = now;
    }
    for (std::size_t j = 0; j < gone.size(); ++j) {
        const double needed = degrees_between(start[j], before[j]);
        if (gone[j] - needed > worst.gone - worst.needed) { worst = {gone[j], needed, worst.seam}; }
    }
    return worst;
}

} // namespace

TEST_CASE("laid bare, a joint goes the short way to whatever has come to be below it", "[long]") {
    struct Kind {
        const char* what;
        std::string layer;
        bool in_model;
    };
    const std::vector<Kind> kinds{
        {"a layer", "  - name: arms\n    mask: upper\n    " + comes_and_goes, false},
        {"one in model space", "  - name: arms\n    mask: upper\n    space: model\n    " + comes_and_goes, true},
        {"a layer's weight",
         "  - {name: arms, mask: upper, weight: busy, fade: 0.2, machine: {start: a, states: {a: {play: p4}}}}\n",
         false},
        {"the whole body", "  - name: arms\n    " + comes_and_goes, false},
        {"a one-shot", "one_shots:\n  act: {play: {clip: p4, loop: no}, mask: upper, fade: 0.2}\n", false},
        {"two layers",
         "  - {name: arms, mask: upper, machine: {start: a, states: {a: {play: p3}}}}\n"
         "  - name: over\n    mask: upper\n    " +
             comes_and_goes,
         false},
    };
    for (const Kind& kind : kinds) {
        for (unsigned seed = 1; seed <= 40; ++seed) {
            CAPTURE(kind.what, seed);
            const auto character = covered(kind.layer, seed);
            std::mt19937 random(seed);
            Performer performer(character);
            for (int round = 0; round < 4; ++round) {
                performer.advance(0.3);
                performer.set("busy", true);
                performer.play_once("act");
                for (int i = 0; i < 15; ++i) { performer.advance(frame); }
                // Nobody sees this.
                for (int change = 0; change < 3; ++change) {
                    performer.set("below", fmt::format("b{}", random() % 3));
                    for (int i = 0; i < 9; ++i) { performer.advance(frame); }
                }
                for (int i = 0; i < 15; ++i) { performer.advance(frame); }
                performer.set("busy", false);
                const Way way = strayed(performer, 0.6, kind.in_model);
                CHECK(way.gone < way.needed * 1.02 + 1);
                CHECK(way.seam <= seam_bound);
            }
        }
    }
}

TEST_CASE("a joint that is half covered while what is below turns past it comes to the near side without a seam") {
    for (const char* space : {"local", "model"}) {
        for (unsigned seed = 1; seed <= 30; ++seed) {
            const auto character = covered(
                fmt::format("  - {{name: arms, mask: upper, space: {}, weight: 0.5, machine: {{start: a, states: {{a: "
                            "{{play: p4}}}}}}}}\n",
                            space),
                seed);
            std::mt19937 random(seed);
            Performer performer(character);
            for (int round = 0; round < 6; ++round) {
                performer.set("below", fmt::format("b{}", random() % 3));
                const Way way = strayed(performer, 1.2, false);
                CAPTURE(space, seed, round);
                CHECK(way.seam <= seam_bound);
                if (std::string(space) == "model") { continue; }
                // Half of less than two hundred and three degrees: a side is kept where neither is clearly the nearer.
                std::vector<Transform> below(joints);
                performer.layer_pose(0, below);
                CHECK(support::greatest_turn(below, pose_of(performer)) < 203.1 / 2);
            }
        }
    }
}

TEST_CASE("what a layer adds may turn past half a turn, in full or in part, without a seam") {
    const Assets round = support::assets(
        joints, {support::held("still", joints, 0), support::clip("round", joints, 2, [](int joint, double phase) {
                     return axis_angle({1, 0, 0}, 250 * std::sin(pi * phase) + 3.0 * joint);
                 })});
    for (const char* weight : {"1", "0.5", "0.9"}) {
        const auto character = support::character(
            std::string("gait: 1\nrig: r.glb\nclips: {still: {loop: yes}, round: {loop: yes}}\nlayers:\n"
                        "  - {name: body, machine: {start: a, states: {a: {play: still}}}}\n"
                        "  - {name: over, mode: add, against: still, weight: ") +
                weight + ", machine: {start: a, states: {a: {play: round}}}}\n",
            round);
        Performer performer(character);
        CAPTURE(weight);
        const Way way = strayed(performer, 4.3, false);
        CHECK(way.seam <= seam_bound);
        CHECK(way.gone > 300);
    }
}
