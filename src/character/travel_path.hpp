/// The way that was taken out of a clip's pose, as it is played.
#pragma once

#include "gait/api.hpp"
#include "gait/kept.hpp"
#include "math/body_step.hpp"

#include <span>

namespace gait::detail {

struct TravelPath {
    bool travels = false;
    BodyStep cycle; ///< loops: the steady motion of one cycle, as a twist
    KeptList<BodyStep>
        path; ///< clips played once: where the body is at even instants, from the clip's start to its end
};

/// Where the body is at `position`, 0 to 1 through an evenly sampled path of at least two places.
[[nodiscard]] GAIT_API BodyStep place_at(std::span<const BodyStep> path, double position);

/// How fast the body moves at `position`, a cycle, as it is turned there. Before a path's ends and beyond as at them.
[[nodiscard]] GAIT_API BodyStep travel_speed(const TravelPath& travel, double position);

/// The body's motion from `from` to `to` (positions in the clip; a loop's `to` may lie beyond 0 to 1), as a twist.
[[nodiscard]] GAIT_API BodyStep travel_between(const TravelPath& travel, double from, double to);

} // namespace gait::detail
