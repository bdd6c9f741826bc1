// From anybody's clips to a first document: what each clip is taken for, and that what comes of it plays.
#include "gait/begin.hpp"
#include "gait/cut.hpp"
#include "gait/load.hpp"
#include "gait/smoothness.hpp"
#include "random_inputs.hpp"
#include "support.hpp"
#include "wardrobe.hpp"

#include <catch2/catch.hpp>

#include <functional>
#include <map>
#include <regex>

using namespace gait;

namespace {

/// All of her clips, and her rig.
Assets everything() {
    Assets assets;
    assets.rig = support::demo_file().rig;
    for (const ClipSource& clip : support::demo_file().clips) { assets.clips.emplace(clip.name, clip); }
    return assets;
}

struct Begun {
    Beginning first;
    std::shared_ptr<const Character> character;
    std::string said; ///< findings
};

using TextChange = std::function<std::string(const std::string&)>;

/// Begins with these clips of `assets`, in the order of the demo's file; all of them where none is named. `change` is
/// what an animator makes of the document.
Begun begin_with(const Assets& assets, const std::vector<std::string>& names = {}, const TextChange& change = {}) {
    std::vector<BeginningClip> clips;
    for (const ClipSource& clip : support::demo_file().clips) {
        if (!names.empty() && std::find(names.begin(), names.end(), clip.name) == names.end()) { continue; }
        clips.push_back({clip.name, "", assets.clips.at(clip.name), "", {}, ""});
    }
    Begun begun;
    begun.first = begin_document(*assets.rig, "lamplighter.glb", clips);
    if (change) { begun.first.text = change(begun.first.text); }
    const DocumentRead read = read_document_text(begun.first.text, "first.gait.yaml");
    begun.said = format(read.diagnostics);
    const Compiled compiled = compile(read.document, assets);
    begun.said += format(compiled.diagnostics);
    begun.character = compiled.character;
    return begun;
}

ClipRole role_of(const Beginning& first, const std::string& name) {
    for (const PlacedClip& clip : first.clips) {
        if (clip.name == name) { return clip.role; }
    }
    FAIL("no clip " << name);
    return ClipRole::not_placed;
}

/// What her own document plays, and as what.
const std::map<std::string, ClipRole>& hers() {
    static const std::map<std::string, ClipRole> roles = [] {
        std::map<std::string, ClipRole> all;
        const auto add = [&](ClipRole role, std::initializer_list<const char*> names) {
            for (const char* name : names) { all[name] = role; }
        };
        add(ClipRole::stand, {"stand"});
        add(ClipRole::gait,
            {"stroll", "stroll_ahead_right", "stroll_right", "stroll_back_right", "stroll_back", "stroll_back_left",
             "stroll_left", "stroll_ahead_left", "trot", "trot_ahead_right", "trot_right", "trot_back_right",
             "trot_back", "trot_back_left", "trot_left", "trot_ahead_left", "run"});
        add(ClipRole::low_gait, {"crouch"});
        add(ClipRole::turn, {"turn_left", "turn_right"});
        add(ClipRole::start, {"stroll_start_left", "stroll_start_right"});
        add(ClipRole::stop, {"stroll_stop_left", "stroll_stop_right"});
        add(ClipRole::take_off, {"hop_start"});
        add(ClipRole::leap, {"leap_trot_left", "leap_trot_right", "leap_run_left", "leap_run_right"});
        add(ClipRole::air, {"hop_air"});
        add(ClipRole::landing, {"land_soft", "land_hard", "land_roll"});
        add(ClipRole::fidget, {"look_out", "warm_hands", "ease_back"});
        add(ClipRole::gesture, {"wave", "ring_bell"});
        add(ClipRole::raise, {"pole_raise_low_right", "pole_raise_middle_right", "pole_raise_high_right"});
        add(ClipRole::hold, {"pole_hold_low_right", "pole_hold_middle_right", "pole_hold_high_right", "shelter"});
        add(ClipRole::lower, {"pole_lower_low_right", "pole_lower_middle_right", "pole_lower_high_right"});
        add(ClipRole::pose,
            {"lean_left", "lean_right", "aim_up_left", "aim_up_ahead", "aim_up_right", "aim_level_left",
             "aim_level_ahead", "aim_level_right", "aim_down_left", "aim_down_ahead", "aim_down_right"});
        return all;
    }();
    return roles;
}

/// How many of her clips are where her own document has them.
int placed_as_hers(const Beginning& first) {
    int right = 0;
    for (const auto& [name, role] : hers()) {
        const bool same = role_of(first, name) == role;
        UNSCOPED_INFO(name << " is taken for " << name_of(role_of(first, name)));
        right += same ? 1 : 0;
    }
    return right;
}

} // namespace

TEST_CASE("her own clips are taken for what her own document plays them as") {
    const Begun begun = begin_with(everything());
    CAPTURE(begun.said, begun.first.text);
    CHECK(placed_as_hers(begun.first) == int(hers().size()));
    REQUIRE(begun.character);
    CHECK(begun.said.find("error") == std::string::npos);
    for (const PlacedClip& clip : begun.first.clips) {
        CAPTURE(clip.name);
        CHECK_FALSE(clip.reason.empty());
        CHECK(begun.first.text.find("\n  " + clip.name + ": {") != std::string::npos); // nothing is dropped
        CHECK(clip.state.empty() == (clip.role == ClipRole::same_gait));
    }
    for (const char* written : {"trunk: {from: spine_1, ramp: 3}", "right_arm: {from: right_shoulder, ramp: 2}",
                                "{at: [-1, 1], play: aim_up_left}", "{at: -1, play: lean_left}",
                                "the mirror image of lean_left", "{when: impact > 5 and speed > 2, play: land_roll}",
                                "machine: \"task(pole_raise_low_right, pole_hold_low_right, pole_lower_low_right)\""}) {
        CHECK_THAT(begun.first.text, Catch::Contains(written));
    }
}

TEST_CASE("what is begun with plays whatever is asked of it, within the measures", "[long]") {
    const Begun begun = begin_with(everything());
    REQUIRE(begun.character);
    for (unsigned seed = 1; seed <= 6; ++seed) { support::check_random_inputs(begun.character, seed); }
}

TEST_CASE("on every body that she might have been made on her clips are taken for the same", "[long]") {
    for (const support::Dress& dress : support::wardrobe()) {
        CAPTURE(dress.what);
        Assets assets = everything();
        support::Axes axes;
        dress.put_on(assets, axes);
        const Begun begun = begin_with(assets);
        CAPTURE(begun.said);
        CHECK(placed_as_hers(begun.first) * 10 >= int(hers().size()) * 9);
        REQUIRE(begun.character);
        support::check_random_inputs(begun.character, 1, dress.exact ? 1.05 : 1.15);
    }
}

TEST_CASE("with every fade inertial what is begun with plays within the measures, on every body", "[long]") {
    const TextChange inertial = [](const std::string& text) {
        static const std::regex fades(R"((\{to: [^{}]*fade: [0-9.]+)\})");
        return std::regex_replace(text, fades, "$1, style: inertial}");
    };
    for (const support::Dress& dress : support::wardrobe()) {
        CAPTURE(dress.what);
        Assets assets = everything();
        support::Axes axes;
        dress.put_on(assets, axes);
        const Begun begun = begin_with(assets, {}, inertial);
        CAPTURE(begun.said);
        CHECK_THAT(begun.first.text, Catch::Contains("style: inertial"));
        REQUIRE(begun.character);
        support::check_random_inputs(begun.character, 1, dress.exact ? 1.05 : 1.15);
    }
}

TEST_CASE("with parts missing there is still something that moves") {
    using Names = std::vector<std::string>;
    for (const Names& names : {Names{"stand"},
                               Names{"stroll"},
                               Names{"stroll", "run"},
                               Names{"wave"},
                               Names{"stand", "hop_air"},
                               Names{"stand", "land_soft"},
                               Names{"stand", "hop_start", "land_hard"},
                               Names{"crouch"},
                               Names{"stand", "crouch"},
                               Names{"pole_hold_low_right", "stand"},
                               Names{"pole_raise_low_right", "stand"},
                               Names{"stand", "pole_raise_low_right", "pole_lower_low_right"},
                               Names{"turn_left", "stand"},
                               Names{"stroll_start_left", "stroll_stop_left", "stand", "stroll"},
                               Names{"leap_run_left", "run"},
                               Names{"lean_left", "lean_right", "stand", "run"},
                               Names{"aim_up_left"},
                               Names{"stand", "stroll", "stroll_going"},
                               Names{"hop_air"},
                               Names{"land_roll", "stroll"}}) {
        CAPTURE(names);
        const Begun begun = begin_with(everything(), names);
        CAPTURE(begun.said, begun.first.text);
        CHECK(begun.said.find("error") == std::string::npos);
        REQUIRE(begun.character);
        support::check_random_inputs(begun.character, 1);
    }
}

TEST_CASE("of an act that is shorter than its fades the document says what is meant, and its check says nothing") {
    const Assets assets = everything();
    const ClipSource &stand = assets.clips.at("stand"), &whole = assets.clips.at("land_soft");
    int held = 0;
    for (const double seconds : {0.2, 0.25, 0.3, 0.35, 0.4, 0.5, 0.6}) {
        CAPTURE(seconds);
        const double from = 0.4 * (whole.seconds - seconds);
        BeginningClip part{"land_soft", "", cut_clip(whole, *assets.rig, from, from + seconds), "", {}, ""};
        part.cut = {from, from + seconds};
        std::string text =
            begin_document(*assets.rig, "lamplighter.glb", {{"stand", "", stand, "", {}, ""}, part}).text;
        REQUIRE_THAT(text, Catch::Contains("do_land_soft: {kind: signal}"));
        const std::string rig = "rig: lamplighter.glb";
        text.replace(text.find(rig), rig.size(), "rig: " + (support::project() / "demo/lamplighter.glb").string());
        const support::TemporaryFolder folder;
        const support::Finished checked = support::gait_tool({"check", folder.write("short.gait.yaml", text)});
        CAPTURE(text, checked.out);
        CHECK(checked.code == 0);
        CHECK_THAT(checked.err, !Catch::Contains("fade-past-end"));
        CHECK_THAT(checked.err, !Catch::Contains("accept"));
        held += text.find("accept: [{fade-past-end: ") != std::string::npos ? 1 : 0;
    }
    CHECK(held > 2);
}

TEST_CASE("a recording is cut into what it shows, and what comes of that plays") {
    // Her round, as somebody would have recorded it: everything in one clip, wherever she went.
    const support::TemporaryFolder folder;
    const std::string take = (folder / "take.bvh").string(), first = (folder / "take.gait.yaml").string();
    REQUIRE(support::gait_tool(
                {"perform", "demo/lamplighter.gait.yaml", "--cues", "demo/evening.cues.yaml", "--bake", take})
                .code == 0);
    const support::Finished begun = support::gait_tool({"begin", take, "-o", first});
    CAPTURE(begun.err, begun.out);
    REQUIRE(begun.code == 0);
    // The table's columns are as wide as what stands in them; here one blank stands for any number.
    std::string told;
    for (const char c : begun.out) {
        if (c != ' ' || told.empty() || told.back() != ' ') { told += c; }
    }
    for (const char* said :
         {" stand stands still ", " take_off take-off air.take_off ", " turn turn turning_right turns 8",
          " turn_2 turn turning_left ", " stride gait moving 1.40 m/s ahead", " set_off start setting_off ",
          " stop stop stopping_left "}) {
        CHECK_THAT(told, Catch::Contains(said));
    }
    CHECK_THAT(support::read(first), Catch::Contains("stand: {animation: take, cut: ["));
    const Loaded loaded = load(first);
    REQUIRE(loaded.character);
    // Where she stood in the recording, and how she swayed there, carries nobody off.
    Performer standing(loaded.character);
    for (int frame = 0; frame < 300; ++frame) {
        standing.advance(1.0 / 60);
        CHECK(std::hypot(standing.travel().move.x, standing.travel().move.z) == 0);
    }
    for (unsigned seed = 1; seed <= 3; ++seed) { support::check_random_inputs(loaded.character, seed); }
}
