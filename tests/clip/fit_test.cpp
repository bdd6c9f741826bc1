#include "support.hpp"
#include "wardrobe.hpp"

#include "gait/load.hpp"
#include "rig/body_parts.hpp"

#include <catch2/catch.hpp>

#include <cmath>

using namespace gait;
using support::demo_clip;
using support::demo_file;
using namespace gait::detail;

namespace {

/// The lamplighter's rig as somebody else would have made it: other names, every joint's axes turned, other
/// proportions.
Rig foreign(const Rig& ours, double size, double legs) {
    Rig rig = ours;
    const auto model = model_space(ours, rest_pose(ours));
    std::vector<Transform> place(rig.joints.size());
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        Joint& joint = rig.joints[j];
        joint.name = "cap:" + joint.name;
        // Legs are longer or shorter than the rest of the body: everything above them is raised or lowered.
        const auto hips = model[0].translation;
        Vec3 at = model[j].translation;
        if (at.y < hips.y) {
            at.y *= float(legs);
        } else {
            at.y += hips.y * float(legs - 1);
        }
        place[j] = {axis_angle({float(j % 3) - 1, 1, float(j % 5)}, double(j) * 17), at * float(size), {1, 1, 1}};
        const Transform above = joint.parent < 0 ? Transform{} : place[std::size_t(joint.parent)];
        joint.rest.rotation = normalized(conjugate(above.rotation) * place[j].rotation);
        joint.rest.translation = rotate(conjugate(above.rotation), place[j].translation - above.translation);
    }
    return rig;
}

FitDefinition stripped() {
    FitDefinition how;
    how.strip = "cap:";
    return how;
}

double angle_between(Vec3 a, Vec3 b) {
    return std::acos(std::clamp(double(dot(a, b)) / (double(length(a)) * double(length(b))), -1.0, 1.0)) *
           degrees_per_radian;
}

} // namespace

TEST_CASE("joints are told by side and stem, however names are written") {
    for (const char* name : {"FootLeft", "left_foot", "foot_l", "l.foot", "foot.l", "foot-left", "L_Foot"}) {
        CAPTURE(name);
        CHECK(sided_name(name).side == Side::left);
        CHECK(sided_name(name).stem == "foot");
    }
    CHECK(sided_name("Fingers1 L").stem == sided_name("left_fingers_1").stem);
    CHECK(sided_name("leftover").side == Side::middle);
    CHECK(sided_name("UpperLegRight").stem == "upper_leg");
    const auto pairs = mirrored_joints(demo_file().rig);
    CHECK(std::find(pairs.begin(), pairs.end(), std::pair<std::string, std::string>("left_hand", "right_hand")) !=
          pairs.end());
    const BodyParts parts = body_parts(demo_file().rig);
    CHECK(demo_file().rig.joints[std::size_t(parts.hips)].name == "hips");
    REQUIRE(parts.feet.size() == 2);
    CHECK(demo_file().rig.joints[std::size_t(parts.feet[0].ankle)].name == "left_foot");
    CHECK(demo_file().rig.joints[std::size_t(parts.feet[1].toes)].name == "right_toes");
}

TEST_CASE("feet are found by shape where names say nothing") {
    Rig rig = demo_file().rig;
    for (std::size_t j = 0; j < rig.joints.size(); ++j) { rig.joints[j].name = "n" + std::to_string(j); }
    const BodyParts parts = body_parts(rig);
    REQUIRE(parts.feet.size() == 2);
    CHECK(demo_file().rig.joints[std::size_t(parts.feet[0].ankle)].name == "left_foot");
    CHECK(demo_file().rig.joints[std::size_t(parts.feet[1].ankle)].name == "right_foot");
}

TEST_CASE("a clip goes to a rig of other axes and proportions and back, limbs pointing alike, feet on the ground") {
    const Rig& ours = demo_file().rig;
    for (const auto& [size, legs] : {std::pair{1.0, 1.0}, {1.25, 1.0}, {0.8, 1.15}}) {
        const Rig theirs = foreign(ours, size, legs);
        FitDefinition there;
        for (const Joint& joint : ours.joints) { there.joints.emplace_back(joint.name, "cap:" + joint.name); }
        for (const char* name : {"stroll", "run", "stand"}) {
            const ClipSource& clip = demo_clip(name);
            const FittedClip moved = fit_clip(clip, ours, theirs, there);
            CHECK(moved.foreign.empty());
            CHECK(moved.unmoved.empty());
            CHECK_FALSE(moved.as_it_was);
            CAPTURE(size, legs, name);
            double worst = 0, lowest = 1;
            for (double t = 0; t < clip.seconds; t += 0.05) {
                const auto a = model_space(ours, pose_at(clip, rest_pose(ours), t));
                const auto b = model_space(theirs, pose_at(moved.clip, rest_pose(theirs), t));
                double low = 1;
                for (std::size_t j = 0; j < ours.joints.size(); ++j) {
                    const std::string& joint = ours.joints[j].name;
                    const bool limb = joint.find("lower") != std::string::npos ||
                                      joint.find("foot") != std::string::npos ||
                                      joint.find("hand") != std::string::npos;
                    if (limb) {
                        const auto p = std::size_t(ours.joints[j].parent);
                        worst = std::max(worst, angle_between(a[j].translation - a[p].translation,
                                                              b[j].translation - b[p].translation));
                    }
                    if (joint.find("toes") != std::string::npos) { low = std::min(low, double(b[j].translation.y)); }
                }
                lowest = std::min(lowest, low);
            }
            CHECK(worst < 2);
            // The ball of the foot rests 22 mm above the ground, in proportion.
            CHECK(std::abs(lowest - 0.022 * size * legs) < 0.02);
            const FittedClip back = fit_clip(moved.clip, theirs, ours, stripped());
            for (double t = 0; t < clip.seconds; t += 0.1) {
                CHECK(support::greatest_turn(pose_at(back.clip, rest_pose(ours), t),
                                             pose_at(clip, rest_pose(ours), t)) < 0.1);
            }
        }
    }
}

TEST_CASE("arms that rest raised are levelled, or corrected by a stated turn") {
    const Rig& ours = demo_file().rig;
    Rig raised = ours; // the same body at rest with its left arm turned up
    const auto arm = std::size_t(*raised.find("left_upper_arm"));
    const auto model = model_space(raised, rest_pose(raised));
    const auto above = model[std::size_t(raised.joints[arm].parent)].rotation;
    raised.joints[arm].rest.rotation =
        conjugate(above) * axis_angle({0, 0, 1}, 50) * above * ours.joints[arm].rest.rotation;
    FitDefinition how;
    how.turn.emplace_back("left_upper_arm", std::array<double, 3>{0, 0, -50});
    // A clip on the raised rig that shows the lamplighter's own stroll.
    const ClipSource& stroll = demo_clip("stroll");
    const FittedClip fitted = fit_clip(stroll, raised, ours, how);
    const auto wanted = model_space(raised, pose_at(stroll, rest_pose(raised), 0.3));
    const auto shown = model_space(ours, pose_at(fitted.clip, rest_pose(ours), 0.3));
    const auto hand = std::size_t(*ours.find("left_hand"));
    CHECK(length(wanted[hand].translation - shown[hand].translation) < 0.02F);
    // Levelled by itself it is the same; a turn by hand stands over that.
    const auto hand_at = [&](const FitDefinition& by) {
        return model_space(ours, pose_at(fit_clip(stroll, raised, ours, by).clip, rest_pose(ours), 0.3))[hand]
            .translation;
    };
    CHECK(length(wanted[hand].translation - hand_at({})) < 0.02F);
    how.turn.front().second = {0, 0, -20};
    CHECK(length(wanted[hand].translation - hand_at(how)) > 0.1F);
}

namespace {

/// The names that another school gives the joints of a body; what it does not know keeps its number.
std::string other_name(const std::string& ours, std::size_t number) {
    static const std::map<std::string, std::string> names{{"hips", "Hips"},     {"spine_1", "LowerBack"},
                                                          {"spine_2", "Spine"}, {"chest", "Spine1"},
                                                          {"neck", "Neck"},     {"head", "Head"}};
    static const std::map<std::string, std::string> limbs{
        {"shoulder", "Shoulder"}, {"upper_arm", "Arm"}, {"lower_arm", "ForeArm"}, {"hand", "Hand"},
        {"upper_leg", "UpLeg"},   {"lower_leg", "Leg"}, {"foot", "Foot"},         {"toes", "ToeBase"}};
    if (const auto found = names.find(ours); found != names.end()) { return found->second; }
    for (const auto& [limb, name] : limbs) {
        if (ours == "left_" + limb) { return "Left" + name; }
        if (ours == "right_" + limb) { return "Right" + name; }
    }
    return "b" + std::to_string(number);
}

} // namespace

TEST_CASE("a body of another school, other axes and another rest pose moves alike without a word of how") {
    const Rig& ours = demo_file().rig;
    for (const support::Dress& dress : support::wardrobe()) {
        if (!dress.exact) { continue; }
        Assets assets;
        assets.rig = ours;
        for (const char* name : {"stroll", "wave", "hop_start"}) { assets.clips.emplace(name, demo_clip(name)); }
        support::Axes axes;
        dress.put_on(assets, axes);
        std::map<std::string, std::string> renamed;
        for (std::size_t j = 0; j < assets.rig->joints.size(); ++j) {
            KeptText& name = assets.rig->joints[j].name;
            renamed[name] = other_name(name, j);
            name = renamed[name];
        }
        for (auto& [name, clip] : assets.clips) {
            for (std::string& joint : clip.joints) { joint = renamed[joint]; }
            const FittedClip fitted = fit_clip(clip, *assets.rig, ours);
            CAPTURE(dress.what, name);
            CHECK(fitted.guessed.size() >= 10);
            double worst = 0, off = 0;
            for (double t = 0; t < clip.seconds; t += 0.05) {
                const auto wanted = model_space(ours, pose_at(demo_clip(name), rest_pose(ours), t));
                const auto shown = model_space(ours, pose_at(fitted.clip, rest_pose(ours), t));
                for (const char* limb : {"lower_arm", "hand", "lower_leg", "foot"}) {
                    for (const char* side : {"left_", "right_"}) {
                        const auto j = std::size_t(*ours.find(std::string(side) + limb));
                        const auto p = std::size_t(ours.joints[j].parent);
                        worst = std::max(worst, angle_between(wanted[j].translation - wanted[p].translation,
                                                              shown[j].translation - shown[p].translation));
                        off = std::max(off, double(length(wanted[j].translation - shown[j].translation)));
                    }
                }
            }
            CHECK(worst < 5); // degrees of a limb
            CHECK(off < 0.05);
        }
    }
}

TEST_CASE("on a broad body arms that hang along a slim one are held out, and what reaches across is not") {
    const Rig& slim = demo_file().rig;
    Rig broad = slim; // twice as far from shoulder to shoulder, with arms as long
    for (Joint& joint : broad.joints) {
        if (joint.name.view().find("shoulder") != std::string::npos ||
            joint.name.view().find("upper_arm") != std::string::npos) {
            joint.rest.translation = joint.rest.translation * 2.0F;
        }
        joint.name = "b_" + joint.name;
    }
    const auto aside = [](const Rig& rig, const ClipSource& clip, double at, const std::string& before) {
        const auto model = model_space(rig, pose_at(clip, rest_pose(rig), at));
        const auto place = [&](const char* name) { return model[std::size_t(*rig.find(before + name))].translation; };
        const double half = double(length(place("left_upper_arm") - place("right_upper_arm"))) / 2;
        return double(place("left_hand").x - (place("left_upper_arm").x + place("right_upper_arm").x) / 2) / half;
    };
    for (const char* name : {"stand", "stroll"}) {
        const FittedClip fitted = fit_clip(demo_clip(name), slim, broad);
        for (double at = 0; at < demo_clip(name).seconds; at += 0.1) {
            CAPTURE(name, at);
            CHECK(aside(broad, fitted.clip, at, "b_") > aside(slim, demo_clip(name), at, "") - 0.25);
        }
    }
    const FittedClip sheltering = fit_clip(demo_clip("shelter"), slim, broad);
    CHECK(aside(broad, sheltering.clip, 0.5, "b_") < 1);
}

TEST_CASE("a trunk that hangs beside the hips goes where they go, in a fitted clip and with feet planted") {
    // Some rigs hang both on one joint over the ground.
    Rig beside;
    beside.name = "beside";
    Joint bearer;
    bearer.name = "bearer";
    beside.joints.push_back(bearer);
    const auto rest = model_space(demo_file().rig, rest_pose(demo_file().rig));
    for (std::size_t j = 0; j < demo_file().rig.joints.size(); ++j) {
        Joint joint = demo_file().rig.joints[j];
        if (joint.name == "spine_1") {
            joint.rest = rest[j];
            joint.parent = 0;
        } else {
            joint.parent += 1; // the root's is the bearer
        }
        beside.joints.push_back(joint);
    }
    Assets assets;
    assets.rig = beside;
    for (const char* name : {"stand", "stroll", "run"}) {
        assets.clips.emplace(name, fit_clip(demo_clip(name), demo_file().rig, beside).clip);
    }
    const auto character = support::character(
        "gait: 1\nrig: beside.glb\nclips: {stand: {loop: yes}, stroll: {loop: yes}, run: {loop: yes}}\n"
        "parameters: {speed: {kind: number, range: [0, 5]}}\nfeet: {planted: yes}\n"
        "layers: [{name: body, machine: {start: s, states: {s: {play: {blend: speed, points: {0: stand, 1.4: stroll, "
        "4.2: run}}}}}}]\n",
        assets);
    Performer performer(character);
    performer.plant_feet({});
    std::vector<Transform> model(character->joint_count());
    const auto hips = std::size_t(*beside.find("hips")), spine = std::size_t(*beside.find("spine_1"));
    const double apart = double(length(rest[1].translation - rest[0].translation));
    for (int frame = 0; frame < 600; ++frame) {
        performer.set("speed", frame % 150 < 70 ? 0.0F : float(frame % 5));
        performer.advance(1.0 / 60);
        // Turned on the spot and dragged along, so that legs are stretched and the hips come down.
        performer.plant_feet(Travel{{0, 0, 0.02F}, frame % 120 < 60 ? 0.02F : 0.0F, 1});
        performer.model_pose(model);
        CAPTURE(frame);
        CHECK(double(length(model[hips].translation - model[spine].translation)) == Approx(apart).margin(0.005));
    }
}

TEST_CASE("the same rig in another file keeps its keys") {
    const FittedClip same = fit_clip(demo_clip("stroll"), demo_file().rig, demo_file().rig);
    CHECK(same.as_it_was);
    CHECK(same.clip.tracks[0].translation.values.size() == demo_clip("stroll").tracks[0].translation.values.size());
}

TEST_CASE("another rig's clips are taken by a document, and what does not match is listed once") {
    const support::TemporaryFolder folder;
    std::filesystem::copy(support::project() / "demo/lamplighter.glb", folder / "lamplighter.glb");
    Rig theirs = foreign(demo_file().rig, 1.1, 1);
    for (Joint& joint : theirs.joints) {
        if (joint.name == "cap:left_thumb_2") { joint.name = "cap:grabber_of_the_left"; }
    }
    FitDefinition there;
    for (std::size_t j = 0; j < theirs.joints.size(); ++j) {
        there.joints.emplace_back(demo_file().rig.joints[j].name, theirs.joints[j].name);
    }
    const ClipSource& stroll = demo_clip("stroll");
    const FittedClip moved = fit_clip(stroll, demo_file().rig, theirs, there);
    BakedMotion motion{"stroll", 30, {}};
    for (int i = 0; i <= 30; ++i) { motion.frames.push_back(pose_at(moved.clip, rest_pose(theirs), i / 30.0)); }
    REQUIRE(bake_bvh(theirs, motion, folder / "cap.bvh").empty());
    const auto document = [&](const std::string& fits, const std::string& fit) {
        return folder.write(
            "a.gait.yaml",
            "gait: 1\nrig: lamplighter.glb\n" + fits + "clips:\n  a: {file: cap.bvh, loop: yes" + fit +
                "}\n  b: {file: cap.bvh" + fit +
                "}\nlayers: [{name: body, machine: {start: s, states: {s: {play: a}, t: {play: b}}}}]\n");
    };
    // What all of its names begin with needs no fit.
    CHECK(load(document("", "")).character);
    const Rig crane = support::chain(3);
    REQUIRE(
        bake_bvh(crane, BakedMotion{"crane", 30, {rest_pose(crane), rest_pose(crane)}}, folder / "crane.bvh").empty());
    const Loaded none =
        load(folder.write("b.gait.yaml", "gait: 1\nrig: lamplighter.glb\nclips: {a: {file: crane.bvh}}\n"));
    CHECK_FALSE(none.character);
    CHECK_THAT(format(none.diagnostics),
               Catch::Contains("no joint of 'crane.bvh' is called as one of the rig; it has") &&
                   Catch::Contains("[other-rig]"));
    const Loaded some = load(document("fits: {cap: {strip: \"cap:\", scale: 1, up: y}}\n", ", fit: cap"));
    INFO(format(some.diagnostics));
    CHECK(some.character);
    const std::string said = format(some.diagnostics);
    CHECK_THAT(
        said,
        Catch::Contains(
            "warning: 'cap.bvh' moves 1 joint that the rig does not have, which is left out: "
            "cap:grabber_of_the_left; where that is another name, add it to the 'joints' of a fit [foreign-joints]"));
    CHECK_THAT(said, Catch::Contains("'cap.bvh' does not know 1 joint of the rig, which stays at rest: left_thumb_2"));
    CHECK(said.find("foreign-joints") == said.rfind("foreign-joints"));
    const Loaded all =
        load(document("fits: {cap: {strip: \"cap:\", joints: {grabber_of_the_left: left_thumb_2}, scale: 1, up: y}}\n",
                      ", fit: cap"));
    CHECK(format(all.diagnostics).empty());
    const std::string slips = format(load(document("fits: {cap: {strip: \"cap:\", scale: 1, up: y, joints: {grabber: "
                                                   "left_hand, hips: hipps}, turn: {left_hnd: [0, 0, 5]}}}\n",
                                                   ", fit: cap"))
                                         .diagnostics);
    CHECK_THAT(slips, Catch::Contains("error: no joint 'grabber'; ") &&
                          Catch::Contains("error: no joint 'hipps'; did you mean 'hips'?") &&
                          Catch::Contains("error: no joint 'left_hnd'; did you mean 'left_hand'?"));
    CHECK_THAT(format(load(document("fits: {cap: {up: w}}\n", ", fit: cap")).diagnostics),
               Catch::Contains("no axis 'w'; there are x, y, z, -x, -y, -z"));
    CHECK_THAT(format(load(document("fits: {cap: {}}\n", ", fit: cup")).diagnostics),
               Catch::Contains("no fit 'cup'; did you mean 'cap'?"));
    CHECK_THAT(format(load(document("fits: {cap: {scale: 0}}\n", ", fit: cap")).diagnostics),
               Catch::Contains("'scale' is how many metres a unit is"));
    CHECK_THAT(format(load(document("fits: {cap: {turn: {hips: 3}}}\n", ", fit: cap")).diagnostics),
               Catch::Contains("a turn is degrees about X, Y and Z, such as [0, 0, -45]; found '3'"));
}

TEST_CASE("a document based on another takes its logic and brings its own rig, clips and tunables") {
    const support::TemporaryFolder folder;
    std::filesystem::create_directories(folder / "base");
    std::filesystem::copy(support::project() / "demo/lamplighter.glb", folder / "base/lamplighter.glb");
    folder.write(
        "base/lamp.gait.yaml",
        "gait: 1\nrig: lamplighter.glb\nclips: {stand: {loop: yes}, stroll: {loop: yes}}\n"
        "parameters: {speed: {kind: number, range: [0, 6]}, go_at: {kind: number, default: 0.5, tune: yes},\n"
        "  hop: {kind: signal, keep: 0.1}, twice: {kind: number, from: speed * 2}, hands: {kind: choice, of: [a, b]}}\n"
        "layers: [{name: body, machine: {start: a, states: {a: {play: stand, go: [{to: b, when: speed > go_at}]}, "
        "b: {play: stroll, go: [{to: a, when: speed < go_at}]}}}}]\n");
    const std::string own = "gait: 1\nbased_on: base/lamp.gait.yaml\n";
    const auto loaded = [&](const std::string& text) { return load(folder.write("second.gait.yaml", text)); };
    const Loaded same = loaded(own);
    INFO(format(same.diagnostics));
    REQUIRE(same.character);
    CHECK(same.character->states().size() == 2);
    const Loaded tuned = loaded(own + "parameters: {go_at: {default: 2}}\nclips: {stroll: {file: base/lamplighter.glb, "
                                      "animation: run, loop: yes}}\n");
    REQUIRE(tuned.character);
    CHECK(tuned.character->parameters()[1].default_value == 2);
    CHECK(tuned.character->clips()[1].seconds == Approx(0.667).epsilon(0.01));
    const Loaded retuned =
        loaded(own + "parameters: {hop: {keep: 0.4, wait: 2}, twice: {from: speed * 3}, speed: {at_most: 5}}\n");
    INFO(format(retuned.diagnostics));
    REQUIRE(retuned.character);
    CHECK(retuned.character->parameters()[0].at_most == 5);
    CHECK(retuned.character->parameters()[2].keep == Approx(0.4));
    CHECK(retuned.character->parameters()[2].wait == 2);
    Performer performer(retuned.character);
    performer.set("speed", 1.0);
    performer.advance(0.01);
    CHECK(performer.smoothed(retuned.character->number("twice")) == 3);
    // One-shots, masks and the tolerance may be its own too.
    const Loaded waving = loaded(own + "tolerance: 2\nclips: {wave: {}}\nmasks: {arm: {from: right_shoulder}}\n"
                                       "one_shots: {greet: {play: wave, mask: arm}}\n");
    INFO(format(waving.diagnostics));
    REQUIRE(waving.character);
    Performer greeter(waving.character);
    greeter.play_once(waving.character->one_shot("greet"));
    greeter.advance(0.1);
    CHECK(greeter.plays(waving.character->one_shot("greet")));
    CHECK(read_document(folder / "second.gait.yaml").document.tolerance.value == 2);
    // A rig of its own whose file lacks a clip: the clip is named, where the base defines it.
    BakedMotion motion{"stand", 30, {rest_pose(demo_file().rig), rest_pose(demo_file().rig)}};
    REQUIRE(bake_gltf(folder / "base/lamplighter.glb", motion, folder / "second.glb").empty());
    const Loaded lacking = loaded(own + "rig: second.glb\n");
    CHECK_FALSE(lacking.character);
    const std::string said = format(lacking.diagnostics);
    CHECK_THAT(said, Catch::Contains("base/lamp.gait.yaml:3:29: error: 'second.glb' holds no animation 'stroll'"));
    CHECK_THAT(said, Catch::Contains("clips: {stand: {loop: yes}, stroll: {loop: yes}}"));
    // What makes no sense is said.
    for (const std::string key : {"layers", "forbid", "decide"}) {
        CHECK_THAT(format(loaded(own + key + ": []\n").diagnostics),
                   Catch::Contains("from the one it is based on; remove '" + key + "' here, or 'based_on'"));
    }
    CHECK_THAT(format(loaded("gait: 1\nbased_on: gone.gait.yaml\n").diagnostics),
               Catch::Contains("2:11: error: 'gone.gait.yaml' cannot be read: no such file or directory [wrong-base]"));
    CHECK_THAT(format(loaded("gait: 1\nbased_on: second.gait.yaml\n").diagnostics), Catch::Contains("or in a circle"));
}

TEST_CASE("the harbour master's awkward file lands on the lamplighter, and she walks by his name for it") {
    const ImportResult master = import_gltf(support::project() / "demo/harbour_master.glb");
    REQUIRE(master.file);
    FitDefinition how;
    how.strip = "HM ";
    const FittedClip amble = fit_clip(master.file->clips[0], master.file->rig, demo_file().rig, how);
    CHECK(amble.foreign.empty());
    CHECK(amble.unmoved.empty());
    // He was made with her own stroll: on her rig it must be that again.
    const ClipSource& stroll = demo_clip("stroll");
    for (double u = 0; u < 1; u += 0.1) {
        const auto a =
            model_space(demo_file().rig, pose_at(amble.clip, rest_pose(demo_file().rig), u * amble.clip.seconds));
        const auto b = model_space(demo_file().rig, pose_at(stroll, rest_pose(demo_file().rig), u * stroll.seconds));
        for (std::size_t j = 0; j < a.size(); ++j) { CHECK(length(a[j].translation - b[j].translation) < 0.02F); }
    }
    const ClipMeasure rough = measure_clip(master.file->clips[1], master.file->rig);
    CHECK_FALSE(rough.gap.meets());
    const Loaded his = load(support::project() / "demo/harbour_master.gait.yaml");
    INFO(format(his.diagnostics));
    REQUIRE(his.character);
    CHECK_FALSE(has_errors(his.diagnostics));
    CHECK(his.character->states().size() == support::lamplighter().character->states().size());
}
