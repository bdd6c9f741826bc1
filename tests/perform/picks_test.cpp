#include "machine_support.hpp"

#include <catch2/catch.hpp>

#include <map>
#include <set>

using namespace gait;
using support::at;
using support::machine;
using support::machine_mistakes;

namespace {

const char* const none = "wet: {kind: flag}";

/// The clips that a pick plays one after another, by name, and when each began.
struct Played {
    std::vector<std::string> clips;
    std::vector<double> times;
};

Played play(const std::shared_ptr<const Character>& character, double seconds, std::uint64_t seed = 0,
            double rate = 60) {
    Performer performer(character);
    performer.set_seed(seed);
    performer.reset();
    Played played;
    std::uint32_t serial = 0xFFFFFFFF;
    for (int i = 0; i < int(seconds * rate); ++i) {
        performer.advance(1 / rate);
        const std::size_t newest = performer.instance_count() - 1;
        const InstanceView view = performer.instance(newest);
        if (view.serial == serial) { continue; }
        serial = view.serial;
        std::vector<ClipView> clips(1);
        performer.instance_clips(newest, clips);
        played.clips.push_back(character->clips()[clips[0].clip].name);
        played.times.push_back(performer.time() - view.fade_elapsed);
    }
    return played;
}

} // namespace

TEST_CASE("what is dealt comes once a deal, and never twice in a row across two deals") {
    const auto character =
        machine(none, "a: {play: {pick: {fade: 0.1, of: [low, high, side, {play: swing, share: 5}]}}}\n");
    std::set<std::string> orders;
    for (std::uint64_t seed = 0; seed < 30; ++seed) {
        const Played played = play(character, 20, seed);
        REQUIRE(played.clips.size() > 16);
        std::string order;
        for (std::size_t deal = 0; deal + 4 <= played.clips.size(); deal += 4) {
            const std::set<std::string> dealt(played.clips.begin() + std::ptrdiff_t(deal),
                                              played.clips.begin() + std::ptrdiff_t(deal) + 4);
            REQUIRE(dealt.size() == 4);
        }
        for (std::size_t i = 1; i < played.clips.size(); ++i) { REQUIRE(played.clips[i] != played.clips[i - 1]); }
        for (std::size_t i = 0; i < 8; ++i) { order += played.clips[i] + " "; }
        orders.insert(order);
    }
    CHECK(orders.size() > 20); // a crowd differs
}

TEST_CASE("in a deal, a greater share comes sooner") {
    const auto character = machine(none, "a: {play: {pick: {fade: 0.1, of: [low, high, {play: swing, share: 8}]}}}\n");
    int first = 0;
    for (std::uint64_t seed = 0; seed < 200; ++seed) {
        first += play(character, 0.1, seed).clips[0] == "swing" ? 1 : 0;
    }
    CHECK(first > 140); // eight in ten
    CHECK(first < 180);
}

TEST_CASE("at random, an entry comes in proportion to its share") {
    const auto character =
        machine(none, "a: {play: {pick: {order: random, fade: 0.05, of: [{play: low, share: 3}, high]}}}\n");
    std::map<std::string, int> counts;
    for (const std::string& clip : play(character, 600, 3, 20).clips) { ++counts[clip]; }
    const double share = double(counts["low"]) / double(counts["low"] + counts["high"]);
    CHECK(share > 0.68);
    CHECK(share < 0.82);
}

TEST_CASE("in turn, entries come as they are listed, each as many times as its share says") {
    const Played played = play(
        machine(none, "a: {play: {pick: {order: in turn, fade: 0.1, of: [low, {play: high, share: 2}, side]}}}\n"), 8);
    CHECK(std::vector<std::string>(played.clips.begin(), played.clips.begin() + 6) ==
          std::vector<std::string>{"low", "high", "high", "side", "low", "high"});
}

TEST_CASE("an entry plays its rounds, its fade out being done by its end, at any frame rate") {
    const auto character = machine(
        none,
        "a: {play: {pick: {order: in turn, of: [{play: swing, loops: 3, fade: 0.4}, {play: spin, fade: 0.25}]}}}\n");
    for (const double rate : {6.0, 60.0, 240.0}) {
        const Played played = play(character, 9.9, 0, rate);
        CAPTURE(rate);
        REQUIRE(played.times.size() >= 4);
        CHECK(played.times[1] == Approx(3 - 0.25).margin(1e-6));
        CHECK(played.times[2] == Approx(3 - 0.25 + 2 - 0.4).margin(1e-6));
        CHECK(played.times[3] == Approx(3 - 0.25 + 2 - 0.4 + 3 - 0.25).margin(1e-6));
    }
}

TEST_CASE("rounds are drawn between two numbers, and a rate shortens them") {
    const auto character =
        machine(none, "a: {play: {pick: {order: in turn, fade: 0.1, of: [{play: swing, loops: [1, 4], rate: 2}]}}}\n");
    const Played played = play(character, 60);
    std::set<int> rounds;
    for (std::size_t i = 1; i < played.times.size(); ++i) {
        const double seconds = played.times[i] - played.times[i - 1] + 0.1;
        rounds.insert(int(std::lround(seconds * 2)));
        CHECK(seconds * 2 == Approx(std::lround(seconds * 2)).margin(1e-4));
    }
    CHECK(rounds == std::set<int>{1, 2, 3, 4});
}

TEST_CASE("between two entries stands what is between") {
    const Played played =
        play(machine(none, "a: {play: {pick: {fade: 0.1, between: low, of: [high, side, swing]}}}\n"), 12);
    REQUIRE(played.clips.size() > 8);
    for (std::size_t i = 1; i < played.clips.size(); i += 2) {
        CHECK(played.clips[i] == "low");
        CHECK(played.clips[i - 1] != "low");
    }
}

TEST_CASE("a pick draws anew on each entry, and its going on is no transition of the state") {
    const auto character =
        machine(none, "a: {play: {pick: {fade: 0.1, of: [low, high, side]}}, go: [{to: b, when: wet, fade: 0.1}]}\n"
                      "b: {play: swing, go: [{to: a, when: not wet, fade: 0.1}]}\n");
    Performer performer(character);
    std::set<std::string> first;
    EventList events;
    for (int i = 0; i < 20; ++i) {
        performer.set("wet", i % 2 == 0);
        performer.advance(0.3, events);
        std::size_t entered = 0;
        for (const Event& event : events.events()) { entered += event.kind == EventKind::entered ? 1 : 0; }
        CHECK(entered == (i == 0 ? 2 : 1));
        if (i % 2 == 0) { continue; }
        std::vector<ClipView> clips(1);
        performer.instance_clips(performer.instance_count() - 1, clips);
        first.insert(character->clips()[clips[0].clip].name);
    }
    CHECK(first.size() == 3);
    CHECK(performer.state_name() == "a");
}

TEST_CASE("a motion without a length and a fade longer than an entry do not spin a pick") {
    Assets assets = support::machine_assets();
    assets.clips["low"].seconds = 0;
    for (auto& tracks : assets.clips["low"].tracks) {
        tracks.rotation.times.resize(1);
        tracks.rotation.values.resize(1);
    }
    const auto character =
        support::character(support::machine_text(none, "a: {play: {pick: {fade: 9, of: [low, high]}}}\n"), assets);
    const Played played = play(character, 10);
    CHECK(played.clips.size() > 5);
    CHECK(played.clips.size() < 25);
}

TEST_CASE("choose follows a choice with a fade, and a flag") {
    const auto character = machine("hands: {kind: choice, of: [free, pole, lantern]}, wet: {kind: flag}",
                                   "a: {play: {choose: hands, fade: 0.3, of: {free: low, pole: high, else: {choose: "
                                   "wet, of: {yes: side, no: swing}}}}}\n");
    Performer performer(character);
    const auto clip = [&] {
        performer.advance(0.05);
        std::vector<ClipView> clips(1);
        performer.instance_clips(performer.instance_count() - 1, clips);
        return character->clips()[clips[0].clip].name;
    };
    CHECK(clip() == "low");
    performer.set("hands", "pole");
    CHECK(clip() == "high");
    CHECK(performer.instance(performer.instance_count() - 1).fade_seconds == Approx(0.3));
    CHECK(performer.state_name() == "a");
    performer.set("hands", "lantern");
    CHECK(clip() == "swing");
    performer.set("wet", true);
    CHECK(clip() == "side");
    CHECK_THAT(
        machine_mistakes("hands: {kind: choice, of: [free, pole]}", "a: {play: {choose: hands, of: {free: low}}}\n"),
        Catch::Contains("nothing is played while 'hands' is pole; add 'pole: CLIP', or 'else: CLIP' [missing-else]"));
    CHECK_THAT(machine_mistakes("hands: {kind: choice, of: [free, pole]}",
                                "a: {play: {choose: hands, of: {fre: low, else: low}}}\n"),
               Catch::Contains("no value 'fre'; did you mean 'free'? [unknown-value]"));
    CHECK_THAT(machine_mistakes("speed: {kind: number}", "a: {play: {choose: speed, of: {yes: low}}}\n"),
               Catch::Contains("'speed' is neither a flag nor a choice"));
}

TEST_CASE("choose on entry decides once, by the first condition that holds") {
    const auto character =
        machine("impact: {kind: number}, speed: {kind: number}, wet: {kind: flag}",
                "a: {play: low, go: [{to: landing, when: wet, fade: 0.1}]}\n"
                "landing:\n  play:\n    choose: on_entry\n    of:\n      - {when: impact < 4, play: high}\n"
                "      - {when: speed < 2, play: side}\n      - {play: swing}\n"
                "  go: [{to: a, when: not wet, fade: 0.1}]\n");
    const auto landing = [&](double impact, double speed) {
        Performer performer(character);
        performer.set("impact", impact);
        performer.set("speed", speed);
        performer.set("wet", true);
        performer.advance(0.1);
        performer.set("impact", 0.0); // what comes later does not matter
        performer.advance(0.2);
        std::vector<ClipView> clips(1);
        performer.instance_clips(performer.instance_count() - 1, clips);
        return character->clips()[clips[0].clip].name;
    };
    CHECK(landing(3, 5) == "high");
    CHECK(landing(6, 1) == "side");
    CHECK(landing(6, 5) == "swing");
    CHECK_THAT(
        machine_mistakes("x: {kind: number}", "a: {play: {choose: on_entry, of: [{when: x < 1, play: low}]}}\n"),
        Catch::Contains("nothing is played when none of the conditions holds; add a last {play: CLIP} without 'when' "
                        "[missing-else]"));
}

TEST_CASE("what a pick cannot be is said") {
    CHECK_THAT(machine_mistakes(none, "a: {play: {pick: {of: [{play: low, share: 0}]}}}\n"),
               Catch::Contains("a share is more than 0 and at most 1000; found 0 [wrong-range]"));
    CHECK_THAT(machine_mistakes(none, "a: {play: {pick: {order: in turn, of: [{play: low, share: 1.5}]}}}\n"),
               Catch::Contains("in turn, a share is how many times in a row; found 1.5"));
    CHECK_THAT(machine_mistakes(none, "a: {play: {pick: {of: [{play: low, loops: 1.5}]}}}\n"),
               Catch::Contains("'loops' is a whole number of rounds from 1; found 1.5"));
    CHECK_THAT(machine_mistakes(none, "a: {play: {pick: {of: [{play: low, loops: [3, 1]}]}}}\n"),
               Catch::Contains("rounds [3, 1] are empty; write the lower value first"));
    CHECK_THAT(machine_mistakes("speed: {kind: number}",
                                "a: {play: {blend: speed, points: {1: low, 2: {pick: {of: [high]}}}}}\n"),
               Catch::Contains("a pick stands in a state, a pick or a choose, not inside a blend space"));
    CHECK_THAT(machine_mistakes(none, "a: {play: {pick: {of: [{pick: {of: [low]}}]}}}\n"),
               Catch::Contains("an entry of a pick has no key 'pick'"));
    CHECK_THAT(machine_mistakes(none, "a: {play: {pick: {of: [low]}}, go: [{to: a, at: end}]}\n"),
               Catch::Contains("[never-ends]"));
}

TEST_CASE("an entry that is hurried to its end just after it began still gives way with its whole fade") {
    const auto character =
        machine("pace: {kind: number, default: 0.1}",
                "a: {play: {pick: {order: in turn, fade: 0.3, of: [{play: spin, rate: pace}, high]}}}\n");
    Performer performer(character);
    performer.advance(0.01);
    performer.set("pace", 10.0); // two seconds of clip in a fifth of one
    std::size_t changes = 0;
    for (int i = 0; i < 40; ++i) {
        performer.advance(0.02);
        changes += performer.transitions().size();
        const InstanceView newest = performer.instance(performer.instance_count() - 1);
        if (performer.instance_count() > 1) { REQUIRE(newest.fade_seconds == Approx(0.3)); }
    }
    CHECK(changes > 0);
}
