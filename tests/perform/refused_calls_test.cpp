// What a call that cannot be says of itself, and what a performer is that was moved from.
#include "hostile.hpp"
#include "machine_support.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cstddef>
#include <limits>
#include <string>
#include <vector>

using namespace gait;

namespace {

std::shared_ptr<const Character> her() {
    return support::machine("speed: {kind: number}, alert: {kind: flag}, hands: {kind: choice, of: [free, lantern]}, "
                            "hop: {kind: signal}, fast: {kind: flag, from: speed > 2}",
                            "a: {play: low}");
}

/// Hears what is refused as long as it lives.
class Ear {
public:
    Ear() { hear_refusals(&Ear::hear, this); }
    ~Ear() { hear_refusals(nullptr); }
    Ear(const Ear&) = delete;
    Ear& operator=(const Ear&) = delete;

    /// The last sentence.
    [[nodiscard]] std::string last() const { return said.empty() ? "nothing" : said.back(); }
    std::vector<std::string> said;
    const Performer* about = nullptr;

private:
    static void hear(const RefusedCall& call, void* context) noexcept {
        auto& ear = *static_cast<Ear*>(context);
        ear.about = &call.performer;
        ear.said.push_back(describe(call));
    }
};

constexpr float not_a_number = std::numeric_limits<float>::quiet_NaN();

} // namespace

TEST_CASE("a refused call is told with its name, its value and the nearest name that there is") {
    const auto character = her();
    Performer performer(character);
    const Ear ear;
    CHECK(performer.set("speed", 1.5));
    CHECK(ear.said.empty());
    CHECK_FALSE(performer.set("sped", 1.5));
    CHECK(ear.about == &performer);
    CHECK(ear.last() == "set: no number 'sped'; did you mean 'speed'?");
    CHECK_FALSE(performer.set("alert", 1.5));
    CHECK(ear.last() == "set: 'alert' is of kind flag, not number");
    CHECK_FALSE(performer.set("fast", true));
    CHECK(ear.last() == "set: 'fast' is computed from other parameters, so set those");
    CHECK_FALSE(performer.set("hands", "lanten"));
    CHECK(ear.last() == "set: 'hands' has no value 'lanten'; did you mean 'lantern'?");
    CHECK_FALSE(performer.set("speed", not_a_number));
    CHECK(ear.last() == "set 'speed': a number must be a number, not nan");
    CHECK_FALSE(performer.send("hopp"));
    CHECK(ear.last() == "send: no signal 'hopp'; did you mean 'hop'?");
    CHECK_FALSE(performer.play_once("wave"));
    CHECK(ear.last() == "play_once: no one-shot 'wave'; there is no one-shot yet");
    CHECK_FALSE(performer.set(NumberParameter{}, 1));
    CHECK(ear.last() == "set: the handle refers to no number");
    CHECK_FALSE(performer.set(NumberParameter{character->flag("alert").index}, 1));
    CHECK(ear.last() == "set: 'alert' is of kind flag, not number");
    CHECK_FALSE(performer.enter(character->state("a"), 61));
    CHECK(ear.last() == "enter 'a': 61 is out of bounds for a fade");
    CHECK_FALSE(performer.set_scale(0));
    CHECK(ear.last() == "set_scale: 0 is out of bounds for a scale");
    CHECK_FALSE(performer.advance(-0.5));
    CHECK(ear.last() == "advance: -0.5 is out of bounds for a step");
    CHECK_FALSE(performer.plant_feet({{0, not_a_number, 0}}));
    CHECK(ear.last() == "plant_feet: a way must be a number, not nan");
    CHECK(ear.said.size() == 13);
    CHECK(performer.faults().refused_values == 12);
    CHECK(performer.faults().refused_steps == 1);
}

TEST_CASE("faults keep why the last call was refused, for whom and with what") {
    Performer performer(her());
    CHECK(performer.faults().last == Refusal::none);
    performer.set("sped", 1.5);
    Faults faults = performer.faults();
    CHECK(faults.last == Refusal::unknown_name);
    CHECK(std::string(faults.last_name) == "sped");
    CHECK(faults.last_value == 1.5F);
    performer.send("a name that is longer than there is room for");
    faults = performer.faults();
    CHECK(std::string(faults.last_name) == "a name that is longer than ");
    CHECK(faults.last_value == 0);
    // They are stored with the rest, and looked at as it comes back.
    std::vector<std::byte> stored(performer.bytes().begin(), performer.bytes().end());
    performer.reset();
    CHECK(performer.faults().last == Refusal::none);
    CHECK(performer.restore(stored));
    CHECK(performer.faults().last == Refusal::unknown_name);
    // A name without an end, and a reason that there is none of, would be read by whoever asks.
    const std::string begins = "a name that is";
    const auto as_byte = [](char letter) { return std::byte(letter); };
    const auto name = std::search(stored.begin(), stored.end(), begins.begin(), begins.end(),
                                  [&](std::byte byte, char letter) { return byte == as_byte(letter); });
    REQUIRE(name != stored.end());
    std::vector<std::byte> endless = stored, reasonless = stored;
    endless[std::size_t(name - stored.begin()) + sizeof faults.last_name - 1] = as_byte('x');
    CHECK(performer.fault_of(endless) == SnapshotFault::damaged);
    reasonless[std::size_t(name - stored.begin()) - offsetof(Faults, last_name) + offsetof(Faults, last)] = as_byte(99);
    CHECK(performer.fault_of(reasonless) == SnapshotFault::damaged);
}

// NOLINTBEGIN(clang-analyzer-cplusplus.Move): that is what is tested
TEST_CASE("a performer that was moved from refuses every call and shows nothing") {
    const auto& character = support::rich_character();
    Performer performer(character);
    performer.advance(0.5);
    const std::vector<std::byte> stored(performer.bytes().begin(), performer.bytes().end());
    const Performer moved = std::move(performer);
    CHECK(moved.time() == Approx(0.5));
    Performer& left = performer; // NOLINT(bugprone-use-after-move): that is what is tested

    CHECK(left.character().joint_count() == 0);
    left.reset();
    left.set_seed(7);
    left.set_moved_by(Mover::game);
    left.unbend_legs();
    CHECK_FALSE(left.enter(character->state("plane")));
    CHECK_FALSE(left.play_once(OneShotHandle{}));
    CHECK_FALSE(left.play_once("wave"));
    CHECK_FALSE(left.stop_once(OneShotHandle{}));
    CHECK_FALSE(left.set_scale(2));
    CHECK_FALSE(left.set_detail({1, 2}));
    for (const ParameterInfo& info : character->parameters()) {
        CHECK_FALSE(left.set(info.name, 1));
        CHECK_FALSE(left.set(info.name, true));
        CHECK_FALSE(left.set(info.name, "any"));
        CHECK_FALSE(left.send(info.name));
        CHECK(left.get(character->number(info.name)) == 0);
        CHECK(left.smoothed(character->number(info.name)) == 0);
        CHECK(left.get(character->choice(info.name)).empty());
    }
    EventList events;
    CHECK_FALSE(left.advance(0.1));
    CHECK_FALSE(left.advance(0.1, events));
    CHECK_FALSE(left.plant_feet({}));
    std::vector<Transform> pose(character->joint_count());
    std::vector<Matrix4> matrices(character->joint_count());
    std::vector<float> weights(character->joint_count());
    left.pose(pose);
    left.model_pose(pose);
    left.model_matrices(matrices);
    left.skinning_matrices(matrices);
    left.layer_pose(0, pose);
    left.instance_pose(0, pose);
    left.layer_weights(0, weights);
    CHECK(left.model_transform(0).rotation.w == 1);
    CHECK(left.number_tracks(weights) == 0);
    CHECK(left.travel().share == 0);
    CHECK(left.time() == 0);
    CHECK(left.state() == no_index);
    CHECK(left.state_name().empty());
    CHECK_FALSE(left.is_active(character->state("plane")));
    CHECK(left.seconds_in(character->state("plane")) == 0);
    CHECK(left.layer_weight(0) == 0);
    CHECK(left.transitions().empty());
    CHECK(left.instance_count() == 0);
    CHECK(left.instance(0).weight == 0);
    CHECK(left.offset_seconds() == 0);
    CHECK(left.seconds_to_next_instant() > 1e9);
    CHECK(left.bytes().empty());
    CHECK_FALSE(left.restore(stored));
    CHECK_FALSE(left.restore({}));
    CHECK_FALSE(load_state(left, save_state(moved)).loaded);
    CHECK(save_state(left).empty());
    CHECK(changes_since(left, stored).empty());
    CHECK_FALSE(apply_changes(left, stored, stored));
    CHECK_FALSE(blend_cursor(left));
    CHECK_FALSE(steered_velocity(left, character->number("speed"), character->number("heading")));
    std::vector<Performer> crowd;
    crowd.push_back(left); // a copy of nothing is nothing
    crowd.push_back(moved);
    advance_all(std::span(crowd), 0.1);
    CHECK(crowd[0].time() == 0);
    CHECK(crowd[1].time() == Approx(0.6));
    CHECK(carry_over(left, character).performer.time() == 0);

    // It may be used again as soon as something is assigned to it.
    left = moved;
    CHECK(left.advance(0.1));
    CHECK(left.time() == Approx(0.6));
}
// NOLINTEND(clang-analyzer-cplusplus.Move)

TEST_CASE("a share in a character is what a shared pointer is") {
    std::shared_ptr<const Character> character = her();
    const SharedCharacter none;
    CHECK_FALSE(none);
    CHECK(pointer_of(none) == nullptr);
    const long holders = character.use_count();
    {
        SharedCharacter share(character);
        CHECK(share.get() == character.get());
        CHECK(character.use_count() == holders + 1);
        const SharedCharacter other = share; // NOLINT(performance-unnecessary-copy-initialization)
        CHECK(character.use_count() == holders + 2);
        const SharedCharacter taken = std::move(share);
        CHECK_FALSE(share); // NOLINT(bugprone-use-after-move): that is what is tested
        CHECK(taken == other);
        CHECK(character.use_count() == holders + 2);
        CHECK(pointer_of(taken) == character);
        share = taken;
        share = nullptr;
        CHECK(character.use_count() == holders + 2);
    }
    CHECK(character.use_count() == holders);
    // A performer keeps its character alive alone.
    const Performer performer(character);
    character.reset();
    CHECK(performer.character().joint_count() > 0);
    CHECK(performer.shared_character()->parameters().size() == 5);
}
