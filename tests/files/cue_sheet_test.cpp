#include "gait/cue_player.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

using namespace gait;

namespace {

std::string said(const std::string& text) {
    CueSheetRead read = read_cue_sheet_text(text, "test.cues.yaml");
    CuePlayer(read.sheet, *support::lamplighter().character, read.diagnostics);
    return format(read.diagnostics);
}

/// The speed as set at each of `times` by a sheet.
std::vector<float> speeds(const std::string& text, const std::vector<double>& times) {
    CueSheetRead read = read_cue_sheet_text(text, "test.cues.yaml");
    CuePlayer player(read.sheet, *support::lamplighter().character, read.diagnostics);
    INFO(format(read.diagnostics));
    REQUIRE(read.diagnostics.empty());
    Performer performer(support::lamplighter().character);
    std::vector<float> values;
    for (const double time : times) {
        player.apply(performer, time);
        values.push_back(performer.get(performer.character().number("speed")));
    }
    return values;
}

} // namespace

TEST_CASE("cues set values at their instants, whatever their order in the file") {
    CHECK(speeds("cues: [{at: 2, set: {speed: 3}}, {at: 1, set: {speed: 1}}]", {0, 0.99, 1, 1.5, 2, 9}) ==
          std::vector<float>{0, 0, 1, 1, 3, 3});
}

TEST_CASE("a ramp goes evenly from the present value, and a newer cue takes over from it") {
    CHECK(speeds("cues: [{at: 1, set: {speed: 2}}, {at: 2, over: 2, set: {speed: 4}}]", {1, 2, 2.5, 3, 4, 5}) ==
          std::vector<float>{2, 2, 2.5, 3, 4, 4});
    CHECK(speeds("cues: [{at: 0, over: 4, set: {speed: 4}}, {at: 2, set: {speed: 1}}]", {0, 1, 2, 3, 4}) ==
          std::vector<float>{0, 1, 1, 1, 1});
}

TEST_CASE("repeats play a cue or a group again") {
    CHECK(speeds("cues: [{at: 1, every: 1, times: 2, cues: [{at: 0, set: {speed: 2}}, {at: 0.5, set: {speed: 0}}]}]",
                 {0.9, 1, 1.5, 2, 2.5, 3}) == std::vector<float>{0, 2, 0, 2, 0, 0});
    CueSheetRead read = read_cue_sheet_text("cues: [{at: 1, every: 0.5, times: 5, set: {speed: 1}}]", "x");
    CHECK(CuePlayer(read.sheet, *support::lamplighter().character, read.diagnostics).last() == Approx(3));
}

TEST_CASE("cues reach their instant though frames are sums of small steps") {
    Performer performer(support::lamplighter().character);
    CueSheetRead read = read_cue_sheet_text("cues: [{at: 1, set: {halt: yes}}]", "x");
    CuePlayer player(read.sheet, performer.character(), read.diagnostics);
    double time = 0;
    for (int i = 0; i < 60; ++i) { time += 1.0 / 60; }
    player.apply(performer, time);
    CHECK(performer.get(performer.character().flag("halt")));
}

TEST_CASE("a cue sheet's mistakes are said as a document's are") {
    CHECK(said("cues:\n  - {at: 1, set: {sped: 2}}\n") ==
          "test.cues.yaml:2:19: error: no parameter 'sped'; did you mean 'speed'? [unknown-parameter]\n"
          "      - {at: 1, set: {sped: 2}}\n"
          "                      ^\n");
    const auto has = [](const std::string& expected) { return Catch::Contains(expected); };
    CHECK_THAT(said("cues: [{at: 1, set: {halt: 1}}]"), has("'halt' is a flag; write yes or no [wrong-type]"));
    CHECK_THAT(said("cues: [{at: 1, set: {speed: yes}}]"),
               has("'speed' is a number; write one such as 1.4; found 'yes' [wrong-type]"));
    CHECK_THAT(said("cues: [{at: 1, set: {speed: 60}}]"), has("'speed' ranges from 0 to 6; found 60 [wrong-range]"));
    CHECK_THAT(said("cues: [{at: 1, set: {speed: fast}}]"),
               has("'speed' is a number; write one such as 1.4; found 'fast' [wrong-type]"));
    CHECK_THAT(said("cues: [{set: {speed: 1}}]"), has("this cue does not say when; add 'at: SECONDS' [missing-key]"));
    CHECK_THAT(said("cues: [{at: 1}]"), has("this cue does nothing; add 'set: {PARAMETER: VALUE}', 'send: SIGNAL', "
                                            "'enter: STATE' or a group of 'cues' [missing-key]"));
    CHECK_THAT(said("cues: [{at: -1, set: {speed: 1}}]"), has("'at' is 0 to 86400 seconds; found -1 [wrong-range]"));
    CHECK_THAT(said("cues: [{at: 1, every: 1, set: {speed: 1}}]"),
               has("a repeat needs both 'every: SECONDS' and 'times: COUNT' [missing-key]"));
    CHECK_THAT(said("cues: [{at: 1, every: 0, times: 3, set: {speed: 1}}]"),
               has("'every' is more than 0 seconds; found 0 [wrong-range]"));
    CHECK_THAT(said("cues: [{at: 1, every: 1, times: 1.5, set: {speed: 1}}]"),
               has("'times' is a whole number from 1 to 100000; found 1.5 [wrong-range]"));
    CHECK_THAT(said("cues: [{at: 1, over: 1, cues: [{at: 0, set: {speed: 1}}]}]"),
               has("'over' is how long a 'set' takes; this cue sets nothing [wrong-shape]"));
    CHECK_THAT(said("cue: []"), has("a cue sheet has no key 'cue'; did you mean 'cues'? [unknown-key]"));
    CHECK_THAT(said("about: x"),
               has("a cue sheet needs 'cues:', a list such as - {at: 1, set: {speed: 1.4}} [missing-key]"));
    CHECK_THAT(said("cues: [{at: 0, every: 0.001, times: 100000, cues: [{at: 0, every: 0.001, times: 100000, set: "
                    "{speed: 1}}]}]"),
               has("repeats make more than 1000000 cues; lower 'times' [too-many]"));
    CHECK_THAT(format(read_cue_sheet("/nowhere/x.cues.yaml").diagnostics),
               has("/nowhere/x.cues.yaml: error: cannot be read: no such file or directory"));
}

TEST_CASE("a sheet says what a cue lacks, what a parameter is, and what a body needs") {
    const auto has = [](const std::string& expected) { return Catch::Contains(expected); };
    CHECK_THAT(said("cues: [now]"), has("a cue is a map of at, set, send"));
    CHECK_THAT(said("[]"), has("a cue sheet is a map of"));
    CHECK_THAT(said("cues: [{at: 1, seed: 1.5}]"), has("'seed' is a whole number from 0; found 1.5 [wrong-range]"));
    CHECK_THAT(said("cues: [{at: 1, enter: {fade: 0.2}}]"),
               has("'enter' does not say where; add 'state: body.moving' [missing-key]"));
    CHECK_THAT(said("cues: [{at: 1, set: {hop: 1}}]"), has("'hop' is a signal, which has no value; send it"));
    CHECK_THAT(said("cues: [{at: 1, send: speed}]"), has("'speed' is no signal; write 'set: {speed: VALUE}'"));
    CHECK_THAT(said("cues: [{at: 1, set: {speed: .nan}}]"), has("'speed'"));
    CHECK_THAT(said("body: quick\ncues: [{at: 1, set: {speed: 1}}]"), has("'body' is a map of speed, heading, turn"));
    CHECK_THAT(said("body: {heading: heading}\ncues: [{at: 1, set: {speed: 1}}]"),
               has("this body goes nowhere; add 'speed: PARAMETER', 'turn: PARAMETER' or both [missing-key]"));
    CHECK_THAT(said("body: {speed: heading}\ncues: [{at: 1, set: {speed: 1}}]"), has("'heading' is not a number"));
    std::string deep = "{at: 0, set: {speed: 1}}";
    for (int i = 0; i < 10; ++i) { deep = "{at: 0, cues: [" + deep + "]}"; }
    CHECK_THAT(said("cues: [" + deep + "]"), has("groups of cues nest deeper than 8 [too-deep]"));
    // Several signals may be sent at once.
    CHECK(said("cues: [{at: 1, send: [hop, light]}]").empty());
}
