/// The marks and spans of clips that play: what is passed becomes events, and is seen by transitions that wait for it.
#pragma once

#include "perform/frame.hpp"
#include "perform/phase_clock.hpp"

#include <algorithm>
#include <bit>
#include <cstdint>

namespace gait::detail {

/// A stretch that a clip of an instance plays, positions in cycles.
struct Played {
    std::size_t instance = 0;
    const Playhead* playhead = nullptr;
    double from = 0, to = 0;           ///< beyond 0 to 1 where a loop comes round
    double seconds = 0;                ///< how long it takes
    bool first = false;                ///< its first place counts as passed too
    const PhaseClock* clock = nullptr; ///< when it keeps step: what tells how long that is, from `strides` on
    double strides = 0;
};

/// Whether something may be passed from one place to another, in rounds, by the `moments` of a leaf. Most frames pass
/// nothing, which this tells sooner than looking at every mark.
[[nodiscard]] inline bool may_pass(std::uint64_t moments, double from, double to) {
    if (moments == 0) { return false; }
    const double low = std::min(from, to), high = std::max(from, to);
    if (!(low >= 0 && high < 0x1p50 && high - low < 0.5)) { return true; }
    const auto first = std::int64_t(low * 64), last = std::int64_t(high * 64);
    const std::uint64_t all = (std::uint64_t{2} << (last - first)) - 1; // of those, the first at bit 0
    return (moments & std::rotl(all, int(first % 64))) != 0;
}

/// Says what is passed over the stretch. The frame's time is still that of its beginning.
void pass_clip_events(Frame& frame, const Played& played);

/// A clip begins where it stands: marks there are passed and spans around it begin.
void begin_clip_events(Frame& frame, std::size_t instance, const Playhead& playhead);

/// A clip plays no longer: the spans that it is inside of end.
void end_clip_events(Frame& frame, std::size_t instance, const Playhead& playhead);
/// The spans end of every clip of an instance that has weight.
void end_clip_events(Frame& frame, std::size_t instance);

/// Says that something happens to a state, `after` seconds from now.
void say(Frame& frame, EventKind kind, std::uint16_t state, double after = 0);

} // namespace gait::detail
