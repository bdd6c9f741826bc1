/// How much room a motion needs while it plays.
#pragma once

#include "character/motion.hpp"

namespace gait::detail {

/// How many leaves of the motion may have weight at once, wherever its inputs stand.
[[nodiscard]] GAIT_API std::size_t count_playing(const MotionTable& table, const Motion& motion);

} // namespace gait::detail
