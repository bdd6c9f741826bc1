#include "gait/compile.hpp"
#include "gait/load.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

using namespace gait;

namespace {

struct Drafted {
    std::shared_ptr<const Character> character;
    std::string said;
};

/// The text as a draft, with one clip to play: `low`.
Drafted draft_of(const std::string& rest) {
    DocumentRead read = read_document_text("gait: 1\nrig: x.glb\nclips: {low: {loop: yes}}\n" + rest, "t.gait.yaml");
    Assets assets = support::assets(2, {support::held("low", 2, 0)});
    assets.rig->joints[1].name = "arm";
    Drafted drafted;
    drafted.said = format(fill_gaps(read.document, assets));
    const Compiled compiled = compile(read.document, assets);
    INFO(format(read.diagnostics) << format(compiled.diagnostics));
    REQUIRE_FALSE(has_errors(compiled.diagnostics));
    drafted.character = compiled.character;
    return drafted;
}

std::size_t times(const std::string& text, const std::string& part) {
    std::size_t count = 0;
    for (std::size_t at = text.find(part); at != std::string::npos; at = text.find(part, at + 1)) { ++count; }
    return count;
}

} // namespace

TEST_CASE("a draft stands in for each clip that is missing, wherever it is played, and says each once") {
    const Drafted drafted =
        draft_of("parameters: {w: {kind: number, range: [0, 1]}, wet: {kind: flag}}\n"
                 "motions: {\"going(one)\": {blend: w, points: {0: one, 1: strut}}, idle: yawn}\n"
                 "layers:\n  - name: body\n    machine:\n      start: a\n      states:\n"
                 "        a: {play: {mix: [low, {play: sway, weight: w}]}, go: {to: b, when: wet}}\n"
                 "        b: {play: {add: lean, to: low, weight: w}, go: {to: c, when: wet}}\n"
                 "        c: {play: {pick: {of: [low, look], between: rest}}, go: {to: d, when: wet}}\n"
                 "        d: {play: {choose: wet, of: {yes: drip, no: low}}, go: {to: e, when: wet}}\n"
                 "        e: {play: \"going(march)\", go: {to: f, when: wet}}\n"
                 "        f: {play: idle, go: {to: g, when: wet}}\n"
                 "        g: {machine: {start: h, states: {h: {play: dig, go: {to: i}}, i: {play: low}}}, go: {to: a, "
                 "when: wet}}\n");
    REQUIRE(drafted.character);
    for (const char* clip : {"sway", "lean", "look", "rest", "drip", "strut", "march", "yawn", "dig"}) {
        CAPTURE(clip, drafted.said);
        CHECK(times(drafted.said, std::string("there is no clip '") + clip + "' yet") == 1);
    }
    Performer performer(drafted.character);
    performer.set("wet", true);
    performer.set("w", 0.5);
    for (int i = 0; i < 240; ++i) { performer.advance(1.0 / 60); }
    CHECK(performer.faults().refused_values == 0);
}

TEST_CASE("a draft fills machines that are written once and one-shots too, and what stands in ends") {
    const Drafted drafted =
        draft_of("masks: {arm: {from: arm}}\nparameters: {wet: {kind: flag}}\n"
                 "machines: {\"wait(what)\": {states: {a: {play: what, go: {to: b, when: wet}}, b: {play: blink, go: "
                 "{to: a}}}}}\n"
                 "one_shots: {greet: {play: wave, mask: arm, fade: 0.1}}\n"
                 "layers: [{name: body, machine: {start: s, states: {s: {machine: \"wait(low)\"}}}}]\n");
    REQUIRE(drafted.character);
    CHECK(times(drafted.said, "there is no clip 'blink' yet") == 1);
    CHECK(times(drafted.said, "there is no clip 'wave' yet") == 1);
    CHECK(times(drafted.said, "no start is named yet; this draft starts in 'a'") == 1);
    CHECK(times(drafted.said, "'what'") == 0);
    Performer performer(drafted.character);
    performer.advance(0.1);
    const OneShotHandle greet = drafted.character->one_shot("greet");
    performer.play_once(greet);
    performer.advance(0.5);
    CHECK(performer.plays(greet));
    for (int i = 0; i < 60; ++i) { performer.advance(1.0 / 60); }
    CHECK_FALSE(performer.plays(greet));
}
