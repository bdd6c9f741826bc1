/// How fast a number that steers blend spaces may change, where the document does not say.
#pragma once

#include "compile/context.hpp"

namespace gait::detail {

/// Gives each number that steers a blend space, and for which neither `smooth` nor `at_most` is written, a lag of 0.1
/// seconds and the greatest rate at which no joint pops as the space goes past one of its points: there the turn from
/// one motion to the next breaks off and another begins. Never so slow that the space takes more than 1.2 seconds to
/// cross. Needs the motions and the clips' poses; not the parameters' final settings.
void bound_input_rates(CompileContext& context);

} // namespace gait::detail
