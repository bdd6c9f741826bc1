/// Inputs at random for any character, by the kinds of its parameters.
#pragma once

#include "gait/character.hpp"

#include <memory>

namespace support {

/// Plays twenty seconds of a character whose parameters change at random, as fast as hands and sticks do, and checks
/// that the three measures hold: the seam as it is, the others to within `nearly`, which is what chance finds now and
/// then.
void check_random_inputs(const std::shared_ptr<const gait::Character>& character, unsigned seed, double nearly = 1.05);

} // namespace support
