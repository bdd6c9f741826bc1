#include "gait/crowd.hpp"

#include <oneapi/tbb/parallel_for.h>

#include <atomic>

namespace gait {

void advance_all(std::span<Performer> performers, double seconds) {
    // A performer takes about a microsecond: hand them out by the dozen.
    constexpr std::size_t grain = 16;
    // TBB orders what was written before against what its threads read, and the other way about. The flag and the count
    // say the same in words that a thread sanitizer understands, which cannot look into TBB.
    std::atomic<bool> begun{false};
    std::atomic<std::size_t> done{0};
    begun.store(true, std::memory_order_release);
    oneapi::tbb::parallel_for(oneapi::tbb::blocked_range<std::size_t>(0, performers.size(), grain),
                              [&](const auto& range) {
                                  if (!begun.load(std::memory_order_acquire)) { return; }
                                  for (std::size_t i = range.begin(); i != range.end(); ++i) {
                                      performers[i].advance(seconds);
                                  }
                                  done.fetch_add(range.size(), std::memory_order_release);
                              });
    (void)done.load(std::memory_order_acquire);
}

} // namespace gait
