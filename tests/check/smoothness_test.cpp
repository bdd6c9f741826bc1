#include "gait/carry_over.hpp"
#include "gait/cue_player.hpp"
#include "gait/load.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

using namespace gait;

namespace {

constexpr double dt = 1.0 / 60;

/// Two motions of one joint by angle about X, and how they are shown.
struct Case {
    std::function<double(double)> first, second; ///< degrees at a time
    double switch_at = 0.5;
    double fade = 0.3;
    std::function<double(double)> shown_weight; ///< of the second, at seconds since the switch; may lie about the fade
    std::function<double(double)> added;        ///< degrees put on top, at a time
};

Transform bent(double degrees) { return {axis_angle({1, 0, 0}, degrees), {}, {1, 1, 1}}; }

Snap measure(const Case& c, double frame = dt) {
    SnapMeter meter;
    for (double t = 0; t < 1.2; t += frame) {
        const double since = t - c.switch_at;
        SnapFrame out;
        out.time = t;
        MotionSample first, second;
        first.id = 1;
        first.pose = {bent(c.first(t))};
        second.id = 2;
        second.pose = {bent(c.second(t))};
        second.fade_seconds = c.fade;
        second.fade_elapsed = since;
        second.transition = 5;
        double angle = c.first(t);
        out.motions.push_back(first);
        if (since >= 0) {
            const double w = c.shown_weight ? c.shown_weight(since)
                             : c.fade > 0   ? eased(Ease::smooth, since / c.fade)
                                            : 1;
            angle = c.first(t) * (1 - w) + c.second(t) * w;
            out.motions.push_back(second);
            if (since >= c.fade) { out.motions.erase(out.motions.begin()); }
        }
        if (c.added) { angle += c.added(t); }
        out.pose = {bent(angle)};
        meter.add(std::move(out));
    }
    return meter.worst();
}

double still(double /*time*/) { return 0; }
double running(double t) { return 40 + 35 * std::sin(2 * pi * t / 0.66); }

} // namespace

TEST_CASE("a correct fade between a stand and a run is smooth") {
    for (const double frame : {1.0 / 30, 1.0 / 60, 1.0 / 144}) {
        const Snap snap = measure({still, running, 0.5, 0.3, {}, {}}, frame);
        INFO("ratio " << snap.ratio << " at " << snap.time);
        CHECK(snap.joint == 0);
        CHECK(snap.transition == 5);
        CHECK(snap.ratio <= snap_ratio_bound);
        CHECK(snap.ratio > 0.3);
    }
}

TEST_CASE("a pose popped by twenty degrees is caught") {
    const Snap snap =
        measure({still, running, 0.5, 0.3, {}, [](double t) { return t > 0.62 && t < 0.64 ? 20.0 : 0.0; }});
    CHECK(snap.ratio > 3);
    CHECK(snap.time == Approx(0.63).margin(2 * dt));
}

TEST_CASE("a fade that starts at thirty percent is caught") {
    const Snap snap = measure(
        {still, running, 0.5, 0.3, [](double since) { return 0.3 + 0.7 * eased(Ease::smooth, since / 0.3); }, {}});
    CHECK(snap.ratio > snap_ratio_bound);
    CHECK(snap.time == Approx(0.5).margin(2 * dt));
}

TEST_CASE("a fade that forgets it was interrupted is caught") {
    // From 0 toward 60 degrees, and back to 0 halfway: the forgetful one begins its way back at 60.
    SnapMeter honest, forgetful;
    for (double t = 0; t < 1.2; t += dt) {
        const double first = eased(Ease::smooth, (t - 0.3) / 0.4), second = eased(Ease::smooth, (t - 0.5) / 0.4);
        SnapFrame frame;
        frame.time = t;
        const auto sample = [&](std::uint32_t id, double degrees, double elapsed) {
            MotionSample m;
            m.id = id;
            m.pose = {bent(degrees)};
            m.fade_seconds = 0.4;
            m.fade_elapsed = elapsed;
            frame.motions.push_back(std::move(m));
        };
        sample(0, 0, t);
        if (t >= 0.3) { sample(1, 60, t - 0.3); }
        if (t >= 0.5) { sample(2, 0, t - 0.5); }
        frame.pose = {bent(60 * first * (1 - second))};
        honest.add(frame);
        frame.pose = {bent(t < 0.5 ? 60 * first : 60 * (1 - second))};
        forgetful.add(frame);
    }
    INFO("honest " << honest.worst().ratio << ", forgetful " << forgetful.worst().ratio);
    CHECK(honest.worst().ratio <= snap_ratio_bound);
    CHECK(forgetful.worst().ratio > 2);
}

TEST_CASE("a fade of zero counts its pop in full") {
    const Snap snap = measure({still, running, 0.2, 0, {}, {}});
    CHECK(snap.ratio > 10);
    CHECK(snap.jolt > 1000);
}

TEST_CASE("without a transition there is no ratio") {
    SnapMeter meter;
    for (double t = 0; t < 1; t += dt) {
        SnapFrame frame;
        frame.time = t;
        MotionSample m;
        m.pose = {bent(running(t))};
        frame.motions.push_back(m);
        frame.pose = m.pose;
        meter.add(frame);
    }
    CHECK(meter.worst().joint == -1);
    CHECK(meter.worst().ratio == 0);
}

TEST_CASE("the seam between two poses names the joint that turned most, and the root's move") {
    const Rig rig = support::chain(3);
    auto a = rest_pose(rig), b = a;
    b[1].rotation = axis_angle({0, 1, 0}, 2);
    b[2].rotation = axis_angle({0, 1, 0}, 7);
    b[0].translation.x += 0.004F;
    const Seam seam = seam_between(rig, a, b);
    CHECK(seam.degrees == Approx(7).epsilon(1e-4));
    CHECK(seam.joint == 2);
    CHECK(seam.millimetres == Approx(4).epsilon(1e-3));
}

namespace {
/// Plays the demo's round and watches it; every fade is scaled.
SmoothnessWatch watch_round(double fade_scale, double frames_per_second) {
    Document document = support::lamplighter().document;
    for (StateDefinition& state : document.layers[0].machine.states) {
        for (TransitionDefinition& t : state.go) { t.fade.value *= fade_scale; }
    }
    const Compiled compiled = compile(document, load_assets(document).assets);
    REQUIRE(compiled.character);
    CueSheetRead cues = read_cue_sheet(support::project() / "demo/round.cues.yaml");
    CuePlayer player(cues.sheet, *compiled.character, cues.diagnostics);
    INFO(format(cues.diagnostics));
    REQUIRE_FALSE(has_errors(cues.diagnostics));
    Performer performer(compiled.character);
    SmoothnessWatch watch(performer);
    const double step = 1 / frames_per_second;
    for (int i = 0; i * step < cues.sheet.seconds; ++i) {
        player.apply(performer, i * step);
        const Performer before = performer;
        performer.advance(step);
        watch.step(before, step, performer);
    }
    return watch;
}
} // namespace

TEST_CASE("the demo round keeps both bounds of smoothness") {
    for (const double rate : {30.0, 60.0, 144.0}) {
        const SmoothnessWatch watch = watch_round(1, rate);
        INFO(rate << " frames a second: seam " << watch.worst_seam().degrees << ", snap ratio "
                  << watch.snap().worst().ratio << " at " << watch.snap().worst().time);
        CHECK(watch.worst_seam().degrees <= seam_bound);
        CHECK(watch.worst_seam().millimetres <= seam_bound);
        CHECK(watch.snap().worst().ratio <= snap_ratio_bound);
        CHECK(watch.snap().transitions().size() > 5);
    }
}

TEST_CASE("with every fade set to zero the demo round shows a seam over ten degrees") {
    const SmoothnessWatch watch = watch_round(0, 60);
    CHECK(watch.worst_seam().degrees > 10);
    CHECK(watch.snap().worst().ratio > snap_ratio_bound);
}

namespace {

/// The worst snap of a layer over a swinging one that comes and goes, by its state or by its weight.
Snap laid_over(const std::string& layer, double rate = 60) {
    const Assets assets =
        support::assets(4, {support::clip("sway", 4, 1,
                                          [](int joint, double phase) {
                                              return axis_angle({1, 0, 0}, 20 * std::sin(2 * pi * phase + joint));
                                          }),
                            support::held("up", 4, 25), support::held("low", 4, 0)});
    const auto character = support::character(
        "gait: 1\nrig: r.glb\nclips: {sway: {loop: yes}, up: {loop: yes}, low: {loop: yes}}\n"
        "parameters: {busy: {kind: flag}, tap: {kind: signal}}\nmasks: {upper: {from: joint_1, ramp: 2}}\n"
        "layers:\n  - {name: legs, machine: {start: a, states: {a: {play: sway}}}}\n  - {name: arms, mask: upper, " +
            layer + "}\n",
        assets);
    Performer performer(character);
    SmoothnessWatch watch(performer);
    for (int i = 0; i < 2 * rate; ++i) {
        performer.set("busy", i > 0.4 * rate && i < 1.2 * rate);
        if (i == int(0.7 * rate)) { performer.send("tap"); }
        const Performer before = performer;
        performer.advance(1 / rate);
        watch.step(before, 1 / rate, performer);
    }
    CHECK(watch.worst_snap().ratio >= watch.laid_over().worst().ratio);
    return watch.worst_snap();
}

const char* const comes_and_goes =
    "machine: {start: free, states: {free: {play: nothing, go: {to: up, when: busy, fade: "
    "FADE}}, up: {play: up, go: {to: free, when: not busy, fade: FADE}}}}";

std::string with_fade(std::string text, const std::string& fade) {
    for (std::size_t at = text.find("FADE"); at != std::string::npos; at = text.find("FADE")) {
        text.replace(at, 4, fade);
    }
    return text;
}

} // namespace

TEST_CASE("how a layer is laid over those below is as smooth as its fades let it, in either space and as an addition") {
    for (const double rate : {30.0, 60.0, 144.0}) {
        for (const std::string how : {"", "space: model, ", "mode: add, against: low, "}) {
            const Snap by_state = laid_over(how + with_fade(comes_and_goes, "0.3"), rate);
            const Snap by_weight =
                laid_over(how + "weight: busy, fade: 0.3, machine: {start: up, states: {up: {play: up}}}", rate);
            CAPTURE(rate, how, by_state.ratio, by_state.jolt, by_weight.ratio, by_weight.jolt);
            CHECK(by_state.jolt > 5);
            CHECK(by_state.ratio > 0.3);
            CHECK(by_state.ratio <= snap_ratio_bound);
            CHECK(by_state.transition != 0xFFFF);
            CHECK(by_weight.jolt > 5);
            CHECK(by_weight.ratio > 0.3);
            CHECK(by_weight.ratio <= snap_ratio_bound);
        }
    }
}

namespace {

/// A body that stands, its joints at no angle, and over it a layer that plays `clip`.
std::shared_ptr<const Character> arms_over_body(const ClipSource& clip, const std::string& head,
                                                const std::string& arms) {
    const auto joints = int(clip.tracks.size());
    return support::character("gait: 1\nrig: r.glb\nclips: {low: {loop: yes}, " + clip.name + ": {" + head +
                                  "layers:\n  - {name: body, machine: {start: a, states: {a: {play: low}}}}\n"
                                  "  - {name: arms, " +
                                  arms + "}\n",
                              support::assets(joints, {support::held("low", joints, 0), clip}));
}

} // namespace

TEST_CASE("a layer that turns past half a turn from what is below as it comes in or goes keeps every bound") {
    const ClipSource swing = support::clip("swing", 3, 1.2, [](int joint, double phase) {
        return axis_angle({1, 0, 0}, joint == 0 ? 0 : 65 + 60 * std::sin(2 * pi * phase));
    });
    for (const std::string space : {"local", "model"}) {
        const auto character =
            arms_over_body(swing, "loop: yes}}\nparameters: {busy: {kind: flag}}\nmasks: {upper: {from: joint_1}}\n",
                           "mask: upper, space: " + space +
                               ", machine: {start: free, states: {\n"
                               "      free: {play: nothing, go: {to: held, when: busy, fade: 0.5}},\n"
                               "      held: {play: swing, go: {to: free, when: not busy, fade: 0.5}}}}");
        for (const double leaves : {1.0, 1.3, 1.6, 1.9, 2.2}) {
            Performer performer(character);
            SmoothnessWatch watch(performer);
            double furthest = 0;
            for (int frame = 0; frame < 200; ++frame) {
                performer.set("busy", frame > 10 && frame < 60 * leaves);
                const Performer before = performer;
                performer.advance(1.0 / 60);
                watch.step(before, 1.0 / 60, performer);
                std::vector<Transform> pose(3);
                performer.model_pose(pose);
                furthest = std::max(furthest, degrees_between(pose[0].rotation, pose[2].rotation));
            }
            CAPTURE(space, leaves, watch.worst_snap().time);
            CHECK(furthest > 175);
            CHECK(watch.worst_seam().degrees <= seam_bound);
            CHECK(watch.worst_snap().ratio <= snap_ratio_bound);
            CHECK(watch.pop().worst().ratio <= 2);
        }
    }
}

TEST_CASE("a joint that an arm carries along in part does not jump as the arm turns past half a turn in model space") {
    const ClipSource round = support::clip("round", 4, 3, [](int joint, double phase) {
        return axis_angle({1, 0, 0}, joint == 1 ? 170 - 110 * std::cos(2 * pi * phase) : 0);
    });
    for (const std::string counts : {"0.3", "0"}) {
        const std::string head = "loop: yes}}\nmasks: {arm: {from: joint_1, joints: {joint_3: " + counts + "}}}\n",
                          arms = "mask: arm, space: model, machine: {start: a, states: {a: {play: round}}}";
        const auto reread = arms_over_body(round, head + "parameters: {more: {kind: flag}}\n", arms);
        Performer performer(arms_over_body(round, head, arms));
        SmoothnessWatch watch(performer);
        double smoothed = 0;
        for (int frame = 0; frame < 400; ++frame) {
            const Performer before = performer;
            performer.advance(1.0 / 60);
            watch.step(before, 1.0 / 60, performer);
            // Nor is there anything to smooth over as a document is read again.
            const Performer again = carry_over(performer, reread).performer;
            smoothed = std::max({smoothed, again.offset_seconds(0), again.offset_seconds(1)});
        }
        CAPTURE(counts, watch.pop().worst().time, watch.pop().worst().jolt);
        // What the change of side leaves is a third of a turn, gone in 0.4 s; at once it would be 6,500.
        CHECK(watch.pop().worst().jolt < 250);
        CHECK(smoothed == 0);
    }
}

TEST_CASE("where more joints change their side at once than there is room for, the others follow, and nothing jumps") {
    constexpr int joints = 40;
    const auto character =
        arms_over_body(support::clip("round", joints, 2,
                                     [](int, double phase) {
                                         return axis_angle({1, 0, 0}, 300 * phase * phase);
                                     }),
                       "loop: no}}\n", "weight: 0.5, machine: {start: a, states: {a: {play: round}}}");
    Performer performer(character);
    SmoothnessWatch watch(performer);
    for (int frame = 0; frame < 300; ++frame) {
        const Performer before = performer;
        performer.advance(1.0 / 60);
        watch.step(before, 1.0 / 60, performer);
    }
    CHECK(watch.worst_seam().degrees <= seam_bound);
    // Half of the nearer way to three hundred degrees.
    for (const Transform& joint : support::pose_of(performer)) {
        CHECK(degrees_between(joint.rotation, {}) == Approx(30).margin(0.5));
    }
}

TEST_CASE("what clips do by themselves as an inertial fade begins is not held against the fade") {
    constexpr double frame = 1.0 / 30;
    // It stands, and from the middle of a frame on turns at six hundred degrees a second.
    const auto flick = [](double from, double lasts) {
        return support::clip("flick", 2, 1, [from, lasts](int joint, double phase) {
            return axis_angle({1, 0, 0}, joint == 1 ? 600 * std::clamp(phase - from, 0.0, lasts) : 0);
        });
    };
    struct Kind {
        const char *left, *came;
        double from, lasts; ///< of the clip that flicks
    };
    // It leaves as an input is set; as one that follows its input passes a bound within a frame; as a frame ends.
    const std::string leaves = GENERATE("when: busy", "when: effort > 0.5", "after: 0.516666666666666667");
    for (const Kind& kind : {Kind{"flick", "low", 0.5, 0.2}, Kind{"low", "flick", 1.0 / 60, 1.0 / 60}}) {
        const auto character = support::character(
            fmt::format("gait: 1\nrig: r.glb\nclips: {{flick: {{}}, low: {{}}}}\n"
                        "parameters: {{busy: {{kind: flag}}, effort: {{kind: number, smooth: 0.005}}}}\n"
                        "layers: [{{name: body, machine: {{start: a, states: {{a: {{play: {}, go: {{to: b, {}, "
                        "fade: 0.3, style: inertial}}}}, b: {{play: {}}}}}}}}}]\n",
                        kind.left, leaves, kind.came),
            support::assets(2, {flick(kind.from, kind.lasts), support::held("low", 2, 0)}));
        Performer performer(character);
        performer.advance(0.5 * frame);
        SmoothnessWatch watch(performer);
        for (int i = 0; i < 30; ++i) {
            performer.set("busy", i >= 15);
            performer.set("effort", i >= 15 ? 1 : 0);
            const Performer before = performer;
            performer.advance(frame);
            watch.step(before, frame, performer);
        }
        CHECK(performer.state_name() == "b");
        CAPTURE(leaves, kind.left, watch.worst_snap().time, watch.worst_snap().allowed);
        // Where it leaves at a frame's end the worst is how the fade goes on.
        CHECK(watch.worst_snap().jolt > (leaves.starts_with("after") ? 120 : 250));
        CHECK(watch.worst_snap().ratio <= snap_ratio_bound);
    }
}

TEST_CASE("what an inertial fade leaves that is nearly there and goes fast may stop in a quarter of the fade") {
    constexpr double frame = 1.0 / 60, changes_at = 30.5 * frame;
    const auto swing = support::clip("swing", 2, 1, [&](int joint, double phase) {
        return axis_angle({1, 0, 0}, joint == 1 ? 250 * (phase - changes_at) - 2.2 : 0);
    });
    const auto character = support::character(
        "gait: 1\nrig: r.glb\nclips: {swing: {}, low: {}}\nparameters: {busy: {kind: flag}}\nlayers: [{name: body, "
        "machine: {start: a, states: {a: {play: swing, go: {to: b, when: busy, fade: 0.4, style: inertial}}, "
        "b: {play: low}}}}]\n",
        support::assets(2, {swing, support::held("low", 2, 0)}));
    Performer performer(character);
    performer.advance(0.5 * frame);
    SmoothnessWatch watch(performer);
    double farthest = 0;
    for (int i = 0; i < 60; ++i) {
        performer.set("busy", i >= 30);
        const Performer before = performer;
        performer.advance(frame);
        watch.step(before, frame, performer);
        if (i >= 36) { farthest = std::max(farthest, degrees_between(performer.model_transform(1).rotation, Quat{})); }
    }
    CAPTURE(watch.worst_snap().time, watch.worst_snap().allowed);
    CHECK(farthest < 0.01);
    CHECK(watch.worst_snap().jolt > 110);
    CHECK(watch.worst_snap().ratio <= snap_ratio_bound);
}

TEST_CASE("a layer that is cut in or whose weight jumps counts its pop in full") {
    for (const std::string how : {"", "space: model, ", "mode: add, against: low, "}) {
        const Snap by_state = laid_over(how + with_fade(comes_and_goes, "0"));
        const Snap by_weight = laid_over(how + "weight: busy, fade: 0, machine: {start: up, states: {up: {play: up}}}");
        CAPTURE(how, by_state.ratio, by_weight.ratio);
        CHECK(by_state.ratio > 5);
        CHECK(by_weight.ratio > 5);
    }
}

namespace {

/// What a fade of `fade` seconds from one clip to another is measured as, half a second on, at `rate` frames a second.
SmoothnessWatch watch_fade(const ClipSource& low, const ClipSource& high, double fade, double rate,
                           const char* style = "cross") {
    const auto character = support::character(
        fmt::format(
            "gait: 1\nrig: r.glb\nparameters: {{go: {{kind: flag}}}}\nclips: {{low: {{loop: yes}}, high: {{loop: "
            "yes}}}}\nlayers: [{{name: body, machine: {{start: a, states: {{a: {{play: low, go: {{to: b, when: go, "
            "fade: {}, style: {}}}}}, b: {{play: high}}}}}}}}]\n",
            fade, style),
        support::assets(3, {low, high}));
    Performer performer(character), before(character);
    SmoothnessWatch watch(performer);
    for (int i = 0; i < int(rate); ++i) {
        if (i == int(rate / 2)) { performer.set("go", true); }
        before = performer;
        performer.advance(1 / rate);
        watch.step(before, 1 / rate, performer);
    }
    return watch;
}
/// Over so many degrees from one pose to another.
SmoothnessWatch watch_fade(double degrees, double fade, double rate, const char* style = "cross") {
    return watch_fade(support::held("low", 3, 0), support::held("high", 3, degrees / 3), fade, rate, style);
}

} // namespace

TEST_CASE("a fade too short for what it turns pops, though its snap ratio holds, and how long it has to be is said") {
    const SmoothnessWatch hasty = watch_fade(172, 0.03, 60);
    CHECK(hasty.worst_snap().ratio <= snap_ratio_bound);
    const Pop& pop = hasty.pop().worst();
    CHECK(pop.ratio > 10);
    CHECK(pop.joint == 2); // in body space the last of the chain turns by all three
    CHECK(pop.usual == 300);
    CHECK(pop.time == Approx(0.5).margin(0.05));
    CHECK(pop.transition == 0);
    REQUIRE(pop.fade_needed > 0.1);
    CHECK(watch_fade(172, pop.fade_needed * 1.3, 60).pop().worst().ratio <= pop_bound);
}

TEST_CASE("an inertial fade too short for what it turns pops too, and how long it has to be is said") {
    const Pop pop = watch_fade(172, 0.1, 60, "inertial").pop().worst();
    CHECK(pop.ratio > 3);
    CHECK(pop.usual == 300);
    CHECK(pop.transition == 0);
    REQUIRE(pop.fade_needed > 0.15);
    CHECK(watch_fade(172, pop.fade_needed * 1.02, 60, "inertial").pop().worst().ratio <= pop_bound);
}

TEST_CASE("what an inertial fade goes on with is as usual as the clip that it was caught from") {
    // A whip of the lowest joint, in the middle of which it is left, as fast as it is then; and a rest.
    const auto whip = [](int joint, double phase) {
        const double up = std::clamp((phase - 0.45) / 0.1, 0.0, 1.0), down = std::clamp((phase - 0.6) / 0.4, 0.0, 1.0);
        const double part = up * up * (3 - 2 * up) - down * down * (3 - 2 * down);
        return axis_angle({1, 0, 0}, joint == 0 ? 150 * part : 0);
    };
    const ClipSource quick = support::clip("low", 3, 1, whip, 120);
    const Pop left = watch_fade(quick, support::held("high", 3, 0), 0.35, 60, "inertial").pop().worst();
    CHECK(left.jolt > 700);
    CHECK(left.usual > 1000);
    CHECK(left.ratio <= 1.1);
    // Once its offset is gone it excuses nothing more.
    const auto character = support::character(
        "gait: 1\nrig: r.glb\nparameters: {go: {kind: flag}}\nclips: {low: {loop: yes}, high: {loop: yes}, far: {loop: "
        "yes}}\nlayers: [{name: body, machine: {start: a, states: {a: {play: low, go: {to: b, after: 0.5, fade: 0.2, "
        "style: inertial}}, b: {play: high, go: {to: c, when: go, fade: 0.05}}, c: {play: far}}}}]\n",
        support::assets(3, {quick, support::held("high", 3, 0), support::held("far", 3, 40)}));
    Performer performer(character);
    PopMeter meter(performer);
    for (int frame = 0; frame < 90; ++frame) {
        if (frame == 60) { performer.set("go", true); }
        performer.advance(1.0 / 60);
        meter.add(performer);
    }
    CHECK(meter.worst().usual == 300);
    CHECK(meter.worst().time == Approx(1.03).margin(0.05));
    // Nor after a cut, though an offset decays there too.
    Performer whipped(character), rests(character);
    PopMeter cut(whipped);
    for (int frame = 0; frame < 35; ++frame) {
        whipped.advance(1.0 / 60);
        cut.add(whipped);
    }
    REQUIRE(whipped.offset_seconds() > 0);
    cut.pause();
    rests.enter(character->state("b"), 0);
    rests.advance(0.5);
    for (const char* state : {"c", "b", "c", "b", "c"}) { // what fades is folded into an offset
        rests.enter(character->state(state), 0.5);
        rests.advance(1.0 / 60);
    }
    REQUIRE(rests.offset_seconds() > 0);
    for (int frame = 0; frame < 3; ++frame) {
        rests.advance(1.0 / 60);
        cut.add(rests);
    }
    REQUIRE(rests.offset_seconds() > 0);
    CHECK(cut.last().joint >= 0);
    CHECK(cut.last().usual == Approx(300));
}

TEST_CASE("pops and snap ratios are the same at sixty frames a second and at any more") {
    const SmoothnessWatch sixty = watch_fade(120, 0.1, 60);
    CHECK(sixty.pop().worst().ratio > 2);
    for (const double rate : {120.0, 144.0, 480.0}) {
        CAPTURE(rate);
        const SmoothnessWatch finer = watch_fade(120, 0.1, rate);
        CHECK(finer.pop().worst().ratio == Approx(sixty.pop().worst().ratio).epsilon(0.02));
        CHECK(finer.worst_snap().ratio == Approx(sixty.worst_snap().ratio).epsilon(0.02));
    }
}

TEST_CASE("a body whose speed changes at once shows a seam, and one whose speed fades shows none") {
    for (const double fade : {0.0, 0.3}) {
        Assets assets = support::assets(2, {support::held("slow", 2, 0), support::held("quick", 2, 0)});
        for (const auto& [name, metres] : {std::pair{"slow", 1.0F}, {"quick", 3.0F}}) {
            auto& track = assets.clips[name].tracks[0].translation;
            track.times = {0, 1};
            track.values = {{0, 1, 0}, {0, 1, metres}};
        }
        const auto character = support::character(
            fmt::format(
                "gait: 1\nrig: r.glb\nclips: {{slow: {{loop: yes, travel: joint_0}}, quick: {{loop: yes, travel: "
                "joint_0}}}}\nparameters: {{go: {{kind: flag}}}}\nlayers: [{{name: body, machine: {{start: a, "
                "states: {{a: {{play: slow, go: {{to: b, when: go, fade: {}}}}}, b: {{play: quick}}}}}}}}]\n",
                fade),
            assets);
        Performer performer(character), before(character);
        SmoothnessWatch watch(performer);
        for (int i = 0; i < 60; ++i) {
            if (i == 30) { performer.set("go", true); }
            before = performer;
            performer.advance(dt);
            watch.step(before, dt, performer);
        }
        CAPTURE(fade);
        if (fade > 0) {
            CHECK(watch.worst_seam().speed < seam_bound);
        } else {
            CHECK(watch.worst_seam().speed == Approx(2).margin(0.01));
            CHECK(watch.worst_seam().speed_time == Approx(0.5).margin(0.001));
        }
    }
}

TEST_CASE("a body that stops turning at once is measured, one that a fade brings to rest is not") {
    const auto turned = [](const char* fade) {
        const std::string text = std::string("gait: 1\nrig: lamplighter.glb\nclips: {stand: {loop: yes}, turn_left: "
                                             "{travel: hips}}\nlayers: [{name: body, machine: {start: a, states: "
                                             "{a: {play: turn_left, go: {to: b, after: 0.5, fade: ") +
                                 fade + "}}, b: {play: stand}}}}]\n";
        const DocumentRead read = read_document_text(text, (support::project() / "demo/turn.gait.yaml").string());
        const Compiled compiled = compile(read.document, load_assets(read.document).assets);
        CAPTURE(format(compiled.diagnostics));
        REQUIRE(compiled.character);
        Performer her(compiled.character);
        SmoothnessWatch watch(her);
        for (int frame = 0; frame < 90; ++frame) {
            const Performer before = her;
            her.advance(1.0 / 60);
            watch.step(before, 1.0 / 60, her);
        }
        return watch.worst_seam();
    };
    CHECK(turned("0").turn_rate > 60);
    CHECK(turned("0").turn_time == Approx(0.5).margin(0.02));
    CHECK(turned("0.3").turn_rate < turn_rate_bound);
    CHECK(turned("0.3").speed < seam_bound);
}

TEST_CASE("a fade that must show is remarked on between spaces too, however they meet") {
    const auto remarks = [](const std::string& fade, const std::string& points) {
        const std::string text = "gait: 1\nrig: lamplighter.glb\nclips: {stand: {loop: yes}, stroll: {loop: yes}, run: "
                                 "{loop: yes}}\nparameters: {speed: {kind: number, range: [0, 4.5], unit: m/s}, wet: "
                                 "{kind: flag}}\nlayers: [{name: body, machine: {start: a, states: {a: {play: {blend: "
                                 "speed, points: " +
                                 points + "}, go: {to: b, when: wet, fade: " + fade +
                                 "}}, b: {play: stand, go: {to: a, when: not wet, fade: 0.3}}}}}]\n";
        const DocumentRead read = read_document_text(text, (support::project() / "demo/turn.gait.yaml").string());
        const Assets assets = load_assets(read.document).assets;
        return format(inspect(read.document, assets, compile(read.document, assets).character.get()));
    };
    CHECK(remarks("0.02", "{1.4: stroll, 4.2: run}").find("[short-fade]") != std::string::npos);
    CHECK(remarks("0.3", "{1.4: stroll, 4.2: run}").find("[short-fade]") == std::string::npos);
    // Where the space stands still itself there is a way that does not show.
    CHECK(remarks("0.02", "{0: stand, 1.4: stroll, 4.2: run}").find("[short-fade]") == std::string::npos);
}

TEST_CASE("what is mixed in on a mask comes and goes without a seam, in the middle of fades as well") {
    // With the lantern or without, under awnings and out: her arms are mixed in while her legs change what they do.
    double worst = 0;
    for (unsigned seed = 1; seed <= 12; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<float> unit(0, 1);
        Performer her(support::lamplighter().character);
        SmoothnessWatch watch(her);
        her.set("speed", 1.4F);
        for (int frame = 0; frame < 600; ++frame) {
            if (unit(random) < 0.03F) { her.set("hands", unit(random) < 0.5F ? "lantern" : "free"); }
            if (unit(random) < 0.03F) { her.set("awning", unit(random) < 0.5F); }
            if (unit(random) < 0.02F) { her.set("speed", 0.3F + 2 * unit(random)); }
            const Performer before = her;
            her.advance(1.0 / 60);
            watch.step(before, 1.0 / 60, her);
        }
        worst = std::max(worst, watch.worst_seam().degrees);
    }
    CHECK(worst < seam_bound);
}
