#include "gait/load.hpp"
#include "lamplighter_facts.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <cmath>
#include <map>

using namespace gait;
using support::demo_clip;
using support::demo_file;

namespace {

/// A joint's place in the character's space at a phase of a clip.
Vec3 place(const ClipSource& clip, double phase, const std::string& joint, Vec3 offset = {}) {
    const Rig& rig = demo_file().rig;
    phase -= std::floor(phase);
    const auto model = model_space(rig, pose_at(clip, rest_pose(rig), phase * clip.seconds));
    const Transform& t = model[std::size_t(*rig.find(joint))];
    return t.translation + rotate(t.rotation, offset);
}

} // namespace

TEST_CASE("the program that makes the lamplighter makes the committed file, byte for byte") {
    const support::TemporaryFolder folder;
    const std::string path = (folder / "made.glb").string(), second = (folder / "second.glb").string();
    REQUIRE(support::run({GAIT_MAKE_LAMPLIGHTER, path, second}).code == 0);
    const bool same = support::read(path) == support::read(support::project() / "demo/lamplighter.glb");
    CHECK(same);
    const bool master_same = support::read(second) == support::read(support::project() / "demo/harbour_master.glb");
    CHECK(master_same);
    CHECK(support::run({GAIT_MAKE_LAMPLIGHTER}).code == 2);
}

TEST_CASE("the demo's files have no error and no warning from the glTF validator") {
    for (const char* file : {"demo/lamplighter.glb", "demo/harbour_master.glb"}) {
        const support::Finished valid = support::run({"node", "tests/validator/validate.js", file});
        INFO(valid.out << valid.err);
        CHECK(valid.code == 0);
    }
}

TEST_CASE("she is a person in size, and what should loop does, its way taken out") {
    CHECK(demo_file().rig.joints.size() == 45);
    CHECK(rest_height(demo_file().rig) == Approx(1.64).margin(0.02));
    for (const ClipSource& clip : demo_file().clips) {
        const bool going = clip.name.ends_with("_going");
        const bool gait = clip.name.starts_with("stroll") || clip.name.starts_with("trot") || clip.name == "run";
        const bool changes =
            clip.name.find("_start_") != std::string::npos || clip.name.find("_stop_") != std::string::npos;
        const bool holds = clip.name.find("_hold_") != std::string::npos || clip.name == "stand" ||
                           clip.name == "crouch" || clip.name == "hop_air" || clip.name == "shelter";
        if (!holds && (!gait || changes)) { continue; }
        const ClipMeasure measure = measure_clip(clip, demo_file().rig);
        INFO(clip.name);
        CHECK(measure.travels == going);
        CHECK(measure.gap.degrees < 0.01);
        CHECK(measure.gap.millimetres < 0.1);
    }
}

TEST_CASE("no clip of hers jerks by itself") {
    const Rig& rig = demo_file().rig;
    for (const ClipSource& clip : demo_file().clips) {
        std::vector<std::vector<Transform>> poses;
        for (int i = 0; i <= int(clip.seconds * 60); ++i) {
            poses.push_back(model_space(rig, pose_at(clip, rest_pose(rig), i / 60.0)));
        }
        double worst = 0; // degrees a second between two frames
        std::string where;
        for (std::size_t i = 1; i + 1 < poses.size(); ++i) {
            for (std::size_t j = 0; j < rig.joints.size(); ++j) {
                const auto turn = [&](std::size_t at) {
                    return poses[at + 1][j].rotation * conjugate(poses[at][j].rotation);
                };
                const double jolt = degrees_between(turn(i - 1), turn(i)) * 60;
                if (jolt > worst) {
                    worst = jolt;
                    where = rig.joints[j].name;
                }
            }
        }
        CAPTURE(clip.name, where);
        CHECK(worst < 950);
    }
}

TEST_CASE("a planted foot moves at the ground's speed and stays on the ground") {
    for (const lamplighter::Gait& gait : lamplighter::gaits) {
        const ClipSource& clip = demo_clip(gait.name);
        CHECK(clip.seconds == Approx(gait.seconds));
        for (const auto& [side, lag] : {std::pair<std::string, double>{"left", 0.0}, {"right", 0.5}}) {
            // While the sole is flat the toes' joint is fixed on the ground, and stays so until they leave.
            const double from = 0.17 * gait.duty, to = gait.duty - 0.01;
            const Vec3 start = place(clip, from + lag, side + "_toes");
            double worst = 0;
            for (double phase = from; phase < to; phase += 0.01) {
                const Vec3 at = place(clip, phase + lag, side + "_toes");
                const double forward = double(start.z) - gait.speed * gait.seconds * (phase - from);
                worst = std::max({worst, std::fabs(double(at.z) - forward), std::fabs(double(at.x - start.x)),
                                  std::fabs(double(at.y) - lamplighter::ball_height)});
            }
            INFO(gait.name << " " << side << " slides " << 1000 * worst << " mm of a stride of " << gait.stride());
            CHECK(worst < 0.005 * gait.stride());
        }
    }
}

TEST_CASE("each foot comes down when the generator says and is off the ground in between") {
    for (const lamplighter::Gait& gait : lamplighter::gaits) {
        const ClipSource& clip = demo_clip(gait.name);
        const Vec3 heel{0, float(-lamplighter::ankle_height), float(-lamplighter::heel_behind_ankle)};
        for (const auto& [side, lag] : {std::pair<std::string, double>{"left", 0.0}, {"right", 0.5}}) {
            INFO(gait.name << " " << side);
            CHECK(double(place(clip, lag, side + "_foot", heel).y) == Approx(0).margin(0.003));
            CHECK(double(place(clip, lag - 0.1, side + "_foot", heel).y) > 0.01);
            CHECK(double(place(clip, lag + gait.duty + 0.1, side + "_toes").y) > lamplighter::ball_height + 0.01);
        }
    }
}

TEST_CASE("she goes where each clip says at the speed the generator used, and no foot slides") {
    for (const lamplighter::Gait& gait : lamplighter::gaits) {
        if (gait.name == "run") { continue; }
        for (const lamplighter::Direction& direction : lamplighter::directions) {
            double in_place = 0;
            for (const char* tail : {"", "_going"}) {
                const std::string name = std::string(gait.name) + std::string(direction.suffix) + tail;
                const auto& clips = demo_file().clips;
                const auto clip =
                    std::find_if(clips.begin(), clips.end(), [&](const auto& c) { return c.name == name; });
                REQUIRE(clip != clips.end());
                const ClipMeasure m = measure_clip(*clip, demo_file().rig);
                INFO(name);
                CHECK(std::abs(std::remainder(m.direction - direction.toward, 360)) < 2);
                if (*tail == 0) { in_place = m.speed; }
                CHECK(m.speed == Approx(in_place).epsilon(0.02));
                CHECK(m.stride == Approx(m.speed * clip->seconds).epsilon(0.001));
                REQUIRE(m.feet.size() == 2);
                for (const FootMeasure& foot : m.feet) {
                    CHECK(foot.contacts.size() == 1);
                    CHECK(foot.slide < 0.01 * m.stride);
                }
            }
        }
    }
}

TEST_CASE("feet that are down stay where they are in every clip") {
    for (const ClipSource& clip : demo_file().clips) {
        for (const FootMeasure& foot : measure_clip(clip, demo_file().rig).feet) {
            INFO(clip.name << " " << foot.side);
            CHECK(foot.slide < 0.012);
            CHECK(std::abs(foot.height) < 0.005);
        }
    }
}

TEST_CASE("knees never lock and never bend backward") {
    const Rig& rig = demo_file().rig;
    for (const ClipSource& clip : demo_file().clips) {
        for (double phase = 0; phase < 1; phase += 0.01) {
            const auto pose = pose_at(clip, rest_pose(rig), phase * clip.seconds);
            for (const char* side : {"left_lower_leg", "right_lower_leg"}) {
                const Quat bend = pose[std::size_t(*rig.find(side))].rotation;
                INFO(clip.name << " " << side << " at " << phase);
                CHECK(degrees_between(bend, Quat{}) > 8);
                CHECK(bend.x * bend.w > 0);
            }
        }
    }
}

TEST_CASE("the first example runs as the README shows it") {
    const support::Finished result = support::run({GAIT_FIRST_STEPS});
    CHECK(result.code == 0);
    CHECK(result.err.empty());
    CHECK_THAT(result.out, Catch::Contains("2.02 s  moving  her right hand is at ("));
    const std::string source = support::read(support::project() / "examples/first_steps.cpp");
    CHECK(std::count(source.begin(), source.end(), '\n') < 60);
    CHECK_THAT(support::read(support::project() / "README.md"),
               Catch::Contains(source.substr(source.find("int main"))));
    CHECK(support::run({GAIT_FIRST_STEPS, "/nowhere.gait.yaml"}).code == 1);
}

TEST_CASE("she crosses the quay on her clips' own travel, without a snap, and the trace and the bake carry the way") {
    const support::TemporaryFolder folder;
    const std::string trace = (folder / "c.csv").string(), bvh = (folder / "c.bvh").string(),
                      glb = (folder / "c.glb").string();
    const auto played = [&](const std::vector<std::string>& more) {
        std::vector<std::string> arguments{support::tool().string(), "perform", "demo/crossing.gait.yaml", "--cues",
                                           "demo/crossing.cues.yaml"};
        arguments.insert(arguments.end(), more.begin(), more.end());
        return support::run(arguments);
    };
    const support::Finished first = played({"--trace", trace, "--bake", bvh});
    INFO(first.out << first.err);
    CHECK(first.code == 0); // every bound of smoothness holds
    CHECK_THAT(first.out, Catch::Contains("the clips carried the body 12.4"));
    CHECK_THAT(support::read(trace), Catch::Contains(",place_x_m,place_y_m,place_z_m,heading_deg,travel_share,"));
    CHECK(played({"--bake", glb}).code == 0);
    const ImportResult from_bvh = import_bvh(bvh, {1.0, "y"}), from_glb = import_gltf(glb);
    REQUIRE(from_bvh.file);
    REQUIRE(from_glb.file);
    for (const ImportResult* baked : {&from_bvh, &from_glb}) {
        const ClipMeasure m = measure_clip(baked->file->clips[0], baked->file->rig);
        CHECK(m.travels);
        CHECK(m.way.x == Approx(7.1).margin(0.15)); // to her left
        CHECK(m.way.z == Approx(5.9).margin(0.15));
        CHECK(std::abs(m.way.heading + 85) < 6);
    }
    // The same way at any frame rate, to a hair.
    std::vector<double> ends;
    for (const char* rate : {"30", "60", "240"}) {
        const support::Finished result = played({"--fps", rate, "--json"});
        const auto at = result.out.find("\"path_m\": ");
        REQUIRE(at != std::string::npos);
        ends.push_back(std::stod(result.out.substr(at + 10)));
    }
    CHECK(ends[0] == Approx(ends[2]).epsilon(0.01));
    CHECK(ends[1] == Approx(ends[2]).epsilon(0.005));
}

TEST_CASE("a copy travels as its original does, bit for bit") {
    const Loaded loaded = load(support::project() / "demo/crossing.gait.yaml");
    REQUIRE(loaded.character);
    Performer performer(loaded.character);
    performer.set("going", true);
    performer.advance(1);
    Performer twin = performer;
    for (int i = 0; i < 100; ++i) {
        performer.advance(0.013);
        twin.advance(0.013);
        CHECK(performer.travel().move.z == twin.travel().move.z);
        REQUIRE(std::equal(performer.bytes().begin(), performer.bytes().end(), twin.bytes().begin()));
    }
}

TEST_CASE("the evening shows every act once, without a snap, and the same at any frame rate") {
    std::vector<std::string> stories;
    for (const char* rate : {"30", "60", "144"}) {
        const support::Finished played =
            support::run({support::tool().string(), "perform", "demo/lamplighter.gait.yaml", "--cues",
                          "demo/evening.cues.yaml", "--fps", rate, "--json"});
        CAPTURE(rate, played.err);
        REQUIRE(played.code == 0);
        const nlohmann::json told = nlohmann::json::parse(played.out);
        CHECK(told["within_bounds"] == true);
        CHECK(told["snap"]["ratio"].get<double>() < 1.2);
        CHECK(told["seam"]["degrees"].get<double>() < 0.05);
        std::map<std::string, std::string> stories_of;
        for (const auto& transition : told["transitions"]) {
            // Layers see one another as a step began: between two of them the order may hang on where steps begin.
            const std::string from = transition["from"];
            stories_of[from.substr(0, from.find('.'))] += from + " > " + transition["to"].get<std::string>() + "\n";
        }
        std::string story;
        for (const auto& [layer, own] : stories_of) { story += own; }
        stories.push_back(story);
        for (const auto& [state, seconds] : told["seconds_in_state"].items()) {
            CAPTURE(state);
            CHECK(seconds.get<double>() > 0); // each of them has its part
        }
    }
    CHECK(stories[1] == stories[0]);
    CHECK(stories[2] == stories[0]);
}

TEST_CASE("her evening keeps every bound with her arms laid over her in model space too") {
    const support::TemporaryFolder folder;
    std::string text = support::read(support::project() / "demo/lamplighter.gait.yaml");
    const std::string rig = "rig: lamplighter.glb", arms = "  - name: arms\n";
    REQUIRE(text.find(rig) != std::string::npos);
    text.replace(text.find(rig), rig.size(), "rig: " + (support::project() / "demo/lamplighter.glb").string());
    REQUIRE(text.find(arms) != std::string::npos);
    text.insert(text.find(arms) + arms.size(), "    space: model\n");
    const support::Finished played =
        support::run({support::tool().string(), "perform", folder.write("arms.gait.yaml", text), "--cues",
                      "demo/evening.cues.yaml", "--json"});
    INFO(played.out << played.err);
    CHECK(played.code == 0);
}

TEST_CASE("a hard fall is followed by a hard landing, a soft one by a soft, a run off the quay by a roll") {
    const auto landing = [](double fall_speed, double speed) {
        Performer performer(support::lamplighter().character);
        performer.set("speed", speed);
        for (int i = 0; i < 90; ++i) { performer.advance(1.0 / 60); }
        performer.set("airborne", true);
        for (int i = 0; i < 30; ++i) {
            performer.set("fall_speed", fall_speed * (i + 1) / 30);
            performer.advance(1.0 / 60);
        }
        performer.set("airborne", false);
        performer.set("fall_speed", 0.0);
        performer.advance(1.0 / 60);
        REQUIRE(performer.state_name() == "landing");
        std::vector<ClipView> clips(4);
        performer.instance_clips(performer.instance_count() - 1, clips);
        return performer.character().clips()[clips[0].clip].name;
    };
    CHECK(landing(2, 0) == "land_soft");
    CHECK(landing(7, 0) == "land_hard");
    CHECK(landing(7, 4) == "land_roll");
    CHECK(landing(2, 4) == "land_soft");
}

TEST_CASE("on her whole round, stops and turns and sidesteps, no planted foot slides over three centimetres") {
    const support::Finished played = support::run({support::tool().string(), "perform", "demo/lamplighter.gait.yaml",
                                                   "--cues", "demo/round.cues.yaml", "--json"});
    REQUIRE(played.code == 0);
    const nlohmann::json told = nlohmann::json::parse(played.out);
    CHECK(told["snap"]["ratio"].get<double>() < 1.2);
    // About face, and twice round, to the right and to the left.
    CHECK(told["travel"]["heading_deg"].get<double>() == Approx(180).margin(0.5));
    CHECK(told["travel"]["path_m"].get<double>() > 100);
    for (const auto& print : told["footprints"]) {
        const double from = print["from_s"], slide = print["slide_m"];
        CAPTURE(from, slide);
        CHECK(slide < 0.03);
    }
    CHECK(told["footprints"].size() > 140);
}

TEST_CASE("the lamplighter walks the quay by a stick: she starts, hops, sidesteps, rolls and stops, and never jumps") {
    const support::TemporaryFolder folder;
    for (const bool game_driven : {false, true}) {
        const std::string out = (folder / (game_driven ? "game" : "clips")).string();
        std::vector<std::string> command{GAIT_QUAY_WALK, "--out", out};
        if (game_driven) { command.push_back("--game-driven"); }
        const support::Finished walked = support::run(command);
        CAPTURE(walked.out, walked.err);
        REQUIRE(walked.code == 0);
        for (const char* state :
             {"setting_off", "moving", "air.leap_", "air.falling", "landing", "stopping_", "turning_left"}) {
            CHECK_THAT(walked.out, Catch::Contains(state));
        }
        // Whoever runs it reads that nothing pops, and how well her feet hold.
        const std::size_t jolts = walked.out.find("the hardest jolt of a joint is ");
        REQUIRE(jolts != std::string::npos);
        CHECK(std::stod(walked.out.substr(jolts + 31)) <= 2);
        const std::size_t slides = walked.out.find("the worst slides by ");
        REQUIRE(slides != std::string::npos);
        // The game alone spins her faster than her turning steps do.
        CHECK(std::stod(walked.out.substr(slides + 20)) <= (game_driven ? 80 : 20));
        std::istringstream path(support::read(out + ".csv"));
        std::string line;
        std::getline(path, line);
        CHECK(line == "time_s,x_m,y_m,z_m,heading_deg,speed_m_per_s,state");
        double x = 0, y = 0, z = 0, lowest = 0;
        int rows = 0;
        while (std::getline(path, line)) {
            double t = 0, nx = 0, ny = 0, nz = 0;
            REQUIRE(std::sscanf(line.c_str(), "%lf,%lf,%lf,%lf", &t, &nx, &ny, &nz) == 4);
            if (rows > 0) {
                CHECK(std::hypot(nx - x, nz - z) < 6.0 / 60); // no faster than six metres a second
                CHECK(std::abs(ny - y) < 7.0 / 60);
            }
            x = nx;
            y = ny;
            z = nz;
            lowest = std::min(lowest, ny);
            ++rows;
        }
        CHECK(rows == 2220);
        CHECK(lowest == Approx(-1.6));
        CHECK(z > 35);
        const ImportResult baked = import_gltf(out + ".glb");
        REQUIRE(baked.file);
        CHECK(baked.file->clips.at(0).seconds == Approx(37).margin(0.1));
        CHECK_THAT(support::read(out + ".svg"), Catch::Contains("from above"));
    }
}

TEST_CASE("from a trot and from a run she leaps off the foot that comes down, which holds, and nothing pops") {
    for (const float pace : {2.6F, 4.2F}) {
        for (const char* foot : {"left", "right"}) {
            CAPTURE(pace, foot);
            Performer her(support::lamplighter().character);
            const Character& character = her.character();
            her.set("speed", pace);
            const BodyMover body = [&](const Performer& moved, double dt) {
                const double pace_now = moved.smoothed(character.number("speed"));
                return Travel{{0, 0, float(pace_now * dt)}, 0, 1}; // the game's: no clip here carries her
            };
            her.plant_feet({});
            SmoothnessWatch watch(her);
            Footprints prints(character.rig());
            GroundPlace place;
            EventList events;
            std::vector<Transform> pose(character.joint_count());
            const std::string leap = std::string("air.leap_") + foot;
            bool sent = false, off = false;
            for (int frame = 0; frame < 260; ++frame) {
                // Pressed just after the other foot came down.
                for (const Event& event : events.events()) {
                    const bool mark = event.kind == EventKind::mark;
                    const std::string name = mark ? character.marks()[event.what] : "";
                    if (frame > 150 && !sent && name == (foot[0] == 'l' ? "right_down" : "left_down")) {
                        her.send("hop");
                        sent = true;
                    }
                    if (name == "feet_off") {
                        off = true;
                        her.set("airborne", true);
                        CHECK(her.state_name() == leap);
                    }
                }
                const Performer before = her;
                her.advance(1.0 / 60, events);
                const Travel moved = body(her, 1.0 / 60);
                her.plant_feet(moved);
                watch.step(before, 1.0 / 60, her, body);
                place.add(moved);
                her.model_pose(pose);
                if (!off) { prints.add(frame / 60.0, pose, place); }
            }
            CHECK(off);
            CHECK(her.state_name() == "air.falling");
            CHECK(watch.worst_seam().degrees <= seam_bound);
            CHECK(watch.pop().worst().ratio <= 2);
            CHECK(prints.worst_slide() < 0.02);
        }
    }
}

TEST_CASE("looking over a shoulder at the lamp, the raised pole goes to each of nine places and between them") {
    const auto& character = support::lamplighter().character;
    const auto hand_at = [&](double side, double up) {
        Performer performer(character);
        performer.set("button", true);
        performer.send("light");
        performer.set("aim_side", side);
        performer.set("aim_up", up);
        for (int i = 0; i < 240; ++i) { performer.advance(1.0 / 60); }
        REQUIRE(performer.state_name(1) == "lighting.holding");
        std::vector<Transform> pose(character->joint_count());
        performer.model_pose(pose);
        return pose[std::size_t(character->rig().find("right_hand").value())].translation;
    };
    const Vec3 ahead = hand_at(0, 0);
    CHECK(hand_at(0, 30).y > ahead.y + 0.05F);
    CHECK(hand_at(0, -30).y < ahead.y - 0.05F);
    CHECK(hand_at(-40, 0).x > ahead.x + 0.1F); // to her left
    CHECK(hand_at(40, 0).x < ahead.x - 0.05F);
    CHECK(hand_at(0, 15).y > ahead.y + 0.02F);
    CHECK(hand_at(0, 15).y < hand_at(0, 30).y);
}

TEST_CASE("two minds tells how legs and arms lead, wait for and give way to one another") {
    const support::Finished told = support::run({GAIT_TWO_MINDS});
    CAPTURE(told.out, told.err);
    REQUIRE(told.code == 0);
    std::size_t at = 0;
    for (const char* next : {"still | free", "still | lighting.raising", "still | lighting.holding",
                             "moving | lighting.holding",                             // she may walk with it
                             "still | lighting.touching", "still | lighting.raising", // the second lamp waited
                             "still | free | greet", "moving | free | greet", "the greeting is over", "still | ringing",
                             "still | lighting.holding", "air.falling | free"}) {
        CAPTURE(next);
        const std::size_t found = told.out.find(next, at);
        REQUIRE(found != std::string::npos);
        at = found;
    }
}

TEST_CASE("running she has no raised pole, ringing she stands, and turning to the next lamp waits for its moment") {
    const auto& character = support::lamplighter().character;
    const auto after = [&](auto play, double seconds) {
        Performer her(character);
        her.set("button", true);
        her.send("light");
        for (int i = 0; i < 90; ++i) { her.advance(1.0 / 60); }
        REQUIRE(her.state_name(1) == "lighting.holding");
        play(her);
        for (int i = 0; i < int(seconds * 60); ++i) { her.advance(1.0 / 60); }
        return std::pair(std::string(her.state_name(0)), std::string(her.state_name(1)));
    };
    using Both = std::pair<std::string, std::string>;
    CHECK(after([](Performer& her) { her.set("speed", 1.2); }, 0.5) == Both("moving", "lighting.holding"));
    CHECK(after([](Performer& her) { her.set("speed", 3.5); }, 1) == Both("moving", "free"));
    CHECK(after([](Performer& her) { her.set("awning", true), her.set("speed", 1.0); }, 1) ==
          Both("crouching", "free"));
    CHECK(after([](Performer& her) { her.send("bell"); }, 0.5) == Both("still", "ringing"));
    // Asked to turn as she still holds the pole up she does not; as it comes down she does, in the middle of it.
    CHECK(after([](Performer& her) { her.set("aside", 80); }, 0.5) == Both("still", "lighting.holding"));
    const auto touching = [](Performer& her) {
        her.set("aside", 80);
        her.set("button", false);
    };
    CHECK(after(touching, 0.05) == Both("still", "lighting.touching"));
    CHECK(after(touching, 0.3) == Both("turning_right", "lighting.turning"));
}
