// What the tool tells and draws of layers: who leads, who yields, what may not be at once, and which moves what.
#include "support.hpp"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <algorithm>

using nlohmann::json;
using support::Finished;
using support::gait_tool;

namespace {

const std::string guide = "docs/guide/7_layers.gait.yaml";

/// Cues for the guide's document: a lamp and a greeting as she stands, then off to a run, a bell, and a fall.
std::string cues(const support::TemporaryFolder& folder) {
    return folder.write("acts.cues.yaml", "seconds: 14\n"
                                          "cues:\n"
                                          "  - {at: 1, send: light, set: {button: yes}}\n"
                                          "  - {at: 1.5, send: greet}\n"
                                          "  - {at: 1.7, send: greet}\n"
                                          "  - {at: 3, set: {speed: 4, calm: yes}}\n"
                                          "  - {at: 6, send: bell}\n"
                                          "  - {at: 6.5, set: {speed: 0}}\n"
                                          "  - {at: 9, send: light}\n"
                                          "  - {at: 10, set: {airborne: yes}}\n"
                                          "  - {at: 11, set: {airborne: no}}\n");
}

/// The transitions that lead from one state to another, as JSON tells them.
json between(const json& told, const std::string& from, const std::string& to) {
    json found = json::array();
    for (const json& transition : told["transitions"]) {
        if (transition["from"] == from && transition["to"] == to) { found.push_back(transition); }
    }
    return found;
}

} // namespace

TEST_CASE("the story tells what led a layer and what made it yield, from where it was, and keeps its bounds") {
    const support::TemporaryFolder folder;
    const std::string sheet = cues(folder);
    const Finished result = gait_tool({"perform", guide, "--cues", sheet, "--json"});
    CAPTURE(result.err);
    REQUIRE(result.code == 0);
    const json told = json::parse(result.out);
    CHECK(told["within_bounds"] == true);

    // She runs, and the raised pole comes down by itself; and once more as she falls.
    const json yields = between(told, "arms.holding", "arms.free");
    REQUIRE(yields.size() == 2);
    CHECK(yields[0]["because"] == "not beside legs.hurrying while speed > 3");
    CHECK(yields[0]["fade_s"] == 0.35);
    CHECK(yields[0]["time_s"] > 3);
    CHECK(yields[1]["because"] == "not beside legs.air");
    CHECK(yields[1]["time_s"].get<double>() == Approx(10).margin(0.05));
    // The bell is what running does not forbid: it needs the whole body, and stops her.
    const json led = between(told, "legs.hurrying", "legs.still");
    REQUIRE(led.size() == 1);
    CHECK(led[0]["because"] == "led by arms.ringing");
    CHECK(led[0]["time_s"].get<double>() == Approx(6).margin(0.05));
    // Two calls of a one-shot that queues are two greetings, one after the other.
    std::vector<double> begun;
    for (const json& transition : told["transitions"]) {
        if (transition["because"] == "signal greet") { begun.push_back(transition["time_s"]); }
    }
    REQUIRE(begun.size() == 2);
    CHECK(begun[1] > begun[0] + 1.2);

    const std::string story = gait_tool({"perform", guide, "--cues", sheet}).out;
    CHECK_THAT(story, Catch::Contains("legs.hurrying") && Catch::Contains("led by arms.ringing"));
    CHECK_THAT(story, Catch::Contains("one-shot greet"));
    // What stands between one-shots is nobody's state.
    CHECK_THAT(story, !Catch::Contains("waiting") && !Catch::Contains("once_"));
}

TEST_CASE("what may not be at once is told by check with the way to it, narrowed and with exceptions, as JSON too") {
    const Finished text = gait_tool({"check", guide});
    CHECK(text.code == 0);
    CHECK_THAT(text.out, Catch::Contains("forbidden at once:\n"));
    CHECK_THAT(text.out,
               Catch::Contains("  arms.raising beside legs.air: possible, by arms.free to raising (signal "
                               "light), then legs.still to air (airborne); it yields and goes to arms.free\n"));
    CHECK_THAT(text.out, Catch::Contains("arms.holding beside legs.hurrying while speed > 3: possible"));
    CHECK_THAT(text.out, Catch::Contains("arms.ringing beside legs.air"));
    CHECK_THAT(text.out, !Catch::Contains("arms.ringing beside legs.hurrying")); // the exception

    const json told = json::parse(gait_tool({"check", guide, "--json"}).out);
    CHECK(told["forbidden"].size() == 7);
    const auto& pairs = told["forbidden"];
    const auto narrowed = std::find_if(pairs.begin(), pairs.end(), [](const json& pair) {
        return pair["yields"] == "arms.raising" && pair["while"] == "legs.hurrying";
    });
    REQUIRE(narrowed != pairs.end());
    CHECK((*narrowed)["when"] == "speed > 3");
    CHECK((*narrowed)["goes_to"] == "arms.free");
    CHECK((*narrowed)["possible"] == true);
    CHECK_THAT((*narrowed)["way"].get<std::string>(), Catch::Contains("legs.walking to hurrying (speed > 2.4)"));
}

TEST_CASE("a pair that no way leads to is told so") {
    const support::TemporaryFolder folder;
    std::string text = support::read(support::project() / guide);
    text.replace(text.find("../../demo"), 10, (support::project() / "demo").string());
    const std::string lamp = "{to: raising, signal: light, fade: 0.35}";
    text.replace(text.find(lamp), lamp.size(),
                 "{to: raising, signal: light, when: legs is air and legs is still, fade: 0.35}");
    const std::string document = folder.write("never.gait.yaml", text);
    const Finished checked = gait_tool({"check", document});
    CHECK_THAT(checked.out, Catch::Contains("arms.raising beside legs.air: no way leads there\n"));
    CHECK_THAT(checked.out, Catch::Contains("arms.ringing beside legs.air: possible"));
    const json told = json::parse(gait_tool({"check", document, "--json"}).out);
    CHECK(told["forbidden"][0]["possible"] == false);
    CHECK(told["forbidden"][0]["way"] == "");
}

TEST_CASE("a sketch shows each layer with what it is, and arrows for what leads and what may not be at once") {
    const std::string dot = gait_tool({"sketch", guide}).out;
    for (const char* expected :
         {"label=\"calm_arms on trunk, by calm, in step with legs\"", "label=\"arms on trunk\"",
          "label=\"stopping (from where the body is)\"", "ringing\\n(ring_bell\\nthe whole body)",
          "\"2/ringing\" -> \"0/still\" [label=\"leads\"", "greet\\n(wave on right_arm)\\nqueues one",
          "ltail=\"cluster_2\", color=\"#b3003c\"", "headlabel=\"not while\\nspeed > 3\\nbut ringing\""}) {
        CAPTURE(expected);
        CHECK_THAT(dot, Catch::Contains(expected));
    }
}

TEST_CASE("why tells what keeps a layer from beginning, and leaves out the states between one-shots") {
    const Finished why = gait_tool({"perform", guide, "--set", "airborne=yes", "--seconds", "1", "--why"});
    CHECK(why.code == 0);
    CHECK_THAT(why.out, Catch::Contains("why 'arms.free, legs.air, calm_arms.swinging' is left or not, at 1.000 s:"));
    CHECK_THAT(why.out, Catch::Contains("not beside legs.air  no            legs = air"));
    CHECK_THAT(why.out, Catch::Contains("no one-shot  greet    signal greet"));
    const json told = json::parse(
        gait_tool({"perform", guide, "--set", "airborne=yes", "--seconds", "1", "--why", "1", "--json"}).out);
    bool kept = false;
    for (const json& way : told["why"]["transitions"]) {
        for (const json& part : way["parts"]) { kept = kept || part["needs"] == "not beside legs.air"; }
    }
    CHECK(kept);
}

TEST_CASE("a one-shot that no cue sheet asks for is said, where it stands") {
    const support::TemporaryFolder folder;
    const std::string all = cues(folder);
    const std::string none = folder.write("none.cues.yaml", "seconds: 1\ncues:\n  - {at: 0, set: {speed: 1}}\n");
    CHECK_THAT(gait_tool({"check", guide, "--cues", all}).err, !Catch::Contains("greet"));
    const Finished checked = gait_tool({"check", guide, "--cues", none});
    CHECK_THAT(checked.err, Catch::Contains("7_layers.gait.yaml:35:3: warning: one-shot 'greet' waits to be asked for, "
                                            "and no cue sends it; add 'send: greet' [unsent-signal]"));
    CHECK_THAT(checked.err, Catch::Contains("transitions wait for signal 'bell', and no cue sends it"));
}

TEST_CASE("a chart has a lane for each layer and one for one-shots, and a trace a column for each") {
    const support::TemporaryFolder folder;
    const std::string sheet = cues(folder), chart = (folder / "chart.svg").string(),
                      trace = (folder / "trace.csv").string();
    REQUIRE(gait_tool({"perform", guide, "--cues", sheet, "--chart", chart, "--trace", trace}).code == 0);
    const std::string drawn = support::read(chart);
    const auto times_drawn = [&](const std::string& label) {
        std::size_t times = 0;
        for (std::size_t at = drawn.find(">" + label + "<"); at != std::string::npos;
             at = drawn.find(">" + label + "<", at + 1)) {
            ++times;
        }
        return times;
    };
    // Each layer has a lane for its states and one for its clips.
    for (const char* lane : {"legs", "calm_arms", "arms", "one-shots on right_arm"}) {
        CAPTURE(lane);
        CHECK(times_drawn(lane) == 2);
    }
    CHECK(times_drawn("ring_bell") == 1);
    const std::string table = support::read(trace);
    const std::string heading = table.substr(0, table.find('\n'));
    CAPTURE(heading);
    CHECK_THAT(heading, Catch::Contains("arms") && Catch::Contains("calm_arms"));
    CHECK_THAT(table, Catch::Contains("ringing") && Catch::Contains("swinging") && Catch::Contains("greet"));
}
