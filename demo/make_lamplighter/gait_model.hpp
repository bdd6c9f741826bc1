/// How the lamplighter moves: feet on trajectories, legs by inverse kinematics, the trunk and arms in answer to them.
#pragma once

#include "../lamplighter_facts.hpp"
#include "skeleton.hpp"

namespace lamplighter {

/// Where an ankle is in the body's frame, and how the foot is turned about the sideways axis.
struct FootPlace {
    double forward = 0, up = 0; ///< of the ankle, metres; forward of the hips
    double pitch = 0;           ///< degrees, toes up positive
    double toes = 0;            ///< degrees the toes are bent up against the foot
};

/// A foot at `phase` (0 to 1 from its own strike). While it is down, the part of it that touches the ground (the heel,
/// then the sole, then the ball) moves backward at exactly the ground speed.
[[nodiscard]] FootPlace foot_at(const Gait& gait, double phase);

/// One cycle of a gait.
class GaitModel {
public:
    GaitModel(const Skeleton& skeleton, const Gait& gait);
    [[nodiscard]] SkeletonPose pose(double phase) const;

private:
    [[nodiscard]] SkeletonPose pose_at_height(double phase, double hip_height, double* reach) const;
    const Skeleton& skeleton_;
    const Gait& gait_;
    double hip_height_ = 0.94;
};

/// She stands, breathes and shifts her weight; `phase` 0 to 1 over the clip.
[[nodiscard]] SkeletonPose standing(const Skeleton& skeleton, double phase);

} // namespace lamplighter
