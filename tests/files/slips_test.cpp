// A hundred slips of the hand, and what is said of each: one finding, at the place of the slip, in words that a person
// would use, with what to write.
#include "gait/bvh.hpp"
#include "gait/inspect.hpp"
#include "gait/load.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>

using namespace gait;

namespace {

/// What stands in the document, what was typed in its place, and what is said then.
struct Slip {
    const char *right, *typed, *said;
};

const char* const document = R"(gait: 1
about: The harbour lamplighter.
rig: stand.bvh

clips:
  stand: {loop: yes}
  stroll: {file: stroll.bvh, loop: yes, marks: {left_down: 0.1, right_down: 0.5}}
  run: {file: run.bvh, loop: yes}
  wave: {file: wave.bvh}

parameters:
  speed: {kind: number, range: [0, 6], unit: m/s}
  wet: {kind: flag}
  hands: {kind: choice, of: [free, pole]}
  hop: {kind: signal}

layers:
  - name: body
    machine:
      start: still
      states:
        still:
          play: stand
          go:
            - {to: moving, when: speed > 0.15, fade: 0.2}
            - {to: waving, signal: hop, fade: 0.1}
        moving:
          play:
            blend: speed
            points: {1.4: stroll, 4.2: run}
          go:
            - {to: still, when: speed < 0.1, fade: 0.25}
        waving: {play: wave, go: [{to: still, at: end}]}
)";

const Slip slips[] = {
    {"            - {to: waving, signal", "           - {to: waving, signal",
     "26:12: error: this line is indented by 11 blanks, which fits nothing above it; its neighbours have 12 "
     "[yaml-syntax]"},
    {"            - {to: waving, signal", "             - {to: waving, signal",
     "26:14: error: this line is indented by 13 blanks, but nothing above it opens that; its neighbours have 12 "
     "[yaml-syntax]"},
    {"        moving:\n", "       moving:\n",
     "27:8: error: this line is indented by 7 blanks, which fits nothing above it; its neighbours have 8 "
     "[yaml-syntax]"},
    {"        moving:\n", "         moving:\n",
     "27:10: error: this line is indented by 9 blanks, which fits nothing above it; its neighbours have 8 "
     "[yaml-syntax]"},
    {"{to: moving, when: speed > 0.15, fade: 0.2}", "{to: moving when: speed > 0.15, fade: 0.2}",
     "25:27: error: a comma is missing before 'when' [yaml-syntax]"},
    {"{to: moving, when: speed > 0.15, fade: 0.2}", "{to: moving, when: speed > 0.15 fade: 0.2}",
     "25:47: error: a comma is missing before 'fade' [yaml-syntax]"},
    {"[0, 6]", "[0 6]",
     "12:32: error: a range is its lowest and highest value, such as [0, 6]; found the list [0 6] [wrong-shape]"},
    {"{to: moving, when: speed > 0.15, fade: 0.2}", "{to moving, when: speed > 0.15, fade: 0.2}",
     "25:16: error: a colon is missing after 'to'; write 'to: moving' [yaml-syntax]"},
    {"        moving:\n", "        moving\n",
     "27:15: error: a colon is missing after 'moving'; write 'moving:' [yaml-syntax]"},
    {"          play: stand", "          play stand",
     "23:15: error: a colon is missing after 'play'; write 'play: stand' [yaml-syntax]"},
    {"          play: stand", "          play:stand",
     "23:15: error: a blank is missing after the colon; write 'play: stand' [yaml-syntax]"},
    {"{to: moving,", "{to:moving,",
     "25:16: error: a blank is missing after the colon of 'to'; write 'to: moving' [yaml-syntax]"},
    {"        still:\n", "\tstill:\n",
     "22:1: error: a tab stands at the beginning of this line; indent by blanks alone (an editor can turn tabs into "
     "them) [yaml-syntax]"},
    {"          play: stand", "        \tplay: stand",
     "23:9: error: a tab stands at the beginning of this line; indent by blanks alone (an editor can turn tabs into "
     "them) [yaml-syntax]"},
    {"fade: 0.25}", "fade: 0,25}", "32:54: error: a number is written with a point: fade: 0.25 [decimal-comma]"},
    {"[0, 6]", "[0, 6,5]",
     "12:32: error: a range is its lowest and highest value, such as [0, 6]; found the list [0, 6, 5] [wrong-shape]"},
    {"            blend: speed", "            fade: 0,2\n            blend: speed",
     "29:19: error: 'fade' belongs to a 'choose', a mix, an addition or a transition; remove it [wrong-shape]"},
    {"speed > 0.15", "speed => 0.15", "25:40: error: '=>' does not compare; write '>=' [syntax]"},
    {"speed < 0.1,", "speed =< 0.1,", "32:39: error: '=<' does not compare; write '<=' [syntax]"},
    {"speed > 0.15", "speed = 2", "25:40: error: '=' does not compare; write '==' [syntax]"},
    {"speed > 0.15", "speed > 0.15 && wet", "25:47: error: '&&' is not used here; write 'and' [syntax]"},
    {"speed > 0.15", "speed > 0.15 || wet", "25:47: error: '||' is not used here; write 'or' [syntax]"},
    {"speed > 0.15", "!wet", "25:34: error: '!' is not used here; write 'not wet' [tag]"},
    {"kind: flag", "kind: bool",
     "13:15: error: 'bool' is called 'flag' here; write 'kind: flag' [unknown-parameter-kind]"},
    {"kind: flag", "kind: boolean",
     "13:15: error: 'boolean' is called 'flag' here; write 'kind: flag' [unknown-parameter-kind]"},
    {"kind: number", "kind: float",
     "12:17: error: 'float' is called 'number' here; write 'kind: number' [unknown-parameter-kind]"},
    {"kind: number", "kind: int",
     "12:17: error: 'int' is called 'number' here; write 'kind: number' [unknown-parameter-kind]"},
    {"kind: signal", "kind: trigger",
     "15:15: error: 'trigger' is called 'signal' here; write 'kind: signal' [unknown-parameter-kind]"},
    {"kind: choice", "kind: enum",
     "14:17: error: 'enum' is called 'choice' here; write 'kind: choice' [unknown-parameter-kind]"},
    {"about: The", "about: \"The",
     "2:8: error: this \" is never closed, so that all that follows is part of the text; add \" where it ends "
     "[yaml-syntax]"},
    {"about: The", "about: 'The",
     "2:8: error: this ' is never closed, so that all that follows is part of the text; add ' where it ends "
     "[yaml-syntax]"},
    {"{to: moving, when: speed > 0.15, fade: 0.2}", "{to: moving, when: speed > 0.15, fade: 0.2",
     "25:15: error: this '{' is never closed; add '}' at the end of its line [yaml-syntax]"},
    {"{to: moving, when: speed > 0.15, fade: 0.2}", "to: moving, when: speed > 0.15, fade: 0.2}",
     "25:56: error: this '}' closes nothing; remove it, or open it with '{' before [yaml-syntax]"},
    {"range: [0, 6]", "range: [0, 6",
     "12:32: error: this '[' is never closed; add ']' before the '}' of column 48 [yaml-syntax]"},
    {"[free, pole]", "[free, pole]]", "14:41: error: this ']' closes nothing; remove it [yaml-syntax]"},
    {"{loop: yes}", "{loop: yes}}",
     "6:21: error: this '}' closes nothing; remove it, or open it with '{' before [yaml-syntax]"},
    {"            - {to: waving", "            -{to: waving",
     "26:14: error: a blank is missing after '-', which begins an item of a list [yaml-syntax]"},
    {"unit: m/s", "unit: %", "12:46: error: a value cannot begin with '%'; quote it: \"%\" [yaml-syntax]"},
    {"unit: m/s", "unit: @s", "12:46: error: a value cannot begin with '@'; quote it: \"@s\" [yaml-syntax]"},
    {"play: stand", "play: *stand",
     "23:17: error: a value cannot begin with '*'; YAML's aliases are not used here: write 'stand' [yaml-syntax]"},
    {"unit: m/s", "note: speed: the one the game wants",
     "12:51: error: a colon ends a name, so 'note' is cut off here; quote it: note: \"speed: the one the game wants\" "
     "[yaml-syntax]"},
    {"start: still", "start still",
     "20:12: error: a colon is missing after 'start'; write 'start: still' [yaml-syntax]"},
    {"start: still", "start:", "21:7: error: 'start' names no state; write 'start: still' [missing-start]"},
    {"speed > 0.15", "speed > 0.15 AND wet", "25:47: error: 'AND' is written small: 'and' [syntax]"},
    {"loop: yes}", "loop: Yes}", "6:17: error: 'loop' of a clip is yes or no; found 'Yes': write 'yes' [wrong-shape]"},
    {"loop: yes}", "loop: on}", "6:17: error: 'loop' of a clip is yes or no; found 'on': write 'yes' [wrong-shape]"},
    {"speed > 0.15", "hands is pole",
     "25:40: error: 'is' asks where a layer is, as in 'arms is raised'; a parameter's value is compared by '==' "
     "[syntax]"},
    {"speed > 0.15", "hands == \"pole\"",
     "25:43: error: in a condition values and names stand without quotes; write pole [syntax]"},
    {"speed > 0.15", "hands == 'pole'",
     "25:43: error: in a condition values and names stand without quotes; write pole [syntax]"},
    {"speed > 0.15", "speed not > 2",
     "25:40: error: 'not' stands before a condition, as in 'not wet' or 'not (speed > 2)' [syntax]"},
    {"speed > 0.15", "0 < speed < 2", "25:44: error: comparisons do not chain; write 'a < b and b < c' [syntax]"},
    {"speed > 0.15", "speed > 0.15 then",
     "25:47: error: 'then' was not expected here; before it an operator is missing: and, or, <, >, ==, +, -, *, / "
     "[syntax]"},
    {"fade: 0.2}", "fade: 0.2s}",
     "25:57: error: a unit does not belong in an expression; write the number alone (metres, seconds, degrees) "
     "[syntax]"},
    {"fade: 0.2}", "fade: 200ms}",
     "25:57: error: a unit does not belong in an expression; write the number alone (metres, seconds, degrees) "
     "[syntax]"},
    {"fade: 0.2}", "fade: 20%}", "25:56: error: a part of a hundred is written as a number: 0.2 for 20 % [syntax]"},
    {"        still:\n          play: stand\n", "        - still:\n          play: stand\n",
     "27:9: error: this line stands among the items of a list, which begin with '- '; begin it so, or indent it "
     "otherwise [yaml-syntax]"},
    {"          go:\n            - {to: moving", "          go:\n            {to: moving",
     "26:13: error: this line begins with '- ', as an item of a list, but stands among lines that begin with a name; "
     "remove '- ', or indent it [yaml-syntax]"},
    {"        waving: {play: wave, go: [{to: still, at: end}]}", "        waving: wave",
     "33:17: error: state 'waving' is a map of play, machine, junction, resume, moved_by, inputs, travel, whole_body, "
     "leads, "
     "values, go; found 'wave' [wrong-shape]"},
    {"  stand: {loop: yes}\n", "  - stand: {loop: yes}\n",
     "7:3: error: this line stands among the items of a list, which begin with '- '; begin it so, or indent it "
     "otherwise [yaml-syntax]"},
    {"  - name: body\n    machine:", "  body:\n    machine:",
     "18:3: error: layers are a list, the lowest first; write '- name: body' and what is below it beside 'name' "
     "[wrong-shape]"},
    {"when: speed > 0.15,", "when: speed > 0.15, when: wet,",
     "25:48: error: 'when' is written twice in a transition; remove one [doubled-key]"},
    {"          play: stand\n", "          play: &stand\n",
     "23:17: error: '&' is not used here; write 'stand' [anchor]"},
    {"  stroll: {file", "  stand: {file",
     "7:3: error: 'stand' is written twice in 'clips'; rename or remove one [doubled-key]"},
    {"        moving:\n", "        still:\n",
     "27:9: error: 'still' is written twice in 'states'; rename or remove one [doubled-key]"},
    {"{to: moving,", "{to -> moving,", "25:16: error: a colon is missing after 'to'; write 'to: moving' [yaml-syntax]"},
    {"{to: moving, when: speed > 0.15, fade: 0.2}", "{to: moving; when: speed > 0.15; fade: 0.2}",
     "25:26: error: a ';' parts nothing here; write ',' before 'when' [yaml-syntax]"},
    {"{to: moving,", "{to = moving,",
     "25:16: error: 'to' is parted from its value by a colon and not by '='; write 'to: moving' [yaml-syntax]"},
    {"speed > 0.15", "max(speed, 1) > 2",
     "25:45: error: inside braces a comma ends the value, so 'when' is cut off here; quote it: when: \"max(speed, 1) > "
     "2\" [unquoted-comma]"},
    {"speed > 0.15", "(speed > 0.15", "25:34: error: this '(' is never closed; add ')' [syntax]"},
    {"speed > 0.15", "Speed > 0.15", "25:34: error: no parameter 'Speed'; did you mean 'speed'? [unknown-parameter]"},
    {"to: moving,", "to: Moving,", "25:20: error: no state 'Moving'; did you mean 'moving'? [unknown-state]"},
    {"to: moving,", "to: body.moving,",
     "25:20: error: no state 'body.moving'; there are still, moving, waving [unknown-state]"},
    {"range: [0, 6], unit", "range: [0, 6],, unit", "12:39: error: two commas stand here; remove one [yaml-syntax]"},
    {"of: [free, pole]", "of: free, pole",
     "14:35: error: a list stands in brackets; write 'of: [free, pole]' [unquoted-comma]"},
    {"          play: stand",
     "          play:\xC2\xA0"
     "stand",
     "23:16: error: a no-break space stands here, which only looks like a blank; write a plain one [yaml-syntax]"},
    {"  hop: {kind: signal}\n", "  hop: {kind: signal}\nhop\n",
     "16:1: error: 'hop' stands here by itself; write 'hop:' and what belongs to it, or remove it [yaml-syntax]"},
    {"fade: 0.1}", "fade: 0.1},", "26:51: error: a comma stands after what has ended; remove it [yaml-syntax]"},
    {"range: [0, 6]", "range: (0, 6)",
     "12:36: error: a list stands in brackets; write 'range: [0, 6]' [unquoted-comma]"},
    {"of: [free, pole]", "of: {free, pole}", "14:29: error: a value's name is a text; found a map [wrong-shape]"},
    {"fade: 0.25}", "fade: 0.25 seconds}",
     "32:57: error: a unit does not belong in an expression; write the number alone (metres, seconds, degrees) "
     "[syntax]"},
    {"[0, 6]", "0..6",
     "12:32: error: a range is its lowest and highest value, such as [0, 6]; found '0..6' [wrong-shape]"},
    {"[0, 6]", "0-6",
     "12:32: error: a range is its lowest and highest value, such as [0, 6]; found '0-6' [wrong-shape]"},
    {"signal: hop,", "when: hop,",
     "26:34: error: 'hop' is a signal, which a transition takes by its own key; write 'signal: hop' beside 'when' "
     "[wrong-type]"},
    {"start: still", "start: standing",
     "20:14: error: no state 'standing'; there are still, moving, waving [unknown-state]"},
    {"speed > 0.15", "wet == 1",
     "25:41: error: '1' is a number and '==' takes a flag; compare the number first, such as 'speed > 0.1' "
     "[wrong-type]"},
    {"speed > 0.15", "hands",
     "25:34: error: 'hands' is a choice; compare it with one of its values, such as 'hands == free' [wrong-type]"},
    {"speed > 0.15", "speed",
     "25:34: error: 'speed' is a number and a condition must be true or false; compare it, such as 'speed > 0.1' "
     "[wrong-type]"},
    {"speed > 0.15", "speed > = 0.15", "25:42: error: '> =' is written without a blank: '>=' [syntax]"},
    {"speed > 0.15", "not not", "25:41: error: the expression ends too early; a value is missing [syntax]"},
    {"when: speed > 0.15", "when:", "25:33: error: 'when' of a transition is a text; found nothing [wrong-shape]"},
    {"fade: 0.25}", "fade: }", "32:52: error: 'fade' is a text; found nothing [wrong-shape]"},
    {"fade: 0.25}", "fade: -1}", "32:52: error: a fade lasts 0 to 60 seconds; found -1 [wrong-range]"},
    {"          play: stand", "          play:",
     "24:11: error: 'play' is the name of a clip or motion, or a map with 'clip', 'blend', 'mix', 'add', 'pick' or "
     "'choose'; found nothing [wrong-shape]"},
    {"points: {1.4: stroll, 4.2: run}", "points: [1.4: stroll, 4.2: run]",
     "30:22: error: points named by their places stand in braces and not in brackets: {1.4: stroll, ...} "
     "[wrong-shape]"},
    {"{1.4: stroll, 4.2: run}", "{stroll: 1.4, run: 4.2}",
     "30:22: error: a point is its place and what plays there; write '1.4: stroll' [wrong-shape]"},
    {"gait: 1", "gait: 2", "1:7: error: this library reads documents of version 1; found '2' [unknown-version]"},
    {"gait: 1", "gait: one", "1:7: error: this library reads documents of version 1; found 'one' [unknown-version]"},
    {"gait: 1\n", "",
     "1:1: error: a document begins with 'gait: 1', the version of its language; add that line [missing-key]"},
    {"rig: stand.bvh\n", "", "1:1: error: no rig is named; add 'rig: FILE.glb' [missing-key]"},
    {"kind: number", "kind: Number",
     "12:17: error: no parameter kind 'Number'; did you mean 'number'? [unknown-parameter-kind]"},
    {"[free, pole]", "[free]",
     "14:3: error: choice 'hands' needs at least two values; add 'of: [one, other]' [missing-key]"},
    {"at: end", "at: END", "33:51: error: no mark 'END'; there are left_down, right_down [unknown-mark]"},
    {"signal: hop,", "signal: Hop,", "26:36: error: no signal 'Hop'; did you mean 'hop'? [unknown-signal]"},
    {"start: still", "start: Still", "20:14: error: no state 'Still'; did you mean 'still'? [unknown-state]"},
    {"            blend: speed", "            sync: feet\n            blend: speed",
     "29:19: error: no sync 'feet'; there are footfall, cycle, off [unknown-sync]"},
    {"blend: speed", "blend: spede", "29:20: error: no parameter 'spede'; did you mean 'speed'? [unknown-parameter]"},
    {"[0, 6]", "[6, 0]", "12:32: error: the range [6, 0] is empty; write the lower value first [wrong-range]"},
    {"play: stand", "play: stnd", "23:17: error: no clip 'stnd'; did you mean 'stand'? [unknown-clip]"},
    {"fade: 0.25", "fad: 0.25", "32:46: error: a transition has no key 'fad'; did you mean 'fade'? [unknown-key]"},
    {"fade: 0.25", "fade: 0.25, ease: smoothh",
     "32:64: error: no ease 'smoothh'; did you mean 'smooth'? [unknown-ease]"},
    {"fade: 0.25", "fade: 0.25, style: blend",
     "32:65: error: no style 'blend'; there are cross, frozen, inertial [unknown-style]"},
    {"at: end}", "at: left_dwn}", "33:51: error: no mark 'left_dwn'; did you mean 'left_down'? [unknown-mark]"},
    {"fade: 0.1}", "fade: 0.1, enter_at: half}",
     "26:62: error: no mark 'half'; there are left_down, right_down, phase, footfall [unknown-mark]"},
    {"          play: stand", "          pley: stand",
     "23:11: error: state 'still' has no key 'pley'; did you mean 'play'? [unknown-key]"},
    {"rig: stand.bvh", "rig: stnad.bvh",
     "3:6: error: 'stnad.bvh': cannot be read: no such file or directory [unreadable-file]"},
    {"file: run.bvh", "file: rnu.bvh",
     "8:15: error: 'rnu.bvh': cannot be read: no such file or directory [unreadable-file]"},
    {"          play: stand\n", "          play: wave\n",
     "23:17: warning: clip 'wave' is played once and then stands still in 'still'; its end meets its start: add 'loop: "
     "yes' to the clip, or a transition with 'at: end' [stuck-at-end]"},
    {"speed < 0.1,", "speed == 0,",
     "32:33: warning: 'speed == 0' compares a number that hardly ever is exactly that; leave room, such as 'speed < "
     "0.05' [equal-number]"},
};

/// What is said of a whole text.
const std::pair<const char*, const char*> texts[] = {
    {"",
     "1:1: error: the file is empty; begin it with 'gait: 1' for a document or 'cues:' for a cue sheet [empty-file]"},
    {"seconds: 10\ncues:\n  - {at: 1, set: {speed: 2}}\n",
     "1:1: error: this is a cue sheet, not a document; give it with '--cues', beside the document that it plays "
     "[other-document]"},
    {"version: 2\nservices:\n  web: {image: x}\n",
     "1:1: error: this is no document of Pliant Gait: it begins with 'version'; a document begins with 'gait: 1', then "
     "'rig', 'clips', 'parameters' and 'layers' [other-document]"},
    {"- a\n- b\n",
     "1:1: error: a document is a map that begins with 'gait: 1'; found the list [a, b] [other-document]"},
    {"just words\n", "1:1: error: a document is a map that begins with 'gait: 1'; found 'just words' [other-document]"},
};

/// Errors, or where there is none warnings of a kind that a slip makes; each a line.
std::vector<std::string> said_of(const support::TemporaryFolder& folder, const std::string& text) {
    const Loaded loaded = load(folder.write("slip.gait.yaml", text));
    Diagnostics found = loaded.diagnostics;
    if (loaded.character) {
        const Diagnostics remarks =
            inspect(loaded.document, load_assets(loaded.document).assets, loaded.character.get());
        found.insert(found.end(), remarks.begin(), remarks.end());
    }
    std::vector<std::string> errors, warnings;
    for (const Diagnostic& diagnostic : found) {
        std::string line = format({diagnostic});
        line = line.substr(0, line.find('\n'));
        line = line.substr(line.find("slip.gait.yaml:") + 15);
        if (diagnostic.severity == Severity::error) { errors.push_back(line); }
        if (diagnostic.severity == Severity::warning) { warnings.push_back(line); }
    }
    return errors.empty() ? warnings : errors;
}

/// A pole with a joint in its middle, standing for a second.
void plant_pole(const support::TemporaryFolder& folder) {
    const Rig pole = support::chain(3);
    for (const char* name : {"stand", "stroll", "run", "wave"}) {
        const std::vector<std::vector<Transform>> frames(31, rest_pose(pole));
        REQUIRE(bake_bvh(pole, BakedMotion{name, 30, frames}, folder / (std::string(name) + ".bvh")).empty());
    }
}

} // namespace

TEST_CASE("each slip of the hand gives one finding, where it is, with what to write") {
    const support::TemporaryFolder folder;
    plant_pole(folder);
    for (const Slip& slip : slips) {
        std::string text = document;
        const std::size_t at = text.find(slip.right);
        CAPTURE(slip.right, slip.typed);
        REQUIRE(at != std::string::npos);
        text.replace(at, std::string(slip.right).size(), slip.typed);
        const std::vector<std::string> said = said_of(folder, text);
        CAPTURE(said);
        if (std::string(slip.said).find(": error: ") != std::string::npos) { CHECK(said.size() == 1); }
        CHECK(std::find(said.begin(), said.end(), slip.said) != said.end());
    }
    CHECK(std::size(slips) + std::size(texts) >= 100);
}

TEST_CASE("a text of another kind is told for what it is, once") {
    const support::TemporaryFolder folder;
    plant_pole(folder);
    for (const auto& [text, expected] : texts) {
        CAPTURE(text);
        CHECK(said_of(folder, text) == std::vector<std::string>{expected});
    }
}
