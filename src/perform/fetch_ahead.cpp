#include "perform/fetch_ahead.hpp"

#include <atomic>
#include <hwy/cache_control.h>

namespace gait::detail {
namespace {

/// To a compiler, fetching has no effect: it leaves out calls of functions that do nothing else. So it is held to each.
constexpr auto fetch = [](const std::byte* line) {
    hwy::Prefetch(line);
    std::atomic_signal_fence(std::memory_order_acq_rel);
};

} // namespace

void fetch_what_all_read(const CharacterData& data, const PerformerBlock& block) {
    LinesAhead(data, block, false, fetch).what_all_read();
}

void fetch_what_it_reads(const CharacterData& data, const PerformerBlock& block, bool pose) {
    LinesAhead(data, block, pose, fetch).what_it_reads();
}

void fetch_pose(const CharacterData& data, const PerformerBlock& block) {
    LinesAhead(data, block, true, fetch).what_a_pose_writes();
}

} // namespace gait::detail
