/// Which way up a body stands, which way on it faces and how large it is, read from the body itself.
#pragma once

#include "gait/body_reading.hpp"
#include "gait/rig.hpp"

#include <optional>
#include <string>

namespace gait::detail {

/// What brings a body to stand on +Y and to face +Z at a size in metres.
struct Stance {
    Quat turn;        ///< in quarter turns
    double scale = 1; ///< metres a unit of length
    bool turns = false, scales = false;
    std::string words; ///< how it stood, for a note
};

/// By the feet, the hips and the left and right side where names tell them, the toes standing over the names; else by
/// two legs that mirror each other, the trunk over them, and where their toes point. What `how` says stands over all of
/// it. Nothing where the body does not show how it stands. Its size is taken for metres
/// unless it could be nobody's.
[[nodiscard]] Stance stance_of(const Rig& rig, const BodyReading& how);

/// Turns and scales a rig, its bind matrices with it.
void apply(const Stance& stance, Rig& rig);

} // namespace gait::detail
