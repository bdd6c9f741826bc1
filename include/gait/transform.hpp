/// \file
/// The plain numbers that cross the library's face: vectors, rotations, transforms and matrices of floats.
///
/// They carry no alignment and no compiler-dependent layout, so a game built with other flags can link the library.
/// Axes are glTF's: right-handed, +Y up, the character faces +Z; lengths are metres. How they combine: gait/math.hpp.
#pragma once

namespace gait {

/// A point or a direction, in metres.
struct Vec3 {
    float x = 0, y = 0, z = 0;
};

/// A rotation as a unit quaternion, stored (x, y, z, w).
struct Quat {
    float x = 0, y = 0, z = 0, w = 1;
};

/// One joint's place relative to its parent (or to the character, in model space): scale, then rotation, then
/// translation.
struct Transform {
    Quat rotation;
    Vec3 translation;
    Vec3 scale{1, 1, 1};
};

/// A 4 x 4 matrix, column by column: the translation stands in elements 12 to 14.
struct Matrix4 {
    float elements[16] = {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};
};

} // namespace gait
