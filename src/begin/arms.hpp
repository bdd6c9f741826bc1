/// What arms do over legs that stay: something is raised, held and lowered again, and which arm a gesture moves.
#pragma once

#include "begin/placing.hpp"

#include <array>
#include <string>
#include <vector>

namespace gait::detail {

/// One thing that the arms hold, with what leads there and back.
struct ArmChain {
    std::string name; ///< what the names of its clips have in common
    const Placed* hold = nullptr;
    std::vector<const Placed*> raises, lowers;
};

struct Arms {
    std::vector<ArmChain> chains;
    std::array<int, 2> shoulders{-1, -1}; ///< the first joint of either arm: left, right
    const BodyPlan* plan = nullptr;
    std::array<std::vector<bool>, 2> arm; ///< [joint]

    /// `left` or `right` where a clip moves that arm alone; empty else.
    [[nodiscard]] std::string only_arm(const Placed& clip) const;
    [[nodiscard]] int shoulder(const std::string& side) const { return shoulders[side == "left" ? 0 : 1]; }
};

[[nodiscard]] Arms find_arms(const Cast& cast, const Rig& rig, const BodyPlan& plan);

} // namespace gait::detail
