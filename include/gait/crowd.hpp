/// \file
/// Many performers at once, on all cores.
#pragma once

#include "gait/api.hpp"
#include "gait/events.hpp"
#include "gait/performer.hpp"

#include <cstddef>
#include <functional>
#include <span>

namespace gait {

/// A performer of a crowd, and how far it is played.
struct CrowdMember {
    Performer* performer = nullptr;
    double seconds = 0;
    EventList* events = nullptr; ///< what happened is told here; null: to nobody
    bool pose = true;            ///< its pose is made as well; not so out of sight
    /// [joint] its skinning matrices are written here while it is at hand, in the rig's order, as
    /// `Performer::skinning_matrices` does; empty: they are not asked for.
    std::span<Matrix4> skinning = {};
};

/// Runs `part(from, to)` for all of `count` things in any number of parts, on any threads, and returns when all are
/// done: a game's own job system.
using RunInParts =
    std::function<void(std::size_t count, const std::function<void(std::size_t from, std::size_t to)>& part)>;

/// Advances every performer by `seconds` and makes its pose, spread over the machine's cores (oneTBB). The same, bit
/// for bit, as advancing them one after the other. Unlike `Performer::advance` it may allocate, in the thread pool. A
/// refused step is counted by each. Each performer may be there once.
GAIT_API void advance_all(std::span<Performer> performers, double seconds);
/// The same for performers that stand anywhere; those that are null are left out.
GAIT_API void advance_all(std::span<Performer* const> performers, double seconds);
/// The same, each by its own step and told in its own list; on `run`'s threads where that is given.
GAIT_API void advance_all(std::span<const CrowdMember> members, const RunInParts& run = {});

} // namespace gait
