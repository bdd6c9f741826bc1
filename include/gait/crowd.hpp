/// \file
/// Many performers at once, on all cores.
#pragma once

#include "gait/api.hpp"
#include "gait/performer.hpp"

#include <span>

namespace gait {

/// Advances every performer by `seconds` and makes its pose, spread over the machine's cores (oneTBB). The same, bit for bit, as advancing
/// them one after the other. Unlike `Performer::advance` it may allocate, in the thread pool. A refused step is counted
/// by each.
GAIT_API void advance_all(std::span<Performer> performers, double seconds);

} // namespace gait
