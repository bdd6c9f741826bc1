#include "compile/prepared_clip.hpp"
#include "gait/character.hpp"
#include "gait/eases.hpp"
#include "gait/ground_place.hpp"
#include "gait/load.hpp"
#include "gait/math.hpp"
#include "gait/performer.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

using namespace gait;
using namespace gait::detail;

namespace {

/// Hips over two feet, arms to the sides: a body of six joints that stands on the ground, facing +Z, its left at +X.
Rig body(double size = 1, const Quat& axes = {}) {
    Rig rig;
    rig.name = "body";
    const auto add = [&](const char* name, int parent, Vec3 place) {
        Joint joint;
        joint.name = name;
        joint.parent = parent;
        // Every joint's own axes are turned by `axes`; places are given in the character's.
        joint.rest.rotation = parent < 0 ? axes : Quat{};
        joint.rest.translation = parent < 0 ? place * float(size) : rotate(conjugate(axes), place * float(size));
        rig.joints.push_back(joint);
    };
    add("hips", -1, {0, 1, 0});
    add("left_leg", 0, {0.1F, 0, 0});
    add("left_foot", 1, {0, -0.9F, 0});
    add("right_leg", 0, {-0.1F, 0, 0});
    add("right_foot", 3, {0, -0.9F, 0});
    add("left_arm", 0, {0.2F, 0.4F, 0});
    return rig;
}

/// The body's hips go along `way(seconds)`, the left leg swings by `swing(seconds)` degrees.
ClipSource motion(
    const Rig& rig, double seconds, const std::function<Transform(double)>& way,
    const std::function<double(double)>& swing = [](double) { return 0.0; }) {
    ClipSource clip;
    clip.name = "way";
    clip.seconds = seconds;
    for (const Joint& joint : rig.joints) { clip.joints.push_back(joint.name); }
    clip.tracks.resize(rig.joints.size());
    const int keys = int(std::lround(seconds * 60));
    clip.keys = keys + 1;
    for (int k = 0; k <= keys; ++k) {
        const double at = seconds * k / keys;
        const Transform body = way(at) * rig.joints[0].rest;
        clip.tracks[0].rotation.times.push_back(at);
        clip.tracks[0].rotation.values.push_back(body.rotation);
        clip.tracks[0].translation.times.push_back(at);
        clip.tracks[0].translation.values.push_back(body.translation);
        const Quat axes = rig.joints[0].rest.rotation;
        clip.tracks[1].rotation.times.push_back(at);
        clip.tracks[1].rotation.values.push_back(conjugate(axes) * axis_angle({1, 0, 0}, swing(at)) * axes);
    }
    return clip;
}

Transform at(double x, double z, double heading = 0) { return GroundPlace{x, 0, z, heading}.transform(); }

/// A character that plays one clip with `settings`, such as `{loop: yes, travel: hips}`.
std::shared_ptr<const Character> playing(const ClipSource& clip, const std::string& settings, const Rig& rig = body()) {
    Assets assets;
    assets.rig = rig;
    assets.clips.emplace("way", clip);
    return support::character("gait: 1\nrig: x.glb\nclips: {way: " + settings +
                                  "}\nlayers: [{name: body, machine: {start: s, states: {s: {play: way}}}}]\n",
                              assets);
}

std::string complaint(const ClipSource& clip, const std::string& settings, const std::string& more = "") {
    Assets assets;
    assets.rig = body();
    assets.clips.emplace("way", clip);
    return support::diagnose("gait: 1\nrig: x.glb\n" + more + "clips: {way: " + settings +
                                 "}\nlayers: [{name: body, machine: {start: s, states: {s: {play: way}}}}]\n",
                             assets);
}

struct Played {
    GroundPlace place;
    Travel last;
    std::vector<Transform> pose;
};

Played play(const std::shared_ptr<const Character>& character, double seconds, double rate, float scale = 1) {
    Performer performer(character);
    performer.set_scale(scale);
    Played played;
    const int frames = int(std::lround(seconds * rate));
    for (int i = 0; i < frames; ++i) {
        performer.advance(seconds / frames);
        played.last = performer.travel();
        played.place.add(played.last);
    }
    played.pose = support::pose_of(performer);
    return played;
}

} // namespace

TEST_CASE("a loop's way goes to the game, exactly, over many loops at any frame rate") {
    const ClipSource ahead = motion(body(), 0.8, [](double t) { return at(0, 1.75 * t); });
    const auto character = playing(ahead, "{loop: yes, travel: hips}");
    CHECK(character->clips()[0].travels);
    CHECK(character->clips()[0].way.z == Approx(1.4));
    for (const double rate : {10.0, 30.0, 60.0, 144.0, 240.0}) {
        const Played played = play(character, 50 * 0.8, rate);
        CAPTURE(rate);
        CHECK(std::abs(played.place.z - 50 * 1.4) < 1e-4);
        CHECK(std::abs(played.place.x) < 1e-4);
        CHECK(played.last.share == Approx(1));
        // Nothing of the way is left in the pose.
        CHECK(std::abs(played.pose[0].translation.z) < 1e-4F);
    }
}

TEST_CASE("a loop that turns goes round a circle and comes back to where it began") {
    // A quarter of a circle of 2 m radius to the right a loop.
    const ClipSource arc = motion(body(), 1.0, [](double t) {
        const double angle = t * pi / 2;
        return at(-2 * (1 - std::cos(angle)), 2 * std::sin(angle), 90 * t);
    });
    const auto character = playing(arc, "{loop: yes, travel: hips}");
    const Played half = play(character, 2, 60);
    CHECK(half.place.x == Approx(-4).margin(1e-3));
    CHECK(half.place.z == Approx(0).margin(1e-3));
    CHECK(half.place.heading == Approx(180));
    const Played round = play(character, 40, 37);
    CHECK(std::hypot(round.place.x, round.place.z) < 1e-3);
    CHECK(degrees_between(round.pose[0].rotation, Quat{}) < 0.01);
}

TEST_CASE("the sway of a loop stays in its pose") {
    const ClipSource swaying = motion(
        body(), 1, [](double t) { return at(0.03 * std::sin(2 * pi * t), 1.2 * t + 0.02 * std::sin(4 * pi * t)); });
    const auto character = playing(swaying, "{loop: yes, travel: hips}");
    Performer performer(character);
    float widest = 0;
    for (int i = 0; i < 120; ++i) {
        performer.advance(1.0 / 60);
        CHECK(performer.travel().move.x == Approx(0).margin(1e-6));
        CHECK(performer.travel().move.z * 60 == Approx(1.2).epsilon(1e-4));
        widest = std::max(widest, std::abs(support::pose_of(performer)[0].translation.x));
    }
    CHECK(widest == Approx(0.03).epsilon(0.02));
}

TEST_CASE("a clip played once gives its own way, start and stop included") {
    const auto eased = [](double t) { return t * t * (3 - 2 * t); };
    const ClipSource start = motion(body(), 1, [&](double t) { return at(0, 1.5 * eased(t)); });
    const auto character = playing(start, "{loop: no, travel: hips}");
    for (const double rate : {30.0, 60.0, 240.0}) {
        const Played played = play(character, 1.5, rate);
        CHECK(played.place.z == Approx(1.5).epsilon(1e-4));
        CHECK(played.last.move.z == 0);
    }
    CHECK(play(character, 0.5, 60).place.z == Approx(0.75).epsilon(0.02));
}

TEST_CASE("the way of a clip played once has a speed without steps") {
    const ClipSource starts = motion(body(), 1, [](double t) { return at(0, 2 * t * t); });
    Performer performer(playing(starts, "{travel: hips}"));
    constexpr double dt = 1.0 / 2000;
    double before = 0, hardest = 0;
    for (int i = 0; i < 1800; ++i) {
        performer.advance(dt);
        const double speed = double(performer.travel().move.z) / dt;
        if (i > 200) { hardest = std::max(hardest, std::abs(speed - before)); }
        before = speed;
    }
    // Four metres a second squared; straight from sample to sample it would be steps of 0.07.
    CHECK(hardest < 0.005);
}

TEST_CASE("a roll forward over the back does not turn the body round") {
    const ClipSource roll = motion(body(), 1, [](double t) {
        return Transform{axis_angle({1, 0, 0}, 360 * t), {0, 0, float(2 * t)}, {1, 1, 1}};
    });
    Performer performer(playing(roll, "{loop: no, travel: hips}"));
    for (int i = 0; i < 60; ++i) {
        performer.advance(1.0 / 60);
        CHECK(std::abs(performer.travel().turn) < 0.01F);
    }
}

TEST_CASE("only the parts of a way that are asked for are taken") {
    const ClipSource hop = motion(body(), 1, [](double t) {
        return Transform{{}, {float(0.4 * t), float(std::sin(pi * t)), float(2 * t)}, {1, 1, 1}};
    });
    const Played all =
        play(playing(hop, "{loop: no, travel: {joint: hips, take: [forward, sideways, vertical]}}"), 0.5, 60);
    CHECK(all.place.y == Approx(1).epsilon(0.05));
    CHECK(all.place.x == Approx(0.2).epsilon(0.05));
    CHECK(all.pose[0].translation.y == Approx(1).epsilon(0.05));
    const Played ahead = play(playing(hop, "{loop: no, travel: {joint: hips, take: [forward]}}"), 0.5, 60);
    CHECK(ahead.place.y == 0);
    CHECK(ahead.place.x == 0);
    CHECK(ahead.place.z == Approx(1).epsilon(0.02));
    CHECK(ahead.pose[0].translation.y == Approx(2).epsilon(0.02));
    CHECK(ahead.pose[0].translation.x == Approx(0.2).epsilon(0.05));
}

TEST_CASE("what is played in place is brought home and carries the body nowhere") {
    const ClipSource far = motion(body(), 1, [](double t) { return at(5 - 1.5 * t, -8, 90); });
    for (const char* how :
         {"{loop: yes, travel: {joint: hips, in_place: yes}}", "{loop: no, travel: {joint: hips, in_place: yes}}"}) {
        CAPTURE(how);
        const Played played = play(playing(far, how), 0.9, 60);
        CHECK(std::hypot(played.place.x, played.place.z) == 0);
        CHECK(std::hypot(played.pose[0].translation.x, played.pose[0].translation.z) < 0.01F);
    }
}

TEST_CASE("a clip recorded elsewhere and facing elsewhere is brought home") {
    const ClipSource far = motion(body(), 1, [](double t) { return at(5 - 1.5 * t, -8, 90); });
    const Played played = play(playing(far, "{loop: yes, travel: hips}"), 2, 60);
    CHECK(played.place.z == Approx(3).epsilon(1e-3));
    CHECK(played.place.x == Approx(0).margin(1e-3));
    CHECK(std::abs(played.pose[0].translation.x) < 0.001F);
    CHECK(degrees_between(played.pose[0].rotation, Quat{}) < 0.1);
    // A cut of a recording begins anywhere, near as well; a sway is no elsewhere.
    const auto off = [](float metres) {
        const ClipSource cut = motion(body(), 1, [&](double t) { return at(metres, t); });
        return double(play(playing(cut, "{travel: hips}"), 1, 60).pose[0].translation.x);
    };
    CHECK(std::abs(off(0.4F)) < 0.001);
    CHECK(std::abs(off(0.05F)) == Approx(0.05).margin(0.001));
    // And between the two no distance is a border: an inch more never moves her by half a metre.
    for (float metres = 0; metres < 0.6F; metres += 0.01F) {
        CAPTURE(metres);
        CHECK(std::abs(off(metres + 0.01F) - off(metres)) < 0.03);
    }
}

TEST_CASE("a larger body travels further, and the game may move it instead") {
    const ClipSource ahead = motion(body(), 1, [](double t) { return at(0, 1.5 * t); });
    const auto character = playing(ahead, "{loop: yes, travel: hips}");
    CHECK(play(character, 2, 60, 1.3F).place.z == Approx(3.9));
    Performer performer(character);
    performer.set_moved_by(Mover::game);
    performer.advance(0.5);
    CHECK(performer.travel().move.z == 0);
    CHECK(performer.travel().share == 0);
    CHECK_FALSE(performer.set_scale(-1));
    CHECK(performer.faults().refused_values == 1);
}

TEST_CASE("travel is blended as the pose is, and its share says how much of the motion is the clips'") {
    Assets assets;
    assets.rig = body();
    assets.clips.emplace("walk", motion(body(), 1, [](double t) { return at(0, 1.0 * t); }));
    assets.clips.emplace("run", motion(body(), 0.7, [](double t) { return at(0, 3.0 * t); }));
    assets.clips.emplace("fall", motion(body(), 1, [](double) { return at(0, 0); }));
    const auto character = support::character(
        "gait: 1\nrig: x.glb\nclips: {walk: {loop: yes, travel: hips}, run: {loop: yes, travel: hips}, fall: {loop: "
        "yes}}\n"
        "parameters: {speed: {kind: number, range: [0, 4], smooth: 0}, falling: {kind: flag}, pushed: {kind: flag}}\n"
        "layers:\n  - name: body\n    machine:\n      start: go\n      states:\n"
        "        go: {play: {blend: speed, points: {1: walk, 3: run}}, go: [{to: fall, when: falling, fade: 0.4}, {to: "
        "slide, when: pushed, fade: 0.4}]}\n"
        "        fall: {play: fall, go: [{to: go, when: not falling, fade: 0.4}]}\n"
        "        slide: {play: run, moved_by: game, go: [{to: go, when: not pushed, fade: 0.4}]}\n",
        assets);
    Performer performer(character);
    performer.set("speed", 2);
    performer.advance(0.25);
    CHECK(performer.travel().move.z / 0.25 == Approx(2.0)); // half of 1 and half of 3
    performer.set("falling", true);
    float before = 1;
    for (int i = 0; i < 24; ++i) {
        performer.advance(0.4 / 24);
        CHECK(performer.travel().share <= before);
        CHECK(performer.travel().move.z / (0.4 / 24) == Approx(2.0 * double(performer.travel().share)).margin(0.02));
        before = performer.travel().share;
    }
    performer.advance(0.1);
    CHECK(performer.travel().share == 0); // the fall's own speed is the game's: nothing stops it dead
    performer.set("falling", false);
    performer.advance(1);
    performer.set("pushed", true);
    performer.advance(1);
    performer.advance(0.1);
    CHECK(performer.travel().move.z == 0);
    CHECK(performer.travel().share == 0);
}

TEST_CASE("the body's speed does not break when motions are folded into an inertial offset") {
    Assets assets;
    assets.rig = body();
    std::string clips, states;
    for (int i = 0; i < 6; ++i) {
        assets.clips.emplace("c" + std::to_string(i),
                             motion(body(), 1, [i](double t) { return at(0, (i + 1) * 0.8 * t); }));
        clips += (i > 0 ? ", c" : "c") + std::to_string(i) + ": {loop: yes, travel: hips}";
        states += "        s" + std::to_string(i) + ": {play: c" + std::to_string(i) + "}\n";
    }
    const auto character =
        support::character("gait: 1\nrig: x.glb\nclips: {" + clips +
                               "}\nlayers:\n  - name: body\n    machine:\n      start: s0\n      states:\n" + states,
                           assets);
    Performer performer(character);
    performer.advance(0.1);
    const double dt = 1.0 / 480;
    double before = double(performer.travel().move.z) / 0.1, hardest = 0;
    bool folded = false;
    for (int i = 0; i < 480; ++i) {
        if (i % 40 == 0) { performer.enter(character->state("s" + std::to_string((i / 40 * 5 + 1) % 6)), 0.5); }
        performer.advance(dt);
        const double speed = double(performer.travel().move.z) / dt;
        hardest = std::max(hardest, std::abs(speed - before));
        before = speed;
        folded = folded || performer.offset_seconds() > 0;
    }
    CHECK(folded);
    CHECK(hardest < 0.25); // a break would be metres a second: the clips differ by 4
}

TEST_CASE("the body's speed goes over from what the game moves to what clips move, and back, in any style of fade") {
    Assets assets;
    assets.rig = body();
    assets.clips.emplace("fall", motion(body(), 1, [](double) { return at(0, 0); }));
    assets.clips.emplace("land", motion(body(), 1, [](double t) { return at(0, 0.4 * t); }));
    for (const char* style : {"inertial", "cross", "frozen"}) {
        const auto character = support::character(
            std::string(
                "gait: 1\nrig: x.glb\nparameters: {down: {kind: flag}}\nclips: {fall: {loop: yes}, land: {loop: yes, "
                "travel: hips}}\nlayers:\n  - name: body\n    machine:\n      start: a\n      states:\n"
                "        a: {play: fall, go: {to: b, when: down, fade: 0.3, style: ") +
                style + "}}\n        b: {play: land, go: {to: a, when: not down, fade: 0.3, style: " + style + "}}\n",
            assets);
        Performer performer(character);
        performer.advance(0.2);
        constexpr double dt = 1.0 / 480, game = 2.6; // seconds, metres a second
        double before = game, hardest = 0;
        for (int i = 0; i < 480; ++i) {
            if (i == 40) { performer.set("down", true); }
            if (i == 240) { performer.set("down", false); }
            performer.advance(dt);
            const Travel travel = performer.travel();
            const double speed = double(travel.move.z) / dt + (1 - double(travel.share)) * game;
            hardest = std::max(hardest, std::abs(speed - before));
            before = speed;
        }
        CAPTURE(style);
        CHECK(hardest < 0.05);
        CHECK(before == Approx(game).margin(0.01));
    }
}

TEST_CASE("cut keeps a window, reverse turns it round, rate quickens it") {
    const ClipSource swing = motion(
        body(), 2, [](double) { return at(0, 0); }, [](double t) { return 30 * t; });
    const auto leg = [&](const std::string& settings, double seconds) {
        Performer performer(playing(swing, settings));
        performer.advance(seconds);
        return degrees_between(support::pose_of(performer)[1].rotation, Quat{});
    };
    CHECK(leg("{}", 1) == Approx(30).margin(0.01));
    CHECK(leg("{cut: [0.5, 1.5]}", 0) == Approx(15).margin(0.01));
    CHECK(leg("{cut: [0.5, 1.5]}", 5) == Approx(45).margin(0.01));
    CHECK(leg("{cut: [0.5, 1.5], reverse: yes}", 0.25) == Approx(37.5).margin(0.01));
    CHECK(leg("{rate: 2}", 0.5) == Approx(30).margin(0.01));
    CHECK(playing(swing, "{cut: [0.5, 1.5], rate: 4}")->clips()[0].seconds == Approx(0.25));
    CHECK_THAT(complaint(swing, "{cut: [1, 3]}"),
               Catch::Contains("'cut' keeps from one second to a later one of the 2.000 that clip 'way' lasts; found "
                               "[1, 3] [wrong-range]"));
    CHECK_THAT(complaint(swing, "{cut: 1}"),
               Catch::Contains("'cut' is the first and the last second to keep, such as [0.2, 1.4]; found '1'"));
    CHECK_THAT(complaint(swing, "{rate: -1}"),
               Catch::Contains("'rate' is 0.01 to 100 times as fast; for the way back write 'reverse: yes'; found -1"));
}

TEST_CASE("a mirrored clip does with the right what it did with the left, whatever the joints' axes") {
    for (const Quat& axes : {Quat{}, axis_angle({1, 2, 0.5F}, 77)}) {
        const Rig rig = body(1, axes);
        const ClipSource kick = motion(
            rig, 1, [](double t) { return at(0.3 * t, 0, 20 * t); }, [](double t) { return -50 * t; });
        const auto show = [&](const std::string& settings) {
            Performer performer(playing(kick, settings, rig));
            performer.advance(1);
            std::vector<Transform> model(rig.joints.size());
            performer.model_pose(model);
            return model;
        };
        const auto plain = show("{}"), mirrored = show("{mirror: yes}");
        const auto same_but_for_x = [](Vec3 a, Vec3 b) { return length(a - Vec3{-b.x, b.y, b.z}) < 1e-4F; };
        CHECK(same_but_for_x(mirrored[4].translation, plain[2].translation));
        CHECK(same_but_for_x(mirrored[2].translation, plain[4].translation));
        CHECK(same_but_for_x(mirrored[0].translation, plain[0].translation));
        CHECK(length(mirrored[4].translation - plain[4].translation) > 0.1F);
    }
}

TEST_CASE("what cannot be mirrored, closed or found is said") {
    const ClipSource still = motion(
        body(), 1, [](double) { return at(0, 0); }, [](double t) { return 20 * t; });
    CHECK_THAT(complaint(still, "{travel: hip}"),
               Catch::Contains("no joint 'hip'; did you mean 'hips'? [unknown-joint]"));
    CHECK_THAT(complaint(still, "{travel: {take: [forward]}}"),
               Catch::Contains("'travel' does not say whose way it takes; add 'joint: hips'"));
    CHECK_THAT(complaint(still, "{travel: {joint: hips, take: [upward]}}"),
               Catch::Contains("no part of a way 'upward'"));
    CHECK_THAT(complaint(still, "{loop: yes, seam: 5}"), Catch::Contains("no key 'seam'"));
    CHECK_THAT(complaint(still, "{marks: {up: 3}}"),
               Catch::Contains("mark 'up' stands at 3 s, and clip 'way' lasts 1.000 s [wrong-range]"));
    CHECK_THAT(complaint(still, "{spans: {may_turn: [0.8, 0.2]}}"),
               Catch::Contains("span 'may_turn' is empty; write its beginning first"));
    CHECK_THAT(complaint(still, "{}", "mirror: {left_foot: rightfoot}\n"),
               Catch::Contains("no joint 'rightfoot'; did you mean 'right_foot'?"));
    CHECK_THAT(complaint(still, "{fit: cap}"), !Catch::Contains("error")); // fits matter when files are read
}

namespace {

/// The turn of the joint that turns most within two microseconds around the end of a clip of `seconds`.
double break_at_end(Performer performer, double seconds) {
    performer.advance(seconds - 1e-6);
    const auto before = support::pose_of(performer);
    performer.advance(2e-6);
    return support::greatest_turn(before, support::pose_of(performer));
}

/// `clip` without what comes after `seconds`.
ClipSource cut_short(ClipSource clip, double seconds) {
    for (JointTracks& tracks : clip.tracks) {
        for (auto* times : {&tracks.rotation.times, &tracks.translation.times}) {
            while (!times->empty() && times->back() > seconds + 1e-6) { times->pop_back(); }
        }
        tracks.rotation.values.resize(tracks.rotation.times.size());
        tracks.translation.values.resize(tracks.translation.times.size());
    }
    clip.seconds = seconds;
    return clip;
}

} // namespace

TEST_CASE("a loop that does not quite meet is closed by spreading the difference") {
    const ClipSource swing = motion(
        body(), 1, [](double) { return at(0, 0); }, [](double t) { return 20 * std::sin(2 * pi * t) + 6 * t; });
    Performer performer(playing(swing, "{loop: yes}"));
    CHECK(break_at_end(performer, 1) < 0.01);
    performer.advance(1.25);
    CHECK(degrees_between(support::pose_of(performer)[1].rotation, Quat{}) == Approx(20).margin(0.1));
    CHECK(break_at_end(Performer(playing(swing, "{loop: yes, close: no}")), 1) > 5);
    // Whoever makes it loop.
    const auto looped = support::character(
        "gait: 1\nrig: body.glb\nclips:\n  way: {}\nlayers: [{name: l, machine: {start: a, states: {a: "
        "{play: {clip: way, loop: yes}}, b: {play: "
        "way}}}}]\n",
        [&] {
            Assets assets;
            assets.rig = body();
            assets.clips.emplace("way", swing);
            return assets;
        }());
    CHECK(break_at_end(Performer(looped), 1) < 0.01);
}

TEST_CASE("the closing frame that an export left out is added, in place and under way") {
    const auto frame = GENERATE(1.0 / 60, 2.0 / 60);
    const auto swing = [](double t) { return 25 * std::sin(2 * pi * t) + 10 * std::cos(6 * pi * t); };
    const ClipSource whole = motion(
        body(), 1, [](double t) { return at(0, 1.4 * t); }, swing);
    ClipSource lacking = cut_short(whole, 1 - frame);
    if (frame > 1.0 / 50) { // at thirty a second
        for (JointTracks& tracks : lacking.tracks) {
            const auto thin = [](auto& track) {
                for (std::size_t k = 0; k < track.times.size(); ++k) {
                    track.times[k / 2] = k % 2 == 0 ? track.times[k] : track.times[k / 2];
                    track.values[k / 2] = k % 2 == 0 ? track.values[k] : track.values[k / 2];
                }
                track.times.resize((track.times.size() + 1) / 2);
                track.values.resize(track.times.size());
            };
            thin(tracks.rotation);
            thin(tracks.translation);
        }
    }
    const ClipMeasure measured = measure_clip(lacking, body());
    CHECK(measured.left_out == Approx(frame).margin(1e-6));
    CHECK(measured.loops);
    const auto full = playing(whole, "{loop: yes, travel: hips}"),
               mended = playing(lacking, "{loop: yes, travel: hips}");
    CHECK(mended->clips()[0].seconds == Approx(1).margin(1e-6));
    CHECK(mended->clips()[0].way.z == Approx(1.4).margin(1e-3));
    Performer a(full), b(mended);
    for (int i = 0; i < 100; ++i) {
        a.advance(0.0173);
        b.advance(0.0173);
        CHECK(support::greatest_turn(support::pose_of(a), support::pose_of(b)) < 1.5);
        CHECK(b.travel().move.z == Approx(a.travel().move.z).margin(1e-4));
    }
    // A whole one is left as it is.
    CHECK(measure_clip(whole, body()).left_out == 0);
    // So is one that stops dead.
    CHECK(measure_clip(cut_short(whole, 0.6), body()).left_out == 0);
}

TEST_CASE("a joint that jumps from key to key goes on jumping where its clip is closed, and is not bent") {
    ClipSource swing = motion(
        body(), 1, [](double) { return at(0, 0); }, [](double t) { return 6 * t; });
    swing.tracks[5].rotation = {Interpolation::step, {0, 0.5}, {Quat{}, axis_angle({0, 0, 1}, 90)}};
    Performer performer(playing(swing, "{loop: yes}"));
    const auto arm = [&](double seconds) {
        performer.advance(seconds - performer.time());
        return degrees_between(support::pose_of(performer)[5].rotation, Quat{});
    };
    CHECK(arm(0.4999) == Approx(0).margin(0.01));
    CHECK(arm(0.5001) == Approx(90).margin(0.01));
    CHECK(arm(0.9999) == Approx(90).margin(0.01));
    CHECK(arm(1.0001) == Approx(0).margin(0.01));
}

TEST_CASE("several clips of a file share their settings") {
    Assets assets;
    assets.rig = body();
    for (const char* name : {"q_walk", "q_run"}) {
        assets.clips.emplace(name, motion(body(), 1, [](double t) { return at(0, t); }));
    }
    const auto character = support::character(
        "gait: 1\nrig: x.glb\nclip_sets: [{take: [walk, run], prefix: q_, loop: yes, travel: hips}]\n"
        "layers: [{name: body, machine: {start: s, states: {s: {play: q_run}}}}]\n",
        assets);
    REQUIRE(character->clips().size() == 2);
    CHECK(character->clips()[1].travels);
    CHECK(character->clips()[1].loops);
    CHECK_THAT(support::diagnose("gait: 1\nrig: x.glb\nclip_sets: [{loop: yes}]\nlayers: [{name: b, machine: {start: "
                                 "s, states: {s: {play: a}}}}]\n",
                                 assets),
               Catch::Contains("a clip set lists the animations it takes; add 'take: [NAME, NAME]'"));
}

namespace {

/// Clips that hold a lid open, half and shut, and one that knows nothing of it.
Assets blinking() {
    Assets assets;
    assets.rig = body();
    for (const auto& [name, value] : {std::pair{"open", 0.0F}, {"half", 0.5F}, {"shut", 1.0F}, {"blind", -1.0F}}) {
        ClipSource clip = motion(body(), 1, [](double) { return at(0, 0); });
        NumberTrack blink{"blink", {}};
        blink.values.times = {0, 1};
        blink.values.values = {value, value};
        if (value >= 0) { clip.numbers.push_back(blink); }
        assets.clips.emplace(name, clip);
    }
    return assets;
}

} // namespace

TEST_CASE("numbers that come along with a clip are blended and handed out by name") {
    const Assets assets = blinking();
    const auto character = support::character(
        "gait: 1\nrig: x.glb\nclips: {open: {loop: yes}, shut: {loop: yes}}\nparameters: {lid: {kind: number, range: "
        "[0, 1], smooth: 0}}\n"
        "layers: [{name: body, machine: {start: s, states: {s: {play: {blend: lid, points: {0: open, 1: shut}}}}}}]\n",
        assets);
    REQUIRE(character->number_tracks().size() == 1);
    CHECK(character->number_tracks()[0] == "blink");
    Performer performer(character);
    performer.set("lid", 0.3);
    performer.advance(0.1);
    float value = -1;
    CHECK(performer.number_tracks({&value, 1}) == 1);
    CHECK(value == Approx(0.3));
}

TEST_CASE("a layer's numbers take the place of those below as far as it counts and its clips have them") {
    const auto shown = [](const std::string& play, double weight) {
        const auto character = support::character(
            "gait: 1\nrig: x.glb\nclips: {open: {loop: yes}, half: {loop: yes}, shut: {loop: yes}, blind: {loop: "
            "yes}}\nparameters: {lid: {kind: number, range: [0, 1], smooth: 0}, much: {kind: number, range: [0, 1]}}\n"
            "layers:\n  - {name: body, machine: {start: s, states: {s: {play: half}}}}\n"
            "  - {name: face, weight: much, fade: 0, machine: {start: s, states: {s: {play: " +
                play + "}}}}\n",
            blinking());
        Performer performer(character);
        performer.set("lid", 0.5);
        performer.set("much", weight);
        performer.advance(0.1);
        float value = -1;
        performer.number_tracks({&value, 1});
        return value;
    };
    CHECK(shown("shut", 0) == Approx(0.5));
    CHECK(shown("shut", 1) == Approx(1));
    CHECK(shown("shut", 0.4) == Approx(0.7));
    CHECK(shown("blind", 1) == Approx(0.5));
    // Two clips at once are one layer still.
    CHECK(shown("{blend: lid, points: {0: shut, 1: shut}}", 1) == Approx(1));
    CHECK(shown("{blend: lid, points: {0: open, 1: shut}}", 1) == Approx(0.5));
    CHECK(shown("{blend: lid, points: {0: open, 1: shut}}", 0.5) == Approx(0.5));
    CHECK(shown("{blend: lid, points: {0: open, 1: open}}", 0.5) == Approx(0.25));
}

TEST_CASE("marks and spans stay with what they name, in a clip that is cut, turned round, mirrored or quickened") {
    const ClipSource clip = motion(body(), 2, [](double) { return at(0, 0); });
    ClipDefinition settings;
    settings.name = "way";
    settings.cut = {0.5, 1.5};
    settings.marks = {{"left_down", 0.2}, {"bell", 0.9}};
    settings.spans = {{"may_turn", 0.1, 0.4}};
    DiagnosticSink sink(std::string(), {});
    const auto prepared = [&] {
        return prepare_clip(clip, body(), settings, mirror_pairs(Document{}, body(), sink), sink);
    };
    CHECK(prepared().marks[0].at == Approx(0.2));
    CHECK(prepared().spans[0].to == Approx(0.4));
    settings.rate = 2;
    CHECK(prepared().marks[1].at == Approx(0.45));
    settings.reverse = true;
    CHECK(prepared().marks[0].name == "bell"); // in order of time
    CHECK(prepared().marks[0].at == Approx(0.05));
    CHECK(prepared().spans[0].from == Approx(0.3));
    CHECK(prepared().spans[0].to == Approx(0.45));
    settings.mirror = true;
    CHECK(prepared().marks[1].name == "right_down");
    CHECK(sink.list().empty());
}

TEST_CASE("numbers are cut, turned round and quickened with the clip they came with, stepped and curved ones too") {
    ClipSource clip = motion(body(), 2, [](double) { return at(0, 0); });
    NumberTrack line{"line", {}}, stairs{"stairs", {}}, curve{"curve", {}};
    line.values.times = stairs.values.times = {0, 1, 2};
    line.values.values = stairs.values.values = {0, 1, 0};
    stairs.values.interpolation = Interpolation::step;
    curve.values.interpolation = Interpolation::cubic_spline;
    curve.values.times = {0, 2};
    curve.values.values = {0, 0, 1, 1, 1, 0}; // before, value, after: t + (t/2)^2 - (t/2)^3 and so on, up and level
    clip.numbers = {line, stairs, curve};
    const auto plain_curve = [&](double seconds) { return double(number_at(curve, seconds)); };
    const auto at_second = [&](const std::string& settings, double seconds) {
        Performer performer(playing(clip, settings));
        performer.advance(seconds);
        std::array<float, 3> values{};
        REQUIRE(performer.number_tracks(values) == 3);
        std::map<std::string, double> named;
        for (std::size_t i = 0; i < 3; ++i) {
            named[std::string(performer.character().number_tracks()[i])] = double(values[i]);
        }
        return named;
    };
    CHECK(at_second("{}", 0.5)["line"] == Approx(0.5));
    CHECK(at_second("{}", 0.5)["stairs"] == Approx(0));
    CHECK(at_second("{}", 0.5)["curve"] == Approx(plain_curve(0.5)).margin(2e-3));
    CHECK(at_second("{cut: [0.5, 1.5]}", 0.25)["line"] == Approx(0.75));
    CHECK(at_second("{cut: [0.5, 1.5]}", 0.25)["stairs"] == Approx(0));
    CHECK(at_second("{cut: [0.5, 1.5]}", 0.75)["stairs"] == Approx(1));
    CHECK(at_second("{cut: [0.5, 2], reverse: yes}", 0.25)["line"] == Approx(0.25));
    CHECK(at_second("{cut: [0.5, 2], reverse: yes}", 1)["line"] == Approx(1));
    CHECK(at_second("{rate: 2}", 0.25)["line"] == Approx(0.5));
    CHECK(at_second("{rate: 2}", 0.25)["curve"] == Approx(plain_curve(0.5)).margin(2e-3));
    CHECK(at_second("{rate: 2}", 0.7)["curve"] == Approx(plain_curve(1.4)).margin(2e-3));
}

TEST_CASE("in what order a file has its joints changes nothing, nor does it between the points of a space") {
    const std::string path = (support::project() / "demo/lamplighter.gait.yaml").string();
    const Document document = read_document(path).document;
    Assets assets = load_assets(document).assets;
    const Compiled as_imported = compile(document, assets);
    for (auto& [name, clip] : assets.clips) {
        std::reverse(clip.joints.begin(), clip.joints.end());
        std::reverse(clip.tracks.begin(), clip.tracks.end());
    }
    const Compiled reversed = compile(document, assets);
    REQUIRE((as_imported.character && reversed.character));
    Performer one(as_imported.character), other(reversed.character);
    std::vector<Transform> pose(assets.rig->joints.size()), same = pose;
    double worst = 0;
    for (int frame = 0; frame < 600; ++frame) {
        for (Performer* performer : {&one, &other}) {
            performer->set("speed", frame < 60 ? 0 : 0.5 + frame * 0.008);
            performer->set("direction", 150.0 * std::sin(frame * 0.02));
            performer->advance(1.0 / 60);
        }
        one.pose(pose);
        other.pose(same);
        for (std::size_t j = 0; j < pose.size(); ++j) {
            worst = std::max(worst, degrees_between(pose[j].rotation, same[j].rotation));
        }
    }
    CHECK(worst == 0);
}
