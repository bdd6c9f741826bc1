/// The parts of a body that any two bodies have in common: legs, arms, spine, neck and head, read from its shape and
/// its names together.
#pragma once

#include "rig/body_parts.hpp"

#include <array>
#include <string>
#include <vector>

namespace gait::detail {

/// The joint that a leg hangs on and the one that bends it, between the hips and the ankle.
struct LegJoints {
    int hip = -1, knee = -1;
};

/// The hip is the highest joint of the leg on its own side of the body, of several at its place the lowest, which
/// turns; the knee is the one that lies nearest the middle between it and the ankle. -1 where there are too few joints.
[[nodiscard]] GAIT_API LegJoints leg_joints(const Rig& rig, const std::vector<Transform>& rest, const Foot& foot,
                                            int hips);

/// Joints from the trunk to the fingers: -1 where there is none.
struct Arm {
    int shoulder = -1; ///< the collar bone, which the upper arm hangs on
    int upper = -1, lower = -1, hand = -1;
};

struct Leg {
    int upper = -1, lower = -1, foot = -1, toes = -1;
};

struct Limbs {
    int hips = -1;
    std::array<Leg, 2> legs; ///< left, right
    std::array<Arm, 2> arms; ///< left, right
    std::vector<int> spine;  ///< from the lowest up to where the arms branch off
    std::vector<int> neck;   ///< from there up to the head, without it
    int head = -1;
};

[[nodiscard]] GAIT_API Limbs limbs_of(const Rig& rig);

} // namespace gait::detail
