#include "gait/gait.hpp"
#include "gait/smoothness.hpp"
#include "perform/block_of.hpp"
#include "random_inputs.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cstring>
#include <random>

using namespace gait;
using support::pose_of;
using support::RandomInputs;

namespace {

const std::shared_ptr<const Character>& lamplighter() { return support::lamplighter().character; }

/// The greatest turn between two poses over joints `from` to `to`, degrees.
double worst_turn(const std::vector<Transform>& a, const std::vector<Transform>& b, std::size_t from, std::size_t to) {
    double worst = 0;
    for (std::size_t j = from; j < to; ++j) { worst = std::max(worst, degrees_between(a[j].rotation, b[j].rotation)); }
    return worst;
}

Performer strolling() {
    Performer performer(lamplighter());
    performer.set("speed", 1.4);
    for (int frame = 0; frame < 180; ++frame) { performer.advance(1.0 / 60); }
    return performer;
}

std::size_t all() { return lamplighter()->joint_count(); }

} // namespace

TEST_CASE("small joints that a document names stand last in the rig, and the first level goes first") {
    REQUIRE(lamplighter());
    const Character& character = *lamplighter();
    REQUIRE(character.detail_levels() == 2);
    CHECK(character.joints_at(0) == all());
    CHECK(character.joints_at(1) < all());
    CHECK(character.joints_at(2) < character.joints_at(1));
    CHECK(character.joints_at(9) == character.joints_at(2));
    const auto place = [&](const char* name) { return std::size_t(character.rig().find(name).value()); };
    for (const char* finger : {"left_thumb_2", "right_fingers_2", "left_index_1"}) {
        CHECK(place(finger) >= character.joints_at(1));
    }
    CHECK(place("left_coat_back_2") >= character.joints_at(2));
    CHECK(place("left_coat_back_2") < character.joints_at(1));
    CHECK(place("right_toes") < character.joints_at(2));
    for (std::size_t j = 0; j < all(); ++j) { CHECK(character.rig().joints[j].parent < int(j)); }
}

TEST_CASE("a body in full detail is as if nobody had spoken of it") {
    Performer plain(lamplighter()), asked(lamplighter());
    REQUIRE(asked.set_detail({}));
    RandomInputs first(5), second(5);
    for (int frame = 0; frame < 300; ++frame) {
        first.give(plain);
        second.give(asked);
        plain.advance(1.0 / 60);
        asked.advance(1.0 / 60);
        REQUIRE(std::memcmp(plain.bytes().data(), asked.bytes().data(), plain.bytes().size()) == 0);
    }
}

TEST_CASE("with fewer joints the others are posed as before, and those left out stay where they are") {
    Performer full = strolling(), less = full;
    const std::size_t kept = lamplighter()->joints_at(2);
    REQUIRE(less.set_detail({.joints = kept}));
    std::vector<Transform> rested;
    const std::size_t posed = (kept + 15) / 16 * 16;
    REQUIRE(posed < all());
    double moved = 0;
    for (int frame = 0; frame < 120; ++frame) {
        full.advance(1.0 / 60);
        less.advance(1.0 / 60);
        const std::vector<Transform> ours = pose_of(less), theirs = pose_of(full);
        REQUIRE(std::memcmp(ours.data(), theirs.data(), posed * sizeof(Transform)) == 0);
        if (frame == 20) { rested = ours; }
        if (frame > 20) {
            REQUIRE(std::memcmp(ours.data() + posed, rested.data() + posed, (all() - posed) * sizeof(Transform)) == 0);
            moved = std::max(moved, worst_turn(theirs, rested, posed, all()));
        }
    }
    CHECK(moved > 1); // they would not have stayed by themselves
    REQUIRE(less.set_detail({}));
    for (int frame = 0; frame < 20; ++frame) {
        full.advance(1.0 / 60);
        less.advance(1.0 / 60);
        less.pose({});
    }
    const std::vector<Transform> ours = pose_of(less), theirs = pose_of(full);
    CHECK(std::memcmp(ours.data(), theirs.data(), ours.size() * sizeof(Transform)) == 0);
}

TEST_CASE("poses that are made less often do not lag behind") {
    const unsigned every = GENERATE(2U, 3U, 4U, 8U);
    Performer full = strolling(), rare = full;
    REQUIRE(rare.set_detail({.every = every}));
    double worst = 0;
    for (int frame = 0; frame < 240; ++frame) {
        full.advance(1.0 / 60);
        rare.advance(1.0 / 60);
        worst = std::max(worst, worst_turn(pose_of(full), pose_of(rare), 0, all()));
        const Travel ours = rare.travel(), theirs = full.travel();
        REQUIRE(std::memcmp(&ours, &theirs, sizeof ours) == 0);
    }
    CAPTURE(every);
    // What is cut off a bend between poses grows with the square of their distance; a lag would grow with it and be
    // more at once: her toes turn by 600 degrees a second as they come down, which is 10 degrees a frame.
    CHECK(worst < double(every * every) + 0.5);
    CHECK(worst > 0.001);
}

TEST_CASE("changing the level of detail shows in no instant and in no frame, whatever else goes on") {
    const unsigned seed = GENERATE(1U, 2U, 3U, 4U);
    const unsigned slowest = GENERATE(1U, 3U);
    Performer performer(lamplighter()), full(lamplighter());
    RandomInputs inputs(seed), same_inputs(seed);
    std::mt19937 random(seed);
    PopMeter of_levels(performer), of_full(full);
    double seam = 0;
    int changes = 0;
    for (int frame = 0; frame < 1200; ++frame) {
        inputs.give(performer);
        same_inputs.give(full);
        if (random() % 20 == 0) {
            const std::vector<Transform> before = pose_of(performer);
            const Detail detail{lamplighter()->joints_at(random() % 3), 1 + unsigned(random() % slowest)};
            REQUIRE(performer.set_detail(detail));
            Performer twin = performer;
            twin.advance(1e-5);
            seam = std::max(
                {seam, worst_turn(before, pose_of(performer), 0, all()), worst_turn(before, pose_of(twin), 0, all())});
            ++changes;
        }
        performer.advance(1.0 / 60);
        full.advance(1.0 / 60);
        of_levels.add(performer);
        of_full.add(full);
    }
    CAPTURE(seed, slowest, changes, of_levels.worst().time, of_levels.worst().joint, of_full.worst().ratio);
    CHECK(changes > 40);
    CHECK(seam < seam_bound);
    // Joints that come and go add nothing to what shows. Poses that are made less often are late by up to one when
    // something begins that could not be seen ahead, and make up for it.
    const double all_of_it = std::max(pop_bound, 1.01 * of_full.worst().ratio);
    CHECK(of_levels.worst().ratio <= (slowest == 1 ? all_of_it : 2 * of_full.worst().ratio + 0.5));
}

TEST_CASE("feet stay planted under poses that are made less often") {
    Performer full = strolling(), rare = full;
    REQUIRE(rare.set_detail({.every = 3}));
    for (int frame = 0; frame < 240; ++frame) {
        for (Performer* performer : {&full, &rare}) {
            performer->advance(1.0 / 60);
            performer->plant_feet(performer->travel());
        }
        CHECK(worst_turn(pose_of(full), pose_of(rare), 0, all()) < 8);
    }
}

TEST_CASE("a level of detail that cannot be is refused, and one that can survives a reset and a copy") {
    Performer performer = strolling();
    CHECK_FALSE(performer.set_detail({.joints = 0}));
    CHECK_FALSE(performer.set_detail({.every = 0}));
    CHECK_FALSE(performer.set_detail({.every = 9}));
    CHECK(performer.faults().refused_values == 3);
    CHECK(performer.set_detail({.joints = 100000, .every = 4}));
    for (int frame = 0; frame < 60; ++frame) {
        performer.advance(1.0 / 60);
        performer.pose({});
    }
    Performer twin(lamplighter());
    REQUIRE(twin.restore(performer.bytes()));
    for (int frame = 0; frame < 10; ++frame) {
        performer.advance(1.0 / 60);
        twin.advance(1.0 / 60);
        CHECK(worst_turn(pose_of(performer), pose_of(twin), 0, all()) == 0);
    }
    performer.reset();
    CHECK(detail::block_of(performer).header().detail.now.left_out == 3);
}

TEST_CASE("a document without details keeps nothing for less of them, and with an empty list poses may be rare") {
    const support::TemporaryFolder folder;
    const auto character = [&](const std::string& details) {
        const std::string file =
            folder.write("plain.gait.yaml",
                         "gait: 1\nrig: " + (support::project() / "demo/lamplighter.glb").string() + "\n" + details +
                             "clips: {stroll: {loop: yes}}\nlayers: [{name: body, machine: {start: still, states: "
                             "{still: {play: stroll}}}}]\n");
        return load(file).character;
    };
    Performer without(character("")), with(character("details: []\n"));
    CHECK_FALSE(without.set_detail({.every = 2}));
    CHECK(without.faults().refused_values == 1);
    CHECK(without.set_detail({}));
    CHECK(with.set_detail({.every = 2}));
    CHECK(without.bytes().size() + 700 < with.bytes().size());
    Performer rare = with;
    CHECK_FALSE(without.restore(rare.bytes()));
}

TEST_CASE("a body out of sight takes its level at once as it comes back") {
    Performer full = strolling(), back = full;
    REQUIRE(back.set_detail({.joints = lamplighter()->joints_at(2), .every = 4}));
    for (int frame = 0; frame < 60; ++frame) {
        full.advance(1.0 / 60);
        back.advance(1.0 / 60);
        back.pose({});
    }
    REQUIRE(back.set_detail({}));
    for (int frame = 0; frame < 90; ++frame) {
        full.advance(1.0 / 60);
        back.advance(1.0 / 60);
    }
    CHECK(worst_turn(pose_of(full), pose_of(back), 0, all()) == 0);
}

TEST_CASE("a detail that the rig does not have, is named twice or leaves nothing is said with its place") {
    const support::TemporaryFolder folder;
    const auto found = [&](const std::string& details) {
        const std::string file = folder.write(
            "plain.gait.yaml", "gait: 1\nrig: " + (support::project() / "demo/lamplighter.glb").string() +
                                   "\ndetails: " + details +
                                   "\nclips: {stand: {loop: yes}}\nlayers: [{name: body, machine: {start: still, "
                                   "states: {still: {play: stand}}}}]\n");
        std::string told;
        for (const Diagnostic& d : load(file).diagnostics) {
            if (d.severity == Severity::error) { told += format(d); }
        }
        return told;
    };
    CHECK(found("[[cap], [left_coat_front_1]]").empty());
    CHECK_THAT(found("[[left_thump_1]]"), Catch::Contains("did you mean 'left_thumb_1'") && Catch::Contains(":3:"));
    CHECK_THAT(found("[[left_hand], [left_thumb_1]]"), Catch::Contains("left out already"));
    CHECK_THAT(found("[[hips]]"), Catch::Contains("no joint is left"));
    CHECK_THAT(found("[cap]"), Catch::Contains("list"));
}
