#include "gait/gait.hpp"
#include "perform/block_of.hpp"
#include "random_inputs.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cstring>

using namespace gait;
using support::RandomInputs;

namespace {

std::shared_ptr<const Character> lamplighter() {
    static const Loaded loaded = load(support::project() / "demo/lamplighter.gait.yaml");
    return loaded.character;
}

std::vector<Transform> pose_of(const Performer& performer) {
    std::vector<Transform> pose(performer.character().joint_count());
    performer.pose(pose);
    return pose;
}

/// Whether nobody has asked for the pose of the last step.
bool pose_is_due(const Performer& performer) { return detail::block_of(performer).header().pose_due != 0; }

bool same_bits(const std::vector<Transform>& a, const std::vector<Transform>& b) {
    return std::memcmp(a.data(), b.data(), a.size() * sizeof(Transform)) == 0;
}

} // namespace

TEST_CASE("a pose is that of its step to the last bit, whenever it is asked for and however often") {
    REQUIRE(lamplighter());
    Performer at_once(lamplighter()), late(lamplighter());
    RandomInputs first(3, 0.005), second(3, 0.005);
    std::vector<Matrix4> matrices(at_once.character().joint_count());
    for (int frame = 0; frame < 900; ++frame) {
        first.give(at_once);
        at_once.advance(1.0 / 60);
        const std::vector<Transform> pose = pose_of(at_once);
        second.give(late);
        late.advance(1.0 / 60);
        // What is asked for next does not show in it yet, nor does what was asked before of the pose.
        Performer asked = late;
        asked.set("speed", 3);
        asked.send("hop");
        asked.enter(asked.character().state("legs.still"), 0);
        CHECK(same_bits(pose, pose_of(asked)));
        late.skinning_matrices(matrices);
        late.pose({});
        CHECK(same_bits(pose, pose_of(late)));
    }
}

TEST_CASE("what is decided does not hang on who looks") {
    Performer seen(lamplighter()), unseen(lamplighter());
    RandomInputs first(11, 0.005), second(11, 0.005);
    EventList of_seen, of_unseen;
    for (int frame = 0; frame < 1800; ++frame) {
        first.give(seen);
        second.give(unseen);
        seen.advance(1.0 / 60, of_seen);
        unseen.advance(1.0 / 60, of_unseen);
        pose_of(seen);
        const Travel ours = seen.travel(), theirs = unseen.travel();
        REQUIRE(std::memcmp(&ours, &theirs, sizeof ours) == 0);
        REQUIRE(seen.transitions().size() == unseen.transitions().size());
        for (std::size_t l = 0; l < seen.character().layers().size(); ++l) {
            REQUIRE(seen.state(l) == unseen.state(l));
        }
        REQUIRE(of_seen.events().size() == of_unseen.events().size());
    }
    // Seen again she is as she would have been, but for the side on which a layer that counts in part lies.
    double worst = 0;
    const std::vector<Transform> ours = pose_of(seen), theirs = pose_of(unseen);
    for (std::size_t j = 0; j < ours.size(); ++j) {
        worst = std::max(worst, degrees_between(ours[j].rotation, theirs[j].rotation));
    }
    CHECK(worst < 1);
}

TEST_CASE("feet are planted, and a performer is copied, saved and carried over, on the pose of its last step") {
    Performer asked(lamplighter()), not_asked(lamplighter());
    for (int frame = 0; frame < 200; ++frame) {
        for (Performer* her : {&asked, &not_asked}) {
            her->set("speed", 1.4);
            her->advance(1.0 / 60);
            if (her == &asked) { pose_of(*her); }
            if (frame >= 100) { her->plant_feet(her->travel()); }
        }
        if (frame < 100 && frame % 7 != 0) { continue; } // and not for long where nobody asks
        const Performer copy = not_asked;
        Performer restored(lamplighter());
        REQUIRE(restored.restore(not_asked.bytes()));
        REQUIRE(same_bits(pose_of(asked), pose_of(copy)));
        REQUIRE(same_bits(pose_of(asked), pose_of(restored)));
        REQUIRE(same_bits(pose_of(asked), pose_of(not_asked)));
        if (frame >= 100) { continue; } // another performer's feet are planted by its next step
        const CarriedOver carried = carry_over(not_asked, lamplighter(), 0.2);
        REQUIRE(same_bits(pose_of(asked), pose_of(carried.performer)));
    }
}

TEST_CASE("who steers by a body, or asks where a blend is steered, does not make its pose") {
    Performer her(lamplighter());
    PlainBody body;
    body.speed = her.character().number("speed");
    body.heading = her.character().number("heading");
    for (int frame = 0; frame < 90; ++frame) {
        her.set("speed", 1.4);
        her.advance(1.0 / 60);
        (void)body.move(her, 1.0 / 60);
        (void)blend_cursor(her);
        (void)her.layer_weight(1);
        CHECK(pose_is_due(her));
    }
    her.pose({});
    CHECK_FALSE(pose_is_due(her));
    her.advance(0);
    CHECK(pose_is_due(her));
}

TEST_CASE("a performer whose pose nobody took is carried over as a whole") {
    Performer unseen(lamplighter());
    for (int frame = 0; frame < 200; ++frame) {
        unseen.set("speed", frame < 100 ? 3 : 0.8);
        unseen.advance(1.0 / 60);
    }
    const CarriedOver carried = carry_over(unseen, lamplighter(), 0.2);
    CHECK(carried.gone.empty());
    for (std::size_t l = 0; l < unseen.character().layers().size(); ++l) {
        REQUIRE(carried.performer.instance_count(l) == unseen.instance_count(l));
        CHECK(carried.performer.instance(0, l).serial == unseen.instance(0, l).serial);
    }
    CHECK(same_bits(pose_of(carried.performer), pose_of(unseen)));
}

TEST_CASE("what nobody saw for long is shown the short way, whatever lay where before") {
    Assets assets = support::assets(1, {support::held("low", 1, 0)});
    assets.clips.emplace("round", support::clip("round", 1, 4, [](int, double part) {
                             return axis_angle({1, 0, 0}, 360 * part);
                         }));
    const auto character =
        support::character("gait: 1\nrig: x.glb\nclips: {low: {loop: yes}, round: {loop: yes}}\nlayers:\n"
                           "  - name: below\n    machine: {start: a, states: {a: {play: round}}}\n"
                           "  - name: half\n    weight: 0.5\n    machine: {start: a, states: {a: {play: low}}}\n",
                           assets);
    Performer unseen(character);
    pose_of(unseen);
    // At 195 degrees the way over 360 is the short one; half of it is at -82.5.
    for (int step = 0; step < 195; ++step) { unseen.advance(4.0 / 360); }
    CHECK(degrees_between(pose_of(unseen)[0].rotation, axis_angle({1, 0, 0}, -82.5)) < 1);
}
