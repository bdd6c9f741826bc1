/// \file
/// Many performers at once, on a game's own threads or on all cores.
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

/// Advances each of a crowd by its own step, told in its own list, on `run`'s threads, or where that is empty on this
/// one. What the next one's frame reads is fetched meanwhile, and those of one character follow one another, so that a
/// crowd which no cache holds takes little longer a performer than one alone. The same, bit for bit, in whatever parts
/// and order. Allocates nothing of its own; each part takes some 40 kB of its thread's stack. A refused step is counted
/// by each. Each performer may be there once; those that are null are left out.
GAIT_API void advance_all(std::span<const CrowdMember> members, const RunInParts& run);

// What follows is a library of its own, `PliantGait::crowd`, for it needs oneTBB.

/// Runs `part` on all of the machine's cores: a `RunInParts` for games without threads of their own. It may allocate,
/// in the thread pool.
GAIT_API void run_on_all_cores(std::size_t count, const std::function<void(std::size_t from, std::size_t to)>& part);
/// Advances each of a crowd on all cores.
GAIT_API void advance_all(std::span<const CrowdMember> members);
/// Advances every performer by `seconds` and makes its pose, on all cores.
GAIT_API void advance_all(std::span<Performer> performers, double seconds);
/// The same for performers that stand anywhere; those that are null are left out.
GAIT_API void advance_all(std::span<Performer* const> performers, double seconds);

} // namespace gait
