#include "gait/crowd.hpp"

#include <algorithm>
#include <array>
#include <oneapi/tbb/parallel_for.h>

#if defined(__SANITIZE_THREAD__)
#include <sanitizer/tsan_interface.h>
#endif

namespace gait {
namespace {

/// TBB orders what was written before against what its threads read, and the other way about. The thread sanitizer
/// cannot look into it, and is told.
void hand_over([[maybe_unused]] void* what) {
#if defined(__SANITIZE_THREAD__)
    __tsan_release(what);
#endif
}
void take_over([[maybe_unused]] void* what) {
#if defined(__SANITIZE_THREAD__)
    __tsan_acquire(what);
#endif
}

/// Advances performers and makes their poses here, on one of the cores; `performer_at(index)` may be null.
template <typename PerformerAt>
void advance_part(std::size_t from, std::size_t to, double seconds, PerformerAt performer_at) {
    std::array<CrowdMember, 256> members; // so many at a time, for there is no room for more without allocating
    while (from < to) {
        const std::size_t count = std::min(members.size(), to - from);
        for (std::size_t i = 0; i < count; ++i) {
            members[i] = {.performer = performer_at(from + i), .seconds = seconds};
        }
        advance_all(std::span<const CrowdMember>(members).first(count), RunInParts());
        from += count;
    }
}

} // namespace

void run_on_all_cores(std::size_t count, const std::function<void(std::size_t from, std::size_t to)>& part) {
    // A performer takes about a microsecond: hand them out by the dozen.
    constexpr std::size_t grain = 16;
    char begun = 0, done = 0;
    hand_over(&begun);
    oneapi::tbb::parallel_for(oneapi::tbb::blocked_range<std::size_t>(0, count, grain), [&](const auto& range) {
        take_over(&begun);
        part(range.begin(), range.end());
        hand_over(&done);
    });
    take_over(&done);
}

void advance_all(std::span<Performer> performers, double seconds) {
    run_on_all_cores(performers.size(), [&](std::size_t from, std::size_t to) {
        advance_part(from, to, seconds, [&](std::size_t i) { return &performers[i]; });
    });
}

void advance_all(std::span<Performer* const> performers, double seconds) {
    run_on_all_cores(performers.size(), [&](std::size_t from, std::size_t to) {
        advance_part(from, to, seconds, [&](std::size_t i) { return performers[i]; });
    });
}

void advance_all(std::span<const CrowdMember> members) { advance_all(members, run_on_all_cores); }

} // namespace gait
