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

} // namespace

void advance_all(std::span<Performer> performers, double seconds) {
    // A performer takes about a microsecond: hand them out by the dozen.
    constexpr std::size_t grain = 16;
    char begun = 0, done = 0;
    hand_over(&begun);
    oneapi::tbb::parallel_for(oneapi::tbb::blocked_range<std::size_t>(0, performers.size(), grain),
                              [&](const auto& range) {
                                  take_over(&begun);
                                  for (std::size_t i = range.begin(); i != range.end(); ++i) {
                                      performers[i].advance(seconds);
                                      performers[i].pose({}); // made here, on all cores
                                  }
                                  hand_over(&done);
                              });
    take_over(&done);
}

} // namespace gait
