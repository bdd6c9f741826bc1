// A performer goes on with a changed document.
#include "support.hpp"

#include "gait/gait.hpp"

#include <catch2/catch.hpp>

#include <cmath>
#include <cstring>
#include <random>

using namespace gait;

namespace {

const std::filesystem::path her_document = support::project() / "demo/lamplighter.gait.yaml";

std::string her_text() { return support::read(her_document); }

std::string replaced(std::string text, const std::string& what, const std::string& by) {
    const std::size_t at = text.find(what);
    INFO(what);
    REQUIRE(at != std::string::npos);
    return text.replace(at, what.size(), by);
}

std::shared_ptr<const Character> compiled(const std::string& text) {
    DocumentRead read = read_document_text(text, her_document.string());
    const AssetsRead assets = load_assets(read.document);
    const Compiled made = compile(read.document, assets.assets);
    for (const Diagnostic& diagnostic : made.diagnostics) { UNSCOPED_INFO(diagnostic.message); }
    REQUIRE(made.character);
    return made.character;
}

const std::shared_ptr<const Character>& hers() {
    static const auto character = compiled(her_text());
    return character;
}

/// Every state of hers, and more: one that is new, before the others, and a parameter.
const std::shared_ptr<const Character>& more() {
    static const auto character = [] {
        std::string text =
            replaced(her_text(), "      states:\n        still:",
                     "      states:\n        dozing: {play: stand, go: [{to: still, when: drowsy < 0.5}]}"
                     "\n        still:");
        text = replaced(text, "\nparameters:\n", "\nparameters:\n  drowsy: {kind: number, range: [0, 1]}\n");
        return compiled(text);
    }();
    return character;
}

double greatest_turn(const Performer& a, const Performer& b) {
    std::vector<Transform> pose_a(a.character().joint_count()), pose_b(pose_a);
    a.pose(pose_a);
    b.pose(pose_b);
    double greatest = 0;
    for (std::size_t j = 0; j < pose_a.size(); ++j) {
        const Quat turn = conjugate(pose_a[j].rotation) * pose_b[j].rotation;
        greatest =
            std::max(greatest, 2 * degrees_per_radian *
                                   std::atan2(double(length(Vec3{turn.x, turn.y, turn.z})), double(std::fabs(turn.w))));
    }
    return greatest;
}

bool same_pose(const Performer& a, const Performer& b) {
    std::vector<Transform> pose_a(a.character().joint_count()), pose_b(pose_a);
    a.pose(pose_a);
    b.pose(pose_b);
    return std::memcmp(pose_a.data(), pose_b.data(), pose_a.size() * sizeof(Transform)) == 0;
}

void play(Performer& performer, double seconds) {
    for (int frame = 0; frame < int(std::lround(seconds * 60)); ++frame) { performer.advance(1.0 / 60); }
}

} // namespace

TEST_CASE("a performer carried over to the same document, compiled anew, goes on to the bit") {
    const auto again = compiled(her_text());
    Performer her(hers());
    her.set("speed", 2.4F);
    play(her, 1.3);
    her.send("hop");
    play(her, 0.05); // in the middle of a fade
    Performer carried = carry_over(her, again).performer;
    CHECK(same_pose(her, carried));
    for (int frame = 0; frame < 120; ++frame) {
        her.advance(1.0 / 60);
        carried.advance(1.0 / 60);
        REQUIRE(same_pose(her, carried));
        REQUIRE(carried.state_name() == her.state_name());
    }
}

TEST_CASE("a changed default and a changed condition are heeded at once, and nothing else changes") {
    const auto later = compiled(replaced(her_text(), "default: 0.1, unit: m/s, tune: yes, note: where she sets off",
                                         "default: 0.5, unit: m/s, tune: yes, note: where she sets off"));
    Performer her(later);
    her.set("speed", 0.3F);
    play(her, 2);
    REQUIRE(her.state_name() == "still");
    Performer carried = carry_over(her, hers()).performer;
    CHECK(same_pose(her, carried));
    CHECK(carried.get(carried.character().number("speed")) == Approx(0.3));
    carried.advance(1.0 / 60);
    CHECK(carried.state_name() == "moving");
    // What somebody has set stays set.
    her.set("start_at", 0.6F);
    Performer set_by_hand = carry_over(her, hers()).performer;
    CHECK(set_by_hand.get(hers()->number("start_at")) == Approx(0.6));
}

TEST_CASE("what is gone begins at its start, is named, and is not snapped away from") {
    std::string text = her_text();
    const std::size_t from = text.find("        stretching:\n"), to = text.find("  - name: arms", from);
    REQUIRE(to != std::string::npos);
    text.erase(from, to - from);
    text = replaced(
        text, "            - {to: stretching, when: stood_for > 6 and arms is free, after: [3, 7], fade: 0.5}\n", "");
    const auto without = compiled(text);
    Performer her(hers());
    her.enter(hers()->state("legs.stretching"));
    play(her, 1.2);
    CarriedOver carried = carry_over(her, without, 0.4);
    CHECK(carried.gone == std::vector<std::string>{"legs.stretching"});
    CHECK(carried.performer.state_name() == "still");
    CHECK(greatest_turn(her, carried.performer) < 0.05);
    play(carried.performer, 1);
    CHECK(greatest_turn(her, carried.performer) > 1);
}

TEST_CASE("carried over at any moment to a document with more in it she goes on without a pop") {
    const auto longer = more();
    std::mt19937 random(7);
    std::uniform_real_distribution<double> unit(0, 1);
    Performer her(hers());
    bool on_longer = false;
    for (int round = 0; round < 40; ++round) {
        CAPTURE(round);
        for (int frame = 0; frame < 20; ++frame) {
            if (unit(random) < 0.05) { her.set("speed", 4 * unit(random)); }
            for (const char* signal : {"hop", "bell", "light", "greet"}) {
                if (unit(random) < 0.01) { her.send(signal); }
            }
            if (unit(random) < 0.02) { her.set("awning", unit(random) < 0.3); }
            if (unit(random) < 0.02) { her.set("hands", unit(random) < 0.5 ? "lantern" : "free"); }
            her.advance(1.0 / 60);
        }
        std::vector<std::string> states;
        for (std::size_t l = 0; l < her.character().layers().size(); ++l) { states.emplace_back(her.state_name(l)); }
        on_longer = !on_longer;
        CarriedOver carried = carry_over(her, on_longer ? longer : hers());
        CHECK(carried.gone.empty());
        CHECK(greatest_turn(her, carried.performer) < 0.05);
        CHECK(carried.performer.time() == her.time());
        for (std::size_t l = 0; l < states.size(); ++l) { CHECK(carried.performer.state_name(l) == states[l]); }
        // The speed goes on as well: in the next frame she moves about as far as she would have.
        Performer onward = her, after = carried.performer;
        onward.advance(1.0 / 240);
        after.advance(1.0 / 240);
        if (onward.state_name() == after.state_name()) { CHECK(greatest_turn(onward, after) < 2); }
        her = std::move(carried.performer);
    }
}

TEST_CASE("a mask that is changed changes what is shown in its own time, not at once") {
    const auto narrower = compiled(replaced(her_text(), "trunk: {from: spine_1, ramp: 3}", "trunk: {from: chest}"));
    Performer her(hers());
    her.set("speed", 1.4F);
    play(her, 1);
    her.send("light");
    double way = 0;
    for (int moment = 0; moment < 30; ++moment) {
        CAPTURE(moment);
        play(her, 0.1);
        Performer carried = carry_over(her, narrower).performer;
        CHECK(carried.state_name(1) == her.state_name(1));
        CHECK(greatest_turn(her, carried) < 0.1);
        play(carried, 0.35);
        Performer as_ever = her;
        play(as_ever, 0.35);
        way = std::max(way, greatest_turn(as_ever, carried));
    }
    // It does come to the new mask.
    CHECK(way > 3);
}

TEST_CASE("nothing is carried over to no character, nor in no time that is one") {
    const Performer her(hers());
    CHECK_THROWS_AS(carry_over(her, nullptr), std::invalid_argument);
    CHECK_THROWS_AS(carry_over(her, hers(), -1), std::invalid_argument);
    CHECK_THROWS_AS(carry_over(her, hers(), std::nan("")), std::invalid_argument);
}
