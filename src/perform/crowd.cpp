#include "gait/crowd.hpp"

#include <oneapi/tbb/parallel_for.h>

namespace gait {

void advance_all(std::span<Performer> performers, double seconds) {
    // A performer takes about a microsecond: hand them out by the dozen.
    constexpr std::size_t grain = 16;
    oneapi::tbb::parallel_for(oneapi::tbb::blocked_range<std::size_t>(0, performers.size(), grain),
                              [&](const auto& range) {
                                  for (std::size_t i = range.begin(); i != range.end(); ++i) {
                                      performers[i].advance(seconds);
                                  }
                              });
}

} // namespace gait
