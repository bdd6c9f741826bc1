/// What becomes of a call that cannot be: it is counted, kept, and told to whoever listens.
#pragma once

#include "character/layout.hpp"
#include "gait/refused_call.hpp"

namespace gait::detail {

/// Counts it with the block's faults. False, as what the call returns.
bool refuse(const PerformerBlock& block, const RefusedCall& call);

} // namespace gait::detail
