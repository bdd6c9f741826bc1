#include "gait/character.hpp"
#include "gait/footprints.hpp"
#include "gait/ground_place.hpp"
#include "gait/math.hpp"
#include "gait/plain_body.hpp"
#include "gait/smoothness.hpp"
#include "gait/travel.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <array>
#include <random>
#include <string>

using namespace gait;
using support::greatest_turn;
using support::pose_of;

namespace {

/// A body that a plain game moves at the speed and heading it sets.
class Walk {
public:
    explicit Walk(bool planted) : her_(support::lamplighter().character), prints_(her_.character().rig()) {
        planted_ = planted;
        model_.resize(her_.character().joint_count());
    }

    void go(double speed, double heading, double seconds, double rate = 60) {
        her_.set("speed", speed);
        her_.set("heading", heading);
        for (int i = 0; i < int(std::lround(seconds * rate)); ++i) { step(1 / rate); }
    }

    void step(double dt) {
        her_.advance(dt);
        const double speed = her_.smoothed(her_.character().number("speed"));
        const double radians = double(her_.smoothed(her_.character().number("heading"))) / degrees_per_radian;
        const Travel moved{
            {float(-std::sin(radians) * speed * dt), 0, float(std::cos(radians) * speed * dt)}, float(turn_ * dt), 1};
        if (planted_) { her_.plant_feet(moved); }
        place_.add(moved);
        her_.model_pose(model_);
        prints_.add(her_.time(), model_, place_);
    }

    void turn(double degrees_a_second) { turn_ = degrees_a_second; }
    [[nodiscard]] Performer& her() { return her_; }
    [[nodiscard]] const GroundPlace& place() const { return place_; }
    [[nodiscard]] double worst_slide() const { return prints_.worst_slide(); }
    /// The lowest point of her feet, metres above the ground.
    [[nodiscard]] Vec3 joint(const char* name) const {
        return model_[std::size_t(her_.character().rig().find(name).value())].translation;
    }

private:
    Performer her_;
    Footprints prints_;
    std::vector<Transform> model_;
    GroundPlace place_;
    double turn_ = 0;
    bool planted_ = true;
};

/// Joints of a leg, from the hip down, without the side that their names begin with.
constexpr std::array leg_joints{"upper_leg", "lower_leg", "foot", "toes"};

/// Her, with each leg so many times, a hand's breadth aside of one another.
std::shared_ptr<const Character> with_legs_again(int times) {
    Document document = support::lamplighter().document;
    Assets assets = load_assets(document).assets;
    Rig& rig = assets.rig.value();
    const Rig hers = rig;
    for (const std::string side : {"left_", "right_"}) { document.feet.ankles.emplace_back(side + "foot"); }
    for (int copy = 2; copy <= times; ++copy) {
        const std::string ending = "_" + std::to_string(copy);
        for (const std::string side : {"left_", "right_"}) {
            for (const std::string own : leg_joints) {
                Joint joint = hers.joints[std::size_t(hers.find(side + own).value())];
                joint.name += ending;
                if (own == leg_joints.front()) {
                    joint.rest.translation.x += 0.1F * float(copy);
                } else {
                    joint.parent = int(rig.joints.size()) - 1;
                }
                rig.joints.push_back(joint);
                for (auto& [name, clip] : assets.clips) {
                    const auto found = std::find(clip.joints.begin(), clip.joints.end(), side + own);
                    if (found == clip.joints.end()) { continue; }
                    clip.tracks.push_back(clip.tracks[std::size_t(found - clip.joints.begin())]);
                    clip.joints.push_back(joint.name);
                }
            }
            document.feet.ankles.emplace_back(side + "foot" + ending);
        }
    }
    const Compiled compiled = compile(document, assets);
    INFO(format(compiled.diagnostics));
    REQUIRE(compiled.character);
    return compiled.character;
}

} // namespace

TEST_CASE("each of many legs is bent for its own foot") {
    const auto six = with_legs_again(3);
    Performer her(six);
    PlainBody body;
    body.speed = six->number("speed");
    body.heading = six->number("heading");
    her.set("speed", 1.4);
    for (int f = 0; f < 120; ++f) { her.advance(1 / 60.0); }
    std::vector<Transform> played(six->joint_count()), bent(six->joint_count());
    const auto moved = [&](const std::string& name) {
        const auto joint = std::size_t(six->rig().find(name).value());
        return bent[joint].translation - played[joint].translation;
    };
    float most = 0;
    // For so long none steps back, which is done one at a time.
    for (int f = 0; f < 40; ++f) {
        her.advance(1 / 60.0);
        her.model_pose(played);
        her.plant_feet(body.move(her, 1 / 60.0));
        her.model_pose(bent);
        for (const std::string foot : {"left_foot", "right_foot"}) {
            most = std::max(most, length(moved(foot)));
            for (const char* ending : {"_2", "_3"}) {
                CAPTURE(f, foot, ending);
                CHECK(length(moved(foot + ending) - moved(foot)) < 0.07F); // her hips turn a little as she walks
            }
        }
    }
    CHECK(most > 0.01F); // it is not that nothing was held
}

TEST_CASE("feet that are held do not slide where she sets off, changes her mind, stops dead and turns round") {
    const auto slide = [](bool planted) {
        Walk walk(planted);
        walk.go(1.4, 0, 2);
        walk.go(4.2, 0, 1.5);
        walk.go(0, 0, 2);
        walk.go(1.4, 180, 0.4);
        walk.go(2.6, 0, 2);
        walk.turn(70);
        walk.go(1.4, 0, 3);
        walk.turn(0);
        walk.go(0.8, 90, 2);
        walk.go(0, 90, 2);
        return walk.worst_slide();
    };
    CHECK(slide(true) < 0.03);
    CHECK(slide(false) > 0.1); // as the clips have it
}

TEST_CASE("she does not stay in the lunge that a stop left her in, but steps back into her stance") {
    Walk held(true), free(false);
    for (Walk* walk : {&held, &free}) {
        walk->go(1.4, 0, 1);
        walk->go(0, 0, 0.6);
    }
    double worst = 0;
    for (const char* foot : {"left_foot", "right_foot"}) {
        worst = std::max(worst, double(length(held.joint(foot) - free.joint(foot))));
    }
    CHECK(worst > 0.1);
    held.go(0, 0, 2);
    free.go(0, 0, 2);
    for (const char* foot : {"left_foot", "right_foot"}) { CHECK(length(held.joint(foot) - free.joint(foot)) < 0.06F); }
}

TEST_CASE("legs that are bent to hold a foot keep their length, and the rest of her is as it was, lowered where they "
          "reach too far") {
    Walk held(true), free(false);
    float lowest = 0;
    std::mt19937 random(7);
    std::uniform_real_distribution<double> unit(0, 1);
    const Rig& rig = held.her().character().rig();
    for (int i = 0; i < 300; ++i) {
        const double speed = unit(random) < 0.3 ? 0 : 5 * unit(random), heading = 360 * unit(random) - 180;
        held.go(speed, heading, 0.1);
        free.go(speed, heading, 0.1);
        const auto a = pose_of(held.her()), b = pose_of(free.her());
        for (std::size_t j = 0; j < a.size(); ++j) {
            const std::string& name = rig.joints[j].name;
            CAPTURE(i, name);
            const bool leg = name.find("leg") != std::string::npos || name.find("foot") != std::string::npos ||
                             name.find("toes") != std::string::npos;
            if (!leg) { REQUIRE(degrees_between(a[j].rotation, b[j].rotation) == 0); }
            const Vec3 moved = a[j].translation - b[j].translation;
            if (name != "hips") { REQUIRE(length(moved) == 0); }
            REQUIRE(std::hypot(moved.x, moved.z) < 1e-6F);
            REQUIRE(moved.y <= 1e-6F);
            lowest = std::min(lowest, moved.y);
            REQUIRE(std::abs(dot(a[j].rotation, a[j].rotation) - 1) < 1e-4F);
        }
    }
    CHECK(lowest < -0.005F);
    CHECK(lowest > -0.1F);
}

TEST_CASE("whatever she is asked for, holding her feet never makes a leg jump") {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> unit(0, 1);
    constexpr double rate = 8000;
    for (int run = 0; run < 4; ++run) {
        Walk walk(true);
        double worst = 0;
        for (int change = 0; change < 20; ++change) {
            walk.her().set("speed", unit(random) < 0.3 ? 0 : 5 * unit(random));
            walk.her().set("heading", 360 * unit(random) - 180);
            walk.turn(unit(random) < 0.5 ? 0 : 180 * unit(random) - 90);
            for (int i = 0; i < int(rate * 0.2); ++i) {
                const auto before = pose_of(walk.her());
                walk.step(1 / rate);
                worst = std::max(worst, greatest_turn(before, pose_of(walk.her())));
            }
        }
        // In an eighth of a millisecond a leg that swings turns by some 0.1 degrees; one whose reach runs out as she
        // turns on the spot was seen to turn by 0.77.
        CHECK(worst < 1);
    }
}

TEST_CASE("a foot is held at the same place at 30 and at 240 frames a second") {
    const auto stop = [](double rate) {
        Walk walk(true);
        walk.go(1.4, 0, 2, rate);
        walk.go(0, 0, 2.5, rate); // whichever foot stepped first, by then both stand
        const double z = walk.place().z;
        return std::pair(double(walk.joint("left_foot").z) + z, double(walk.joint("right_foot").z) + z);
    };
    const auto [left, right] = stop(240);
    const auto [coarse_left, coarse_right] = stop(30);
    CHECK(coarse_left == Approx(left).margin(0.03));
    CHECK(coarse_right == Approx(right).margin(0.03));
}

TEST_CASE("in the air no foot is held, and a performer that was not told for a while begins afresh") {
    Walk walk(true), free(false);
    for (Walk* each : {&walk, &free}) {
        each->go(3, 0, 1);
        each->her().set("airborne", true);
        each->go(3, 0, 1);
    }
    CHECK(greatest_turn(pose_of(walk.her()), pose_of(free.her())) < 0.1);
    for (Walk* each : {&walk, &free}) {
        each->her().set("airborne", false);
        each->go(0, 0, 3);
        // Nobody plants her feet here, and she is carried off.
        for (int i = 0; i < 10; ++i) { each->her().advance(0.1); }
        each->step(1.0 / 60);
    }
    CHECK(greatest_turn(pose_of(walk.her()), pose_of(free.her())) < 20);
}

TEST_CASE("the pose can be had as the clips have it, and feet may be planted twice in a step") {
    Walk walk(true), free(false);
    for (Walk* each : {&walk, &free}) {
        each->go(1.4, 0, 1);
        each->go(0, 0, 0.6);
    }
    REQUIRE(greatest_turn(pose_of(walk.her()), pose_of(free.her())) > 5);
    Performer once = walk.her(), twice = walk.her();
    once.advance(1.0 / 60);
    twice.advance(1.0 / 60);
    once.plant_feet({{0, 0, 0.02F}, 0, 1});
    twice.plant_feet({{0, 0, 0.01F}, 0, 1});
    twice.plant_feet({{0, 0, 0.01F}, 0, 1});
    CHECK(greatest_turn(pose_of(once), pose_of(twice)) < 0.3); // a roll follows the first part of the way
    walk.her().unbend_legs();
    CHECK(greatest_turn(pose_of(walk.her()), pose_of(free.her())) == 0);
    CHECK_FALSE(walk.her().plant_feet({{NAN, 0, 0}, 0, 1}));
    CHECK(walk.her().faults().refused_values == 1);
}

TEST_CASE("what is wrong with the feet of a document is said") {
    const auto assets = support::assets(3, {support::held("still", 3, 0)});
    const std::string rest = "clips: {still: {loop: yes}}\nparameters: {wet: {kind: flag}}\n"
                             "layers: [{name: body, machine: {start: a, states: {a: {play: still}}}}]\n";
    const auto said = [&](const std::string& feet) {
        return support::diagnose("gait: 1\nrig: r.glb\nfeet: " + feet + "\n" + rest, assets);
    };
    CHECK_THAT(said("{planted: not wet}"), Catch::Contains("3:7: error: the rig shows no feet") &&
                                               Catch::Contains("name their joints") && Catch::Contains("[no-feet]"));
    CHECK_THAT(said("{most: 0.2}"), Catch::Contains("3:7: error") && Catch::Contains("add 'planted: yes'"));
    CHECK_THAT(said("{planted: not wte}"), Catch::Contains("no parameter 'wte'; did you mean 'wet'?"));
    CHECK_THAT(said("{planted: yes, most: 20}"), Catch::Contains("'most' is 0.01 to 10 metres; found 20"));
    CHECK_THAT(said("{planted: yes, ankles: [joint_9]}"), Catch::Contains("joint_9"));
    Performer without(support::character("gait: 1\nrig: r.glb\n" + rest, assets));
    CHECK_FALSE(without.plant_feet({}));
}

TEST_CASE("held feet move as smoothly as the rest of her, whatever she is asked for", "[long]") {
    // Each second or so another speed, another way, a hop; a plain game moves the body where the clips do not.
    for (unsigned seed = 1; seed <= 12; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(0, 1);
        Performer her(support::lamplighter().character);
        const auto speed = her.character().number("speed"), heading = her.character().number("heading");
        double turning = 0, wanted = 0,
               way = 0; // as a game asks for them, which pushes no body from a stand to a run at once
        const BodyMover body = [&](const Performer& moved, double dt) {
            const double pace = moved.smoothed(speed), radians = double(moved.smoothed(heading)) / degrees_per_radian;
            return Travel{{float(-std::sin(radians) * pace * dt), 0, float(std::cos(radians) * pace * dt)},
                          float(turning * dt),
                          1};
        };
        her.plant_feet({});
        SmoothnessWatch watch(her);
        Performer before = her;
        for (int frame = 0; frame < 1500; ++frame) {
            if (unit(random) < 0.02) { wanted = unit(random) < 0.3 ? 0 : 5 * unit(random); }
            if (unit(random) < 0.01) { way = 360 * unit(random) - 180; }
            const double pace = her.get(speed), ahead = her.get(heading);
            her.set(speed, float(pace + std::clamp(wanted - pace, -0.08, 0.08)));
            her.set(heading,
                    float(std::remainder(ahead + std::clamp(std::remainder(way - ahead, 360.0), -3.0, 3.0), 360.0)));
            if (unit(random) < 0.01) { turning = unit(random) < 0.5 ? 0 : 180 * unit(random) - 90; }
            before = her;
            her.advance(1.0 / 60);
            her.plant_feet(body(her, 1.0 / 60));
            watch.step(before, 1.0 / 60, her, body);
        }
        const Pop& pop = watch.pop().worst();
        CAPTURE(seed, pop.time, her.character().rig().joints[std::size_t(pop.joint)].name, pop.jolt, pop.usual);
        // Held as it was before, a foot popped nine times as hard as usual.
        CHECK(pop.ratio <= 3.3); // turned on the spot while they stand, they step
        CAPTURE(watch.worst_seam().joint, watch.worst_seam().time);
        CHECK(watch.worst_seam().degrees <= seam_bound);
    }
}
