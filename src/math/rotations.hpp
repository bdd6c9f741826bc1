/// What several rooms do with rotations: sum them, and take their logarithm.
#pragma once

#include "gait/math.hpp"

#include <cmath>

namespace gait::detail {

/// The same rotation as `q`, on the hemisphere of `other`. Which one counts is settled along a clip as it is sampled,
/// among clips as a character is compiled (`align_signs`), among the motions of a layer as one is entered
/// (`choose_signs`), and between layers as one begins to show (`kernels::remember`).
[[nodiscard]] inline Quat on_side_of(const Quat& other, const Quat& q) { return dot(other, q) < 0 ? -q : q; }

/// The normalised weighted sum of two rotations; a negative weight brings one onto the hemisphere of the other.
[[nodiscard]] inline Quat weighted_sum(const Quat& a, float weight_of_a, const Quat& b, float weight_of_b) {
    return normalized({weight_of_a * a.x + weight_of_b * b.x, weight_of_a * a.y + weight_of_b * b.y,
                       weight_of_a * a.z + weight_of_b * b.z, weight_of_a * a.w + weight_of_b * b.w});
}

/// The rotation vector of a unit quaternion, radians; longer than pi where w is negative. `Real` is what it is computed
/// in.
template <typename Real> [[nodiscard]] Vec3 rotation_vector(const Quat& q) {
    const Real x(q.x), y(q.y), z(q.z), sine = std::sqrt(x * x + y * y + z * z);
    const Real scale = sine < Real(1e-9) ? Real(2) : 2 * Real(arc_tangent(double(sine), double(q.w))) / sine;
    return {float(x * scale), float(y * scale), float(z * scale)};
}

/// The shortest turn from one direction to another, neither of length zero.
inline Quat shortest_turn(Vec3 from, Vec3 to) {
    const Vec3 axis = cross(from, to);
    return normalized({axis.x, axis.y, axis.z, dot(from, to) + length(from) * length(to)});
}

} // namespace gait::detail
