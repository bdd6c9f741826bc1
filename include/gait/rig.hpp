/// \file
/// The character's joint hierarchy with its rest pose.
#pragma once

#include "gait/api.hpp"
#include "gait/kept.hpp"
#include "gait/math.hpp"

#include <cstdint>
#include <optional>
#include <string_view>
#include <vector>

namespace gait {

/// One joint of a rig.
struct Joint {
    KeptText name;
    int parent = -1;      ///< index of the parent, always smaller than the joint's own; -1 for a root
    Transform rest;       ///< relative to the parent, metres
    Matrix4 inverse_bind; ///< from the skin's space to the joint's at bind time; identity where no skin uses the joint
    bool in_skin = true;  ///< false for a node that only links skinned joints
};

/// Joints in topological order: every parent stands before its children.
struct Rig {
    KeptText name;
    std::vector<Joint> joints;

    /// The index of the joint of that name; empty when there is none.
    [[nodiscard]] GAIT_API std::optional<int> find(std::string_view joint_name) const;
};

/// The joints' transforms in model space for local transforms `local` [one a joint, in the rig's order].
[[nodiscard]] GAIT_API std::vector<Transform> model_space(const Rig& rig, const std::vector<Transform>& local);

/// The rest pose [one a joint], each relative to its parent.
[[nodiscard]] GAIT_API std::vector<Transform> rest_pose(const Rig& rig);

/// From the lowest to the highest joint of the rest pose, metres.
[[nodiscard]] GAIT_API double rest_height(const Rig& rig);

} // namespace gait
