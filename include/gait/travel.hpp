/// \file
/// How far the body moved in a step, as its clips have it (root motion).
#pragma once

#include "gait/transform.hpp"

namespace gait {

/// What moved the body in one step. A game moves it by `move` and `turn`, and by its own motion times `1 - share`: so a
/// falling body is not stopped by a clip that knows nothing of falling.
struct Travel {
    Vec3 move;       ///< metres, in the character's own frame as the step begins: +Z ahead, -X to its right
    float turn = 0;  ///< degrees, positive to the right
    float share = 0; ///< of the body's motion that is the clips' to give: 1 all of it, 0 none
};

} // namespace gait
