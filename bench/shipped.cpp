// Plays the documents that ship by their own cue sheets, so that what a frame of them takes can be counted: under
// callgrind each row becomes a part of its output, named after the row.
// The frames in which some layer enters a state are parts of their own, named after the row and `_entrance`. Where the
// machine has AVX2 they are counted with that as well, with `_at_` and the frame in their name, and so are all frames,
// named after the row, `_from_` and the first: of such stretches the second around each entrance is made up.
//   shipped PROJECT        frames of each row and part, a line each
#include "gait/cue_player.hpp"
#include "gait/gait.hpp"
#include "gait/plain_body.hpp"

#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <set>
#include <string>
#include <vector>

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

/// Plays a cue sheet, frame by frame.
template <typename Visit> void each_frame(const gait::Loaded& loaded, const gait::CueSheet& sheet, Visit visit) {
    gait::Diagnostics found;
    gait::CuePlayer cues(sheet, *loaded.character, found);
    gait::Performer performer(loaded.character);
    cues.apply(performer, 0);
    for (int f = 0; f < int(sheet.seconds / dt); ++f) {
        visit(performer, f, [&] {
            cues.apply(performer, f * dt);
            performer.advance(dt);
            performer.pose({});
        });
    }
}

/// What each layer plays in the end.
std::vector<std::uint32_t> newest_motions(const gait::Performer& performer) {
    std::vector<std::uint32_t> newest;
    for (std::size_t l = 0; l < performer.character().layers().size(); ++l) {
        newest.push_back(performer.instance(performer.instance_count(l) - 1, l).serial);
    }
    return newest;
}

void dump(const std::string& part, int frames) {
    CALLGRIND_DUMP_STATS_AT(part.c_str());
    std::printf("%s %d\n", part.c_str(), frames);
}

/// Ends a part wherever the second around an entrance begins or ends. `play` is told what to call after each frame.
template <typename Play> void each_stretch(const std::string& row, const std::vector<bool>& enters, Play play) {
    const int count = int(enters.size());
    std::set<int> bounds{count};
    for (int f = 0; f < count; ++f) {
        if (enters[std::size_t(f)]) { bounds.insert({std::max(0, f - 30), std::min(count, f + 30)}); }
    }
    int from = 0;
    play([&](int f) {
        if (bounds.count(f + 1) == 0) { return; }
        dump(row + "_from_" + std::to_string(from), f + 1 - from);
        from = f + 1;
    });
}

void by_cues(const std::string& row, const gait::Loaded& loaded, const std::filesystem::path& path) {
    const gait::CueSheet sheet = gait::read_cue_sheet(path).sheet;
    std::vector<bool> enters;
    each_frame(loaded, sheet, [&](const gait::Performer& performer, int, const auto& frame) {
        const auto before = newest_motions(performer);
        frame();
        enters.push_back(newest_motions(performer) != before);
    });
    CALLGRIND_START_INSTRUMENTATION;
    const auto counted = [](const auto& frame) {
        CALLGRIND_TOGGLE_COLLECT;
        frame();
        CALLGRIND_TOGGLE_COLLECT;
    };
    each_frame(loaded, sheet, [&](const gait::Performer&, int, const auto& frame) { counted(frame); });
    CALLGRIND_DUMP_STATS_AT(row.c_str());
    std::printf("%s %zu\n", row.c_str(), enters.size());
    const auto each_entrance = [&](const auto& name_of) {
        each_frame(loaded, sheet, [&](const gait::Performer&, int f, const auto& frame) {
            if (!enters[std::size_t(f)]) { return frame(); }
            counted(frame);
            dump(name_of(f), 1);
        });
    };
    each_entrance([&](int) { return row + "_entrance"; });
    // What players have; where there is less than that, nothing is said of seconds.
    if (gait::pin_target("AVX2")) {
        each_entrance([&](int f) { return row + "_entrance_at_" + std::to_string(f); });
        each_stretch(row, enters, [&](const auto& end_of_frame) {
            each_frame(loaded, sheet, [&](const gait::Performer&, int f, const auto& frame) {
                counted(frame);
                end_of_frame(f);
            });
        });
        gait::pin_target("SSE4");
    }
    CALLGRIND_STOP_INSTRUMENTATION;
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
