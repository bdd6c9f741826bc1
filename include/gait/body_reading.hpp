/// \file
/// How a body in a file is to be read, where it is not to be guessed.
#pragma once

#include <optional>
#include <string>

namespace gait {

/// What is left out is read from the body itself, and said where it changes anything.
struct BodyReading {
    std::optional<double> scale; ///< metres a unit
    std::string up = {};         ///< the axis of the file on which the body stands: `y`, `z`, `-x` and so on
    std::string faces = {};      ///< the axis that it faces
};

} // namespace gait
