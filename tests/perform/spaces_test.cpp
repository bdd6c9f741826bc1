#include "character/phase_warp.hpp"
#include "gait/load.hpp"
#include "gait/lone_state.hpp"
#include "gait/steady_motion.hpp"
#include "machine_support.hpp"

#include <catch2/catch.hpp>

#include <cstring>
#include <map>
#include <random>

using namespace gait;
using namespace gait::detail;
using support::greatest_turn;
using support::pose_of;

namespace {

/// A document of one state beside the demo's files.
Compiled demo_state(const std::string& play, const std::string& parameters, const std::string& more = {}) {
    const std::string text =
        "gait: 1\nrig: lamplighter.glb\n"
        "clips: {stand: {loop: yes}}\n"
        "clip_sets:\n"
        "  - take: [stroll, stroll_ahead_right, stroll_right, stroll_back_right, stroll_back, stroll_back_left, "
        "stroll_left, stroll_ahead_left, trot, trot_ahead_right, trot_right, trot_back_right, trot_back, "
        "trot_back_left, trot_left, trot_ahead_left, run, shelter]\n    loop: yes\n"
        "  - take: [stroll_going, stroll_ahead_right_going, stroll_right_going, trot_going]\n    loop: yes\n"
        "    travel: hips\n"
        "  - take: [lean_left, lean_right]\n" +
        parameters + more + "layers: [{name: body, machine: {start: moving, states: {moving: {play: " + play +
        "}, still: {play: stand}}}}]\n";
    const DocumentRead read = read_document_text(text, (support::project() / "demo/space.gait.yaml").string());
    CAPTURE(format(read.diagnostics));
    REQUIRE_FALSE(has_errors(read.diagnostics));
    Compiled compiled = compile(read.document, load_assets(read.document).assets);
    return compiled;
}

std::shared_ptr<const Character> demo(const std::string& play, const std::string& parameters,
                                      const std::string& more = {}) {
    const Compiled compiled = demo_state(play, parameters, more);
    CAPTURE(format(compiled.diagnostics));
    REQUIRE(compiled.character);
    return compiled.character;
}

const std::string velocity =
    "parameters: {speed: {kind: number, range: [-6, 6], unit: m/s, smooth: 0}, heading: {kind: "
    "angle, smooth: 0}, lean: {kind: number, range: [-1, 1], smooth: 0}, load: {kind: flag}}\n";
const std::string ring = "points: [stand, stroll, stroll_ahead_right, stroll_right, stroll_back_right, stroll_back, "
                         "stroll_back_left, stroll_left, stroll_ahead_left, trot, trot_ahead_right, trot_right, "
                         "trot_back_right, trot_back, trot_back_left, trot_left, trot_ahead_left, run]";

/// The weights of the active motion's clips by name.
std::map<std::string, double> weights(const Performer& performer) {
    std::vector<ClipView> clips(64);
    const std::size_t count = performer.instance_clips(performer.instance_count() - 1, clips);
    std::map<std::string, double> found;
    for (std::size_t c = 0; c < count; ++c) {
        found[performer.character().clips()[clips[c].clip].name] += double(clips[c].weight);
    }
    return found;
}

std::map<std::string, double> weights_at(const std::shared_ptr<const Character>& character,
                                         const std::vector<std::pair<std::string, double>>& values) {
    Performer performer(character);
    for (const auto& [name, value] : values) { performer.set(name, value); }
    performer.advance(0.01);
    performer.advance(0.01);
    return weights(performer);
}

std::map<std::string, double> phases(const Performer& performer) {
    std::vector<ClipView> clips(64);
    const std::size_t count = performer.instance_clips(performer.instance_count() - 1, clips);
    std::map<std::string, double> found;
    for (std::size_t c = 0; c < count; ++c) {
        found[performer.character().clips()[clips[c].clip].name] = clips[c].phase;
    }
    return found;
}

} // namespace

// ---- two parameters ----

TEST_CASE("a plane of velocities follows a speed that time alone computes, though nobody sets anything") {
    const auto character = demo("{blend: [heading, pace], " + ring + "}",
                                "parameters: {hold: {kind: flag}, pace: {kind: number, since: hold, smooth: 0}, "
                                "heading: {kind: angle, smooth: 0}}\n");
    Performer performer(character);
    for (int frame = 0; frame < 10; ++frame) { performer.advance(0.01); }
    CHECK(weights(performer)["stand"] > 0.8);
    for (int frame = 0; frame < 130; ++frame) { performer.advance(0.01); }
    CHECK(weights(performer)["stand"] < 0.2);
    CHECK(weights(performer)["stroll"] > 0.5);
}

TEST_CASE("in a plane of velocities 180 and -180 are one place, and standing still is one whatever the heading") {
    const auto character = demo("{blend: [heading, speed], " + ring + "}", velocity);
    CHECK(weights_at(character, {{"speed", 0.9}, {"heading", 179.99}}) ==
          weights_at(character, {{"speed", 0.9}, {"heading", -180.01}}));
    for (const double heading : {-170.0, -30.0, 60.0}) {
        CHECK(weights_at(character, {{"speed", 0}, {"heading", heading}}).at("stand") == Approx(1));
    }
    // Backward at a negative speed is backward.
    CHECK(weights_at(character, {{"speed", -1.0077}, {"heading", 0}}).at("stroll_back") > 0.98);
    // The other order of axes says the same.
    const auto other = demo("{blend: [speed, heading], " + ring + "}", velocity);
    CHECK(weights_at(other, {{"speed", 1.2}, {"heading", 30}}) ==
          weights_at(character, {{"speed", 1.2}, {"heading", 30}}));
}

TEST_CASE("a reversal leads the cursor straight through standstill, the same at any frame rate") {
    const auto character = demo("{blend: [heading, speed], " + ring + "}",
                                "parameters: {speed: {kind: number, range: [0, 6], smooth: 0.2, at_most: 6}, heading: "
                                "{kind: angle, smooth: 0.05}}\n");
    const auto cursor_after = [&](double seconds, double rate) {
        Performer performer(character);
        performer.set("speed", 1.4);
        performer.set("heading", 0);
        for (int i = 0; i < 40; ++i) { performer.advance(0.1); }
        performer.set("heading", 180);
        for (int i = 0; i < int(std::lround(seconds * rate)); ++i) {
            performer.advance(1 / rate);
            const auto cursor = blend_cursor(performer);
            REQUIRE(cursor);
            CHECK(std::fabs(cursor->drawn[0]) < 1e-6); // never sideways
        }
        return blend_cursor(performer)->drawn[1];
    };
    const double there = cursor_after(0.4, 240);
    CHECK(there < 1.2);
    CHECK(there > -1.2);
    for (const double rate : {10.0, 30.0, 1000.0}) { CHECK(cursor_after(0.4, rate) == Approx(there).margin(1e-6)); }
}

TEST_CASE("straight ahead between two clips that lie ahead they play alone, whatever lies aside") {
    // A set whose ways aside are slower than its way ahead, measured, not drawn: its run veers by four degrees.
    const auto character = demo("{blend: [heading, speed], points: [{at: [0, 0], play: stand}, {at: [0, 1.4], play: "
                                "stroll}, {at: [4, 4], play: run}, {at: [24, 2.6], play: trot_ahead_right}, {at: [-25, "
                                "2.7], play: trot_ahead_left}]}",
                                velocity);
    for (const double speed : {1.6, 2.2, 2.65, 3.1, 3.8}) {
        CAPTURE(speed);
        const auto weights = weights_at(character, {{"speed", speed}, {"heading", 4 * (speed - 1.4) / 2.6}});
        CHECK(weights.at("stroll") + weights.at("run") > 0.93);
        CHECK(weights.at("run") == Approx((speed - 1.4) / 2.6).margin(0.06));
    }
    // Halfway to the side it is the side's.
    const auto aside = weights_at(character, {{"speed", 2.6}, {"heading", 24}});
    CHECK(aside.at("trot_ahead_right") > 0.9);
}

TEST_CASE("a number that nobody smoothed cannot pop the pose, however it jumps") {
    const auto jumping = [](const char* play, const std::string& settings) {
        const auto character = demo(play, "parameters: {speed: {kind: number, range: [-3, 6]" + settings +
                                              "}, heading: {kind: angle}, lean: {kind: number, range: [-1, 1]}}\n");
        std::mt19937 random(4);
        Performer her(character);
        SmoothnessWatch watch(her);
        for (int frame = 0; frame < 1800; ++frame) {
            if (random() % 20 == 0) { her.set("speed", double(random() % 90) / 10 - 3); }
            if (random() % 40 == 0 && character->number("heading")) {
                her.set("heading", double(random() % 360) - 180);
            }
            const Performer before = her;
            her.advance(1.0 / 60);
            watch.step(before, 1.0 / 60, her);
        }
        return watch.pop().worst().ratio;
    };
    const char* line = "{blend: speed, points: {0: stand, 1.4: stroll, 2.6: trot, 4.2: run}}";
    CHECK(jumping(line, "") <= 2);
    CHECK(jumping(line, ", smooth: 0.05") > 2); // asked for is asked for
    CHECK(jumping("{blend: [heading, speed], points: [stand, stroll, stroll_right, stroll_back, stroll_left, run]}",
                  "") <= 2);
    const auto settings_of = [&](const std::string& settings) {
        return demo(line, "parameters: {speed: {kind: number, range: [-3, 6]" + settings +
                              "}, heading: {kind: angle}, lean: {kind: number, range: [-1, 1]}}\n")
            ->parameters()[0];
    };
    CHECK(settings_of("").smooth == Approx(0.1));
    CHECK(settings_of("").at_most >= 4.2F / 1.2F); // all of it in 1.2 seconds
    CHECK(settings_of("").at_most < 30);
    CHECK(settings_of(", smooth: 0.1").at_most == 0);
    CHECK(settings_of(", at_most: 3").at_most == 3);
}

TEST_CASE("two numbers are scaled by their ranges, so that units do not matter") {
    const std::string points =
        "points: [{at: [0, 0], play: low}, {at: [1, S], play: high}, {at: [0, S], play: swing}]}}\n";
    const auto build = [&](const std::string& scale) {
        std::string filled = points;
        for (std::size_t at = filled.find('S'); at != std::string::npos; at = filled.find('S')) {
            filled.replace(at, 1, scale);
        }
        return support::machine("a: {kind: number, range: [0, 1], smooth: 0}, b: {kind: number, range: [0, " + scale +
                                    "], smooth: 0}",
                                "s: {play: {blend: [a, b], " + filled);
    };
    const auto small = weights_at(build("1"), {{"a", 0.9}, {"b", 0.3}}),
               large = weights_at(build("500"), {{"a", 0.9}, {"b", 150}});
    REQUIRE(small.size() == large.size());
    for (const auto& [name, weight] : small) { CHECK(large.at(name) == Approx(weight).margin(1e-5)); }
}

TEST_CASE("a blend along an angle goes round") {
    const auto character = support::machine("turn: {kind: angle, smooth: 0}",
                                            "s: {play: {blend: turn, points: {-90: low, 90: high, 150: swing}}}\n");
    CHECK(weights_at(character, {{"turn", 0}}).at("low") == Approx(0.5));
    const auto behind = weights_at(character, {{"turn", 180}}); // 30 of the 120 degrees from 150 round to -90
    CHECK(behind.at("swing") == Approx(0.75));
    CHECK(behind.at("low") == Approx(0.25));
    CHECK(weights_at(character, {{"turn", -179.999}}).at("swing") == Approx(0.75).margin(1e-4));
    CHECK(weights_at(character, {{"turn", -150}}).at("low") == Approx(0.5));
}

TEST_CASE("two angles go round as well, without a jump") {
    const auto character = support::machine("yaw: {kind: angle, smooth: 0}, pitch: {kind: angle, smooth: 0}",
                                            "s: {play: {blend: [yaw, pitch], points: [{at: [-60, -30], play: low}, "
                                            "{at: [60, -30], play: high}, {at: [-60, 30], "
                                            "play: swing}, {at: [60, 30], play: {clip: high, rate: 2}}]}}\n");
    const auto here = weights_at(character, {{"yaw", 179.999}, {"pitch", -30}}),
               there = weights_at(character, {{"yaw", -179.999}, {"pitch", -30}});
    for (const auto& [name, weight] : here) { CHECK(there.at(name) == Approx(weight).margin(1e-3)); }
    CHECK(weights_at(character, {{"yaw", 0}, {"pitch", -30}}).at("low") == Approx(0.5));
}

TEST_CASE("a point may hold over a stretch, on one parameter and on two") {
    const auto line =
        support::machine("x: {kind: number, smooth: 0}",
                         "s: {play: {blend: x, points: [{at: 0, play: low}, {at: 1, to: 2, play: high}, {at: "
                         "3, play: swing}]}}\n");
    CHECK(weights_at(line, {{"x", 1.7}}).at("high") == Approx(1));
    CHECK(weights_at(line, {{"x", 2.5}}).at("high") == Approx(0.5));
    const auto plane =
        demo("{blend: [heading, speed], points: [stand, {at: [0, 1.2], to: [0, 1.8], play: stroll}, {at: "
             "[90, 1.0], play: stroll_right}, {at: [-90, 1.0], play: stroll_left}, {at: [0, 2.6], play: "
             "trot}]}",
             velocity);
    CHECK(weights_at(plane, {{"speed", 1.5}, {"heading", 0}}).at("stroll") == Approx(1).margin(1e-6));
    CHECK(weights_at(plane, {{"speed", 1.25}, {"heading", 0}}).at("stroll") == Approx(1).margin(1e-6));
    CHECK(weights_at(plane, {{"speed", 2.2}, {"heading", 0}}).at("trot") == Approx(0.5).margin(1e-6));
}

TEST_CASE("points at one place share its weight, and one clip at several points is one playhead") {
    const auto doubled =
        support::machine("x: {kind: number, smooth: 0}",
                         "s: {play: {blend: x, points: [{at: 0, play: low}, {at: 1, play: high}, {at: 1, "
                         "play: swing}]}}\n");
    const auto at = weights_at(doubled, {{"x", 1}});
    CHECK(at.at("high") == Approx(0.5));
    CHECK(at.at("swing") == Approx(0.5));
    Performer performer(
        demo("{blend: [heading, speed], points: [{at: [0, 1], play: stroll}, {at: [90, 1], play: stroll}, "
             "{at: [180, 1], play: trot}]}",
             velocity));
    performer.set("speed", 1);
    performer.set("heading", 45);
    performer.advance(0.01);
    performer.advance(0.01);
    std::vector<ClipView> clips(8);
    REQUIRE(performer.instance_clips(0, clips) == 1);
    CHECK(clips[0].weight == Approx(1));
}

TEST_CASE("a measured point stands where its clip goes") {
    const auto character = demo("{blend: [heading, speed], " + ring + "}", velocity);
    const auto view = blend_space(*character, character->state("moving"));
    REQUIRE(view);
    CHECK(view->velocities);
    const std::map<std::string, SpacePlace> facts{{"stand", {0, 0}},
                                                  {"stroll", {0, 1.4}},
                                                  {"run", {0, 4.2}},
                                                  {"stroll_right", {90, 0.77}},
                                                  {"trot_left", {-90, 1.43}}};
    for (const SpacePoint& point : view->points) {
        const auto fact = facts.find(point.clips.front());
        if (fact == facts.end()) { continue; }
        CAPTURE(point.clips.front(), point.at[0], point.at[1]);
        CHECK(point.at[1] == Approx(fact->second[1]).margin(0.02));
        CHECK(std::fabs(std::remainder(point.at[0] - fact->second[0], 360)) < 1.5);
    }
    const auto line = demo("{blend: speed, points: [stand, stroll, trot]}", velocity);
    CHECK(weights_at(line, {{"speed", 2.0}}).at("trot") == Approx(0.5).margin(0.01));
}

TEST_CASE("a missing side is filled by mirroring, a missing direction by turning a clip round in time") {
    const auto character =
        demo("{blend: [heading, speed], fill: [mirror, reverse], points: [stand, stroll, stroll_right, "
             "stroll_ahead_right]}",
             velocity);
    const auto right = weights_at(character, {{"speed", 0.7}, {"heading", 70}});
    const auto left = weights_at(character, {{"speed", 0.7}, {"heading", -70}});
    CHECK(left.at("stroll_right, mirrored") == Approx(right.at("stroll_right")).margin(1e-5));
    CHECK(weights_at(character, {{"speed", 1.4}, {"heading", 180}}).at("stroll, reversed") > 0.98);
    // Its feet carry her where it stands, on the mirrored side as on the other.
    const SteadyMotion steady = measure_steady(*character, {{"speed", 0.77}, {"heading", -90}}, {0.77, -90});
    CHECK(steady.speed == Approx(0.77).margin(0.02));
    CHECK(steady.direction == Approx(-90).margin(2));
}

TEST_CASE("cells may be written by hand, and what does not fit together is said") {
    const std::string points =
        "points: [{at: [0, 0], play: low}, {at: [1, 0], play: high}, {at: [1, 1], play: swing}, {at: "
        "[0, 1], play: {clip: low, rate: 2}}], ";
    const std::string parameters =
        "a: {kind: number, range: [0, 1], smooth: 0}, b: {kind: number, range: [0, 1], smooth: 0}";
    const auto by_hand =
        support::machine(parameters, "s: {play: {blend: [a, b], " + points + "cells: [[1, 2, 3], [1, 3, 4]]}}\n");
    const auto at = weights_at(by_hand, {{"a", 0.5}, {"b", 0.5}});
    CHECK(at.at("low") == Approx(0.5)); // the diagonal from the first to the third
    CHECK(at.at("swing") == Approx(0.5));
    CHECK(support::machine_mistakes(parameters, "s: {play: {blend: [a, b], " + points + "cells: [[1, 2, 3]]}}\n")
              .find("these cells do not fit together: they leave a part of the space between the points open") !=
          std::string::npos);
    CHECK(support::machine_mistakes(parameters, "s: {play: {blend: [a, b], " + points + "cells: [[1, 2, 9]]}}\n")
              .find("there are 4 points, counted from 1; found 9") != std::string::npos);
}

TEST_CASE("mistakes in a space are said where they are") {
    const std::string parameters = "a: {kind: number}, b: {kind: number}, t: {kind: angle}, f: {kind: flag}";
    const auto said = [&](const std::string& play) {
        return support::machine_mistakes(parameters, "s: {play: " + play + "}\n");
    };
    using Catch::Contains;
    CHECK_THAT(said("{blend: [a, b], points: [{at: 1, play: low}]}"),
               Contains("a point here has a place on 'a' and one on "
                        "'b', such as at: [0, 1.4]; found 1"));
    CHECK_THAT(said("{blend: a, points: [{at: [1, 2], play: low}]}"),
               Contains("a point here has one place, on 'a'; found 2"));
    CHECK_THAT(said("{blend: [a, b, t], points: [low]}"), Contains("along one parameter or two"));
    CHECK_THAT(said("{blend: [a, f], points: [low]}"), Contains("'f' is a flag"));
    CHECK_THAT(said("{blend: [a, b], points: [low]}"), Contains("here the axes are others; write its place"));
    CHECK_THAT(said("{blend: t, keep_pace: yes, points: {0: low}}"), Contains("'keep_pace' needs to know the speed"));
    CHECK_THAT(said("{blend: a, keep_pace: [2, 3], points: {0: low}}"),
               Contains("the slowest is more than 0 and at most 1"));
    CHECK_THAT(said("{blend: a, weigh: areas, points: {0: low}}"),
               Contains("no way to weigh 'areas'; there are cells, bands"));
    CHECK_THAT(said("{blend: [a, b], fill: mirror, points: [{at: [0, 0], play: low}]}"),
               Contains("nothing says which one is the side"));
    CHECK_THAT(said("{blend: a, fill: upward, points: {0: low}}"), Contains("no way to fill 'upward'"));
    CHECK_THAT(said("{clip: low, points: {0: low}}"), Contains("'points' belongs to a blend space"));
    CHECK_THAT(said("{mix: [low, {play: high, weight: a, mask: upper}]}"), Contains("no mask 'upper'"));
    CHECK_THAT(said("{mix: {a: low}}"), Contains("'mix' is a list"));
    CHECK_THAT(said("{add: low}"), Contains("nothing is said to add it to; add 'to: MOTION'"));
    CHECK_THAT(said("{add: low, to: high, against: hihg}"), Contains("no clip 'hihg'; did you mean 'high'?"));
    CHECK_THAT(said("{add: {add: low, to: high}, to: high}"), Contains("what is added cannot itself add"));
}

// ---- keeping step ----

TEST_CASE("corresponding feet come down together, and a clip alone plays as it was made") {
    Performer performer(demo("{blend: speed, points: [stroll, run]}", velocity));
    performer.set("speed", 2.8);
    performer.advance(0.3);
    double before = phases(performer).at("stroll");
    bool seen = false;
    for (int i = 0; i < 4000; ++i) {
        performer.advance(0.0005);
        const auto now = phases(performer);
        if (before < 0.507 && now.at("stroll") >= 0.507) { // her right foot: at 0.324 s of the run's 0.667
            CHECK(now.at("run") == Approx(0.324 / 0.6667).margin(0.006));
            seen = true;
        }
        before = now.at("stroll");
    }
    CHECK(seen);
    performer.set("speed", 4.2);
    performer.advance(0.1);
    const double start = phases(performer).at("run");
    for (int i = 1; i <= 10; ++i) {
        performer.advance(0.05);
        CHECK(std::remainder(phases(performer).at("run") - start - i * 0.05 / (2.0 / 3), 1.0) ==
              Approx(0).margin(1e-3));
    }
}

TEST_CASE("a state is looked at alone, by its layer's name where several layers have one of that name") {
    Document document = support::lamplighter().document;
    StateDefinition other = document.layers[1].machine.states.front();
    other.name = "moving";
    other.play = MotionDefinition(Text("shelter"));
    document.layers[1].machine.states.push_back(other);
    const auto played = [&](const char* name) {
        const auto lone = lone_state(document, name);
        if (!lone) { return std::string("nothing"); }
        return lone->layers.front().name.value + ": " + lone->layers.front().machine.states.front().play.clip.value;
    };
    CHECK(played("moving") == "legs: leaning(carrying(paces))");
    CHECK(played("legs.moving") == "legs: leaning(carrying(paces))");
    CHECK(played("arms.moving") == "arms: shelter");
    CHECK(played("arms.lighting.holding") == "arms: holding");
    CHECK(played("arms.lighting") == "nothing"); // it holds a machine
    CHECK(played("mowing") == "nothing");
}

TEST_CASE("the shared phase is the same at any frame rate") {
    const auto character = demo("{blend: speed, points: [stroll, run]}", velocity);
    const auto phase_at = [&](double rate) {
        Performer performer(character);
        performer.set("speed", 2.3);
        for (int i = 0; i < int(std::lround(3 * rate)); ++i) { performer.advance(1 / rate); }
        return phases(performer).at("stroll");
    };
    const double fine = phase_at(480);
    for (const double rate : {2.0, 10.0, 60.0}) { CHECK(phase_at(rate) == Approx(fine).margin(1e-9)); }
}

namespace {

/// Three clips on a chain with marks for feet: `two` and `limp` take two steps, `four` takes four.
std::shared_ptr<const Character> stepping(const std::string& play, const std::string& more = {}) {
    const auto turning = [](int, double phase) { return axis_angle({1, 0, 0}, 20 * std::sin(2 * pi * phase)); };
    Document document = read_document_text("gait: 1\nrig: x\nclips:\n"
                                           "  two: {loop: yes, marks: {left_down: 0.1, right_down: 0.6}}\n"
                                           "  four: {loop: yes, marks: {left_down: 0, right_down: 0.4}}\n"
                                           "  limp: {loop: yes, marks: {left_down: 0.05, right_down: 0.3}}\n"
                                           "parameters: {x: {kind: number, smooth: 0}, go: {kind: flag}}\n"
                                           "layers: [{name: body, machine: {start: s, states: {s: {play: " +
                                               play + more + "}}}]\n",
                                           "x")
                            .document;
    document.clips[1].marks.push_back({"left_down", 1.0});
    document.clips[1].marks.push_back({"right_down", 1.4});
    const Compiled compiled =
        compile(document, support::assets(2, {support::clip("two", 2, 1, turning), support::clip("four", 2, 2, turning),
                                              support::clip("limp", 2, 0.8, turning)}));
    CAPTURE(format(compiled.diagnostics));
    REQUIRE(compiled.character);
    return compiled.character;
}

} // namespace

TEST_CASE("a limp keeps its own timing alone, and meets the other's steps in a blend") {
    const auto character = stepping("{blend: x, sync: footfall, points: {0: two, 1: limp}}}");
    Performer performer(character);
    performer.set("x", 1);
    performer.advance(0.01);
    const double start = phases(performer).at("limp");
    performer.advance(0.2);
    CHECK(std::remainder(phases(performer).at("limp") - start - 0.2 / 0.8, 1.0) ==
          Approx(0).margin(1e-6)); // evenly, across a footfall
    performer.set("x", 0.5);
    performer.advance(0.01);
    for (int i = 0; i < 3000; ++i) {
        performer.advance(0.001);
        const auto now = phases(performer);
        if (std::fabs(now.at("two") - 0.6) < 6e-4) { CHECK(now.at("limp") == Approx(0.3 / 0.8).margin(2e-3)); }
        if (std::fabs(now.at("two") - 0.1) < 6e-4) { CHECK(now.at("limp") == Approx(0.05 / 0.8).margin(2e-3)); }
    }
}

TEST_CASE("a step of any finite length leaves clips that keep step somewhere in their round") {
    for (const char* points : {"{0: two, 1: limp}", "{0: two, 1: two}"}) {
        Performer performer(stepping(std::string("{blend: x, sync: footfall, points: ") + points + "}}"));
        performer.set("x", 0.5);
        for (const double seconds : {1e6, 1e12, 1e19, 1e40, 1e300}) {
            INFO(points << " after " << seconds);
            performer.advance(seconds);
            performer.advance(0.01);
            for (const auto& [clip, position] : phases(performer)) { CHECK((position >= 0 && position <= 1)); }
            for (const Transform& joint : pose_of(performer)) {
                CHECK(dot(joint.rotation, joint.rotation) == Approx(1).margin(1e-5));
            }
        }
    }
}

TEST_CASE("clips of one and of two strides share a clock that weighs each by the seconds of its stride") {
    const auto character = stepping("{blend: x, sync: footfall, points: {0: limp, 1: four}}}");
    Performer performer(character);
    performer.set("x", 0.25);
    performer.advance(0.01);
    const auto limp = PhaseWarp::through({{0, 0.05 / 0.8}, {1, 0.3 / 0.8}});
    const auto four = PhaseWarp::through({{0, 0.0}, {1, 0.4 / 2}, {0, 1.0 / 2}, {1, 1.4 / 2}});
    REQUIRE((limp && four));
    // Strides take 0.8 and 1 second; a cycle of the second clip is two of them.
    const double all = 0.75 * 0.8 + 0.25 * 1.0, part_of_limp = 0.75 * 0.8 / all, part_of_four = 0.25 * 2 / all;
    const double cadence = 0.75 / 0.8 + 0.25 / 1.0;
    const auto clock = [&] {
        // Which of the two strides it is, the longer clip knows.
        const double strides = four->strides_at(phases(performer).at("four"));
        return part_of_limp * limp->place(strides) + part_of_four * four->place(strides);
    };
    for (int i = 0; i < 20; ++i) {
        const double before = clock();
        performer.advance(0.07);
        CHECK(std::remainder(clock() - before - 0.07 * cadence, 2.0) == Approx(0).margin(1e-6));
    }
}

TEST_CASE("a clip of weight zero keeps step, and comes back where the others are") {
    const auto character = stepping("{blend: x, sync: footfall, points: {0: two, 1: limp}}}");
    const auto phase_after = [&](bool away) {
        Performer performer(character);
        performer.set("x", 0.5);
        performer.advance(0.3);
        // What is away for a whole number of the other's strides has missed nothing.
        if (away) {
            performer.set("x", 0);
            performer.advance(1.0);
            performer.advance(1.0);
            performer.set("x", 0.5);
        }
        performer.advance(0.3);
        return phases(performer).at("limp");
    };
    CHECK(phase_after(true) == Approx(phase_after(false)).margin(1e-9));
}

TEST_CASE("a mark that is waited for is met at its instant while a fade changes the steps that bring it") {
    const auto character = stepping(
        "{blend: x, sync: footfall, points: {0: limp, 1: two}}",
        ", go: [{to: b, when: go, fade: 0.6}]}, b: {play: {blend: x, sync: footfall, points: {0: two, 1: limp}}, "
        "go: [{to: c, at: left_down, fade: 0.1}]}, c: {play: two}");
    for (const double rate : {20.0, 60.0, 200.0}) {
        CAPTURE(rate);
        Performer performer(character);
        EventList events;
        for (int i = 0; i < int(0.3 * rate); ++i) { performer.advance(1 / rate); }
        performer.set("go", true);
        double came_down = -1, entered = -1;
        for (int i = 0; i < int(3 * rate) && entered < 0; ++i) {
            performer.advance(1 / rate, events);
            for (const Event& event : events.events()) {
                const bool left = event.kind == EventKind::mark && character->marks()[event.what] == "left_down";
                if (left && came_down < 0) { came_down = event.time; }
            }
            for (const TransitionRecord& record : performer.transitions()) {
                const TransitionInfo& info = character->transitions()[record.transition];
                if (character->states()[info.to].name == "c") { entered = record.time; }
            }
        }
        CHECK(came_down > 0.5); // they keep step: nearly a whole stride from where it was
        CHECK(entered == Approx(came_down).margin(1e-6));
    }
}

TEST_CASE("transitions between states that keep step carry the phase across, whatever the clips' lengths") {
    const DocumentRead read = read_document_text(
        "gait: 1\nrig: lamplighter.glb\nclips: {stroll: {loop: yes}, run: {loop: yes}}\nparameters: {go: {kind: "
        "flag}}\n"
        "layers: [{name: body, machine: {start: a, states: {a: {play: stroll, go: [{to: b, when: go, fade: 0.3}]}, b: "
        "{play: run, go: [{to: a, when: not go, fade: 0.3}]}}}}]\n",
        (support::project() / "demo/feet.gait.yaml").string());
    const Compiled compiled = compile(read.document, load_assets(read.document).assets);
    REQUIRE(compiled.character);
    for (const double when : {0.1, 0.4, 0.8, 1.3}) {
        Performer performer(compiled.character);
        performer.advance(when);
        const double stroll = phases(performer).at("stroll");
        performer.set("go", true);
        performer.advance(0);
        // Her left foot leads the right by half a cycle in both; in the run it comes down at 0.657 of 0.667 s.
        const double since_left = std::remainder(stroll - 0.007, 1.0);
        CHECK(std::remainder(phases(performer).at("run") - (0.657 / 0.6667 + since_left), 1.0) ==
              Approx(0).margin(0.02));
    }
}

TEST_CASE("clips that stand go by themselves, clips that do not walk are not made to keep step") {
    Performer performer(demo("{blend: speed, points: [stand, stroll]}", velocity));
    performer.set("speed", 0.7);
    performer.advance(0.5);
    CHECK(phases(performer).at("stand") == Approx(0.5 / 6).margin(1e-6));
    const Compiled refused =
        demo_state("{blend: speed, sync: footfall, points: [{at: 0, play: stand}, {at: 1, play: shelter}]}", velocity);
    CHECK(format(refused.diagnostics).find("no foot comes down in 'stand' nor in what it is blended with") !=
          std::string::npos);
}

namespace {

/// A wave that runs along a chain of five once a round, begun `late` of a round later.
ClipSource swimming(const std::string& name, double seconds, double late) {
    return support::clip(name, 5, seconds, [late](int joint, double phase) {
        return axis_angle({1, 0, 0}, 20 * std::sin(2 * pi * (phase - late - 0.12 * joint)));
    });
}

/// The least that its last joint turns out either way in any second and a half of a minute, degrees.
double least_sway(Performer& eel) {
    double least = 1e9;
    for (int part = 0; part < 40; ++part) {
        double most = 0;
        for (int frame = 0; frame < 90; ++frame) {
            eel.advance(1.0 / 60);
            most = std::max(most, degrees_between(support::pose_of(eel)[4].rotation, Quat{}));
        }
        least = std::min(least, most);
    }
    return least;
}

} // namespace

TEST_CASE("bodies whose steps nothing tells are kept in time by the likeness of their poses, and that is said") {
    const auto text = [](const std::string& sync) {
        return "gait: 1\nrig: x.glb\nclips: {slow: {loop: yes}, quick: {loop: yes}, glide: {loop: yes}}\n"
               "parameters: {speed: {kind: number, range: [0, 4], smooth: 0}}\n"
               "layers: [{name: body, machine: {start: swim, states: {swim: {play: {blend: speed, " +
               sync + "points: {1: slow, 2: quick}}}}}}]\n";
    };
    const auto eels = [&](const ClipSource& quick) {
        return support::assets(5, {swimming("slow", 1, 0), quick, swimming("glide", 9, 0)});
    };
    const Assets like = eels(swimming("quick", 0.8, 0.4)), twice = eels(swimming("quick", 0.58, 0.4));
    const auto sway = [&](const std::string& sync, const Assets& assets) {
        Performer eel(support::character(text(sync), assets));
        eel.set("speed", 1.5);
        return least_sway(eel);
    };
    CHECK(sway("", like) > 19.5);
    CHECK(sway("sync: off, ", like) < 15);
    CHECK(support::diagnose(text(""), like).find("the likeness of its poses keeps it in time with 'slow'") !=
          std::string::npos);
    CHECK(support::diagnose(text("sync: off, "), like).find("likeness") == std::string::npos);
    // Strides of which one is nearly twice as long are not the same thing.
    CHECK(support::diagnose(text(""), twice).find("likeness") == std::string::npos);
    // Two rounds in one clip are told as well.
    const ClipSource rounds = support::clip("quick", 5, 1.8, [](int joint, double phase) {
        return axis_angle({1, 0, 0}, 20 * std::sin(4 * pi * phase - 2 * pi * (0.7 + 0.12 * joint)));
    });
    CHECK(sway("", eels(rounds)) > 19.5);
}

TEST_CASE("clips that only stand are not kept in time, and nothing is said of them") {
    const Compiled compiled = demo_state("{blend: speed, points: {0: stand, 1: shelter}}", velocity);
    CHECK(format(compiled.diagnostics).find("likeness") == std::string::npos);
    Performer her(compiled.character);
    her.set("speed", 0.5);
    her.advance(0.5);
    her.advance(1.25);
    const double
        stand = 6,
        shelter = her.character()
                      .clips()[std::size_t(std::find_if(her.character().clips().begin(), her.character().clips().end(),
                                                        [](const ClipInfo&clip) { return clip.name == "shelter"; }) -
                                           her.character().clips().begin())]
                      .seconds;
    CHECK(phases(her).at("stand") == Approx(1.75 / stand).margin(1e-3));
    CHECK(phases(her).at("shelter") == Approx(std::fmod(1.75, shelter) / shelter).margin(1e-3));
}

TEST_CASE("a hop whose feet come down together keeps time with a walk, and neither turns jerky") {
    const ImportResult file = import_gltf(support::project() / "demo/lamplighter.glb");
    Assets assets;
    assets.rig = file.file->rig;
    for (const ClipSource& clip : file.file->clips) { assets.clips.emplace(clip.name, clip); }
    // Her right leg does what her left one does, a moment later.
    constexpr int later = 5; // keys
    ClipSource hop = assets.clips.at("trot");
    for (const char* part : {"upper_leg", "lower_leg", "foot", "toes"}) {
        const auto left = std::size_t(*assets.rig->find(std::string("left_") + part));
        const auto right = std::size_t(*assets.rig->find(std::string("right_") + part));
        hop.tracks[right] = hop.tracks[left];
        std::vector<Quat>& turns = hop.tracks[right].rotation.values;
        std::rotate(turns.begin(), turns.end() - 1 - later, turns.end() - 1); // the last key is the first
        turns.back() = turns.front();
    }
    assets.clips["trot"] = hop;
    const std::string text = "gait: 1\nrig: x.glb\nclips: {stroll: {loop: yes}, trot: {loop: yes}}\n"
                             "parameters: {speed: {kind: number, range: [0, 4], smooth: 0}}\n"
                             "layers: [{name: body, machine: {start: go, states: {go: {play: {blend: speed, points: "
                             "{1.4: stroll, 2.6: trot}}}}}}]\n";
    CHECK(support::diagnose(text, assets).find("'trot' are not told, left and right in turn") != std::string::npos);
    Performer her(support::character(text, assets));
    her.set("speed", 2);
    SmoothnessWatch watch(her);
    for (int frame = 0; frame < 300; ++frame) {
        const Performer before = her;
        her.advance(1.0 / 60);
        watch.step(before, 1.0 / 60, her);
    }
    CHECK(watch.pop().worst().ratio < 1.5);
}

// ---- pace ----

namespace {

struct Sweep {
    double speed_off = 0, direction_off = 0; ///< parts, degrees; the worst
    double slide = 0;                        ///< of the stride, the worst
    int places = 0, sliding = 0;             ///< that slide more than 2 percent
};

/// Every place between the points, from a slow walk to a run, in every direction.
Sweep sweep(const std::shared_ptr<const Character>& character) {
    Sweep result;
    for (double speed = 0.3; speed < 4.2; speed += 0.35) {
        for (double heading = -168.75; heading <= 180; heading += 22.5) {
            const double radians = heading / degrees_per_radian;
            if (!inside_hull(*character, character->state("moving"),
                             {speed * std::sin(radians), speed * std::cos(radians)})) {
                continue;
            }
            const SteadyMotion got =
                measure_steady(*character, {{"speed", speed}, {"heading", heading}}, {speed, heading});
            CAPTURE(speed, heading);
            REQUIRE(got.cycle > 0);
            const double slide = got.slide / (got.speed * got.cycle);
            ++result.places;
            result.sliding += slide > 0.02 ? 1 : 0;
            result.speed_off = std::max(result.speed_off, std::fabs(got.speed / speed - 1));
            result.direction_off =
                std::max(result.direction_off, std::fabs(std::remainder(got.direction - heading, 360)));
            result.slide = std::max(result.slide, slide);
        }
    }
    return result;
}

} // namespace

TEST_CASE("with pace kept a body goes where and as fast as it is asked, and its planted feet hold") {
    const Sweep kept = sweep(demo("{blend: [heading, speed], keep_pace: yes, " + ring + "}", velocity));
    INFO("kept: speed " << 100 * kept.speed_off << " %, direction " << kept.direction_off << " deg, slide "
                        << 100 * kept.slide << " % of the stride, " << kept.sliding << " of " << kept.places
                        << " places above 2 %");
    CHECK(kept.places > 60);
    CHECK(kept.speed_off < 0.03);
    CHECK(kept.direction_off < 3);
    CHECK(kept.sliding == 0);
    CHECK(kept.slide < 0.02);
    // And how much worse each is without.
    const Sweep loose = sweep(demo("{blend: [heading, speed], " + ring + "}", velocity));
    INFO("without pace: speed " << 100 * loose.speed_off << " %, direction " << loose.direction_off << " deg, slide "
                                << 100 * loose.slide << " %, " << loose.sliding << " places");
    CHECK(loose.speed_off > 2 * kept.speed_off);
    CHECK(loose.direction_off > 4 * kept.direction_off);
    CHECK(loose.sliding > 20);
    CHECK(loose.slide > 2.5 * kept.slide);
    const Sweep apart = sweep(demo("{blend: [heading, speed], keep_pace: yes, sync: off, " + ring + "}", velocity));
    INFO("without sync: speed " << 100 * apart.speed_off << " %, slide " << 100 * apart.slide << " %");
    CHECK(apart.slide > 3 * kept.slide);
}

TEST_CASE("pace goes a little beyond the points, within its bounds") {
    const auto character = demo("{blend: speed, keep_pace: [0.8, 1.2], points: [stroll, run]}", velocity);
    CHECK(measure_steady(*character, {{"speed", 4.6}}, {4.6, 0}).speed == Approx(4.6).epsilon(0.02));
    CHECK(measure_steady(*character, {{"speed", 1.2}}, {1.2, 0}).speed == Approx(1.2).epsilon(0.02));
    CHECK(measure_steady(*character, {{"speed", 6}}, {6, 0}).speed == Approx(4.2 * 1.2).epsilon(0.02));
    // A larger body goes as fast with slower legs.
    Performer large(character), plain(character);
    large.set_scale(1.2F);
    for (Performer* performer : {&large, &plain}) {
        performer->set("speed", 4.2);
        performer->advance(0.2);
    }
    const double before = phases(large).at("run"), plain_before = phases(plain).at("run");
    large.advance(0.1);
    plain.advance(0.1);
    CHECK((phases(large).at("run") - before) / (phases(plain).at("run") - plain_before) ==
          Approx(1 / 1.2).epsilon(0.01));
}

TEST_CASE("the travel of a blend is that of its feet over a cycle") {
    const auto character = demo("{blend: [heading, speed], keep_pace: yes, points: [stand, stroll_going, "
                                "stroll_ahead_right_going, stroll_right_going, trot_going]}",
                                velocity);
    for (const auto& [speed, heading] : {std::pair{1.0, 20.0}, {1.7, 0.0}, {2.2, 0.0}, {0.7, 60.0}, {0.6, 0.0}}) {
        const SteadyMotion got = measure_steady(*character, {{"speed", speed}, {"heading", heading}}, {speed, heading});
        CAPTURE(speed, heading, got.speed, got.direction, got.travel_direction);
        REQUIRE(got.travels);
        CHECK(got.travel_speed == Approx(got.speed).epsilon(0.02));
        CHECK(std::fabs(std::remainder(got.travel_direction - got.direction, 360)) < 2);
    }
}

// ---- mixes, additions, masks ----

TEST_CASE("a mix divides by its weights, and what is missing is the first one's") {
    const auto character =
        support::machine("a: {kind: number, smooth: 0}, b: {kind: number, smooth: 0}",
                         "s: {play: {mix: [low, {play: high, weight: a}, {play: swing, weight: b}], fade: 0}}\n");
    const auto at = [&](double a, double b) { return weights_at(character, {{"a", a}, {"b", b}}); };
    CHECK(at(0, 0).at("low") == Approx(1));
    CHECK(at(0.3, 0.2).at("low") == Approx(0.5));
    CHECK(at(0.3, 0.2).at("high") == Approx(0.3));
    CHECK(at(1, 1).at("high") == Approx(0.5));
    CHECK(at(1, 1).contains("low") == false);
    CHECK(at(7, -3).at("high") == Approx(1)); // weights are held between 0 and 1
}

TEST_CASE("a masked mix leaves the other joints as they are, to the last bit") {
    const std::string masks = "masks: {trunk: {from: spine_1, ramp: 3}}\n";
    const auto character =
        demo("{mix: [stroll, {play: shelter, weight: load, mask: trunk}], fade: 0.3}", velocity, masks);
    Performer carrying(character), plain(character);
    carrying.set("load", true);
    const Rig& rig = plain.character().rig();
    double moved = 0;
    for (int i = 0; i < 60; ++i) {
        carrying.advance(1.0 / 60);
        plain.advance(1.0 / 60);
        const auto a = pose_of(carrying), b = pose_of(plain);
        for (std::size_t j = 0; j < a.size(); ++j) {
            int up = int(j);
            while (up >= 0 && rig.joints[std::size_t(up)].name != "spine_1") {
                up = rig.joints[std::size_t(up)].parent;
            }
            if (up >= 0) {
                moved = std::max(moved, degrees_between(a[j].rotation, b[j].rotation));
                continue;
            }
            CAPTURE(rig.joints[j].name);
            REQUIRE(std::memcmp(&a[j], &b[j], sizeof(Transform)) == 0);
        }
    }
    CHECK(moved > 30); // her arms hold the lantern
    // At the end of the ramp it is the lantern's pose alone.
    Performer alone(demo("shelter", velocity));
    for (int i = 0; i < 60; ++i) { alone.advance(1.0 / 60); }
    const auto arm = std::size_t(rig.find("left_upper_arm").value());
    CHECK(degrees_between(pose_of(carrying)[arm].rotation, pose_of(alone)[arm].rotation) < 0.05);
}

TEST_CASE("a weight that flips is faded: no seam, and no joint jumps between frames") {
    const std::string masks = "masks: {trunk: {from: spine_1}}\n";
    Performer performer(
        demo("{mix: [stroll, {play: shelter, weight: load, mask: trunk}], fade: 0.4}", velocity, masks));
    std::vector<Transform> before;
    double worst = 0;
    for (int i = 0; i < 200; ++i) {
        if (i % 40 == 20) { performer.set("load", (i / 40) % 2 == 0); }
        before = pose_of(performer);
        performer.advance(1.0 / 240);
        worst = std::max(worst, greatest_turn(before, pose_of(performer)));
    }
    CHECK(worst < 4); // degrees in a 240th of a second, of some 70 in all
}

TEST_CASE("what is added turns each joint by its difference to the reference, scaled along the geodesic") {
    const auto character = [](const std::string& play) {
        return support::machine("w: {kind: number, smooth: 0}", "s: {play: " + play + "}\n");
    };
    // `high` is 30 degrees from `low`, `side` 60.
    const auto turned = [&](const std::string& play, double w) {
        Performer performer(character(play));
        performer.set("w", w);
        performer.advance(0.01);
        performer.advance(0.01);
        Performer rest(character("low"));
        rest.advance(0.02);
        return degrees_between(pose_of(performer)[1].rotation, pose_of(rest)[1].rotation);
    };
    CHECK(turned("{add: high, to: low, against: low, weight: w, fade: 0}", 1) == Approx(30).margin(0.01));
    CHECK(turned("{add: high, to: low, against: low, weight: w, fade: 0}", 0.4) == Approx(12).margin(0.01));
    CHECK(turned("{add: high, to: high, against: low, fade: 0}", 0) == Approx(60).margin(0.01));
    CHECK(turned("{add: high, to: low, fade: 0}", 0) == Approx(0).margin(0.01)); // against its own first frame
    CHECK(turned("{add: {blend: w, points: {-1: low, 1: high}}, to: high, against: low}", 0) ==
          Approx(45).margin(0.01));
    // Twice the same adds up, and does not hang on the order.
    CHECK(turned("{add: high, against: low, to: {add: high, against: low, to: low}}", 0) == Approx(60).margin(0.01));
}

TEST_CASE("a lean is written once and leans over strolling and running alike, above the hips only") {
    const std::string motions =
        "masks: {trunk: {from: spine_1}}\n"
        "motions:\n"
        "  leaning(gait): {add: {blend: lean, points: {-1: lean_left, 0: stand, 1: lean_right}}, to: "
        "gait, against: stand, mask: trunk}\n";
    for (const std::string gait : {"stroll", "run"}) {
        Performer leaning(demo("leaning(" + gait + ")", velocity, motions)), plain(demo(gait, velocity));
        leaning.set("lean", 1.0);
        for (int i = 0; i < 30; ++i) {
            leaning.advance(1.0 / 60);
            plain.advance(1.0 / 60);
        }
        const Rig& rig = plain.character().rig();
        const auto a = pose_of(leaning), b = pose_of(plain);
        double chest = 0;
        for (const char* joint : {"spine_1", "spine_2", "chest"}) {
            const auto j = std::size_t(rig.find(joint).value());
            chest += degrees_between(a[j].rotation, b[j].rotation);
        }
        CHECK(chest > 8);
        for (const char* joint : {"hips", "left_upper_leg", "right_foot"}) {
            const auto j = std::size_t(rig.find(joint).value());
            CHECK(std::memcmp(&a[j], &b[j], sizeof(Transform)) == 0);
        }
        leaning.set("lean", 0.0);
        leaning.advance(0.01);
        plain.advance(0.01);
        CHECK(greatest_turn(pose_of(leaning), pose_of(plain)) < 0.3); // she breathes as she stands
    }
}

TEST_CASE("a motion ends when its own clips do, not when what is laid over them does") {
    const auto character = support::machine("w: {kind: number, default: 1}",
                                            "s: {play: {mix: [side, {play: swing, weight: w, mask: tip}]}, go: [{to: "
                                            "t, at: end, fade: 0.2}]}\nt: {play: low}\n",
                                            "s", "masks: {tip: {joints: {joint_1: 1}}}\n");
    Performer performer(character);
    CHECK(support::at(performer, 0.75) == "s");
    CHECK(support::at(performer, 0.1) == "t"); // a second long, its fade done by then
}

// ---- wild inputs ----

TEST_CASE("whatever speed, heading, turning, load and aim do, no seam shows in a space with everything on it") {
    const auto& character = support::lamplighter().character;
    for (unsigned seed = 1; seed <= 150; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(0, 1);
        Performer performer(character), next(character);
        for (int i = 0; i < 60; ++i) {
            if (unit(random) < 0.3) { performer.set("speed", unit(random) < 0.2 ? 0.0 : 5 * unit(random)); }
            if (unit(random) < 0.3) { performer.set("heading", 720 * unit(random) - 360); }
            if (unit(random) < 0.2) { performer.set("turning", 2 * unit(random) - 1); }
            if (unit(random) < 0.2) {
                performer.set("hands", unit(random) < 0.5 ? "lantern" : "free");
                performer.set("button", unit(random) < 0.5);
            }
            if (unit(random) < 0.1) { performer.send("light"); }
            if (unit(random) < 0.05) { performer.send("bell"); }
            if (unit(random) < 0.05) { performer.play_once("greet"); }
            if (unit(random) < 0.2) { performer.set("aim_side", 80 * unit(random) - 40); }
            if (unit(random) < 0.1) { performer.set("stopping", unit(random) < 0.5); }
            if (unit(random) < 0.1) { performer.send("set_off"); }
            next = performer;
            next.advance(1e-5);
            const Seam seam = seam_between(character->rig(), pose_of(performer), pose_of(next));
            INFO("seed " << seed << ", step " << i << ", in " << performer.state_name());
            // A reversal at ten metres a second in a tenth of a second turns legs by thousands of degrees a second.
            REQUIRE(seam.degrees <= 1.5 * seam_bound);
            REQUIRE(seam.millimetres <= 1.5 * seam_bound);
            const double r = unit(random);
            performer.advance(r > 0.97 ? unit(random) : 1.0 / 240 + 0.1 * r * r * r);
        }
    }
}

namespace {

/// A chain of two joints: `still` stands, `tipped` has its second joint turned, moved and grown in steps at one second.
Assets stepping() {
    ClipSource still = support::held("still", 2, 0, 2), tipped = support::held("tipped", 2, 0, 2);
    const Vec3 place = support::chain(2).joints[1].rest.translation;
    tipped.tracks[1].rotation = {Interpolation::step, {0, 1}, {axis_angle({1, 0, 0}, 0), axis_angle({1, 0, 0}, 40)}};
    tipped.tracks[1].translation = {Interpolation::step, {0, 1}, {place, place + Vec3{0.5F, 0, 0}}};
    tipped.tracks[1].scale = {Interpolation::step, {0, 1}, {{1, 1, 1}, {1, 2, 1}}};
    return support::assets(2, {still, tipped});
}

} // namespace

TEST_CASE("steps of a clip that is added come when they come, in turn, place and size") {
    const auto character = support::character(
        "gait: 1\nrig: x.glb\nclips: {still: {loop: yes}, tipped: {}}\nlayers: [{name: body, machine: {start: s, "
        "states: {s: {play: {add: tipped, to: still, against: still, weight: 0.5, fade: 0}}}}}]\n",
        stepping());
    Performer performer(character);
    const Vec3 rest = support::chain(2).joints[1].rest.translation;
    performer.advance(0.9);
    CHECK(degrees_between(pose_of(performer)[1].rotation, Quat{}) < 0.01);
    CHECK(length(pose_of(performer)[1].translation - rest) < 1e-5F);
    performer.advance(0.2);
    const Transform tipped = pose_of(performer)[1];
    CHECK(degrees_between(tipped.rotation, axis_angle({1, 0, 0}, 20)) < 0.05);
    CHECK(tipped.translation.x == Approx(0.25).margin(1e-4));
    CHECK(tipped.scale.y == Approx(1.5).margin(1e-4));
    CHECK(tipped.scale.x == Approx(1).margin(1e-4));
}

TEST_CASE("a clip that grows a joint is blended, and laid over another by its mask") {
    Assets assets = stepping();
    ClipSource grown = support::held("grown", 2, 0, 2);
    grown.tracks[1].scale = {Interpolation::linear, {0, 2}, {{1, 1, 1}, {3, 3, 3}}};
    assets.clips.emplace("grown", grown);
    const auto size = [&](const std::string& layers, double seconds) {
        const auto character = support::character("gait: 1\nrig: x.glb\nclips: {still: {loop: yes}, grown: {}}\n"
                                                  "parameters: {w: {kind: number, default: 0.25}}\n" +
                                                      layers,
                                                  assets);
        Performer performer(character);
        performer.advance(seconds);
        return double(pose_of(performer)[1].scale.y);
    };
    CHECK(size("layers: [{name: a, machine: {start: s, states: {s: {play: grown}}}}]\n", 1) == Approx(2).margin(1e-3));
    CHECK(size("layers: [{name: a, machine: {start: s, states: {s: {play: {blend: w, points: {0: still, 1: grown}, "
               "sync: off}}}}}]\n",
               1) == Approx(1.25).margin(1e-3));
    CHECK(size("layers:\n  - {name: a, machine: {start: s, states: {s: {play: still}}}}\n"
               "  - {name: b, weight: w, fade: 0, machine: {start: s, states: {s: {play: grown}}}}\n",
               1) == Approx(1.25).margin(1e-3));
}
