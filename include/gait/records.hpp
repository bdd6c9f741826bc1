/// \file
/// What a performer keeps for whoever asks afterwards: refused inputs, and transitions taken.
#pragma once

#include <cstdint>

namespace gait {

/// What a performer was given and would not take. Nothing else happens: the last good value stays.
struct Faults {
    /// NaN or infinite inputs, fades and scales out of bounds, or a handle or name of another kind or of nothing
    std::uint32_t refused_values = 0;
    std::uint32_t refused_steps = 0; ///< steps that are negative, longer than `longest_step`, or no number
    std::uint32_t cut_chains = 0;    ///< steps that held more timed transitions than a step may
};

/// A transition taken in the last `advance`.
struct TransitionRecord {
    double time = 0;              ///< seconds since the start or `reset`
    std::uint16_t transition = 0; ///< index into `Character::transitions()`
    std::uint16_t from = 0;       ///< the state that was active in that layer, an index into `Character::states()`
    std::uint32_t spare = 0;      ///< no hidden padding, so that equal performers are equal byte for byte
};

} // namespace gait
