#include "shipped_crowd.hpp"

#include "character/character_data.hpp"
#include "gait/crowd.hpp"
#include "gait/gait.hpp"
#include "math/aligned.hpp"

#include <algorithm>
#include <chrono>
#include <memory>
#include <stdexcept>
#include <thread>

namespace bench {
namespace {

constexpr double step = 1.0 / 60;
constexpr int crowd_runs = 5;

using Matrices = std::vector<gait::Matrix4, gait::detail::KeptAllocator<gait::Matrix4, gait::detail::cache_line>>;

std::shared_ptr<const gait::Character> opened(const std::filesystem::path& document) {
    gait::Loaded loaded = gait::load(document);
    if (!loaded.character) { throw std::runtime_error(gait::format(loaded.diagnostics)); }
    return loaded.character;
}

/// Performers that have been strolling for a while, each at its own place in her stride. Those of one cast stand
/// together, or each beside those of others.
std::vector<gait::Performer> strolling(const std::vector<std::shared_ptr<const gait::Character>>& casts,
                                       std::size_t count, std::size_t cast_count, bool mixed) {
    std::vector<gait::Performer> performers;
    performers.reserve(count);
    for (std::size_t i = 0; i < count; ++i) {
        gait::Performer& performer = performers.emplace_back(casts[mixed ? i % cast_count : i * cast_count / count]);
        performer.set("speed", 1.4F);
        for (int f = 0; f < 12; ++f) { performer.advance(0.25 + 0.001 * double(i % 64)); }
    }
    return performers;
}

/// Nanoseconds that some work takes, the least of several runs.
template <typename Work> double least_time(Work work) {
    double least = 1e18;
    for (int run = 0; run < crowd_runs; ++run) {
        const auto begun = std::chrono::steady_clock::now();
        work();
        const std::chrono::duration<double, std::nano> took = std::chrono::steady_clock::now() - begun;
        least = std::min(least, took.count());
    }
    return least;
}

/// A frame of one performer.
void frame_of(gait::Performer& performer, gait::NumberParameter speed, Matrices* matrices) {
    performer.set(speed, 1.4F);
    performer.advance(step);
    if (matrices != nullptr) {
        performer.skinning_matrices(*matrices);
    } else {
        performer.pose({});
    }
}

/// A block, two samples of each clip that plays, and half a cache line more at each end of them.
double bytes_touched(const gait::Performer& performer) {
    const gait::detail::PerformerLayout& layout = performer.character().data().layout;
    return double(layout.bytes) + 2 * 4 * double(layout.lanes) * sizeof(float) * 2;
}

/// The cache lines of a performer's block that a frame changes.
std::vector<std::size_t> lines_changed_by_a_frame(gait::Performer performer) {
    const auto bytes = [&] { return std::vector<std::byte>(performer.bytes().begin(), performer.bytes().end()); };
    const std::vector<std::byte> before = bytes();
    performer.advance(step);
    performer.pose({});
    const std::vector<std::byte> after = bytes();
    std::vector<std::size_t> lines;
    for (std::size_t line = 0; line * gait::detail::cache_line < after.size(); ++line) {
        const std::size_t first = line * gait::detail::cache_line,
                          end = std::min(first + gait::detail::cache_line, after.size());
        if (!std::equal(before.begin() + std::ptrdiff_t(first), before.begin() + std::ptrdiff_t(end),
                        after.begin() + std::ptrdiff_t(first))) {
            lines.push_back(line);
        }
    }
    return lines;
}

/// What the memory of a crowd takes by itself: those lines of one block after the other, read and written.
double time_of_memory(std::size_t count, std::size_t block, const std::vector<std::size_t>& lines) {
    std::vector<std::uint64_t> blocks(count * block / sizeof(std::uint64_t));
    const std::size_t words = block / sizeof(std::uint64_t),
                      line_words = gait::detail::cache_line / sizeof(std::uint64_t);
    const double all = least_time([&] {
        for (std::size_t b = 0; b < count; ++b) {
            for (const std::size_t line : lines) {
                volatile std::uint64_t& word = blocks[b * words + line * line_words];
                word = word + 1;
            }
        }
    });
    return all / double(count);
}

double time_of(std::vector<gait::Performer>& performers, std::size_t threads, bool matrices) {
    const std::size_t count = performers.size(), joints = performers.front().character().joint_count();
    // What is sent to the graphics card, a run of matrices for each thread that is written over and over.
    constexpr std::size_t room = 64;
    std::vector<Matrices> sent(threads, Matrices(room * joints));
    std::vector<gait::CrowdMember> members(count);
    for (std::size_t i = 0; i < count; ++i) {
        members[i] = {&performers[i], step, nullptr};
        Matrices& own = sent[i * threads / count];
        if (matrices) { members[i].skinning = std::span(own).subspan(i % room * joints, joints); }
    }
    const gait::RunInParts run = [&](std::size_t all, const auto& part) {
        std::vector<std::thread> others;
        for (std::size_t t = 1; t < threads; ++t) {
            others.emplace_back([&, t] { part(all * t / threads, all * (t + 1) / threads); });
        }
        part(0, all / threads);
        for (std::thread& other : others) { other.join(); }
    };
    const int frames = int(std::max<std::size_t>(3, 20'000 / count));
    const double all = least_time([&] {
        for (int f = 0; f < frames; ++f) { gait::advance_all(members, run); }
    });
    return all / double(frames) / double(count) * double(threads);
}

} // namespace

std::vector<CrowdRow> crowd_rows(const std::filesystem::path& demo) {
    // As a game has them: packs of one set of clips, which they share.
    constexpr std::size_t some_casts = 10, most_casts = 100;
    const gait::Packed packed = gait::pack(*opened(demo / "lamplighter.gait.yaml"));
    std::vector<std::shared_ptr<const gait::Character>> casts;
    for (std::size_t c = 0; c < most_casts; ++c) {
        casts.push_back(gait::open(packed.bytes, {.shares_with = c == 0 ? nullptr : casts.front()}).character);
    }
    std::vector<CrowdRow> rows;
    double single = 0, single_with_matrices = 0;
    const auto add = [&](CrowdRow row) {
        std::vector<gait::Performer> performers = strolling(casts, row.performers, row.casts, row.mixed);
        row.nanoseconds = time_of(performers, row.threads, row.matrices);
        row.bytes_touched = bytes_touched(performers.front());
        const std::vector<std::size_t> lines = lines_changed_by_a_frame(performers.front());
        row.lines_changed = double(lines.size());
        row.memory_alone = time_of_memory(row.performers, performers.front().bytes().size(), lines);
        double& alone = row.matrices ? single_with_matrices : single;
        if (row.performers == 1) { alone = row.nanoseconds; }
        row.over_single = row.nanoseconds / alone;
        rows.push_back(row);
    };
    for (const bool matrices : {false, true}) {
        for (const std::size_t count : {1U, 100U, 1000U, 10000U}) { add({.performers = count, .matrices = matrices}); }
        for (const std::size_t count : {some_casts, most_casts}) {
            add({.performers = 10000, .casts = count, .matrices = matrices});
        }
        add({.performers = 10000, .casts = most_casts, .mixed = true, .matrices = matrices});
        add({.performers = 10000, .threads = 2, .matrices = matrices});
    }
    return rows;
}

std::vector<DetailRow> detail_rows(const std::filesystem::path& demo) {
    const auto character = opened(demo / "lamplighter.gait.yaml");
    const gait::NumberParameter speed = character->number("speed");
    Matrices matrices(character->joint_count());
    std::vector<DetailRow> rows;
    const auto add = [&](const std::string& name, const gait::Detail& detail, Matrices* asked,
                         bool logic_alone = false) {
        gait::Performer performer = std::move(strolling({character}, 1, 1, false).front());
        if (!performer.set_detail(detail)) { throw std::logic_error("a level of detail was refused"); }
        for (int f = 0; f < 60; ++f) { frame_of(performer, speed, asked); }
        constexpr int frames = 6000;
        const double all = least_time([&] {
            for (int f = 0; f < frames; ++f) {
                if (logic_alone) {
                    performer.set(speed, 1.4F);
                    performer.advance(step);
                } else {
                    frame_of(performer, speed, asked);
                }
            }
        });
        const double each = all / frames;
        rows.push_back({name, each, rows.empty() ? 1 : each / rows.front().nanoseconds});
    };
    const std::size_t fewest = character->joints_at(character->detail_levels());
    add("full detail, skinning matrices", {}, &matrices);
    add("fewest joints", {.joints = fewest}, &matrices);
    add("a pose every second frame", {.every = 2}, &matrices);
    add("a pose every fourth frame", {.every = 4}, &matrices);
    add("both", {.joints = fewest, .every = 4}, &matrices);
    add("full detail, the pose alone", {}, nullptr);
    add("logic alone", {}, nullptr, true);
    return rows;
}

} // namespace bench
