/// \file
/// Where a body stands: the place to which its travel adds up.
#pragma once

#include "gait/math.hpp"
#include "gait/travel.hpp"

namespace gait {

/// Where a body stands and faces, in double precision so that a long way adds up.
struct GroundPlace {
    double x = 0, y = 0, z = 0; ///< metres
    double heading = 0;         ///< degrees, 0 along +Z, positive to the right; not wrapped

    /// Goes on by a step.
    void add(const Travel& travel) {
        const auto [sine, cosine] = detail::sine_cosine(-heading / degrees_per_radian);
        x += cosine * double(travel.move.x) + sine * double(travel.move.z);
        y += double(travel.move.y);
        z += -sine * double(travel.move.x) + cosine * double(travel.move.z);
        heading += double(travel.turn);
    }

    /// The same as a transform, to lay under a pose.
    [[nodiscard]] Transform transform() const {
        return {axis_angle({0, 1, 0}, -heading), {float(x), float(y), float(z)}, {1, 1, 1}};
    }
};

/// The step that leads from one place to another.
[[nodiscard]] inline Travel step_between(const GroundPlace& from, const GroundPlace& to) {
    const auto [sine, cosine] = detail::sine_cosine(from.heading / degrees_per_radian);
    const double x = to.x - from.x, z = to.z - from.z;
    return {{float(cosine * x + sine * z), float(to.y - from.y), float(-sine * x + cosine * z)},
            float(to.heading - from.heading),
            1};
}

} // namespace gait
