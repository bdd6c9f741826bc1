// What layers share: the way of the body, events, and who may send whom.
#include "support.hpp"

#include <catch2/catch.hpp>

using namespace gait;

namespace {

constexpr int joints = 4;
constexpr double frame = 1.0 / 60;

/// A clip that carries its lowest joint ahead by so many metres in a second.
ClipSource going(const char* name, float metres) {
    ClipSource clip = support::held(name, joints, 10);
    clip.tracks[0].translation.times = {0, 1};
    clip.tracks[0].translation.values = {{0, 1, 0}, {0, 1, metres}};
    return clip;
}

std::shared_ptr<const Character> make(const std::string& rest) {
    static const Assets assets =
        support::assets(joints, {going("walk", 1), going("slide", 3), support::held("low", joints, 0),
                                 support::held("high", joints, 40), support::held("act", joints, 30, 0.5)});
    return support::character(
        "gait: 1\nrig: r.glb\nclips:\n  walk: {loop: yes, travel: joint_0}\n  slide: {loop: yes, travel: joint_0, "
        "marks: "
        "{tick: 0.25}}\n  low: {loop: yes}\n  high: {loop: yes, marks: {tick: 0.25}}\n  act: {}\nparameters:\n  much: "
        "{kind: number, range: [0, 1]}\n  busy: {kind: flag}\nmasks: {upper: {from: joint_2}}\n" +
            rest,
        assets);
}

/// Metres a second that the body goes ahead once all fades are over.
double pace(Performer& performer) {
    for (int i = 0; i < 60; ++i) { performer.advance(frame); }
    double way = 0;
    for (int i = 0; i < 60; ++i) {
        performer.advance(frame);
        way += double(performer.travel().move.z);
    }
    return way;
}

const std::string legs = "layers:\n  - {name: legs, machine: {start: a, states: {a: {play: walk}}}}\n";

} // namespace

TEST_CASE("the body goes the way of the lowest layer, unless one above takes its travel, as far as that counts") {
    const auto goes = [](const std::string& layer, double much) {
        Performer performer(make(legs + "  - {name: arms, mask: upper, weight: much, " + layer +
                                 "machine: {start: a, states: {a: {play: slide}}}}\n"));
        performer.set("much", much);
        return pace(performer);
    };
    CHECK(goes("", 1) == Approx(1));
    CHECK(goes("travel: yes, ", 1) == Approx(3));
    CHECK(goes("travel: yes, ", 0) == Approx(1));
    CHECK(goes("travel: yes, ", 0.5) == Approx(2).epsilon(1e-3));
}

TEST_CASE("a state takes the travel for as long as it lasts, and one of the whole body by itself") {
    const auto performer_of = [](const std::string& state) {
        return Performer(make(legs +
                              "  - name: arms\n    mask: upper\n    machine:\n      start: free\n      states:\n"
                              "        free: {play: nothing, go: [{to: moves, when: busy, fade: 0.2}]}\n"
                              "        moves: {play: slide, " +
                              state + "go: [{to: free, when: not busy, fade: 0.2}]}\n"));
    };
    for (const auto& [state, wanted] : {std::pair{"", 1.0}, {"travel: yes, ", 3.0}, {"whole_body: yes, ", 3.0}}) {
        CAPTURE(state);
        Performer performer = performer_of(state);
        CHECK(pace(performer) == Approx(1));
        performer.set("busy", true);
        CHECK(pace(performer) == Approx(wanted));
        performer.set("busy", false);
        CHECK(pace(performer) == Approx(1));
    }
}

TEST_CASE("a layer that does not count tells no events, and its machine goes on all the same") {
    const auto character = make(legs + "  - name: arms\n    mask: upper\n    weight: much\n    fade: 0\n    machine:\n"
                                       "      start: a\n      states:\n"
                                       "        a: {play: high, go: [{to: b, when: busy, fade: 0.1}]}\n"
                                       "        b: {play: slide, go: [{to: a, when: not busy, fade: 0.1}]}\n");
    const auto count_told = [&](double much) {
        Performer performer(character);
        performer.set("much", much);
        EventList events;
        std::size_t count = 0;
        for (int i = 0; i < 120; ++i) {
            performer.set("busy", i % 40 > 20);
            performer.advance(frame, events);
            for (const Event& event : events.events()) { count += character->states()[event.state].layer == 1 ? 1 : 0; }
        }
        CHECK(performer.state_name(1) == "b");
        return count;
    };
    CHECK(count_told(0) == 0);
    CHECK(count_told(1) > 10); // states, and marks of both clips
}

TEST_CASE("a state that needs the whole body begins afresh after another one, though both play the same motion") {
    const auto character =
        make("motions: {shared: high}\n" + legs +
             "  - name: arms\n    mask: upper\n    machine:\n      start: one\n      states:\n"
             "        one: {play: shared, whole_body: yes, go: [{to: two, when: busy, fade: 0.2}]}\n"
             "        two: {play: shared, whole_body: yes, go: [{to: three, when: not busy, fade: 0.2}]}\n"
             "        three: {play: shared, go: [{to: four, when: busy, fade: 0.2}]}\n"
             "        four: {play: shared, go: [{to: five, when: not busy, fade: 0.2}]}\n"
             "        five: {play: shared, whole_body: yes}\n");
    Performer performer(character);
    const auto newest = [&] { return performer.instance(performer.instance_count(1) - 1, 1); };
    for (int i = 0; i < 20; ++i) { performer.advance(frame); }
    const std::uint32_t first = newest().serial;
    performer.set("busy", true);
    performer.advance(frame);
    CHECK(performer.state_name(1) == "two");
    CHECK(newest().serial != first); // afresh
    const std::uint32_t second = newest().serial;
    performer.set("busy", false);
    performer.advance(frame);
    CHECK(performer.state_name(1) == "three");
    CHECK(newest().serial != second); // what counted everywhere counts in the mask alone from now on: faded
    const std::uint32_t third = newest().serial;
    performer.set("busy", true);
    performer.advance(frame);
    CHECK(performer.state_name(1) == "four");
    CHECK(newest().serial == third); // passed on
    performer.set("busy", false);
    performer.advance(frame);
    CHECK(performer.state_name(1) == "five");
    CHECK(newest().serial != third); // it spreads over the whole body, with a fade
}

TEST_CASE("who leads another layer is not led back by it in the same instant") {
    Performer performer(make(
        "layers:\n"
        "  - {name: legs, machine: {start: a, states: {a: {play: low, go: [{to: b, when: busy}]}, b: {play: high, "
        "leads: [{layer: arms, to: c}]}, d: {play: walk}}}}\n"
        "  - {name: arms, mask: upper, machine: {start: a, states: {a: {play: low}, c: {play: high, leads: [{layer: "
        "legs, to: d}]}}}}\n"));
    performer.set("busy", true);
    performer.advance(frame);
    CHECK(performer.state_name(0) == "b");
    CHECK(performer.state_name(1) == "c");
}

TEST_CASE("a one-shot comes in and goes out by its own two fades, the second done as it ends") {
    Performer performer(make("one_shots: {greet: {play: act, mask: upper, fade: [0.05, 0.2]}}\n" + legs));
    performer.play_once("greet");
    std::vector<double> weights; // a frame each
    for (int i = 0; i < 36; ++i) {
        performer.advance(frame);
        weights.push_back(performer.layer_weight(1));
    }
    const auto at = [&](double seconds) { return weights[std::size_t(std::lround(seconds / frame)) - 1]; };
    CHECK(at(0.0333) > 0.3);
    CHECK(at(0.0667) == 1);
    CHECK(at(0.2833) == 1);
    CHECK(at(0.4) == Approx(0.5).margin(0.1)); // half of 0.2 s before its end at 0.5 s
    CHECK(at(0.5) < 0.02);
    CHECK(at(0.5167) == 0);
}
