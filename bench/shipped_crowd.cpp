#include "shipped_crowd.hpp"

#include "character/character_data.hpp"
#include "gait/crowd.hpp"
#include "gait/gait.hpp"
#include "math/aligned.hpp"
#include "perform/block_of.hpp"
#include "perform/fetch_ahead.hpp"

#include <benchmark/benchmark.h>
#include <hwy/cache_control.h>

#include <algorithm>
#include <chrono>
#include <memory>
#include <stdexcept>
#include <thread>

namespace bench {
namespace {

constexpr double step = 1.0 / 60;
constexpr int crowd_pairs = 15;

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

/// Nanoseconds that some work takes.
template <typename Work> double time_of(Work work) {
    const auto begun = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double, std::nano>(std::chrono::steady_clock::now() - begun).count();
}

/// Does a part of some work on each of so many threads; the nanoseconds until all are done.
template <typename Part> double on_threads(std::size_t threads, const Part& part_of) {
    return time_of([&] {
        std::vector<std::thread> others;
        for (std::size_t t = 1; t < threads; ++t) { others.emplace_back(part_of, t); }
        part_of(0);
        for (std::thread& other : others) { other.join(); }
    });
}

/// A block, two samples of each clip that plays, and half a cache line more at each end of them.
double bytes_touched(const gait::Performer& performer) {
    const gait::detail::PerformerLayout& layout = performer.character().data().layout;
    return double(layout.bytes) + 2 * 4 * double(layout.lanes) * sizeof(float) * 2;
}

/// The cache lines of a performer's block that a frame needs.
struct Lines {
    std::vector<std::size_t> changed, only_read;
};
Lines lines_of_a_frame(gait::Performer performer) {
    constexpr std::size_t cache_line = gait::detail::cache_line;
    const auto bytes = [&] { return std::vector<std::byte>(performer.bytes().begin(), performer.bytes().end()); };
    const std::vector<std::byte> before = bytes();
    performer.advance(step);
    performer.pose({});
    const std::vector<std::byte> after = bytes();
    std::vector<bool> is_read(after.size() / cache_line + 1);
    const std::byte* const first_byte = performer.bytes().data();
    const gait::detail::PerformerBlock block = gait::detail::block_of(performer);
    const gait::detail::LinesAhead ahead(performer.character().data(), block, true, [&](const std::byte* line) {
        is_read[std::size_t(line - first_byte) / cache_line] = true;
    });
    ahead.what_all_read();
    ahead.what_it_reads();
    Lines lines;
    for (std::size_t line = 0; line * cache_line < after.size(); ++line) {
        const std::size_t first = line * cache_line, end = std::min(first + cache_line, after.size());
        if (!std::equal(before.begin() + std::ptrdiff_t(first), before.begin() + std::ptrdiff_t(end),
                        after.begin() + std::ptrdiff_t(first))) {
            lines.changed.push_back(line);
        } else if (is_read[line]) {
            lines.only_read.push_back(line);
        }
    }
    return lines;
}

/// Two ways of doing frames, measured by turns, for a machine that others share goes now faster, now slower.
struct Compared {
    double nanoseconds = 1e18; ///< a frame of the one, the least of several runs
    double instead_of = 0;     ///< against one of the other: the median of the runs' ratios
};

/// `one` and `other` do so many frames and return the nanoseconds that each takes.
template <typename One, typename Other> Compared compare(One one, Other other) {
    Compared compared;
    std::vector<double> ratios;
    for (int pair = 0; pair < crowd_pairs; ++pair) {
        const double before = other(), took = one(), after = other();
        compared.nanoseconds = std::min(compared.nanoseconds, took);
        ratios.push_back(2 * took / (before + after));
    }
    std::sort(ratios.begin(), ratios.end());
    compared.instead_of = ratios[ratios.size() / 2];
    return compared;
}

/// Performers that are advanced together, and where their matrices go.
class Crowd {
public:
    Crowd(std::vector<gait::Performer> performers, std::size_t threads, bool matrices)
        : performers_(std::move(performers)), members_(performers_.size()), threads_(threads) {
        // What is sent to the graphics card, a run of matrices for each thread that is written over and over.
        constexpr std::size_t room = 64;
        const std::size_t joints = performers_.front().character().joint_count();
        sent_.assign(threads, Matrices(room * joints));
        for (std::size_t i = 0; i < members_.size(); ++i) {
            members_[i] = {&performers_[i], step, nullptr};
            Matrices& own = sent_[i * threads / members_.size()];
            if (matrices) { members_[i].skinning = std::span(own).subspan(i % room * joints, joints); }
        }
    }

    /// Some ten thousand frames; the nanoseconds that each takes a thread.
    double frames() {
        constexpr std::size_t enough = 10'000;
        const std::size_t count = members_.size(), times = std::max<std::size_t>(1, enough / count);
        const auto part_of = [&](std::size_t thread) {
            const std::size_t from = count * thread / threads_, to = count * (thread + 1) / threads_;
            for (std::size_t f = 0; f < times; ++f) {
                gait::advance_all(std::span<const gait::CrowdMember>(members_).subspan(from, to - from), {});
            }
        };
        return on_threads(threads_, part_of) / double(times * count) * double(threads_);
    }

    [[nodiscard]] const gait::Performer& first() const { return performers_.front(); }

private:
    std::vector<gait::Performer> performers_;
    std::vector<gait::CrowdMember> members_;
    std::vector<Matrices> sent_;
    std::size_t threads_;
};

/// One performer of each character, which stay in the cache, where those of a crowd would be advanced: beside each of
/// their frames the lines are read and written that a frame of the crowd's would need, asked for a frame ahead. A crowd
/// that takes no longer than this waits for its memory alone.
class BesideLines {
public:
    BesideLines(const CrowdRow& row, std::vector<gait::Performer> ones, const Lines& lines)
        : ones_(std::move(ones)), lines_(lines), block_(ones_.front().bytes().size()), threads_(row.threads),
          matrices_(row.matrices), blocks_(row.performers * block_) {
        // Those of one character follow one another.
        const std::size_t dealt = row.mixed ? row.casts : 1;
        for (std::size_t cast = 0; cast < dealt; ++cast) {
            for (std::size_t i = cast; i < row.performers; i += dealt) {
                order_.push_back({i, row.mixed ? cast : i * row.casts / row.performers});
            }
        }
    }

    /// As `Crowd::frames`.
    double frames() {
        constexpr std::size_t enough = 10'000;
        const std::size_t count = order_.size(), times = std::max<std::size_t>(1, enough / count);
        const auto part_of = [&](std::size_t thread) {
            std::vector<gait::Performer> ones = ones_;
            Matrices sent(ones.front().character().joint_count());
            for (std::size_t f = 0; f < times; ++f) {
                part(std::span(order_).subspan(count * thread / threads_,
                                               count * (thread + 1) / threads_ - count * thread / threads_),
                     ones, sent);
            }
        };
        return on_threads(threads_, part_of) / double(times * count) * double(threads_);
    }

private:
    struct Member {
        std::size_t block, cast;
    };

    void part(std::span<const Member> members, std::vector<gait::Performer>& ones, Matrices& sent) {
        for (std::size_t m = 0; m < members.size(); ++m) {
            ask_for(members[m + 1 < members.size() ? m + 1 : 0].block);
            gait::Performer& one = ones[members[m].cast];
            one.advance(step);
            if (matrices_) {
                one.skinning_matrices(sent);
            } else {
                one.pose({});
            }
            read_and_write(members[m].block);
        }
    }
    [[nodiscard]] std::byte* line(std::size_t block, std::size_t index) {
        return blocks_.data() + block * block_ + index * gait::detail::cache_line;
    }
    void ask_for(std::size_t block) {
        for (const auto* some : {&lines_.only_read, &lines_.changed}) {
            for (const std::size_t index : *some) {
                hwy::Prefetch(line(block, index));
                benchmark::ClobberMemory(); // or a compiler leaves it out
            }
        }
    }
    void read_and_write(std::size_t block) {
        for (const std::size_t index : lines_.only_read) {
            auto read = *line(block, index);
            benchmark::DoNotOptimize(read);
        }
        for (const std::size_t index : lines_.changed) { *line(block, index) ^= std::byte{1}; }
        benchmark::ClobberMemory();
    }

    std::vector<gait::Performer> ones_;
    Lines lines_;
    std::size_t block_; ///< bytes
    std::size_t threads_;
    bool matrices_;
    std::vector<std::byte> blocks_;
    std::vector<Member> order_;
};

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
    const auto add = [&](CrowdRow row) {
        Crowd alone(strolling(casts, 1, 1, false), 1, row.matrices);
        Crowd crowd(strolling(casts, row.performers, row.casts, row.mixed), row.threads, row.matrices);
        const Compared compared = compare([&] { return crowd.frames(); }, [&] { return alone.frames(); });
        row.nanoseconds = compared.nanoseconds;
        row.over_single = compared.instead_of;
        row.bytes_touched = bytes_touched(crowd.first());
        const Lines lines = lines_of_a_frame(crowd.first());
        row.lines_changed = double(lines.changed.size());
        row.lines_only_read = double(lines.only_read.size());
        BesideLines beside(row, strolling(casts, row.casts, row.casts, false), lines);
        row.over_beside_lines = compare([&] { return crowd.frames(); }, [&] { return beside.frames(); }).instead_of;
        rows.push_back(row);
    };
    for (const bool matrices : {false, true}) {
        for (const std::size_t count : {1U, 100U, 1000U, 10000U}) { add({.performers = count, .matrices = matrices}); }
        for (const std::size_t count : {some_casts, most_casts}) {
            add({.performers = 10000, .casts = count, .matrices = matrices});
        }
        add({.performers = 10000, .casts = most_casts, .mixed = true, .matrices = matrices});
        for (const std::size_t count : {100U, 10000U}) {
            add({.performers = count, .threads = 2, .matrices = matrices});
        }
    }
    return rows;
}

std::vector<DetailRow> detail_rows(const std::filesystem::path& demo) {
    const auto character = opened(demo / "lamplighter.gait.yaml");
    const gait::NumberParameter speed = character->number("speed");
    Matrices matrices(character->joint_count());
    gait::Performer full = std::move(strolling({character}, 1, 1, false).front());
    std::vector<DetailRow> rows;
    std::vector<gait::Transform> transforms(character->joint_count());
    const auto frames_of = [&](gait::Performer& one, auto taken) {
        constexpr int frames = 3000;
        return time_of([&] {
                   for (int f = 0; f < frames; ++f) {
                       one.set(speed, 1.4F);
                       one.advance(step);
                       taken(one);
                       benchmark::ClobberMemory();
                   }
               }) /
               frames;
    };
    const auto as_matrices = [&](const gait::Performer& one) { one.skinning_matrices(matrices); };
    // In the order of a skin of its own.
    std::vector<std::string> names;
    for (const gait::Joint& joint : character->rig().joints) { names.insert(names.begin(), joint.name); }
    const gait::JointMap skin(*character, names);
    Matrices palette(skin.size());
    std::vector<gait::Matrix3x4> rows_of_three(skin.size());
    const auto add = [&](const std::string& name, const gait::Detail& detail, auto taken) {
        gait::Performer performer = std::move(strolling({character}, 1, 1, false).front());
        if (!performer.set_detail(detail)) { throw std::logic_error("a level of detail was refused"); }
        const Compared compared =
            compare([&] { return frames_of(performer, taken); }, [&] { return frames_of(full, as_matrices); });
        rows.push_back({name, compared.nanoseconds, compared.instead_of});
    };
    const std::size_t fewest = character->joints_at(character->detail_levels());
    add("full detail, skinning matrices", {}, as_matrices);
    add("fewest joints", {.joints = fewest}, as_matrices);
    add("a pose every second frame", {.every = 2}, as_matrices);
    add("a pose every fourth frame", {.every = 4}, as_matrices);
    add("both", {.joints = fewest, .every = 4}, as_matrices);
    add("full detail, a skin's matrices", {}, [&](const gait::Performer& one) {
        one.model_matrices(matrices);
        static_cast<void>(skin.skinning_matrices(matrices, palette));
    });
    add("the same, three rows each", {}, [&](const gait::Performer& one) {
        one.model_matrices(matrices);
        static_cast<void>(skin.skinning_matrices(matrices, rows_of_three));
    });
    add("full detail, joints as they stand", {}, [&](const gait::Performer& one) { one.pose(transforms); });
    add("full detail, nothing taken", {}, [](const gait::Performer& one) { one.pose({}); });
    add("logic alone", {}, [](const gait::Performer&) {});
    return rows;
}

} // namespace bench
