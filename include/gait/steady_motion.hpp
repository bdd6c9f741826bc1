/// \file
/// How fast and where a blended motion really carries the body, measured by playing it.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"

#include <string>
#include <utility>
#include <vector>

namespace gait {

/// How a body moves when nothing changes any more.
struct SteadyMotion {
    double speed = 0;     ///< metres a second at which its feet carry it
    double direction = 0; ///< degrees, positive to the right
    double slide = 0;     ///< metres that a foot which is down moves over the ground, the body moved as it was asked to
    double cycle = 0;     ///< seconds of one cycle of its heaviest clip
    double steps_a_minute = 0;
    bool travels = false;        ///< its clips carry the body
    double travel_speed = 0;     ///< metres a second that they do
    double travel_direction = 0; ///< degrees
};

/// A ground velocity: metres a second toward a heading in degrees.
struct AskedMotion {
    double speed = 0;
    double direction = 0;
};

/// Plays `character` from its start with these values (angles and numbers by name) until all smoothing is over, then
/// measures one cycle of its heaviest clip with a body that moves as `asked`. Its start should have no way out: see
/// `lone_state`.
[[nodiscard]] GAIT_API SteadyMotion measure_steady(const Character& character,
                                                   const std::vector<std::pair<std::string, double>>& values,
                                                   AskedMotion asked);

} // namespace gait
