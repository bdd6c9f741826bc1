/// \file
/// What a performer keeps for whoever asks afterwards: refused inputs, and transitions taken.
#pragma once

#include <cstdint>

namespace gait {

/// Why a call was refused.
enum class Refusal : std::uint8_t {
    none,
    unknown_name,  ///< nothing of the kind that is asked for has that name
    wrong_handle,  ///< it refers to nothing, or to something of another kind
    computed,      ///< the parameter is computed from others, so nobody sets it
    unknown_word,  ///< the choice has no such value
    not_a_number,  ///< it is NaN or infinite
    out_of_bounds, ///< a fade, a step, a scale, a detail or a way beyond what is allowed
    not_there,     ///< the document has none of what the call is about, or the performer was moved from
};

/// What a performer was given and would not take. Nothing else happens: the last good value stays.
struct Faults {
    /// NaN or infinite inputs, fades and scales out of bounds, or a handle or name of another kind or of nothing
    std::uint32_t refused_values = 0;
    std::uint32_t refused_steps = 0; ///< steps that are negative, longer than `longest_step`, or no number
    std::uint32_t cut_chains = 0;    ///< steps that held more timed transitions than a step may
    Refusal last = Refusal::none;    ///< why the last call that was refused was
    char spare[3] = {};              ///< no hidden padding
    float last_value = 0;            ///< the number it was given; 0 for none
    char last_name[28] = {}; ///< whom it was about, as much of the name as there is room for; empty where nobody knows
};

/// A transition taken in the last `advance`.
struct TransitionRecord {
    double time = 0;              ///< seconds since the start or `reset`
    std::uint16_t transition = 0; ///< index into `Character::transitions()`
    std::uint16_t from = 0;       ///< the state that was active in that layer, an index into `Character::states()`
    std::uint32_t spare = 0;      ///< no hidden padding, so that equal performers are equal byte for byte
};

} // namespace gait
