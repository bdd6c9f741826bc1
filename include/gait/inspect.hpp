/// \file
/// What an experienced colleague would remark on: a document that plays, but not as its author means.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/compile.hpp"
#include "gait/cue_sheet.hpp"

#include <cstdint>
#include <vector>

namespace gait {

/// Measures the clips a document plays and holds them against how it plays them: loops that do not meet, clips that end
/// where nothing follows, blend points far from a clip's own speed, steps that cannot be kept in time, ways that nobody
/// uses or that drift off. With its `character` (which may be null when it does not compile) the machine is looked at
/// as well: states that cannot be reached or left, conditions that never hold or make it flutter, fades longer than
/// what there is. `sheets` are those it is played with: what none of them sets is said too. Each finding is a warning
/// with what to write; docs/checks.md lists them.
[[nodiscard]] GAIT_API Diagnostics inspect(const Document& document, const Assets& assets,
                                           const Character* character = nullptr,
                                           const std::vector<CueSheet>& sheets = {});

/// What `forbid` keeps apart, and whether it could come to that.
struct ForbiddenPair {
    std::uint16_t yields = 0;         ///< index into `Character::states()`: the state that gives way
    std::uint16_t rules = 0;          ///< and the one beside which it may not be active
    std::uint16_t to = 0;             ///< where the first one's layer goes then
    std::string when;                 ///< the condition that must hold beside that; empty: always
    bool possible = false;            ///< some way leads to both at once, whatever numbers and flags there are
    std::vector<std::uint16_t> route; ///< the transitions of the shortest: indices into `Character::transitions()`
};

/// Looks for a way to each forbidden pair, as if nobody gave way. What layers ask of each other's states is taken as it
/// is; every other condition, of numbers, flags and times, as free: so a way is one that may be, not one that must. The
/// layers of a pair are looked at by themselves, without what further layers do to them.
[[nodiscard]] GAIT_API std::vector<ForbiddenPair> forbidden_pairs(const Character& character);

} // namespace gait
