/// Rotations in double precision, as the measures of smoothness take them.
#pragma once

#include "gait/math.hpp"

#include <Eigen/Geometry>

#include <cmath>
#include <vector>

namespace gait::detail {

using Vector = Eigen::Vector3d;
using Quaternion = Eigen::Quaterniond;

[[nodiscard]] inline Quaternion exact(Quat q) {
    return Quaternion(double(q.w), double(q.x), double(q.y), double(q.z)).normalized();
}

[[nodiscard]] inline Vector exact(Vec3 v) { return {double(v.x), double(v.y), double(v.z)}; }
[[nodiscard]] inline Vec3 to_vec3(const Vector& v) { return {float(v.x()), float(v.y()), float(v.z())}; }

/// The rotation vector from `a` to `b`, degrees.
[[nodiscard]] inline Vector turn(const Quaternion& a, const Quaternion& b) {
    Quaternion q = b * a.conjugate();
    if (q.w() < 0) { q.coeffs() *= -1; }
    const double sine = q.vec().norm();
    if (sine < 1e-12) { return 2 * degrees_per_radian * q.vec(); }
    return 2 * std::atan2(sine, q.w()) / sine * degrees_per_radian * q.vec();
}

struct SampledClip;
struct CharacterData;
/// The rotations of a sampled clip at a place, 0 to 1, in body space [joint].
[[nodiscard]] std::vector<Quaternion> body_turns(const SampledClip& clip, const CharacterData& data, double position);

} // namespace gait::detail
