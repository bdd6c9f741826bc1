// Plays the documents that ship by their own cue sheets, so that what a frame of them takes can be counted: under
// callgrind each row becomes a part of its output, named after the row.
//   shipped PROJECT        frames of each row, a line each
#include "gait/cue_player.hpp"
#include "gait/gait.hpp"
#include "gait/plain_body.hpp"

#include <cstdio>
#include <filesystem>
#include <string>

#if __has_include(<valgrind/callgrind.h>)
#include <valgrind/callgrind.h>
#else
#define CALLGRIND_START_INSTRUMENTATION
#define CALLGRIND_STOP_INSTRUMENTATION
#define CALLGRIND_TOGGLE_COLLECT
#define CALLGRIND_DUMP_STATS_AT(row) (void)(row)
#endif

namespace {

constexpr double dt = 1.0 / 60;

/// Counts what `play(frame)` takes, so many times.
template <typename Play> void count(const char* row, int frames, Play play) {
    CALLGRIND_START_INSTRUMENTATION;
    CALLGRIND_TOGGLE_COLLECT;
    for (int f = 0; f < frames; ++f) { play(f); }
    CALLGRIND_TOGGLE_COLLECT;
    CALLGRIND_DUMP_STATS_AT(row);
    CALLGRIND_STOP_INSTRUMENTATION;
    std::printf("%s %d\n", row, frames);
}

/// What a game asks of a frame.
enum class Asks { pose, nothing, planted_feet };

/// One speed, set again in every frame as games do. Out of sight nobody asks for the pose.
void go_on(const char* row, const gait::Loaded& loaded, float speed, Asks asks = Asks::pose) {
    gait::Performer performer(loaded.character);
    gait::PlainBody body;
    body.speed = loaded.character->number("speed");
    body.heading = loaded.character->number("heading");
    const gait::NumberParameter parameter = loaded.character->number("speed");
    const auto frame = [&](int) {
        performer.set(parameter, speed);
        performer.advance(dt);
        if (asks == Asks::planted_feet) { performer.plant_feet(body.move(performer, dt)); }
        if (asks != Asks::nothing) { performer.pose({}); } // no joint is taken, the pose is made
    };
    for (int f = 0; f < 300; ++f) { frame(f); }
    count(row, 600, frame);
}

void by_cues(const char* row, const gait::Loaded& loaded, const std::filesystem::path& path) {
    gait::CueSheetRead read = gait::read_cue_sheet(path);
    gait::CuePlayer cues(read.sheet, *loaded.character, read.diagnostics);
    gait::Performer performer(loaded.character);
    cues.apply(performer, 0);
    count(row, int(read.sheet.seconds / dt), [&](int frame) {
        cues.apply(performer, frame * dt);
        performer.advance(dt);
        performer.pose({});
    });
}

} // namespace

int main(int argument_count, char** arguments) {
    if (argument_count != 2) { return 2; }
    const std::filesystem::path demo = std::filesystem::path(arguments[1]) / "demo";
    // The same instructions wherever there are these.
    gait::pin_target("SSE4");
    const gait::Loaded hers = gait::load(demo / "lamplighter.gait.yaml"),
                       crossing = gait::load(demo / "crossing.gait.yaml");
    if (!hers.character || !crossing.character) { return 1; }
    go_on("standing", hers, 0);
    go_on("strolling", hers, 1.4F);
    go_on("unseen", hers, 1.4F, Asks::nothing);
    go_on("planted", hers, 1.4F, Asks::planted_feet);
    by_cues("round", hers, demo / "round.cues.yaml");
    by_cues("evening", hers, demo / "evening.cues.yaml");
    by_cues("crossing", crossing, demo / "crossing.cues.yaml");
    return 0;
}
