#include "gait/smoothness.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <random>

using namespace gait;
using support::pose_of;

namespace {

constexpr int joints = 4;

ClipSource swing(const char* name, double seconds) {
    return support::clip(name, joints, seconds, [](int joint, double phase) {
        return axis_angle({1, 0, 0}, 15 * std::sin(2 * pi * phase + joint));
    });
}

/// Legs that stand or step, slowly or quickly; arms over them that rest, or swing with the legs' steps.
/// `noted` is when the arms leave their swing as they come `there`.
std::shared_ptr<const Character> walker(const std::string& in_step = "in_step_with: legs, ",
                                        const std::string& noted = "fast > 0.9") {
    static const Assets assets =
        support::assets(joints, {swing("slow", 1.2), swing("quick", 0.7), swing("arms_swing", 1), swing("wide", 1.6),
                                 support::held("stand", joints, 5)});
    return support::character("gait: 1\nrig: r.glb\nclips: {slow: {loop: yes}, quick: {loop: yes}, arms_swing: {loop: "
                              "yes, marks: {there: 0.25}}, wide: {loop: yes}, stand: {loop: yes}}\n"
                              "parameters: {going: {kind: flag}, fast: {kind: number, range: [0, 1], smooth: 0.2}, "
                              "free: {kind: flag}, wide: {kind: flag}, armed: {kind: flag}}\n"
                              "masks: {upper: {from: joint_2}}\n"
                              "layers:\n"
                              "  - name: legs\n"
                              "    machine:\n"
                              "      start: still\n"
                              "      states:\n"
                              "        still: {play: stand, go: [{to: walk, when: going, fade: 0.3}]}\n"
                              "        walk:\n"
                              "          play: {blend: fast, sync: cycle, points: {0: slow, 1: quick}}\n"
                              "          go: [{to: still, when: not going, fade: 0.3}]\n"
                              "  - {name: arms, mask: upper, " +
                                  in_step +
                                  "machine: {start: swing, states: {\n"
                                  "      swing: {play: {clip: arms_swing, sync: cycle}, go: [{to: rest, when: free, "
                                  "fade: 0.2}, {to: far, when: wide, fade: 0.2}, {to: noted, at: there, when: " +
                                  noted +
                                  ", fade: 0.1}]},\n"
                                  "      far: {play: {clip: wide, sync: cycle}, go: [{to: swing, when: not wide, fade: "
                                  "0.2}]},\n"
                                  "      noted: {play: {clip: wide, sync: cycle}},\n"
                                  "      rest: {play: nothing, go: [{to: swing, when: not free, fade: 0.2}]}}}}\n",
                              assets);
}

/// The phase of the newest motion's first clip in a layer.
double phase(const Performer& performer, std::size_t layer) {
    ClipView clip;
    performer.instance_clips(performer.instance_count(layer) - 1, std::span(&clip, 1), layer);
    return clip.phase;
}

double apart(const Performer& performer) {
    return std::fabs(std::remainder(phase(performer, 0) - phase(performer, 1), 1));
}

void play(Performer& performer, double seconds, double rate = 60) {
    for (int i = 0; i < int(std::lround(seconds * rate)); ++i) { performer.advance(1 / rate); }
}

} // namespace

TEST_CASE("a layer that keeps in step with another has its phase, whatever the paces, and by itself it has its own") {
    for (const double rate : {10.0, 60.0, 240.0}) {
        CAPTURE(rate);
        Performer with(walker()), without(walker(""));
        for (Performer* performer : {&with, &without}) {
            performer->set("free", true);
            performer->set("going", true);
            play(*performer, 1, rate);
            performer->set("free", false);
            performer->advance(1 / rate);
        }
        double greatest = 0;
        for (int i = 0; i < int(4 * rate); ++i) {
            with.set("fast", i < int(2 * rate) ? 0.8 : 0.3);
            without.set("fast", i < int(2 * rate) ? 0.8 : 0.3);
            with.advance(1 / rate);
            without.advance(1 / rate);
            REQUIRE(apart(with) < 1e-9);
            greatest = std::max(greatest, apart(without));
        }
        CHECK(greatest > 0.2);
    }
}

TEST_CASE("what a layer in step waits for is met at its instant, though the legs quicken after it was foreseen") {
    for (const double rate : {60.0, 240.0}) {
        CAPTURE(rate);
        Performer performer(walker("in_step_with: legs, ", "armed"));
        EventList events;
        performer.set("going", true);
        play(performer, 3, rate);
        while (!(phase(performer, 1) > 0.3 && phase(performer, 1) < 0.4)) { performer.advance(1 / rate); }
        performer.set("armed", true);
        play(performer, 0.1, rate); // by now it is known when they will be there, at this pace
        performer.set("fast", 1);
        double there = -1, noted = -1;
        for (int i = 0; i < int(2 * rate) && noted < 0; ++i) {
            performer.advance(1 / rate, events);
            for (const Event& event : events.events()) {
                if (event.kind == EventKind::mark && there < 0) { there = event.time; }
            }
            for (const TransitionRecord& record : performer.transitions()) {
                const Character& character = performer.character();
                const TransitionInfo& info = character.transitions()[record.transition];
                if (character.states()[info.to].name == "noted") { noted = record.time; }
            }
        }
        CHECK(there > 0);
        CHECK(noted == Approx(there).margin(1e-6));
    }
}

TEST_CASE("as the legs set off, slow down to stand or begin anew, arms in step with them go over without a jump") {
    Performer performer(walker());
    play(performer, 0.33); // the arms swing by themselves, at one cycle a second
    double before = phase(performer, 1), greatest = 0, speed_before = 1, greatest_change = 0;
    for (int i = 0; i < 10 * 240; ++i) {
        const double t = i / 240.0;
        performer.set("going", t > 0.2 && t < 5);
        performer.advance(1 / 240.0);
        const double now = phase(performer, 1), speed = std::remainder(now - before, 1) * 240;
        greatest = std::max(greatest, std::fabs(speed));
        greatest_change = std::max(greatest_change, std::fabs(speed - speed_before));
        if (t > 4.2 && t < 5) { REQUIRE(apart(performer) < 1e-9); }
        before = now;
        speed_before = speed;
    }
    CHECK(greatest < 2.5);                         // cycles a second
    CHECK(greatest_change < 0.08);                 // from one frame to the next
    CHECK(speed_before == Approx(1).margin(1e-3)); // by itself again
}

TEST_CASE("marks of arms that keep in step with the legs are met at their instant, at any frame rate") {
    const auto noted_at = [](double rate) {
        Performer performer(walker());
        performer.set("free", true);
        performer.set("going", true);
        performer.set("fast", 1);
        for (int i = 0; i < int(3 * rate); ++i) {
            if (i == int(rate)) { performer.set("free", false); }
            performer.advance(1 / rate);
            for (const TransitionRecord& record : performer.transitions()) {
                const TransitionInfo& info = performer.character().transitions()[record.transition];
                if (performer.character().states()[info.to].name == "noted") { return record.time; }
            }
        }
        return 0.0;
    };
    const double fine = noted_at(240);
    CHECK(fine > 1);
    for (const double rate : {10.0, 30.0, 60.0}) { CHECK(noted_at(rate) == Approx(fine).margin(2e-3)); }
}

TEST_CASE("whatever legs and arms in step with them do, no seam shows") {
    const auto character = walker();
    for (unsigned seed = 1; seed <= 60; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(0, 1);
        Performer performer(character), next(character);
        for (int i = 0; i < 80; ++i) {
            for (const char* flag : {"going", "free", "wide"}) {
                if (unit(random) < 0.15) { performer.set(flag, unit(random) < 0.5); }
            }
            if (unit(random) < 0.2) { performer.set("fast", unit(random)); }
            next = performer;
            next.advance(1e-5);
            CAPTURE(seed, i, performer.state_name(0), performer.state_name(1));
            REQUIRE(seam_between(character->rig(), pose_of(performer), pose_of(next)).degrees <= seam_bound);
            performer.advance(0.3 * unit(random) * unit(random));
        }
        CHECK(performer.faults().cut_chains == 0);
    }
}

TEST_CASE("with whom a layer cannot keep in step is said") {
    const auto said = [](const std::string& legs, const std::string& arms) {
        static const Assets assets = support::assets(joints, {swing("slow", 1.2), support::held("stand", joints, 5)});
        return support::diagnose("gait: 1\nrig: r.glb\nclips: {slow: {loop: yes}, stand: {loop: yes}}\nlayers:\n"
                                 "  - {name: legs, machine: {start: a, states: {a: {play: {clip: slow, sync: " +
                                     legs + "}}}}}\n  - {name: arms, " + arms +
                                     ", machine: {start: a, states: {a: {play: {clip: slow, sync: cycle}}}}}\n",
                                 assets);
    };
    CHECK(said("cycle", "in_step_with: legs").empty());
    CHECK_THAT(said("cycle", "in_step_with: lags"), Catch::Contains("no layer 'lags'; did you mean 'legs'?"));
    CHECK_THAT(said("cycle", "in_step_with: arms"), Catch::Contains("'arms' is not below"));
    CHECK_THAT(said("off", "in_step_with: legs"), Catch::Contains("nothing that 'legs' plays keeps step"));
}
