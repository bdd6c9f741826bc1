/// Numbers that are too small to matter, and too small to compute with: on the products of those that floats hardly
/// hold a processor takes ten times as long.
#pragma once

#include <cmath>

namespace gait::detail {

/// The number, or 0 where it is less than that either way.
[[nodiscard]] inline float unless_below(float least, float value) { return std::fabs(value) < least ? 0 : value; }

} // namespace gait::detail
