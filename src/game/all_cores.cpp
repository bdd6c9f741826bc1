#include "gait/crowd.hpp"

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

void advance_one(Performer& performer, double seconds) {
    performer.advance(seconds);
    performer.pose({}); // made here, on all cores
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
        for (std::size_t i = from; i < to; ++i) { advance_one(performers[i], seconds); }
    });
}

void advance_all(std::span<Performer* const> performers, double seconds) {
    run_on_all_cores(performers.size(), [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            if (performers[i] != nullptr) { advance_one(*performers[i], seconds); }
        }
    });
}

void advance_all(std::span<const CrowdMember> members) { advance_all(members, run_on_all_cores); }

} // namespace gait
