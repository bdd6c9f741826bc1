/// \file
/// A performer's state for saved games: by names, so that it outlives a new build of the library and a changed
/// document.
#pragma once

#include "gait/api.hpp"
#include "gait/performer.hpp"

#include <cstddef>
#include <span>
#include <string>
#include <vector>

namespace gait {

/// What became of a state that was loaded.
struct LoadedState {
    bool loaded = false;
    std::string problem;           ///< why it was not, in a sentence; empty where it was
    std::vector<std::string> gone; ///< parameters and states that the character does not have any more
};

/// The state as bytes: the active states of each layer and how long they have been active, the places of their clips,
/// parameters as they stand and follow, what is remembered, waiting signals, random draws, time, seed and scale; all by
/// name. Fades under way are not kept: they are over. Some kilobytes. Throws std::bad_alloc without memory.
[[nodiscard]] GAIT_API std::vector<std::byte> save_state(const Performer& performer);

/// Goes on from a saved state, be it of another document: what has the same name is as it was, a layer whose state is
/// gone begins at its start, and new parameters have their defaults. Every count and number is looked at first: where
/// the bytes are no saved state, nothing changes. Throws std::bad_alloc without memory.
[[nodiscard]] GAIT_API LoadedState load_state(Performer& performer, std::span<const std::byte> saved);

} // namespace gait
