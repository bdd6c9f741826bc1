/// What numbers of rigs and clips may be, for everyone who takes them in.
#pragma once

namespace gait::detail {

/// The shortest and the longest clip, seconds; one pose has none.
inline constexpr double shortest_clip = 0.001, longest_clip = 3600;

/// What every number lies within, metres or times as large: it can be added and turned in floats.
inline constexpr double farthest = 1e9;

} // namespace gait::detail
