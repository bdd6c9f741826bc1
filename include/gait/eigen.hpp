/// \file
/// The library's plain numbers seen as Eigen's, for games that use Eigen. Header only; nothing else includes it.
#pragma once

#include "gait/math.hpp"

#include <Eigen/Geometry>

namespace gait {

/// The same numbers, copied; both libraries store quaternions as (x, y, z, w) and matrices column by column.
[[nodiscard]] inline Eigen::Vector3f to_eigen(Vec3 v) { return {v.x, v.y, v.z}; }
/// The same numbers, copied.
[[nodiscard]] inline Eigen::Quaternionf to_eigen(Quat q) { return {q.w, q.x, q.y, q.z}; }
/// The same numbers, copied.
[[nodiscard]] inline Eigen::Matrix4f to_eigen(const Matrix4& m) {
    return Eigen::Map<const Eigen::Matrix4f>(m.elements);
}
/// Scale, then rotation, then translation, as one affine map.
[[nodiscard]] inline Eigen::Affine3f to_eigen(const Transform& t) {
    return Eigen::Translation3f(to_eigen(t.translation)) * to_eigen(t.rotation) * Eigen::Scaling(to_eigen(t.scale));
}
/// The way back.
[[nodiscard]] inline Vec3 from_eigen(const Eigen::Vector3f& v) { return {v.x(), v.y(), v.z()}; }
/// The way back; `q` must be of unit length.
[[nodiscard]] inline Quat from_eigen(const Eigen::Quaternionf& q) { return {q.x(), q.y(), q.z(), q.w()}; }

} // namespace gait
