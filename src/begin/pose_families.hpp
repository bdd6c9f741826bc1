/// Poses that belong together: to the left and to the right, up and down, laid on top of what plays.
#pragma once

#include "begin/placing.hpp"

#include <string>
#include <vector>

namespace gait::detail {

struct FamilyPoint {
    const Placed* clip = nullptr;
    double across = 0, up = 0; ///< -1, 0 or 1; to the right, and up
};

struct PoseFamily {
    std::string name;
    std::string said;       ///< in words, what was found
    std::string across, up; ///< the parameters; empty for none
    std::vector<FamilyPoint> points;
    const Placed* against = nullptr; ///< the pose, or the standing clip, whose difference to the points is added
    bool with_standing = false;      ///< the standing clip is the point in the middle
    const Placed* hold = nullptr;    ///< what the arms hold in the pose in the middle; else it is laid on the gaits
};

[[nodiscard]] std::vector<PoseFamily> find_pose_families(const Cast& cast, const Rig& rig, const BodyPlan& plan);

} // namespace gait::detail
