/// Brings a performer's block to the processor while another one's frame is under way: in a crowd that is larger than
/// the caches a frame would otherwise wait for some forty lines, one after the other.
#pragma once

#include "character/character_data.hpp"

namespace gait::detail {

/// Asks for what every frame reads: headers, inputs, and the pose if one is made. It reads nothing itself.
void fetch_what_all_read(const CharacterData& data, const PerformerBlock& block, bool pose);

/// Asks for what the next frame reads besides, as the headers tell, which are at hand by now: what plays, and what
/// settles, decays or is shown in less.
void fetch_what_it_reads(const CharacterData& data, const PerformerBlock& block, bool pose);

} // namespace gait::detail
