// How transitions look, and when exactly they fall: styles, places to enter at, marks, spans, settling.
#include "gait/load.hpp"
#include "machine_support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <functional>

using namespace gait;
using support::greatest_turn;
using support::machine;
using support::machine_mistakes;
using support::pose_of;

namespace {

const char* const go = "go: {kind: flag}";

/// Degrees the first joint is turned about X.
double angle(const Performer& performer) {
    const Quat q = pose_of(performer)[0].rotation;
    return 2 * std::atan2(double(q.x), double(q.w)) * 180 / 3.14159265358979;
}

/// Instants of the transitions into `state`, at a frame rate.
std::vector<double> times_into(const std::shared_ptr<const Character>& character, const std::string& state, double rate,
                               double seconds, const std::function<void(Performer&, double)>& inputs = {}) {
    Performer performer(character);
    std::vector<double> times;
    for (int i = 0; i < int(std::lround(seconds * rate)); ++i) {
        if (inputs) { inputs(performer, i / rate); }
        performer.advance(1 / rate);
        for (const TransitionRecord& record : performer.transitions()) {
            if (character->states()[character->transitions()[record.transition].to].name == state) {
                times.push_back(record.time);
            }
        }
    }
    return times;
}

} // namespace

TEST_CASE("crossed motions go on while they fade, frozen ones stand still, and neither shows a seam") {
    for (const char* style : {"cross", "frozen", "inertial"}) {
        const auto character = machine(go, std::string("a: {play: spin, go: [{to: b, when: go, fade: 0.5, style: ") +
                                               style + "}]}\nb: {play: high}\n");
        Performer performer(character);
        performer.advance(0.5);
        const auto before = pose_of(performer);
        performer.set("go", true);
        performer.advance(1e-5);
        CAPTURE(style);
        CHECK(greatest_turn(before, pose_of(performer)) < seam_bound);
        performer.advance(0.1);
        // The clip turns by 60 degrees a second and stood at 30, where `high` stands too.
        const double now = angle(performer);
        if (std::string(style) == "cross") { CHECK(now > 33); }
        if (std::string(style) == "frozen") { CHECK(now == Approx(30).margin(0.01)); }
        if (std::string(style) == "inertial") { CHECK(now > 31); }
        performer.advance(0.5);
        CHECK(angle(performer) == Approx(30).margin(0.01));
    }
}

TEST_CASE("a frozen motion stands still though others share its phase, and goes back into no step of its own") {
    const auto character =
        machine("go: {kind: flag}, speed: {kind: number, default: 1.5}",
                "a: {play: {blend: speed, sync: cycle, points: {1: swing, 2: sway}}, go: [{to: b, when: "
                "go, fade: 0.5, style: frozen}]}\n"
                "b: {play: {blend: speed, sync: cycle, points: {1: sway, 2: swing}}}\n");
    Performer performer(character);
    performer.advance(0.3);
    performer.set("go", true);
    performer.advance(0);
    REQUIRE(performer.instance_count() == 2);
    CHECK(performer.instance(0).frozen);
    const auto left_at = [&](std::size_t instance) {
        std::vector<Transform> pose(2);
        performer.instance_pose(instance, pose);
        return pose;
    };
    const auto stands = left_at(0), moves = left_at(1);
    for (int i = 0; i < 20; ++i) {
        performer.advance(0.02);
        REQUIRE(greatest_turn(stands, left_at(0)) < 1e-3);
    }
    CHECK(greatest_turn(moves, left_at(1)) > 5);
}

TEST_CASE("with inertial, velocity is continuous where clips have a constant one") {
    const auto character = machine(go, "a: {play: spin, go: [{to: b, when: go, fade: 0.4, style: inertial}]}\n"
                                       "b: {play: spin, go: [{to: a, when: not go, fade: 0.4, style: inertial}]}\n"
                                       "c: {play: low}\n");
    constexpr double dt = 1.0 / 2000;
    for (const double from : {0.2, 0.9, 1.4}) {
        Performer performer(character);
        performer.advance(from);
        const auto velocity = [&] {
            const double before = angle(performer);
            performer.advance(dt);
            return (angle(performer) - before) / dt;
        };
        double last = velocity();
        CHECK(last == Approx(60).margin(0.5));
        performer.set("go", true);
        double hardest = 0, lowest = last;
        for (int i = 0; i < 1000; ++i) {
            const double now = velocity();
            hardest = std::max(hardest, std::abs(now - last));
            lowest = std::min(lowest, now);
            last = now;
        }
        CAPTURE(from);
        CHECK(hardest < 5.5); // degrees a second between two steps: what the quintic needs, 20 x / T^2 over dt
        CHECK(lowest < 20);   // it did change: the place had to be made up
        CHECK(last == Approx(60).margin(0.5));
    }
}

TEST_CASE("an inertial fade broken into by another keeps its velocity too") {
    const auto character =
        machine("n: {kind: number}", "a: {play: spin, go: [{to: b, when: n > 0, fade: 0.4, style: inertial}]}\n"
                                     "b: {play: high, go: [{to: c, when: n > 1, fade: 0.4, style: inertial}]}\n"
                                     "c: {play: low}\n");
    constexpr double dt = 1.0 / 2000;
    Performer performer(character);
    performer.advance(0.9);
    performer.set("n", 1.0);
    double last = 60, hardest = 0;
    for (int i = 0; i < 2000; ++i) {
        if (i == 300) { performer.set("n", 2.0); }
        const double before = angle(performer);
        performer.advance(dt);
        const double now = (angle(performer) - before) / dt;
        if (i > 0) { hardest = std::max(hardest, std::abs(now - last)); }
        last = now;
    }
    CHECK(performer.state_name() == "c");
    CHECK(hardest < 6);
}

TEST_CASE("an inertial fade keeps its velocity between clips that keep step, however unlike their paces") {
    const auto swing = [](const char* name, double seconds, double reach, float metres) {
        ClipSource clip = support::clip(name, 2, seconds, [reach](int, double phase) {
            return axis_angle({1, 0, 0}, reach * std::sin(2 * pi * phase));
        });
        auto& way = clip.tracks[0].translation;
        way.times = {0, seconds};
        way.values = {{0, 1, 0}, {0, 1, metres}};
        return clip;
    };
    // By their cycles, or by steps that are uneven in both.
    const std::string sync = GENERATE("cycle", "footfall");
    CAPTURE(sync);
    const auto character =
        support::character(R"(gait: 1
rig: x.glb
clips:
  slow: {loop: yes, travel: joint_0, marks: {left_down: 0.3, right_down: 1.0}}
  quick: {loop: yes, travel: joint_0, marks: {left_down: 0.05, right_down: 0.4}}
parameters: {go: {kind: flag}}
layers:
  - name: body
    machine:
      start: slow
      states:
        slow: {play: {clip: slow, sync: )" +
                               sync + R"(}, go: [{to: quick, when: go, fade: 0.4, style: inertial}]}
        quick: {play: {clip: quick, sync: )" +
                               sync + R"(}, go: [{to: slow, when: not go, fade: 0.4, style: inertial}]}
)",
                           support::assets(2, {swing("slow", 3, 10, 3), swing("quick", 0.5, 25, 2)}));
    constexpr double dt = 1.0 / 4000;
    struct Speeds {
        double joint, body; ///< degrees and metres a second
    };
    for (const double from : {0.113, 0.717, 1.331, 2.239}) {
        for (const bool to_quick : {true, false}) {
            Performer performer(character);
            performer.set("go", !to_quick);
            performer.advance(from + 2);
            const auto speeds = [&] {
                const double before = angle(performer);
                performer.advance(dt);
                return Speeds{(angle(performer) - before) / dt, double(performer.travel().move.z) / dt};
            };
            const Speeds last = speeds();
            performer.set("go", to_quick);
            const Speeds next = speeds();
            CAPTURE(from, to_quick);
            CHECK(performer.instance_count() == 1);
            // The clips' own are up to 300 degrees and 3 metres a second apart.
            CHECK(next.joint == Approx(last.joint).margin(5));
            CHECK(next.body == Approx(last.body).margin(0.05));
        }
    }
}

TEST_CASE("two inertial fades in one instant, or nearly, keep the velocity too") {
    for (const std::string between : {"spin", "low", "swing"}) {
        const auto character =
            machine("n: {kind: number}", "a: {play: spin, go: [{to: b, when: n > 0, fade: 0.4, style: inertial}]}\n"
                                         "b: {play: " +
                                             between +
                                             ", go: [{to: c, when: n > 1, fade: 0.4, style: inertial}]}\n"
                                             "c: {play: low}\n");
        for (const double nearly : {0.0, 1e-5, 1e-4}) {
            constexpr double dt = 1.0 / 4000;
            Performer performer(character);
            performer.advance(0.9);
            performer.set("n", nearly > 0 ? 1 : 2);
            performer.advance(nearly);
            performer.set("n", 2);
            performer.advance(0);
            CAPTURE(between, nearly);
            CHECK(performer.state_name() == "c");
            const double before = angle(performer);
            performer.advance(dt);
            CHECK((angle(performer) - before) / dt == Approx(60).margin(5));
        }
    }
}

TEST_CASE("an inertial fade goes on as fast as a moving blend does, left or entered") {
    // A number that follows its input, a velocity that does, and a weight that is faded: 0 to 30 degrees by each.
    const std::string blend = GENERATE(
        "{blend: effort, points: {0: low, 1: high}}",
        "{blend: [heading, effort], points: [{at: [0, 0], play: low}, {at: [0, 1], play: high}, {at: [90, 1], play: "
        "side}]}",
        "{mix: [low, {play: high, weight: effort > 0.01}], fade: 0.4}");
    // By an input at a frame's beginning, or between two frames.
    const std::string leaves = GENERATE("when: leave", "after: 0.605");
    struct Kind {
        std::string left, came;
    };
    for (const Kind& kind : {Kind{blend, "side"}, Kind{"side", blend}, Kind{blend, blend}}) {
        const auto character =
            machine("effort: {kind: number, range: [0, 5], smooth: 0.15}, heading: {kind: angle}, leave: {kind: flag}",
                    "a: {play: " + kind.left + ", go: [{to: b, " + leaves + ", fade: 0.6, style: inertial}]}\n" +
                        "b: {play: " + kind.came + "}\n");
        for (const double rate : {60.0, 480.0}) {
            Performer performer(character);
            double last = 0, fastest = 0, hardest = 0;
            for (int i = 0; i < int(0.9 * rate); ++i) {
                const double now = i / rate;
                performer.set("effort", now >= 0.45 ? 1 : 0);
                performer.set("leave", now >= 0.6);
                const double before = angle(performer);
                performer.advance(1 / rate);
                const double speed = (angle(performer) - before) * rate;
                if (now > 0.5 && now < 0.65) { hardest = std::max(hardest, std::fabs(speed - last)); }
                fastest = std::max(fastest, std::fabs(speed));
                last = speed;
            }
            CAPTURE(blend, leaves, kind.left, rate);
            CHECK(performer.state_name() == "b");
            CHECK(fastest > 50);
            CHECK(hardest < 2200 / rate); // degrees a second between two frames: what the fade itself needs
        }
    }
}

TEST_CASE("what is left keeps the inputs that it had, unless they are live") {
    const std::string space = GENERATE("{blend: effort, points: {0: low, 1: high}}",
                                       "{mix: [low, {play: high, weight: effort, mask: rest}], fade: 0.02}");
    for (const char* inputs : {"", "inputs: kept, ", "inputs: live, "}) {
        for (const bool inside : {false, true}) { // said of the state, or of the one around it
            const std::string own = inside ? "" : inputs, around = inside ? inputs : "";
            const auto character =
                machine("effort: {kind: number, range: [0, 1], smooth: 0.02}, go: {kind: flag}",
                        "a: {" + around + "machine: {start: x, states: {x: {" + own + "play: " + space +
                            "}}}, go: [{to: b, when: go, fade: 1}]}\nb: {play: side}\n",
                        {}, "masks: {rest: {from: joint_0}}\n");
            Performer performer(character);
            performer.advance(0.1);
            performer.set("go", true);
            performer.advance(0.1);
            REQUIRE(performer.instance_count() == 2);
            const auto left = [&] {
                std::vector<Transform> pose(2);
                performer.instance_pose(0, pose);
                return degrees_between(pose[0].rotation, Quat{});
            };
            CHECK(left() == Approx(0).margin(0.01));
            performer.set("effort", 1);
            for (int i = 0; i < 30; ++i) { performer.advance(0.01); }
            CAPTURE(inputs, inside, space);
            CHECK(left() == Approx(std::string(inputs) == "inputs: live, " ? 30 : 0).margin(0.1));
            performer.advance(1);
            CHECK(performer.instance_count() == 1);
        }
    }
}

TEST_CASE("live inputs of what plays no blend are an error, for they have no effect") {
    CHECK_THAT(
        machine_mistakes(go, "a: {play: low, inputs: live, go: [{to: b, when: go}]}\nb: {play: high}\n"),
        Catch::Contains("'inputs: live' lets blends follow their inputs while they are left, and 'a' plays none; "
                        "remove it [no-effect]"));
    CHECK(machine_mistakes(go, "a: {play: {clip: low, rate: 'clamp(go, 0, 1)'}, inputs: live, go: [{to: b, when: "
                               "go}]}\nb: {play: high}\n")
              .find("no-effect") == std::string::npos);
}

TEST_CASE("a fade may be an expression, taken as the transition is") {
    const auto character =
        machine("speed: {kind: number}, go: {kind: flag}",
                "a: {play: low, go: [{to: b, when: go, fade: \"remap(speed, 1, 4, 0.4, 0.1)\"}]}\nb: {play: high}\n");
    for (const auto& [speed, seconds] : {std::pair{1.0, 0.4}, {2.5, 0.25}, {9.0, 0.1}}) {
        Performer performer(character);
        performer.set("speed", speed);
        performer.set("go", true);
        performer.advance(0.01);
        CHECK(performer.instance(1).fade_seconds == Approx(seconds));
    }
    CHECK(character->transitions()[0].fade_by == "remap(speed, 1, 4, 0.4, 0.1)");
    CHECK_THAT(machine_mistakes(go, "a: {play: low, go: [{to: a, when: go, fade: spd * 2}]}\n"),
               Catch::Contains("no parameter 'spd'"));
    CHECK_THAT(machine_mistakes(go, "a: {play: low, go: [{to: a, when: go, fade: go}]}\n"),
               Catch::Contains("'go' is true or false and a number is wanted here"));
}

TEST_CASE("after a range is drawn once on entering, differs from entry to entry and from seed to seed") {
    const auto character = machine(go, "a: {play: low, go: [{to: b, after: [0.5, 2], fade: 0.1}]}\n"
                                       "b: {play: high, go: [{to: a, after: 0.2, fade: 0.1}]}\n");
    const auto waits = [&](std::uint64_t seed, double rate) {
        Performer performer(character);
        performer.set_seed(seed);
        performer.reset();
        std::vector<double> times;
        double last = 0;
        for (int i = 0; i < int(40 * rate); ++i) {
            performer.advance(1 / rate);
            for (const TransitionRecord& record : performer.transitions()) {
                const bool into_b = character->transitions()[record.transition].to == 1;
                if (into_b) { times.push_back(record.time - last); }
                last = record.time;
            }
        }
        return times;
    };
    const auto first = waits(1, 60), same = waits(1, 10), other = waits(2, 60);
    REQUIRE(first.size() > 15);
    double least = 9, greatest = 0;
    for (std::size_t i = 0; i < std::min(first.size(), same.size()); ++i) {
        CHECK(first[i] == Approx(same[i]).margin(1e-6)); // whatever the frame rate
        least = std::min(least, first[i]);
        greatest = std::max(greatest, first[i]);
    }
    CHECK(least >= 0.5);
    CHECK(least < 0.9);
    CHECK(greatest <= 2.0);
    CHECK(greatest > 1.6);
    CHECK(first[0] != Approx(other[0]).margin(1e-6));
}

TEST_CASE("a transition on a mark leaves at its instant, and one inside a span while the span lasts") {
    const auto on_mark =
        machine(go, "a: {play: marked, go: [{to: b, at: tock, when: go, fade: 0.1}]}\nb: {play: high}\n");
    const auto inside =
        machine(go, "a: {play: marked, go: [{to: b, inside: open, when: go, fade: 0.1}]}\nb: {play: high}\n");
    for (const double rate : {4.0, 10.0, 60.0, 240.0}) {
        CAPTURE(rate);
        const auto set_at = [](double when) {
            return [when](Performer& performer, double time) { performer.set("go", time >= when - 1e-9); };
        };
        CHECK_THAT(times_into(on_mark, "b", rate, 3, set_at(0)), Catch::Approx(std::vector<double>{0.8}).margin(1e-6));
        CHECK_THAT(times_into(on_mark, "b", rate, 3, set_at(1)),
                   Catch::Approx(std::vector<double>{1.8}).margin(1e-6)); // next time round
        CHECK_THAT(times_into(inside, "b", rate, 3, set_at(0)), Catch::Approx(std::vector<double>{0.4}).margin(1e-6));
        CHECK_THAT(times_into(inside, "b", rate, 3, set_at(0.5)), Catch::Approx(std::vector<double>{0.5}).margin(1e-6));
        CHECK_THAT(times_into(inside, "b", rate, 3, set_at(1)), Catch::Approx(std::vector<double>{1.4}).margin(1e-6));
    }
    CHECK_THAT(machine_mistakes(go, "a: {play: marked, go: [{to: a, at: tack}]}\n"),
               Catch::Contains("no mark 'tack'; did you mean 'tick'? [unknown-mark]"));
    CHECK_THAT(machine_mistakes(go, "a: {play: marked, go: [{to: a, inside: opne}]}\n"),
               Catch::Contains("no span 'opne'; did you mean 'open'? [unknown-span]"));
}

TEST_CASE("what is left may be compared, and the fade begins at that instant") {
    const auto character =
        machine(go, "a: {play: spin, go: [{to: b, when: state.left < 0.35, fade: 0.35}]}\nb: {play: high}\n");
    for (const double rate : {4.0, 30.0, 240.0}) {
        CHECK_THAT(times_into(character, "b", rate, 3), Catch::Approx(std::vector<double>{1.65}).margin(1e-6));
    }
}

TEST_CASE("a motion may be entered at a fraction, a mark or the same phase") {
    const auto position = [](const std::string& where) {
        const auto character = machine(go, "a: {play: swing, go: [{to: b, when: go, fade: 0.2, enter_at: " + where +
                                               "}]}\n" + "b: {play: marked}\n");
        Performer performer(character);
        performer.advance(0.45);
        performer.set("go", true);
        performer.advance(0);
        std::vector<ClipView> clips(4);
        REQUIRE(performer.instance_clips(1, clips) == 1);
        return clips[0].phase;
    };
    CHECK(position("0.25") == Approx(0.25));
    CHECK(position("tock") == Approx(0.8));
    CHECK(position("phase") == Approx(0.45));
    CHECK_THAT(machine_mistakes(go, "a: {play: low, go: [{to: a, when: go, enter_at: 1.5}]}\n"),
               Catch::Contains("'enter_at' is a fraction of the motion, 0 to 1; found 1.5 [wrong-range]"));
    CHECK_THAT(machine_mistakes(go, "a: {play: low, go: [{to: a, when: go, enter_at: tack}]}\n"),
               Catch::Contains("no mark 'tack'"));
}

TEST_CASE("entering at a footfall puts the same foot down at the same time") {
    // A trot's cycle is shorter than a stroll's, and its feet come down at the same places of it.
    const DocumentRead read = read_document_text(
        "gait: 1\nrig: lamplighter.glb\nclips: {stroll: {loop: yes}, trot: {loop: yes}}\nparameters: {go: {kind: "
        "flag}}\n"
        "layers: [{name: body, machine: {start: a, states: {a: {play: {clip: stroll, sync: off}, go: [{to: b, when: "
        "go, fade: 0.3, enter_at: footfall}]}, b: {play: {clip: trot, sync: off}}}}}]\n",
        (support::project() / "demo/feet.gait.yaml").string());
    REQUIRE_FALSE(has_errors(read.diagnostics));
    const Compiled compiled = compile(read.document, load_assets(read.document).assets);
    REQUIRE(compiled.character);
    for (const double when : {0.05, 0.5, 0.62, 0.97}) {
        Performer performer(compiled.character);
        performer.advance(when);
        performer.set("go", true);
        performer.advance(0);
        std::vector<ClipView> clips(2);
        REQUIRE(performer.instance_clips(1, clips) == 1);
        // The left foot strikes at 0 in both, the right at half the cycle: 1 s and 0.733 s long.
        const double from_strike = std::remainder(when, 0.5);
        const double right = std::lround(when / 0.5) % 2 == 1 ? 0.5 : 0.0;
        const double expected = right + from_strike / (44.0 / 60);
        CAPTURE(when, clips[0].phase);
        CHECK(std::abs(std::remainder(clips[0].phase - expected, 1.0)) < 0.03);
    }
}

TEST_CASE("what must settle is not left before its fade is done, and then at once") {
    for (const char* style : {"cross", "inertial"}) {
        const auto character =
            machine(go, std::string("a: {play: low, go: [{to: b, when: go, fade: 0.5, settle: yes, style: ") + style +
                            "}]}\nb: {play: high, go: [{to: a, when: not go, fade: 0.2}]}\n");
        for (const double rate : {8.0, 60.0}) {
            CAPTURE(style, rate);
            const auto back = times_into(character, "a", rate, 1.5,
                                         [](Performer& performer, double time) { performer.set("go", time < 0.2); });
            CHECK_THAT(back, Catch::Approx(std::vector<double>{0.5}).margin(1e-6));
        }
    }
}

TEST_CASE("a motion's rate is an expression: quicker, backward or held, within bounds, and what is left stays right") {
    const auto character =
        machine("pace: {kind: number, default: 1}",
                "a: {play: {clip: spin, rate: pace}, go: [{to: b, at: end, fade: 0.2}]}\nb: {play: low}\n");
    const auto end = [&](double pace) {
        return times_into(character, "b", 30, 6, [pace](Performer& performer, double) { performer.set("pace", pace); });
    };
    CHECK_THAT(end(1), Catch::Approx(std::vector<double>{1.8}).margin(1e-6));
    CHECK_THAT(end(2), Catch::Approx(std::vector<double>{0.8}).margin(1e-6));
    CHECK_THAT(end(0.5), Catch::Approx(std::vector<double>{3.8}).margin(1e-6));
    CHECK(end(0).empty());        // held
    CHECK(end(1000).size() == 1); // ten times at most, and then shorter than its fade
    CHECK(end(1000)[0] < 0.05);
    Performer held(character);
    held.set("pace", 0.0);
    held.advance(0.5);
    CHECK(angle(held) == Approx(0).margin(1e-3));
    const auto backward =
        machine(go, "a: {play: {clip: spin, rate: -1}, go: [{to: b, at: end, fade: 0.5}]}\nb: {play: low}\n");
    Performer reverse(backward);
    reverse.advance(0.5);
    CHECK(angle(reverse) == Approx(90).margin(0.1)); // from its end
    CHECK_THAT(times_into(backward, "b", 30, 3), Catch::Approx(std::vector<double>{1.5}).margin(1e-6));
    CHECK_THAT(machine_mistakes(go, "a: {play: {clip: low, rate: state.elapsed}}\n"),
               Catch::Contains("speaks of a state, and this looks at parameters alone"));
}

TEST_CASE("a looping clip played backward comes round without a seam") {
    Performer performer(machine(go, "a: {play: {clip: swing, rate: -1.3}}\n"));
    for (int i = 0; i < 400; ++i) {
        Performer next = performer;
        next.advance(1e-5);
        REQUIRE(greatest_turn(pose_of(performer), pose_of(next)) < seam_bound);
        performer.advance(0.0171);
    }
    CHECK(performer.seconds_to_next_instant() < 1);
}

TEST_CASE("entering from the game leaves through no condition, and inside a machine too") {
    const auto character =
        machine(go, "a: {play: low}\nb:\n  machine: {start: one, states: {one: {play: high}, two: {play: side}}}\n");
    Performer performer(character);
    CHECK(performer.enter(character->state("b.two"), 0.2));
    EventList events;
    performer.advance(0.01, events);
    CHECK(performer.state_name() == "b.two");
    REQUIRE(events.events().size() >= 2);
    CHECK(performer.enter(character->state("b"), 0.2));
    CHECK(performer.state_name() == "b.one");
    CHECK_FALSE(performer.enter(character->state("b.three"), 0.2));
}

TEST_CASE("every style of fade keeps the speed of the body") {
    // Two walks that travel, at one and at three metres a second.
    Assets assets = support::assets(2, {support::held("slow", 2, 0), support::held("quick", 2, 0)});
    for (const auto& [name, metres] : {std::pair{"slow", 1.0F}, {"quick", 3.0F}}) {
        auto& track = assets.clips[name].tracks[0].translation;
        track.times = {0, 1};
        track.values = {{0, 1, 0}, {0, 1, metres}};
    }
    const auto walk = [&](const char* style) {
        return support::character(
            std::string("gait: 1\nrig: x.glb\nclips: {slow: {loop: yes, travel: joint_0}, quick: {loop: yes, travel: "
                        "joint_0}}\nparameters: {go: {kind: flag}}\nlayers: [{name: body, machine: {start: a, states: {"
                        "a: {play: slow, go: [{to: b, when: go, fade: 0.4, style: ") +
                style + "}]}, b: {play: quick, go: [{to: a, when: not go, fade: 0.4, style: " + style + "}]}}}}]\n",
            assets);
    };
    constexpr double dt = 1.0 / 480;
    const auto speeds = [&](const char* style) {
        Performer performer(walk(style));
        std::vector<double> found;
        for (int i = 0; i < 480; ++i) {
            if (i == 100) { performer.set("go", true); }
            if (i == 250) { performer.set("go", false); } // back in the middle of the fade
            performer.advance(dt);
            found.push_back(double(performer.travel().move.z) / dt);
        }
        return found;
    };
    for (const char* style : {"cross", "inertial", "frozen"}) {
        const auto found = speeds(style);
        CAPTURE(style);
        for (std::size_t i = 1; i < found.size(); ++i) { REQUIRE(std::abs(found[i] - found[i - 1]) < 0.05); }
        CHECK(found.back() == Approx(1).margin(0.01));
        CHECK(*std::max_element(found.begin(), found.end()) > 2.5);
    }
}

TEST_CASE("a number that states give does not jump where one inertial fade breaks into another") {
    const auto character =
        support::machine("wet: {kind: flag}, dry: {kind: flag}",
                         "a: {play: low, values: {top: 0}, go: [{to: b, when: wet, fade: 1, style: inertial}]}\n"
                         "b: {play: high, values: {top: 10}, go: [{to: c, when: dry, fade: 1, style: inertial}]}\n"
                         "c: {play: low, values: {top: 4}}\n",
                         "a", "values: {top: {kind: number}}\n");
    Performer performer(character);
    performer.set("wet", true);
    for (int i = 0; i < 30; ++i) { performer.advance(0.01); }
    const double before = performer.get(character->number_value("top"));
    CHECK(before > 1);
    CHECK(before < 9);
    performer.set("dry", true);
    performer.advance(1e-5);
    REQUIRE(performer.state_name() == "c");
    CHECK(double(performer.get(character->number_value("top"))) == Approx(before).margin(0.01));
    for (int i = 0; i < 120; ++i) { performer.advance(0.01); }
    CHECK(double(performer.get(character->number_value("top"))) == Approx(4));
}
