/// Feet that stay where they came down: the last touch on a pose, once it is known how the body moved.
#pragma once

#include "character/character_data.hpp"
#include "math/body_step.hpp"

namespace gait::detail {

/// Bends the legs of the block's pose so that feet that are down have not moved over the ground since the last call, as
/// far as they reach, the body having moved by `moved` (in the size of the rig). A foot in the air goes back to where
/// its clips have it.
void plant_feet(const CharacterData& data, const PerformerBlock& block, const BodyStep& moved);

/// Gives the legs back the turns they had before, until the next step.
void unbend_legs(const CharacterData& data, const PerformerBlock& block);

} // namespace gait::detail
