/// \file
/// A living performer on a changed document: as it was edited, reloaded, or replaced by a newer one.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/performer.hpp"

#include <memory>
#include <string>
#include <vector>

namespace gait {

/// A performer that goes on with another character.
struct CarriedOver {
    Performer performer;
    std::vector<std::string> gone; ///< the full names of active states that the new character lacks: their layers begin
                                   ///< at their start
};

/// A performer of `character` that goes on where `performer` is: in the states of the same names, at the same place of
/// the same clips, with parameters, waiting signals, random draws, time, seed and scale kept by name. Where both
/// documents have the same states, clips and parameters everything is kept, fades under way as well. What then looks
/// different, in the layers or in how they are laid over one another, decays over `fade` seconds as an inertial fade
/// does, in place and speed, where the rigs' joints are the same. Parameters that are new have their defaults, and
/// those that stand at the old default take a new one. Allocates; throws std::invalid_argument when `character` is null
/// or `fade` is not 0 to `longest_fade`, std::bad_alloc without memory.
[[nodiscard]] GAIT_API CarriedOver carry_over(const Performer& performer, std::shared_ptr<const Character> character,
                                              double fade = 0.3);

} // namespace gait
