#include "gait/load.hpp"
#include "machine_support.hpp"

#include <catch2/catch.hpp>

#include <random>
#include <regex>

using namespace gait;
using support::greatest_turn;
using support::pose_of;

namespace {

/// Throws random inputs at the demo at random steps and returns the worst seam.
Seam worst_seam(unsigned seed, int steps) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> unit(0, 1);
    const auto& character = support::lamplighter().character;
    Performer performer(character);
    Performer next = performer;
    Seam worst;
    for (int i = 0; i < steps; ++i) {
        if (unit(random) < 0.3) { performer.set("speed", unit(random) < 0.3 ? 0.0 : 7 * unit(random) - 0.5); }
        if (unit(random) < 0.1) { performer.set("halt", unit(random) < 0.5); }
        next = performer;
        next.advance(1e-5);
        const Seam seam = seam_between(character->rig(), pose_of(performer), pose_of(next));
        worst.degrees = std::max(worst.degrees, seam.degrees);
        worst.millimetres = std::max(worst.millimetres, seam.millimetres);
        // From 1/240 to 1/5 s, short ones more often; now and then none, or a long one.
        const double r = unit(random);
        performer.advance(r < 0.02 ? 0 : r > 0.98 ? 2 * unit(random) : 1.0 / 240 + (1.0 / 5 - 1.0 / 240) * r * r * r);
    }
    return worst;
}

} // namespace

TEST_CASE("whatever the inputs do, at any steps, no seam shows", "[long]") {
    for (unsigned seed = 1; seed <= 2500; ++seed) {
        const Seam seam = worst_seam(seed, 40);
        INFO("seed " << seed);
        REQUIRE(seam.degrees <= seam_bound);
        REQUIRE(seam.millimetres <= seam_bound);
    }
}

namespace {

/// One of everything: every style, place to enter at, kind of parameter and motion, nested and branching.
const char* const everything =
    "gait: 1\nrig: lamplighter.glb\n"
    "clips:\n"
    "  stand: {loop: yes}\n  stroll: {loop: yes, marks: {left_down: 0.007, right_down: 0.507}, spans: {open: [0.2, "
    "0.5]}}\n"
    "  run: {loop: yes}\n  look_out: {}\n  wave: {}\n  shelter: {loop: yes}\n  hop_start: {}\n  hop_air: {loop: yes}\n"
    "  land_soft: {}\n  land_hard: {}\n  stroll_stop_left: {travel: hips}\n"
    "parameters:\n"
    "  speed: {kind: number, range: [0, 6], smooth: 0.1}\n  turn: {kind: angle, smooth: 0.1}\n"
    "  wet: {kind: flag}\n  hands: {kind: choice, of: [free, pole, lantern]}\n  hop: {kind: signal, keep: 0.2, wait: "
    "0.4}\n"
    "  call: {kind: signal}\n  fall: {kind: number}\n"
    "  impact: {kind: number, remember: fall, while: wet, clear: rises(wet)}\n"
    "  going: {kind: flag, on_when: speed > 0.4, off_when: speed < 0.2}\n"
    "  pace: {kind: number, from: \"clamp(speed - 2, -1.5, 2)\"}\n"
    "values: {top: {kind: number, default: 3}}\n"
    "motions:\n"
    "  idle: {pick: {between: stand, of: [{play: look_out, share: 2, fade: 0.4}, {play: wave, rate: 1.3}, {play: "
    "shelter, loops: [1, 2]}]}}\n"
    "  held(what): {choose: hands, fade: 0.25, of: {free: what, else: shelter}}\n"
    "machines:\n"
    "  task(begin, hold):\n    start: on\n    states:\n"
    "      on: {play: begin, go: [{to: holding, at: end, fade: 0.3}]}\n"
    "      holding: {play: held(hold), go: [{to: off, signal: call, fade: 0.2, style: frozen}]}\n"
    "      off: {play: {clip: wave, rate: -1}}\n"
    "layers:\n  - name: body\n    machine:\n      start: still\n"
    "      always:\n        - {to: air, when: wet and turn > 90, fade: 0.35, style: inertial}\n"
    "        - {to: busy, signal: call, fade: 0.3, except: [busy, air]}\n"
    "      states:\n"
    "        still: {play: idle, values: {top: 1}, go: [{to: moving, when: going, fade: \"remap(speed, 0, 6, 0.4, "
    "0.1)\"}, {to: air, signal: hop, fade: 0.3}]}\n"
    "        moving:\n          inputs: live\n          play: {blend: speed, sync: cycle, points: {1.4: stroll, 4.2: "
    "run}}\n"
    "          go:\n            - {to: halt, when: not going, fade: 0.3, enter_at: footfall}\n"
    "            - {to: air.fly, signal: hop, fade: 0.35, style: inertial, settle: yes}\n"
    "            - {to: odd, at: left_down, when: turn < -90, fade: 0.3, style: frozen}\n"
    "            - {to: odd, inside: open, when: turn < -150, fade: 0.3, enter_at: 0.3}\n"
    "        odd: {play: {clip: stroll, rate: pace}, go: [{to: moving, after: [0.2, 1.5], fade: 0.3, style: inertial, "
    "enter_at: phase}]}\n"
    "        halt: {play: stroll_stop_left, go: [{to: moving, when: going, fade: 0.3}, {to: still, when: state.left < "
    "0.25, fade: 0.25}]}\n"
    "        air:\n          resume: yes\n          machine:\n            start: off\n            states:\n"
    "              off: {play: hop_start, go: [{to: fly, at: end, fade: 0.25}]}\n"
    "              fly: {play: hop_air, go: [{to: down, after: 0.4, fade: 0.35, ease: smoother}]}\n"
    "          go: [{to: down, when: not wet, after: 0.3, fade: 0.35}]\n"
    "        down: {junction: [{to: rolling, when: impact > 4, fade: 0.3}, {to: landing}]}\n"
    "        landing: {play: {choose: on_entry, of: [{when: speed > 3, play: land_hard}, {play: land_soft}]}, go: "
    "[{to: still, at: end, fade: 0.3}]}\n"
    "        rolling: {play: land_hard, go: [{to: still, at: end, fade: 0.2}]}\n"
    "        busy: {machine: \"task(wave, stand)\", go: [{to: still, at: end, fade: 0.3}, {to: moving, when: going and "
    "speed > 4, fade: 0.3}]}\n";

const std::shared_ptr<const Character>& everything_character() {
    static const std::shared_ptr<const Character> character = [] {
        const DocumentRead read =
            read_document_text(everything, (support::project() / "demo/everything.gait.yaml").string());
        const Compiled compiled = compile(read.document, load_assets(read.document).assets);
        INFO(format(read.diagnostics) + format(compiled.diagnostics));
        REQUIRE(compiled.character);
        return compiled.character;
    }();
    return character;
}

/// Random inputs of every kind.
void poke(Performer& performer, std::mt19937& random) {
    std::uniform_real_distribution<double> unit(0, 1);
    if (unit(random) < 0.2) { performer.set("speed", unit(random) < 0.4 ? 0.0 : 6 * unit(random)); }
    if (unit(random) < 0.2) { performer.set("turn", 360 * unit(random)); }
    if (unit(random) < 0.1) { performer.set("wet", unit(random) < 0.5); }
    if (unit(random) < 0.1) { performer.set("fall", 8 * unit(random)); }
    const char* const hands[] = {"free", "pole", "lantern"};
    if (unit(random) < 0.1) { performer.set("hands", hands[random() % 3]); }
    if (unit(random) < 0.15) { performer.send("hop"); }
    if (unit(random) < 0.1) { performer.send("call"); }
    if (unit(random) < 0.02) {
        performer.enter(StateHandle{{std::uint16_t(random() % performer.character().states().size())}}, 0.2);
    }
}

} // namespace

TEST_CASE("with every kind of state, motion, transition and fade, no seam shows at any steps", "[long]") {
    const auto& character = everything_character();
    std::vector<int> entered(character->states().size(), 0);
    EventList events;
    for (unsigned seed = 1; seed <= 600; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(0, 1);
        Performer performer(character), next(character);
        performer.set_seed(seed);
        performer.reset();
        double time = 0;
        for (int i = 0; i < 120; ++i) {
            poke(performer, random);
            next = performer;
            next.advance(1e-5);
            const Seam seam = seam_between(character->rig(), pose_of(performer), pose_of(next));
            const double r = unit(random);
            const double dt = r < 0.02   ? 0
                              : r > 0.99 ? 2 * unit(random)
                                         : 1.0 / 240 + (1.0 / 5 - 1.0 / 240) * r * r * r;
            INFO("seed " << seed << ", step " << i << ", " << performer.state_name() << " to " << next.state_name());
            REQUIRE(seam.degrees <= seam_bound);
            REQUIRE(seam.millimetres <= seam_bound);
            performer.advance(dt, events);
            REQUIRE(performer.instance_count() <= 4);
            for (const Event& event : events.events()) {
                REQUIRE(event.time >= time - 1e-9);
                REQUIRE(event.time <= performer.time() + 1e-9);
                REQUIRE(event.weight >= 0);
                REQUIRE(event.weight <= 1.0001F);
                if (event.kind == EventKind::entered) { ++entered[event.state]; }
            }
            time = performer.time();
            float shares = 0;
            for (std::size_t m = 0; m < performer.instance_count(); ++m) { shares += performer.instance(m).weight; }
            REQUIRE(shares == Approx(1));
            const float top = performer.get(character->number_value("top"));
            REQUIRE(top >= 0.999F);
            REQUIRE(top <= 3.001F);
        }
    }
    for (std::size_t s = 0; s < entered.size(); ++s) {
        INFO(character->states()[s].name);
        CHECK(entered[s] > 20); // the inputs reach everything
    }
}

namespace {

/// Three layers that decide by time, by values of every kind, by signals and by each other. `asked`: each of their
/// states has a condition on where its clip is, so that it has to be asked for in each step, and with it all others.
std::shared_ptr<const Character> deciding_character(bool asked) {
    std::string text =
        "gait: 1\nrig: x.glb\nclips: {low: {loop: yes}, high: {loop: yes}, side: {}, swing: {loop: yes}}\n"
        "parameters:\n"
        "  speed: {kind: number, range: [0, 6], smooth: 0.2}\n  heft: {kind: number, range: [0, 6], smooth: 0}\n"
        "  wet: {kind: flag}\n  hands: {kind: choice, of: [free, pole, lantern]}\n"
        "  hop: {kind: signal, keep: 0.4, wait: 0.6}\n  call: {kind: signal}\n"
        "  lit: {kind: flag, flips_on: call}\n  most: {kind: number, greatest: speed, clear: rises(wet)}\n"
        "  dry: {kind: number, since: wet}\n  going: {kind: flag, on_when: speed > 2, off_when: speed < 1}\n"
        "layers:\n"
        "  - name: legs\n    machine:\n      start: still\n      states:\n"
        "        still: {play: low, go: [{to: moving, when: going, fade: 0.2}, {to: aloft, signal: hop, fade: "
        "0.1}@moving]}\n"
        "        moving: {play: {blend: speed, points: {0: low, 6: high}}, leads: [{layer: arms, to: down, when: "
        "lit}], "
        "go: [{to: still, when: not going, after: 0.3}, {to: aloft, signal: hop, when: raw(speed) > 3}, "
        "{to: heavy, when: heft > 3}@heavy]}\n"
        "        heavy: {play: swing, go: [{to: moving, when: heft > 2, after: 0.5}, {to: still, when: heft < "
        "1}@still]}\n"
        "        aloft: {play: side, go: [{to: still, after: 0.7, fade: 0.2, settle: yes}, {to: moving, when: "
        "rises(wet)}@moving]}\n"
        "  - name: arms\n    machine:\n      start: down\n      states:\n"
        "        down: {play: low, go: [{to: up, when: \"legs is moving and not wet\", fade: 0.3}, {to: out, signal: "
        "hop, "
        "after: 0.2}, {to: held, when: falls(wet)}@up]}\n"
        "        up: {play: high, go: [{to: down, when: legs.elapsed > 0.8}, {to: held, when: most > 4}@down]}\n"
        "        out: {play: swing, go: [{to: down, after: 0.4, when: \"dry > 0.3\"}, {to: up, when: dry > 1}@down]}\n"
        "        held: {play: {choose: hands, fade: 0.1, of: {free: low, pole: high, else: swing}}, go: [{to: down, "
        "when: lit, after: 0.1}@down]}\n"
        "  - name: head\n    machine:\n      start: here\n      states:\n"
        // Both ways hold at once: it goes on with the next step.
        "        here: {play: low, go: [{to: there, when: heft > 4 and not falls(wet)}@there]}\n"
        "        there: {play: high, go: [{to: here, when: heft > 4}, {to: here, signal: call}@here]}\n";
    const std::string never = asked ? ", {to: $1, when: state.phase > 2}" : "";
    text = std::regex_replace(text, std::regex("@(\\w+)"), never);
    return support::character(text, support::machine_assets());
}

/// What happened, and where all layers are after each step.
std::vector<std::string> describe(const std::shared_ptr<const Character>& character, unsigned seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> unit(0, 1);
    Performer performer(character);
    EventList events;
    std::vector<std::string> lines;
    for (int step = 0; step < 300; ++step) {
        const char* const hands[] = {"free", "pole", "lantern"};
        if (unit(random) < 0.1) { performer.set("speed", 6 * unit(random)); }
        if (unit(random) < 0.05) { performer.set("heft", 6 * unit(random)); }
        if (unit(random) < 0.08) { performer.set("wet", unit(random) < 0.5); }
        if (unit(random) < 0.05) { performer.set("hands", hands[random() % 3]); }
        if (unit(random) < 0.08) { performer.send("hop"); }
        if (unit(random) < 0.06) { performer.send("call"); }
        const double r = unit(random);
        performer.advance(r < 0.02 ? 0 : r > 0.97 ? unit(random) : 0.005 + 0.06 * r * r, events);
        for (const Event& event : events.events()) {
            lines.push_back(std::to_string(step) + ": " + std::to_string(int(event.kind)) + " " +
                            character->states()[event.state].name + " " + std::to_string(event.time));
        }
    }
    return lines;
}

} // namespace

TEST_CASE("that nobody asks for decisions which cannot fall changes nothing", "[long]") {
    const auto quiet = deciding_character(false), asked = deciding_character(true);
    std::size_t happened = 0;
    for (unsigned seed = 1; seed <= 400; ++seed) {
        INFO("seed " << seed);
        const auto lines = describe(quiet, seed);
        happened += lines.size();
        REQUIRE(lines == describe(asked, seed));
    }
    CHECK(happened > 20000);
}

TEST_CASE("timed inputs give the same transitions at the same times at 10, 30, 60 and 240 Hz") {
    const auto& character = everything_character();
    std::size_t longest = 0;
    for (unsigned seed = 1; seed <= 60; ++seed) {
        std::vector<std::string> stories;
        for (const int rate : {10, 30, 60, 240}) {
            std::mt19937 random(seed);
            std::uniform_real_distribution<double> unit(0, 1);
            Performer performer(character);
            performer.set_seed(seed);
            performer.reset();
            std::string story;
            for (int tenth = 0; tenth < 60; ++tenth) {
                // What is smoothed is found as late as a frame is long; here everything is known at once.
                if (unit(random) < 0.1) { performer.set("wet", unit(random) < 0.5); }
                if (unit(random) < 0.1) { performer.set("fall", 8 * unit(random)); }
                if (unit(random) < 0.2) { performer.send("hop"); }
                if (unit(random) < 0.1) { performer.send("call"); }
                for (int f = 0; f < rate / 10; ++f) {
                    performer.advance(1.0 / rate);
                    for (const TransitionRecord& record : performer.transitions()) {
                        if (record.time > 5.999) { continue; } // on the edge of what is played
                        story += std::to_string(record.transition) + "@" +
                                 std::to_string(std::lround(record.time * 1e4)) + " ";
                    }
                }
            }
            stories.push_back(story);
        }
        CAPTURE(seed);
        CHECK(stories[1] == stories[0]);
        CHECK(stories[2] == stories[0]);
        CHECK(stories[3] == stories[0]);
        longest = std::max(longest, stories[0].size());
    }
    CHECK(longest > 60);
}

TEST_CASE("twenty transitions in a second keep to four motions and to the block") {
    const auto character = everything_character();
    Performer performer(character);
    const StateHandle states[] = {character->state("moving"), character->state("landing"), character->state("rolling")};
    std::uint32_t newest = performer.instance(0).serial;
    std::size_t greatest = 0;
    for (int i = 0; i < 20; ++i) {
        REQUIRE(performer.enter(states[i % 3], 0.4));
        performer.advance(0.05);
        const std::size_t count = performer.instance_count();
        greatest = std::max(greatest, count);
        // Each entrance plays a motion of its own over the others, however many there were.
        CHECK(performer.instance(count - 1).serial > newest);
        newest = performer.instance(count - 1).serial;
        REQUIRE(count <= 4);
        if (i >= 4) { CHECK(performer.offset_seconds() > 0); } // the fifth is folded
    }
    CHECK(greatest == 4);
    CHECK(performer.faults().cut_chains == 0);
}

TEST_CASE("the same inputs give the same pose to the last bit") {
    const auto play = [] {
        std::mt19937 random(7);
        Performer performer(support::lamplighter().character);
        for (int i = 0; i < 500; ++i) {
            performer.set("speed", double(random() % 60) / 10);
            performer.advance(double(random() % 40) / 1000);
        }
        return performer;
    };
    const Performer a = play(), b = play();
    CHECK(std::equal(a.bytes().begin(), a.bytes().end(), b.bytes().begin()));
}

TEST_CASE("every instruction set plays the round within a hundredth of a degree of the best") {
    const auto play = [] {
        Performer performer(support::lamplighter().character);
        for (int i = 0; i < 300; ++i) {
            performer.set("speed", i % 80 < 40 ? 4.0 : 0.0);
            performer.advance(1.0 / 60);
        }
        return pose_of(performer);
    };
    const auto best = play();
    for (const std::string& target : runnable_targets()) {
        REQUIRE(pin_target(target));
        const auto other = play();
        pin_target({});
        INFO(target);
        CHECK(greatest_turn(best, other) < 0.01);
    }
}
