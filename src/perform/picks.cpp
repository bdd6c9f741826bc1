#include "perform/picks.hpp"

#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

/// A motion without any length counts as this long where a pick waits for its end, seconds.
constexpr double still_seconds = 1;

void start_entry(Frame& frame, const CompiledPick& pick, Deal& deal) {
    const CompiledPickEntry& entry = pick.entries[deal.current];
    const int more = entry.greatest_loops - entry.least_loops;
    deal.loops = std::uint32_t(entry.least_loops);
    if (more > 0) { deal.loops += std::uint32_t(next_draw(frame) % std::uint64_t(more + 1)); }
}

std::uint16_t draw_by_share(Frame& frame, const CompiledPick& pick, std::uint64_t left_out) {
    double total = 0;
    for (std::size_t e = 0; e < pick.count(); ++e) {
        if (((left_out >> e) & 1U) == 0) { total += pick.entries[e].share; }
    }
    double at = unit(next_draw(frame)) * total;
    std::uint16_t last = 0;
    for (std::size_t e = 0; e < pick.count(); ++e) {
        if (((left_out >> e) & 1U) != 0) { continue; }
        last = std::uint16_t(e);
        at -= pick.entries[e].share;
        if (at < 0) { break; }
    }
    return last;
}

std::uint16_t draw_entry(Frame& frame, const CompiledPick& pick, Deal& deal) {
    const std::size_t count = pick.count();
    std::uint16_t drawn = 0;
    switch (pick.order) {
    case PickOrder::in_turn:
        if (deal.last < count && double(deal.times) < pick.entries[deal.last].share) {
            drawn = deal.last;
            break;
        }
        deal.times = 0;
        drawn = deal.last < count ? std::uint16_t((deal.last + 1U) % count) : std::uint16_t{0};
        break;
    case PickOrder::random:
        drawn = draw_by_share(frame, pick, 0);
        break;
    case PickOrder::dealt: {
        const std::uint64_t whole = count == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << count) - 1;
        std::uint64_t left_out = deal.dealt;
        if (left_out == whole) {
            deal.dealt = 0;
            // The last of a deal is not the first of the next.
            left_out = count > 1 ? std::uint64_t{1} << deal.last : 0;
        }
        drawn = draw_by_share(frame, pick, left_out);
        deal.dealt |= std::uint64_t{1} << drawn;
        break;
    }
    }
    ++deal.times;
    deal.last = drawn;
    return drawn;
}

/// Draws what a pick plays after the present entry.
void draw_next(Frame& frame, const CompiledPick& pick, Deal& deal) {
    const bool was_between = pick.between && deal.current == pick.count();
    deal.next = pick.between && !was_between ? std::uint16_t(pick.count()) : draw_entry(frame, pick, deal);
}

} // namespace

/// SplitMix64 (Steele, Lea and Flood 2014).
std::uint64_t mixed(std::uint64_t x) {
    x += 0x9E3779B97F4A7C15ULL;
    x = (x ^ (x >> 30U)) * 0xBF58476D1CE4E5B9ULL;
    x = (x ^ (x >> 27U)) * 0x94D049BB133111EBULL;
    return x ^ (x >> 31U);
}

std::uint64_t next_draw(Frame& frame) {
    // Each layer has its own row of numbers, so that none hangs on what others draw.
    const std::uint64_t row = std::uint64_t{frame.block.layer_index()} << 56U;
    return mixed(frame.header.seed ^ mixed(row | frame.layer.draws++));
}

double unit(std::uint64_t bits) { return double(bits >> 11U) * 0x1p-53; }

std::uint16_t begin_pick(Frame& frame, const CompiledState& state) {
    const CompiledPick& pick = frame.data.picks[state.selector];
    Deal& deal = frame.block.deals()[state.selector];
    // What was drawn and did not come to play is not lost to the deal.
    deal.current = deal.next < pick.count() ? deal.next : draw_entry(frame, pick, deal);
    start_entry(frame, pick, deal);
    draw_next(frame, pick, deal);
    return pick.entries[deal.current].node;
}

std::uint16_t chosen(const Frame& frame, const CompiledChoose& choose) {
    const float* values = frame.block.smoothed();
    if (choose.by != no_index) {
        const float last = float(choose.nodes.size() - 1), value = values[choose.by];
        return choose.nodes[std::size_t(value > 0 ? std::min(value, last) : 0)];
    }
    for (std::size_t e = 0; e < choose.nodes.size(); ++e) {
        const CodeRange when = choose.when[e];
        if (when.empty() || evaluate(frame.data.instructions(when), {values, frame.block.raw(), {}}) != 0) {
            return choose.nodes[e];
        }
    }
    return choose.nodes.back();
}

const CompiledPickEntry& next_entry(Frame& frame, const CompiledState& state) {
    const CompiledPick& pick = frame.data.picks[state.selector];
    Deal& deal = frame.block.deals()[state.selector];
    deal.current = deal.next;
    start_entry(frame, pick, deal);
    draw_next(frame, pick, deal);
    return pick.entries[deal.current];
}

double seconds_to_next_entry(const Frame& frame, std::size_t level) {
    const CompiledState& state = frame.data.states[frame.layer.path[level].node];
    const CompiledPick& pick = frame.data.picks[state.selector];
    const Deal& deal = frame.block.deals()[state.selector];
    const Instance& instance = frame.active();
    const Playhead* heaviest = heaviest_clip(frame.data, frame.block, instance);
    if (heaviest == nullptr) { return still_seconds - instance.elapsed; }
    const Playhead& playhead = *heaviest;
    const Leaf& leaf = leaves_of(frame.data, instance)[playhead.leaf];
    const double speed = std::fabs(speed_of(frame.data, frame.block, instance, playhead));
    double left = 0;
    if (!leaf.loops) {
        left = seconds_left(frame.data, frame.block, instance);
    } else if (!(speed > 0)) {
        left = leaf.rate > 0 ? never : double(deal.loops) * still_seconds - instance.elapsed;
    } else if (leaf.synced && instance.timing != Timing::own) {
        left = double(deal.loops) / speed - instance.elapsed;
    } else {
        const double gone = double(std::int32_t(playhead.loops)) + playhead.position;
        left = (double(deal.loops) - (playhead.pace < 0 ? 1 - gone : gone)) / speed;
    }
    if (!leaf.loops && !(leaf.rate > 0)) { left = still_seconds - instance.elapsed; }
    // A fade as long as the entry itself would begin before it was seen.
    return left - std::min(pick.entries[deal.next].fade, std::max(0.0, (instance.elapsed + left) / 2));
}

} // namespace gait::detail
