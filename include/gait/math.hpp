/// \file
/// How vectors, rotations, transforms and matrices combine.
#pragma once

#include "gait/elementary.hpp"
#include "gait/transform.hpp"

#include <cmath>

namespace gait {

/// Half a turn in radians.
inline constexpr double pi = 3.14159265358979323846;
/// From radians to degrees.
inline constexpr double degrees_per_radian = 180.0 / pi;

/// Component by component.
[[nodiscard]] constexpr Vec3 operator+(Vec3 a, Vec3 b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
/// Component by component.
[[nodiscard]] constexpr Vec3 operator-(Vec3 a, Vec3 b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
/// Component by component.
[[nodiscard]] constexpr Vec3 operator*(Vec3 a, float s) { return {a.x * s, a.y * s, a.z * s}; }
/// The scalar product.
[[nodiscard]] constexpr float dot(Vec3 a, Vec3 b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
/// The vector product, by the right-hand rule.
[[nodiscard]] constexpr Vec3 cross(Vec3 a, Vec3 b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
/// Component by component, as scales combine.
[[nodiscard]] constexpr Vec3 scaled(Vec3 a, Vec3 b) { return {a.x * b.x, a.y * b.y, a.z * b.z}; }
/// In the vector's own unit.
[[nodiscard]] inline float length(Vec3 a) { return std::sqrt(dot(a, a)); }

/// The scalar product: the cosine of half the turn between two rotations.
[[nodiscard]] constexpr float dot(Quat a, Quat b) { return a.x * b.x + a.y * b.y + a.z * b.z + a.w * b.w; }
/// The same rotation on the other hemisphere.
[[nodiscard]] constexpr Quat operator-(Quat q) { return {-q.x, -q.y, -q.z, -q.w}; }
/// The opposite rotation.
[[nodiscard]] constexpr Quat conjugate(Quat q) { return {-q.x, -q.y, -q.z, q.w}; }

/// The rotation `b` followed by `a` (Hamilton product).
[[nodiscard]] constexpr Quat operator*(Quat a, Quat b) {
    return {a.w * b.x + a.x * b.w + a.y * b.z - a.z * b.y, a.w * b.y - a.x * b.z + a.y * b.w + a.z * b.x,
            a.w * b.z + a.x * b.y - a.y * b.x + a.z * b.w, a.w * b.w - a.x * b.x - a.y * b.y - a.z * b.z};
}

/// The unit quaternion along `q`; the identity when `q` is zero.
[[nodiscard]] inline Quat normalized(Quat q) {
    const float norm = std::sqrt(dot(q, q));
    if (!(norm > 0)) { return {}; }
    return {q.x / norm, q.y / norm, q.z / norm, q.w / norm};
}

/// `v` turned by `q`.
[[nodiscard]] constexpr Vec3 rotate(Quat q, Vec3 v) {
    const Vec3 u{q.x, q.y, q.z};
    const Vec3 t = cross(u, v) * 2.0F;
    return v + t * q.w + cross(u, t);
}

/// A turn of `degrees` about `axis` (which need not be of unit length), by the right-hand rule.
[[nodiscard]] inline Quat axis_angle(Vec3 axis, double degrees) {
    const auto x = double(axis.x), y = double(axis.y), z = double(axis.z);
    const double norm = std::sqrt(x * x + y * y + z * z);
    if (!(norm > 0)) { return {}; }
    const double half = degrees / degrees_per_radian / 2;
    const detail::SineCosine of = detail::sine_cosine(half);
    const double s = of.sine / norm;
    return {float(x * s), float(y * s), float(z * s), float(of.cosine)};
}

namespace detail {

/// How far two rotations are apart as quaternions: twice the sine of a quarter of the angle between them.
[[nodiscard]] inline double chord_between(Quat a, Quat b) {
    const double sign = dot(a, b) < 0 ? -1 : 1;
    const double x = double(a.x) - sign * double(b.x), y = double(a.y) - sign * double(b.y),
                 z = double(a.z) - sign * double(b.z), w = double(a.w) - sign * double(b.w);
    return std::sqrt(x * x + y * y + z * z + w * w);
}

} // namespace detail

/// The turn between two rotations in degrees, 0 to 180.
/// From the chord rather than the arc cosine, which loses everything below 0.02 degrees in floats.
[[nodiscard]] inline double degrees_between(Quat a, Quat b) {
    return 4 * detail::arc_sine(detail::chord_between(a, b) / 2) * degrees_per_radian;
}

/// Spherical interpolation from `a` (at 0) to `b` (at 1), the short way (Shoemake 1985).
[[nodiscard]] inline Quat slerp(Quat a, Quat b, double t) {
    auto cosine = double(dot(a, b));
    const double sign = cosine < 0 ? -1 : 1;
    cosine *= sign;
    double wa = 1 - t, wb = t;
    if (cosine < 0.9999999 && t != 0 && t != 1) {
        const double angle = detail::arc_cosine(cosine), whole = detail::sine_cosine(angle).sine;
        wa = detail::sine_cosine((1 - t) * angle).sine / whole;
        wb = detail::sine_cosine(t * angle).sine / whole;
    }
    wb *= sign;
    const auto mixed = [&](float own, float other) { return float(wa * double(own) + wb * double(other)); };
    return normalized({mixed(a.x, b.x), mixed(a.y, b.y), mixed(a.z, b.z), mixed(a.w, b.w)});
}

/// A child's transform carried into its parent's space.
[[nodiscard]] constexpr Transform operator*(const Transform& parent, const Transform& child) {
    return {parent.rotation * child.rotation,
            parent.translation + rotate(parent.rotation, scaled(parent.scale, child.translation)),
            scaled(parent.scale, child.scale)};
}

/// Scale, then rotation, then translation, as one matrix.
[[nodiscard]] constexpr Matrix4 to_matrix(const Transform& t) {
    const Vec3 x = rotate(t.rotation, {t.scale.x, 0, 0});
    const Vec3 y = rotate(t.rotation, {0, t.scale.y, 0});
    const Vec3 z = rotate(t.rotation, {0, 0, t.scale.z});
    return {
        {x.x, x.y, x.z, 0, y.x, y.y, y.z, 0, z.x, z.y, z.z, 0, t.translation.x, t.translation.y, t.translation.z, 1}};
}

/// `b` followed by `a`.
[[nodiscard]] constexpr Matrix4 operator*(const Matrix4& a, const Matrix4& b) {
    Matrix4 product;
    for (int column = 0; column < 4; ++column) {
        for (int row = 0; row < 4; ++row) {
            float sum = 0;
            for (int k = 0; k < 4; ++k) { sum += a.elements[k * 4 + row] * b.elements[column * 4 + k]; }
            product.elements[column * 4 + row] = sum;
        }
    }
    return product;
}

} // namespace gait
