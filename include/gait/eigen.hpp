/// \file
/// The library's plain numbers seen as Eigen's, for games that use Eigen. Header only; nothing else includes it.
#pragma once

#include "gait/math.hpp"

#include <Eigen/Geometry>

namespace gait {

[[nodiscard]] inline Eigen::Vector3f to_eigen(Vec3 v) { return {v.x, v.y, v.z}; }
[[nodiscard]] inline Eigen::Quaternionf to_eigen(Quat q) { return {q.w, q.x, q.y, q.z}; }
[[nodiscard]] inline Eigen::Matrix4f to_eigen(const Matrix4& m) {
    return Eigen::Map<const Eigen::Matrix4f>(m.elements);
}
[[nodiscard]] inline Eigen::Affine3f to_eigen(const Transform& t) {
    return Eigen::Translation3f(to_eigen(t.translation)) * to_eigen(t.rotation) * Eigen::Scaling(to_eigen(t.scale));
}
[[nodiscard]] inline Vec3 from_eigen(const Eigen::Vector3f& v) { return {v.x(), v.y(), v.z()}; }
[[nodiscard]] inline Quat from_eigen(const Eigen::Quaternionf& q) { return {q.x(), q.y(), q.z(), q.w()}; }

} // namespace gait
