// The C interface, by a C11 program, by Python, and by calls that are wrong. Linked against its shared library alone.
#include "gait/gait.h"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <random>
#include <vector>

using support::Finished;

namespace {

const std::string& pack() {
    static const support::TemporaryFolder folder;
    static const std::string made = [] {
        const std::string out = (folder / "lamplighter.gaitpack").string();
        REQUIRE(
            support::gait_tool({"pack", "demo/lamplighter.gait.yaml", "--clips", "small", "--strip", "-o", out}).code ==
            0);
        return out;
    }();
    return made;
}

/// Twenty seconds of what hands and sticks give, a line an input, and `a` for a frame.
std::string inputs() {
    std::mt19937 random(6);
    const auto unit = [&] { return double(random() % 1000) / 1000; };
    std::string text;
    for (int frame = 0; frame < 1200; ++frame) {
        if (random() % 60 == 0) { text += "n speed " + std::to_string(6 * unit()) + "\n"; }
        if (random() % 60 == 0) { text += "n heading " + std::to_string(360 * unit() - 180) + "\n"; }
        if (random() % 200 == 0) { text += "s light -\n"; }
        if (random() % 150 == 0) { text += "s hop -\n"; }
        if (random() % 200 == 0) { text += "f airborne " + std::to_string(random() % 2) + "\n"; }
        if (random() % 200 == 0) { text += std::string("c hands ") + (random() % 2 == 0 ? "free" : "lantern") + "\n"; }
        text += "a - 0.016666666666666666\n";
    }
    return text;
}

struct Opened {
    Opened() {
        REQUIRE(gait_open_file(pack().c_str(), &character) == GAIT_OK);
        REQUIRE(gait_create(character, &performer) == GAIT_OK);
    }
    ~Opened() {
        gait_destroy(performer);
        gait_close(character);
    }
    Opened(const Opened&) = delete;
    Opened& operator=(const Opened&) = delete;
    gait_character* character = nullptr;
    gait_performer* performer = nullptr;
};

} // namespace

TEST_CASE("a C11 program, Python and C++ play her evening and drawn inputs to the same bits") {
    const support::TemporaryFolder folder;
    const Finished evening =
        support::run({GAIT_INPUTS_OF_CUES, (support::project() / "demo/lamplighter.gait.yaml").string(),
                      (support::project() / "demo/evening.cues.yaml").string()});
    REQUIRE(evening.code == 0);
    const bool drawn = GENERATE(true, false);
    CAPTURE(drawn);
    const std::string said = folder.write("inputs.txt", drawn ? inputs() : evening.out),
                      program = (folder / "play").string();
    const Finished compiled = support::run(
        {"cc", "-std=c11", "-Wall", "-Wextra", "-Wpedantic", "-Wconversion", "-Werror", "-I",
         (support::project() / "include").string(), (support::project() / "tests/c/play.c").string(), "-o", program,
         GAIT_C_LIBRARY, std::string("-Wl,-rpath,") + std::filesystem::path(GAIT_C_LIBRARY).parent_path().string()});
    CAPTURE(compiled.err);
    REQUIRE(compiled.code == 0);
    const Finished by_c = support::run({program, pack(), said}),
                   by_python = support::run(
                       {"python3", (support::project() / "tests/c/play.py").string(), GAIT_C_LIBRARY, pack(), said}),
                   by_cpp = support::run({GAIT_PLAY_BY_CPP, pack(), said});
    CAPTURE(by_c.err, by_python.err, by_cpp.err);
    CHECK(by_c.code == 0);
    CHECK(by_c.out.size() > 20);
    CHECK(std::count(evening.out.begin(), evening.out.end(), '\n') > 93 * 60);
    CHECK(by_python.out == by_c.out);
    CHECK(by_cpp.out == by_c.out);
}

TEST_CASE("what is pinned to one instruction set plays to the same bits on a processor that has less") {
    const support::TemporaryFolder folder;
    const std::string said = folder.write("inputs.txt", inputs());
    const Finished here = support::run({GAIT_PLAY_BY_CPP, pack(), said});
    REQUIRE(here.code == 0);
    // As the C library sees other processors: it chooses its own ways by them.
    for (const char* without : {"-FMA,-AVX2,-FMA4", "-AVX512F,-AVX512VL", "-AVX,-AVX2,-FMA,-ERMS,-BMI2"}) {
        const Finished elsewhere = support::run(
            {"env", std::string("GLIBC_TUNABLES=glibc.cpu.hwcaps=") + without, GAIT_PLAY_BY_CPP, pack(), said});
        CAPTURE(without, elsewhere.err);
        CHECK(elsewhere.out == here.out);
    }
}

TEST_CASE("no elementary function of the C library is called by a frame") {
    const Finished needed = support::run({"nm", "-D", "--undefined-only", GAIT_C_LIBRARY});
    REQUIRE(needed.code == 0);
    for (const char* name : {"sin", "cos", "tan", "exp", "log", "pow", "hypot", "atan", "acos", "asin"}) {
        CAPTURE(name);
        CHECK(needed.out.find(std::string(" U ") + name) == std::string::npos);
    }
}

TEST_CASE("the library for C shows its own functions and nothing else") {
    const Finished shown = support::run({"nm", "-D", "--defined-only", GAIT_C_LIBRARY});
    REQUIRE(shown.code == 0);
    std::size_t functions = 0;
    for (std::size_t at = 0; at < shown.out.size();) {
        const std::size_t end = shown.out.find('\n', at);
        const std::string line = shown.out.substr(at, end - at);
        CAPTURE(line);
        CHECK(line.find(" gait_") != std::string::npos);
        ++functions;
        at = end + 1;
    }
    CHECK(functions > 40);
}

TEST_CASE("a call in C that is wrong is answered by a code and a sentence, and harms nothing") {
    const Opened own;
    gait_performer* const her = own.performer;
    CHECK(gait_set_number(her, gait_find_number(own.character, "sped"), 1) == GAIT_REFUSED);
    CHECK_THAT(gait_problem(), Catch::Contains("no such number"));
    CHECK(gait_set_number(her, gait_find_number(own.character, "speed"), NAN) == GAIT_REFUSED);
    CHECK(gait_set_flag(her, gait_find_number(own.character, "speed"), 1) == GAIT_REFUSED);
    CHECK(gait_set_choice(her, gait_find_choice(own.character, "hands"), "teeth") == GAIT_REFUSED);
    CHECK(gait_send(her, GAIT_NOTHING) == GAIT_REFUSED);
    CHECK(gait_play_once(her, 9999) == GAIT_REFUSED);
    CHECK(gait_enter(her, 0, -1) == GAIT_REFUSED);
    CHECK(gait_advance(her, -1) == GAIT_REFUSED);
    CHECK_THAT(gait_problem(), Catch::Contains("0 to 3600"));
    CHECK(gait_fault_count(her) == 8);
    std::vector<gait_transform> pose(3);
    CHECK(gait_pose(her, pose.data(), pose.size()) == GAIT_REFUSED);
    CHECK_THAT(gait_problem(), Catch::Contains("fewer joints"));
    CHECK(gait_restore(her, pose.data(), 12) == GAIT_DAMAGED);
    CHECK(gait_pin_target("abacus") == GAIT_REFUSED);
    CHECK(gait_joint_name(own.character, 4000) == nullptr);
    CHECK(gait_mark_name(own.character, GAIT_NOTHING) == nullptr);
    CHECK(gait_state(her, 99) == GAIT_NOTHING);
    gait_character* none = nullptr;
    CHECK(gait_open_file("/nowhere.gaitpack", &none) == GAIT_UNREADABLE);
    CHECK_THAT(gait_problem(), Catch::StartsWith("/nowhere.gaitpack: it cannot be read"));
    CHECK(gait_open("gait: 1", 7, &none) == GAIT_NOT_A_PACK);
    CHECK(none == nullptr);
}

TEST_CASE("null pointers are refused everywhere") {
    gait_event event;
    CHECK(gait_open(nullptr, 9, nullptr) == GAIT_REFUSED);
    CHECK(gait_open_file(nullptr, nullptr) == GAIT_REFUSED);
    CHECK(gait_create(nullptr, nullptr) == GAIT_REFUSED);
    CHECK(gait_copy(nullptr, nullptr) == GAIT_REFUSED);
    CHECK(gait_set_number(nullptr, 0, 0) == GAIT_REFUSED);
    CHECK(gait_set_choice(nullptr, 0, nullptr) == GAIT_REFUSED);
    CHECK(gait_advance(nullptr, 0) == GAIT_REFUSED);
    CHECK(gait_advance_and_tell(nullptr, 0, &event, 1, nullptr) == GAIT_REFUSED);
    CHECK(gait_get_travel(nullptr, nullptr) == GAIT_REFUSED);
    CHECK(gait_plant_feet(nullptr, nullptr) == GAIT_REFUSED);
    CHECK(gait_pose(nullptr, nullptr, 0) == GAIT_REFUSED);
    CHECK(gait_skinning_matrices(nullptr, nullptr, 0) == GAIT_REFUSED);
    CHECK(gait_restore(nullptr, nullptr, 0) == GAIT_REFUSED);
    CHECK(gait_find_number(nullptr, nullptr) == GAIT_NOTHING);
    CHECK(gait_bytes(nullptr, nullptr) == 0);
    CHECK(gait_choice_value(nullptr, 0, nullptr, 0) == 0);
    CHECK(gait_joint_count(nullptr) == 0);
    gait_destroy(nullptr);
    gait_close(nullptr);
    gait_reset(nullptr);
}

TEST_CASE("a performer's state goes over the border in C and back") {
    const Opened own;
    const gait_handle speed = gait_find_number(own.character, "speed");
    CHECK(gait_set_number(own.performer, speed, 2) == GAIT_OK);
    for (int f = 0; f < 60; ++f) { CHECK(gait_advance(own.performer, 1.0 / 60) == GAIT_OK); }
    const void* bytes = nullptr;
    const std::size_t count = gait_bytes(own.performer, &bytes);
    const Opened other;
    CHECK(gait_restore(other.performer, bytes, count) == GAIT_OK);
    CHECK(gait_time(other.performer) == gait_time(own.performer));
    CHECK(gait_is_active(other.performer, gait_find_state(other.character, "legs.moving")) == 1);
    char word[4];
    const gait_handle grip = gait_find_choice_value(own.character, "grip");
    CHECK(gait_choice_value(own.performer, grip, word, sizeof word) == 4);
    CHECK(std::string(word) == "ope");
    CHECK(gait_number_value(own.performer, gait_find_number_value(own.character, "top_speed")) > 1);
    // Performers go on after their character was let go of.
    gait_character* brief = nullptr;
    gait_performer* hers = nullptr;
    REQUIRE(gait_open_file_like(pack().c_str(), own.character, &brief) == GAIT_OK);
    REQUIRE(gait_create(brief, &hers) == GAIT_OK);
    gait_close(brief);
    CHECK(gait_advance(hers, 1) == GAIT_OK);
    gait_destroy(hers);
}

TEST_CASE("the example in C strolls, and is as short as it says") {
    const Finished strolled = support::run({GAIT_STROLL, pack()});
    CAPTURE(strolled.err);
    CHECK(strolled.code == 0);
    CHECK_THAT(strolled.out, Catch::Contains("left_down") && Catch::Contains("right_down") &&
                                 Catch::Contains("moving, her right hand is at"));
    const std::string text = support::read(support::project() / "examples/stroll.c");
    CHECK(std::count(text.begin(), text.end(), '\n') < 80);
}

TEST_CASE("who listens in C hears why a call was refused") {
    const Opened opened;
    std::string heard;
    gait_hear_refusals([](const char* sentence, void* context) { *static_cast<std::string*>(context) = sentence; },
                       &heard);
    const gait_handle speed = gait_find_number(opened.character, "speed");
    CHECK(gait_set_number(opened.performer, speed, std::numeric_limits<float>::quiet_NaN()) == GAIT_REFUSED);
    CHECK(heard == "set 'speed': a number must be a number, not nan");
    CHECK(gait_send(opened.performer, speed) == GAIT_REFUSED);
    CHECK(heard == "send: 'speed' is of kind number, not signal");
    gait_hear_refusals(nullptr, nullptr);
    CHECK(gait_send(opened.performer, GAIT_NOTHING) == GAIT_REFUSED);
    CHECK(heard == "send: 'speed' is of kind number, not signal");
}
