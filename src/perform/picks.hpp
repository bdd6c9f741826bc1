/// What a performer draws: which motion of a pick plays next and for how long, and what a choose has chosen.
#pragma once

#include "perform/frame.hpp"

namespace gait::detail {

/// Spreads the bits of `x`: two that differ in one bit have nothing in common afterwards.
[[nodiscard]] std::uint64_t mixed(std::uint64_t x);

/// The performer's next random bits.
[[nodiscard]] std::uint64_t next_draw(Frame& frame);

/// As a number, 0 up to but not including 1.
[[nodiscard]] double unit(std::uint64_t bits);

/// Begins a pick with what it drew, or draws; returns the node that plays.
[[nodiscard]] std::uint16_t begin_pick(Frame& frame, const CompiledState& state);

/// Goes on to what a pick drew, and draws what comes after it.
const CompiledPickEntry& next_entry(Frame& frame, const CompiledState& state);

/// Seconds until the entry of the pick at `level` of the active path gives way to the next.
[[nodiscard]] double seconds_to_next_entry(const Frame& frame, std::size_t level);

/// The node that a choose chooses now.
[[nodiscard]] std::uint16_t chosen(const Frame& frame, const CompiledChoose& choose);

} // namespace gait::detail
