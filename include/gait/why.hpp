/// \file
/// Why a performer is where it is: each transition that may leave the active states, and what holds it up.
#pragma once

#include "gait/api.hpp"
#include "gait/performer.hpp"

#include <string>
#include <vector>

namespace gait {

/// One of the things that must hold for a transition.
struct ConditionPart {
    std::string text;   ///< as it stands in the document: `speed < stop_at`, or `after 0.3 s`
    std::string values; ///< what its names stand for now: `speed = 1.4, stop_at = 0.2`; may be empty
    bool holds = false;
};

/// A transition as it stands now.
struct TransitionReasons {
    std::uint16_t transition = 0; ///< index into `Character::transitions()`
    std::vector<ConditionPart> parts;
    /// Whether all of them hold.
    [[nodiscard]] bool holds() const {
        for (const ConditionPart& part : parts) {
            if (!part.holds) { return false; }
        }
        return true;
    }
};

/// Weighs every transition of the active states in the order in which they are tried: layer by layer as they decide,
/// outermost states first. A mark
/// counts as not passed: it is passed for an instant only. A condition is taken apart where `and` stands.
[[nodiscard]] GAIT_API std::vector<TransitionReasons> explain_transitions(const Performer& performer);

} // namespace gait
