#include "gait/gait.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cstring>
#include <random>

using namespace gait;

namespace {

std::shared_ptr<const Character> lamplighter() {
    static const Loaded loaded = load(support::project() / "demo/lamplighter.gait.yaml");
    return loaded.character;
}

/// Anything that a game may ask of her, drawn at random.
class AnyInputs {
public:
    explicit AnyInputs(unsigned seed) : random_(seed) {}

    void operator()(Performer& her) {
        if (unit() < 0.03) { her.set("speed", unit() < 0.3 ? 0 : 4.5 * unit()); }
        if (unit() < 0.02) { her.set("heading", 60 * unit() - 30); }
        for (const char* signal : {"hop", "bell", "light", "shutter", "greet"}) {
            if (unit() < 0.006) { her.send(signal); }
        }
        if (unit() < 0.01) { her.set("awning", unit() < 0.3); }
        if (unit() < 0.01) { her.set("hands", unit() < 0.5 ? "lantern" : "free"); }
        if (unit() < 0.005) { her.enter(her.character().state("legs.still"), 0.3); }
    }

private:
    double unit() { return std::uniform_real_distribution<double>(0, 1)(random_); }
    std::mt19937 random_;
};

std::vector<Transform> pose_of(const Performer& performer) {
    std::vector<Transform> pose(performer.character().joint_count());
    performer.pose(pose);
    return pose;
}

bool same_bits(const std::vector<Transform>& a, const std::vector<Transform>& b) {
    return std::memcmp(a.data(), b.data(), a.size() * sizeof(Transform)) == 0;
}

} // namespace

TEST_CASE("a pose is that of its step to the last bit, whenever it is asked for and however often") {
    REQUIRE(lamplighter());
    Performer at_once(lamplighter()), late(lamplighter());
    AnyInputs first(3), second(3);
    std::vector<Matrix4> matrices(at_once.character().joint_count());
    for (int frame = 0; frame < 900; ++frame) {
        first(at_once);
        at_once.advance(1.0 / 60);
        const std::vector<Transform> pose = pose_of(at_once);
        second(late);
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
    AnyInputs first(11), second(11);
    EventList of_seen, of_unseen;
    for (int frame = 0; frame < 1800; ++frame) {
        first(seen);
        second(unseen);
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
