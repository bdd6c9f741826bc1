#include "perform/fetch_ahead.hpp"

#include <atomic>
#include <hwy/cache_control.h>

namespace gait::detail {
namespace {

constexpr auto fetch = [](const std::byte* line) { hwy::Prefetch(line); };

/// Stands at the end of a function that does nothing but ask: to a compiler that sees into it it would have no effect,
/// and calling it would be left out.
void keep_call() { std::atomic_signal_fence(std::memory_order_acq_rel); }

} // namespace

void fetch_what_all_read(const CharacterData& data, const PerformerBlock& block, bool pose) {
    LinesAhead(data, block, pose, fetch).what_all_read();
    keep_call();
}

void fetch_what_it_reads(const CharacterData& data, const PerformerBlock& block, bool pose) {
    LinesAhead(data, block, pose, fetch).what_it_reads();
    keep_call();
}

} // namespace gait::detail
