/// The loops over joints that a frame is made of, written once and compiled for every vector width (Highway).
///
/// A pose's rotations are four rows, x y z w, `stride` floats apart; rows begin on a cache line and `lanes` is a
/// multiple of `lane_padding`, so that no kernel has a remainder.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace gait::kernels {

/// Rotation rows of one window of a pose.
struct Rows {
    float* first = nullptr;
    std::size_t stride = 0;
};
struct ConstRows {
    const float* first = nullptr;
    std::size_t stride = 0;
};

/// sum += weight * (from + (to - from) * fraction), over four rows.
void accumulate(Rows sum, ConstRows from, ConstRows to, float fraction, float weight, std::size_t lanes);

/// The same, each lane's share multiplied by `signs[lane]` (1 or -1).
void accumulate_signed(Rows sum, ConstRows from, ConstRows to, float fraction, float weight, const float* signs,
                       std::size_t lanes);

/// Makes every lane's quaternion a unit one. A sum that cancelled out becomes the identity.
void normalize(Rows rotations, std::size_t lanes);

/// rotations = exp(turn) * rotations, with `turn` a rotation vector in three rows (radians, at most pi long).
void turn_by(Rows rotations, ConstRows turn, std::size_t lanes);

/// The vector instruction sets this machine can run, best first, by name.
[[nodiscard]] std::vector<std::string> runnable_targets();

/// Pins the kernels to one of `runnable_targets()`; an empty name lets the machine choose again. False when unknown.
/// Not to be called while another thread is in a frame.
bool pin_target(const std::string& name);

} // namespace gait::kernels
