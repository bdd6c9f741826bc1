/// Levels of detail: a body that is small on the screen is posed less often, or without its smallest joints, and
/// nothing jumps as that changes.
#pragma once

#include "character/character_data.hpp"

namespace gait::detail {

/// Asks for a level; the poses after this one come to it.
void ask_for_detail(const CharacterData& data, const PerformerBlock& block, DetailLevel level);

/// Makes the pose of a performer of which some detail is left out or comes back, the one before being
/// `PerformerHeader::since_posed` seconds old.
void make_pose_in_detail(const CharacterData& data, const PerformerBlock& block);

/// Nobody has seen it change.
void take_detail_at_once(DetailState& detail);

} // namespace gait::detail
