// Numbers that floats hardly hold: a processor takes ten times as long for each product of theirs.
#include "character/character_data.hpp"
#include "gait/cue_player.hpp"
#include "gait/cue_sheet.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cmath>

using namespace gait;

namespace {

/// What a performance computed with such numbers.
struct Tiny {
    int frames = 0, to_move_on = 0, for_poses = 0, for_matrices = 0, for_feet = 0; ///< frames
};

Tiny played_with_tiny_numbers(const std::string& document, const std::string& cues, double seconds) {
    const Loaded loaded = load(support::project() / "demo" / document);
    REQUIRE(loaded.character);
    const CueSheetRead read = read_cue_sheet(support::project() / "demo" / cues);
    Diagnostics found;
    Performer performer(loaded.character);
    CuePlayer player(read.sheet, *loaded.character, found);
    std::vector<Matrix4> matrices(loaded.character->joint_count());
    const auto count_if = [](int& frames, const auto& work) {
        frames += support::computes_with_tiny_numbers(work) ? 1 : 0;
    };
    Tiny tiny;
    for (; tiny.frames < int(60 * seconds); ++tiny.frames) {
        player.apply(performer, tiny.frames / 60.0);
        count_if(tiny.to_move_on, [&] { performer.advance(1 / 60.0); });
        count_if(tiny.for_poses, [&] { performer.pose({}); });
        count_if(tiny.for_matrices, [&] { performer.skinning_matrices(matrices); });
        const Travel moved = player.move(performer, 1 / 60.0);
        count_if(tiny.for_feet, [&] { performer.plant_feet(moved); });
    }
    return tiny;
}

} // namespace

TEST_CASE("hardly a frame of what ships computes with numbers that floats hardly hold") {
    volatile float tiny = 1e-30F;
    if (!support::computes_with_tiny_numbers([&] { tiny = tiny * tiny; })) {
        WARN("this machine does not tell");
        return;
    }
    for (const auto& [document, cues, seconds] : {std::tuple("lamplighter.gait.yaml", "evening.cues.yaml", 100.0),
                                                  std::tuple("lamplighter.gait.yaml", "round.cues.yaml", 73.0),
                                                  std::tuple("harbour_master.gait.yaml", "evening.cues.yaml", 100.0),
                                                  std::tuple("crossing.gait.yaml", "crossing.cues.yaml", 16.0)}) {
        CAPTURE(document, cues);
        const Tiny found = played_with_tiny_numbers(document, cues, seconds);
        const double few = 1 + 0.0005 * found.frames; // two rounding errors may meet in any one of them
        CHECK(found.to_move_on <= few);
        CHECK(found.for_poses <= few);
        CHECK(found.for_matrices <= few);
        CHECK(found.for_feet <= few);
    }
}

TEST_CASE("clips and what is added of them hold nothing where they hardly hold anything") {
    // The harbour master's joints lie in their own ways: fitting her clips to him leaves thousands of 1e-13.
    for (const char* document : {"lamplighter.gait.yaml", "harbour_master.gait.yaml"}) {
        const Loaded loaded = load(support::project() / "demo" / document);
        REQUIRE(loaded.character);
        const detail::CharacterData& data = loaded.character->data();
        REQUIRE_FALSE(data.additives.empty());
        std::size_t tiny = 0;
        for (const auto* clips : {&data.clips, &data.additives}) {
            const float least = clips == &data.clips ? 3e-7F : 1e-9F;
            for (const detail::SampledClip& clip : *clips) {
                for (std::size_t i = 0; i < (clip.intervals + 1U) * 4 * clip.stride; ++i) {
                    const float value = std::fabs(clip.frame(0)[i]);
                    tiny += value > 0 && value < least ? 1U : 0U;
                }
            }
        }
        CHECK(tiny == 0);
    }
}

TEST_CASE("a foot that nothing holds for long is where its clips have it, not for ever on its way there") {
    Performer her(support::lamplighter().character);
    int tiny = 0; // frames
    for (int frame = 0; frame < 60 * 20; ++frame) {
        her.set("speed", frame < 120 ? 1.4F : 6); // so fast she holds none
        tiny += support::computes_with_tiny_numbers([&] {
            her.advance(1 / 60.0);
            // She is moved half as fast as her clips go, so that her feet are off when they are let go of.
            Travel moved = her.travel();
            moved.move = moved.move * 0.5F;
            her.plant_feet(moved);
        });
    }
    CHECK(tiny <= 1);
}
