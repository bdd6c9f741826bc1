// Documents that a program fills: every number in them may be anything.
#include "gait/load.hpp"
#include "machine_support.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cmath>
#include <functional>
#include <limits>
#include <random>

using namespace gait;

namespace {

/// Shows every number of a document to `visit`.
class NumberWalk {
public:
    explicit NumberWalk(std::function<void(double&)> visit) : visit_(std::move(visit)) {}

    void document(Document& d) {
        number(d.tolerance);
        for (ClipDefinition& c : d.clips) { clip(c); }
        for (ParameterDefinition& p : d.parameters) { parameter(p); }
        for (ValueDefinition& v : d.values) { visit_(v.default_value); }
        number(d.feet.most);
        number(d.feet.release);
        for (MaskDefinition& m : d.masks) {
            number(m.ramp);
            for (auto& [joint, weight] : m.joints) { number(weight); }
        }
        for (NamedMotion& m : d.motions) { motion(m.play); }
        for (NamedMachine& m : d.machines) { machine(m.machine); }
        for (LayerDefinition& l : d.layers) {
            number(l.fade);
            machine(l.machine);
        }
        for (OneShotDefinition& s : d.one_shots) {
            motion(s.play);
            for (Number* n : {&s.fade_in, &s.fade_out, &s.wait}) { number(*n); }
        }
        for (ForbidDefinition& f : d.forbid) { number(f.fade); }
    }

private:
    void number(Number& n) { visit_(n.value); }
    void number(std::optional<Number>& n) {
        if (n) { number(*n); }
    }
    void pair(std::pair<Number, Number>& p) {
        number(p.first);
        number(p.second);
    }
    void clip(ClipDefinition& c) {
        if (c.cut) { pair(*c.cut); }
        number(c.seam);
        number(c.rate);
        for (MarkDefinition& m : c.marks) { number(m.at); }
        for (SpanDefinition& s : c.spans) {
            number(s.from);
            number(s.to);
        }
    }
    void parameter(ParameterDefinition& p) {
        if (p.range) {
            visit_(p.range->first);
            visit_(p.range->second);
        }
        if (p.default_value) { visit_(*p.default_value); }
        number(p.smooth);
        number(p.at_most);
        number(p.keep);
        number(p.wait);
    }
    void motion(MotionDefinition& m) {
        if (m.blend) {
            for (PointDefinition& p : m.blend->points) {
                for (Number& n : p.at) { number(n); }
                for (Number& n : p.to) { number(n); }
                motion(p.play);
            }
            for (auto& cell : m.blend->cells) {
                for (Number& n : cell) { number(n); }
            }
            if (m.blend->keep_pace) { pair(*m.blend->keep_pace); }
        }
        if (m.mix) {
            number(m.mix->fade);
            for (MixEntryDefinition& e : m.mix->of) { motion(e.play); }
        }
        if (m.add) {
            number(m.add->fade);
            motion(m.add->what);
            motion(m.add->to);
        }
        if (m.pick) {
            number(m.pick->fade);
            for (PickEntry& e : m.pick->of) {
                motion(e.play);
                number(e.share);
                pair(e.loops);
                number(e.fade);
            }
        }
        if (m.choose) {
            number(m.choose->fade);
            for (ChooseEntry& e : m.choose->of) { motion(e.play); }
        }
    }
    void transition(TransitionDefinition& t) {
        number(t.fade);
        if (t.after) { pair(*t.after); }
    }
    void machine(MachineDefinition& m) {
        for (TransitionDefinition& t : m.always) { transition(t); }
        for (StateDefinition& s : m.states) {
            motion(s.play);
            if (s.machine) { machine(*s.machine); }
            for (LeadDefinition& l : s.leads) { number(l.fade); }
            for (TransitionDefinition& t : s.go) { transition(t); }
            for (BranchDefinition& b : s.junction) { number(b.fade); }
        }
    }
    std::function<void(double&)> visit_;
};

/// A document of small clips in which every kind of number stands.
const Document& rich_document() {
    static const Document document = [] {
        const DocumentRead read = read_document_text(
            "gait: 1\nrig: chain.glb\ntolerance: 0.5\n"
            "clips:\n  low: {loop: yes, rate: 1.5}\n  high: {loop: yes, seam: 5}\n  side: {cut: [0.1, 0.9]}\n"
            "  spin: {}\n  swing: {loop: yes}\n  marked: {loop: yes, marks: {tick: 0.3}, spans: {open: [0.2, 0.6]}}\n"
            "parameters:\n  speed: {kind: number, range: [0, 6], default: 1, smooth: 0.1, at_most: 30}\n"
            "  heading: {kind: angle, smooth: 0.1, default: 20}\n  wet: {kind: flag, default: yes}\n"
            "  hands: {kind: choice, of: [free, pole], default: pole}\n"
            "  hop: {kind: signal, keep: 0.2, wait: 0.4}\n  ratio: {kind: number, from: speed / heading}\n"
            "values: {top: {kind: number, default: 3}, can: {kind: flag}, hold: {kind: choice, of: [a, b]}}\n"
            "masks: {upper: {from: joint_1, ramp: 2}, one: {joints: {joint_0: 0.5}}}\n"
            "layers:\n  - name: body\n    machine:\n      start: still\n      always:\n"
            "        - {to: spun, signal: hop, fade: 0.3}\n      states:\n"
            "        still:\n          play: {pick: {fade: 0.2, of: [{play: low, share: 2, loops: [1, 3], fade: 0.1}, "
            "side]}}\n"
            "          go: [{to: plane, after: [0.1, 0.4], fade: 0.2}]\n"
            "        plane:\n          play:\n            blend: [heading, speed]\n            keep_pace: [0.75, 1.5]\n"
            "            points: [{at: [0, 0], play: low}, {at: [0, 2], play: swing}, {at: [90, 2], play: high}, "
            "{at: [-90, 1], to: [-90, 2], play: marked}]\n"
            "          go: [{to: mixed, when: wet, after: 0.3, fade: 0.25, style: inertial}]\n"
            "        mixed:\n          play: {mix: [low, {play: high, weight: speed / 6}], fade: 0.3}\n"
            "          go: [{to: fork, after: 0.2, fade: 0.1}]\n"
            "        fork: {junction: [{to: added, when: hands == pole, fade: 0.3}, {to: line}]}\n"
            "        added:\n          play: {add: side, to: low, weight: 0.5, fade: 0.2}\n"
            "          go: [{to: line, after: 0.2, fade: 0.15, style: frozen}]\n"
            "        line:\n          play: {blend: speed, points: {0: low, 2: swing, 5: high}}\n"
            "          go: [{to: still, after: 0.5, fade: 0.2}]\n"
            "        spun: {play: spin, values: {top: 1}, go: [{to: still, at: end, fade: 0.2}]}\n"
            "  - name: arms\n    mask: upper\n    weight: speed / 3\n    fade: 0.3\n    machine:\n      start: off\n"
            "      states:\n        off: {play: nothing, go: [{to: on, when: wet, fade: 0.2}]}\n"
            "        on: {play: {choose: hands, fade: 0.2, of: {free: low, pole: high}}, go: [{to: off, when: not "
            "wet}]}\n"
            "one_shots: {greet: {play: side, mask: one, fade: [0.1, 0.2], wait: 0.3}}\n"
            "forbid: [{yields: arms.on, while: body.spun, fade: 0.1}]\n",
            "rich.gait.yaml");
        INFO(format(read.diagnostics));
        REQUIRE_FALSE(has_errors(read.diagnostics));
        return read.document;
    }();
    return document;
}

const std::vector<double>& hostile_numbers() {
    static const std::vector<double> numbers{std::numeric_limits<double>::quiet_NaN(),
                                             std::numeric_limits<double>::infinity(),
                                             -std::numeric_limits<double>::infinity(),
                                             0,
                                             -0.0,
                                             -1,
                                             1e-300,
                                             1e-38,
                                             1e-9,
                                             1e9,
                                             1e38,
                                             3.5e38,
                                             1e300,
                                             -1e300,
                                             0.5,
                                             2,
                                             7,
                                             59.999,
                                             61};
    return numbers;
}

/// Plays with random inputs and holds that every pose is finite and of unit rotations.
void play_hard(const std::shared_ptr<const Character>& character, std::mt19937& random) {
    Performer performer(character);
    std::uniform_real_distribution<double> unit(0, 1);
    for (int frame = 0; frame < 40; ++frame) {
        performer.set("speed", 8 * unit(random) - 1);
        performer.set("heading", 400 * unit(random) - 200);
        performer.set("wet", unit(random) < 0.5);
        performer.set("hands", unit(random) < 0.5 ? "free" : "pole");
        if (unit(random) < 0.2) { performer.send("hop"); }
        if (unit(random) < 0.1) { performer.play_once("greet"); }
        performer.advance(unit(random) < 0.1 ? 0 : 0.2 * unit(random));
        for (const Transform& joint : support::pose_of(performer)) {
            REQUIRE(std::abs(dot(joint.rotation, joint.rotation) - 1) < 1e-3F);
            REQUIRE(std::isfinite(length(joint.translation)));
        }
    }
}

} // namespace

TEST_CASE("a document that a program fills with any numbers is refused, or plays finite poses", "[long]") {
    const Assets assets = support::machine_assets();
    std::size_t count = 0;
    NumberWalk([&](double&) { ++count; }).document(*std::make_unique<Document>(rich_document()));
    REQUIRE(count > 80);
    {
        const Compiled as_written = compile(rich_document(), assets);
        INFO(format(as_written.diagnostics));
        REQUIRE(as_written.character);
    }
    std::mt19937 random(5);
    std::size_t played = 0, refused = 0;
    for (std::size_t which = 0; which < count; ++which) {
        for (const double hostile : hostile_numbers()) {
            Document document = rich_document();
            std::size_t at = 0;
            NumberWalk([&](double& number) {
                if (at++ == which) { number = hostile; }
            }).document(document);
            CAPTURE(which, hostile);
            const Compiled compiled = compile(document, assets);
            ++(compiled.character ? played : refused);
            if (!compiled.character) {
                REQUIRE(has_errors(compiled.diagnostics));
            } else {
                play_hard(compiled.character, random);
            }
        }
    }
    // Every number has values that are refused, and few are refused for any.
    CHECK(refused > 2 * count);
    CHECK(played > 2 * count);
}

TEST_CASE("many hostile numbers at once are refused, or play finite poses", "[long]") {
    const Assets assets = support::machine_assets();
    std::mt19937 random(6);
    for (int run = 0; run < 300; ++run) {
        Document document = rich_document();
        NumberWalk([&](double& number) {
            if (random() % 30 == 0) { number = hostile_numbers()[random() % hostile_numbers().size()]; }
        }).document(document);
        CAPTURE(run);
        const Compiled compiled = compile(document, assets);
        if (compiled.character) { play_hard(compiled.character, random); }
    }
}

TEST_CASE("what is out of bounds is said by compile, with a place where there is one and a path where there is none") {
    const Assets assets = support::machine_assets();
    const auto mistakes = [&](const std::function<void(Document&)>& change) {
        Document document = rich_document();
        document.source.clear();
        change(document);
        return format(compile(document, assets).diagnostics);
    };
    constexpr double nan = std::numeric_limits<double>::quiet_NaN();
    CHECK_THAT(mistakes([&](Document& d) { d.layers[1].fade = nan; }),
               Catch::Contains("a fade lasts 0 to 60 seconds; found nan [wrong-range]"));
    CHECK_THAT(mistakes([&](Document& d) { d.forbid[0].fade = Number(-1, {}); }),
               Catch::Contains("a fade lasts 0 to 60 seconds; found -1"));
    CHECK_THAT(mistakes([&](Document& d) { d.masks[0].ramp = nan; }), Catch::Contains("'ramp' is a whole number"));
    CHECK_THAT(mistakes([&](Document& d) { d.masks[1].joints[0].second = nan; }),
               Catch::Contains("a joint's part is 0 to 1; found nan"));
    CHECK_THAT(mistakes([&](Document& d) { d.clips[0].rate = nan; }), Catch::Contains("'rate' is 0.01 to 100"));
    CHECK_THAT(mistakes([&](Document& d) { d.parameters[3].default_value = 2; }),
               Catch::Contains("the default of 'hands' is one of 2 values, counted from 0; found 2"));
    CHECK_THAT(mistakes([&](Document& d) {
                   d.parameters[0].range = {-1e39, 1e39};
               }),
               Catch::Contains("the numbers of 'speed' lie between"));
    CHECK_THAT(mistakes([&](Document& d) {
                   d.feet.planted = "yes";
                   d.feet.most = nan;
               }),
               Catch::Contains("'most' is 0.01 to 10 metres; found nan"));
    const std::string text =
        support::machine_text("speed: {kind: number}", "a: {play: low}", "a", "feet: {planted: yes, most: 11}\n");
    CHECK_THAT(support::diagnose(text, assets),
               Catch::Contains("test.gait.yaml:") && Catch::Contains("'most' is 0.01 to 10 metres; found 11"));
}

TEST_CASE("cells by hand that do not fit a space whose pace is kept are one mistake, and nothing crashes") {
    const std::string mistakes = support::machine_mistakes(
        "  speed: {kind: number, range: [0, 6]}\n  heading: {kind: angle}\n",
        "a: {play: {blend: [heading, speed], keep_pace: yes, cells: [[1, 2, 4]], points: [{at: [0, 0], play: low}, "
        "{at: [0, 2], play: swing}, {at: [90, 2], play: high}, {at: [180, 2], play: low}, {at: [-90, 2], play: "
        "high}]}}");
    CHECK_THAT(mistakes,
               Catch::Contains("these cells do not fit together: the corners of one lie in a line, or it is not "
                               "convex; leave 'cells' out to have them found"));
}
