#include "gait/gait.hpp"
#include "hostile.hpp"
#include "random_inputs.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cstring>
#include <random>

using namespace gait;
using support::pose_of;

namespace {

double worst_turn(const Performer& a, const Performer& b) {
    const auto one = pose_of(a), other = pose_of(b);
    double worst = 0;
    for (std::size_t j = 0; j < one.size(); ++j) {
        worst = std::max(worst, degrees_between(one[j].rotation, other[j].rotation));
    }
    return worst;
}

/// The demo's document with something of it called otherwise.
std::shared_ptr<const Character> changed(const std::string& what, const std::string& by) {
    const support::TemporaryFolder folder;
    std::string text = support::read(support::project() / "demo/lamplighter.gait.yaml");
    for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size()) {
        text.replace(at, what.size(), by);
    }
    text.replace(text.find("rig: lamplighter.glb"), 20,
                 "rig: " + (support::project() / "demo/lamplighter.glb").string());
    const Loaded loaded = load(folder.write("changed.gait.yaml", text));
    INFO(format(loaded.diagnostics));
    REQUIRE(loaded.character);
    return loaded.character;
}

bool same_bytes(const Performer& a, const Performer& b) {
    return a.bytes().size() == b.bytes().size() &&
           std::memcmp(a.bytes().data(), b.bytes().data(), a.bytes().size()) == 0;
}

} // namespace

TEST_CASE("a saved game goes on where it was: states, places, numbers, draws") {
    const auto character = support::lamplighter().character;
    Performer her(character);
    her.set_seed(9);
    her.set("speed", 2.2F);
    her.set("heading", 40);
    her.set("hands", "lantern");
    for (int f = 0; f < 400; ++f) { her.advance(1.0 / 60); }
    const std::vector<std::byte> saved = save_state(her);
    CHECK(saved.size() < 8000);
    Performer later(character);
    const LoadedState loaded = load_state(later, saved);
    CAPTURE(loaded.problem);
    REQUIRE(loaded.loaded);
    CHECK(loaded.gone.empty());
    CHECK(later.time() == her.time());
    CHECK(later.seed() == 9);
    CHECK(later.get(character->choice("hands")) == "lantern");
    CHECK(worst_turn(her, later) < 0.01);
    for (int f = 0; f < 600; ++f) {
        for (Performer* performer : {&her, &later}) {
            if (f == 100) { performer->set("speed", 0); }
            if (f == 300) { performer->send("light"); }
            if (f == 500) { performer->set("speed", 4); }
            performer->advance(1.0 / 60);
        }
        for (std::size_t l = 0; l < character->layers().size(); ++l) { REQUIRE(her.state(l) == later.state(l)); }
        REQUIRE(worst_turn(her, later) < 0.1);
    }
}

TEST_CASE("in the middle of anything a saved game is loaded into the same states") {
    const auto character = support::lamplighter().character;
    Performer her(character);
    support::RandomInputs inputs(21, 0.003);
    int compared = 0;
    for (int f = 0; f < 3000; ++f) {
        inputs.give(her);
        her.advance(1.0 / 60);
        if (f % 37 != 0) { continue; }
        Performer later(character);
        const LoadedState loaded = load_state(later, save_state(her));
        CAPTURE(f, loaded.problem);
        REQUIRE(loaded.loaded);
        for (std::size_t l = 0; l < character->layers().size(); ++l) {
            CHECK(her.state(l) == later.state(l));
            CHECK(later.seconds_in(StateHandle{{later.state(l)}}) == her.seconds_in(StateHandle{{her.state(l)}}));
        }
        bool quiet = true;
        for (std::size_t l = 0; l < character->layers().size(); ++l) {
            quiet = quiet && her.instance_count(l) == 1 && !(her.offset_seconds(l) > 0);
        }
        // Where nothing fades she looks as she did, whatever she was just told.
        if (quiet) { CHECK(worst_turn(her, later) < 0.5); }
        compared += quiet ? 1 : 0;
    }
    CHECK(compared > 10);
}

TEST_CASE("a saved game outlives a changed document") {
    const auto character = support::lamplighter().character;
    Performer her(character);
    her.set("speed", 2);
    for (int f = 0; f < 200; ++f) { her.advance(1.0 / 60); }
    const std::vector<std::byte> saved = save_state(her);
    // Another state has another name.
    Performer other(changed("crouching", "ducking"));
    const LoadedState kept = load_state(other, saved);
    REQUIRE(kept.loaded);
    CHECK(kept.gone.empty());
    CHECK(other.state_name() == "moving");
    CHECK(other.get(other.character().number("speed")) == 2);
    CHECK(other.time() == her.time());
    CHECK(worst_turn(her, other) < 0.01);
    // The one that she is in.
    Performer renamed(changed("moving", "going"));
    const LoadedState lost = load_state(renamed, saved);
    REQUIRE(lost.loaded);
    CHECK(lost.gone == std::vector<std::string>{"legs.moving"});
    CHECK(renamed.state_name() == "still");
    CHECK(renamed.get(renamed.character().number("speed")) == 2);
    renamed.advance(0.5);
    CHECK(renamed.state_name() == "going");
}

TEST_CASE("bytes that are no saved game change nothing, and are told") {
    Performer her(support::lamplighter().character);
    her.set("speed", 1.4F);
    her.advance(1);
    const std::vector<std::byte> saved = save_state(her);
    const Performer before = her;
    for (std::size_t size = 0; size < saved.size(); size += size < 40 ? 1 : 61) {
        const LoadedState loaded = load_state(her, std::span(saved).first(size));
        CHECK_FALSE(loaded.loaded);
        CHECK_FALSE(loaded.problem.empty());
        REQUIRE(same_bytes(her, before));
    }
    std::vector<std::byte> newer = saved;
    newer[8] = std::byte{2};
    CHECK_THAT(load_state(her, newer).problem, Catch::Contains("another version"));
}

TEST_CASE("whatever is changed in a saved game, it is refused or plays on") {
    Performer her(support::rich_character());
    support::Choices wild(3U);
    (void)support::play_hard(her, wild, 40, false);
    const std::vector<std::byte> saved = save_state(her);
    std::mt19937 random(5);
    int loaded = 0, refused = 0;
    for (int round = 0; round < 2000; ++round) {
        std::vector<std::byte> bytes = saved;
        for (unsigned change = 1 + unsigned(random() % 3); change > 0; --change) {
            bytes[12 + random() % (bytes.size() - 12)] = std::byte(random());
        }
        Performer performer = her;
        if (!load_state(performer, bytes).loaded) {
            ++refused;
            REQUIRE(same_bytes(performer, her));
            continue;
        }
        ++loaded;
        support::Choices choices(static_cast<std::uint32_t>(round));
        REQUIRE(support::play_hard(performer, choices, 4, false).empty());
    }
    CHECK(loaded > 100);
    CHECK(refused > 100);
}

TEST_CASE("what has changed since a state that both sides know takes some dozen bytes, and leads to the same") {
    const auto character = support::lamplighter().character;
    Performer here(character), there(character);
    support::RandomInputs inputs(8);
    std::vector<std::byte> known(here.bytes().begin(), here.bytes().end());
    for (int f = 0; f < 1200; ++f) {
        inputs.give(here);
        here.advance(1.0 / 60);
        here.plant_feet(here.travel());
        if (f % 6 != 0) { continue; }
        const std::vector<std::byte> sent = changes_since(here, known);
        REQUIRE(apply_changes(there, known, sent));
        Performer shown = here;
        shown.unbend_legs();
        for (std::size_t l = 0; l < character->layers().size(); ++l) { REQUIRE(there.state(l) == here.state(l)); }
        REQUIRE(worst_turn(shown, there) < 0.05);
        known.assign(there.bytes().begin(), there.bytes().end());
    }
    Performer strolling(character);
    strolling.set("speed", 1.4F);
    for (int f = 0; f < 300; ++f) { strolling.advance(1.0 / 60); }
    known.assign(strolling.bytes().begin(), strolling.bytes().end());
    for (int f = 0; f < 6; ++f) { strolling.advance(1.0 / 60); }
    CHECK(changes_since(strolling, known).size() < 120);
}

TEST_CASE("changes from elsewhere, cut short or turned are refused, and nothing changes") {
    const auto character = support::lamplighter().character;
    Performer her(character);
    const std::vector<std::byte> known(her.bytes().begin(), her.bytes().end());
    her.set("speed", 2);
    her.advance(0.4);
    const std::vector<std::byte> sent = changes_since(her, known);
    const std::vector<std::byte> since(her.bytes().begin(), her.bytes().end());
    Performer other(character);
    const Performer before = other;
    for (std::size_t size = 0; size < sent.size(); ++size) {
        CHECK_FALSE(apply_changes(other, known, std::span(sent).first(size)));
    }
    for (std::size_t at = 0; at < sent.size(); ++at) {
        std::vector<std::byte> turned = sent;
        turned[at] ^= std::byte{32};
        CHECK_FALSE(apply_changes(other, known, turned));
    }
    CHECK_FALSE(apply_changes(other, since, sent)); // from another state
    CHECK_FALSE(apply_changes(other, std::span(known).first(20), sent));
    CHECK(changes_since(her, std::span(known).first(20)).empty());
    CHECK(same_bytes(other, before));
    CHECK(apply_changes(other, known, sent));
}
