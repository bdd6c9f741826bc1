/// How the lamplighter moves: feet on trajectories, legs by inverse kinematics, the trunk and arms in answer to them.
#pragma once

#include "../lamplighter_facts.hpp"
#include "skeleton.hpp"

#include <array>

namespace lamplighter {

/// Where an ankle is, and how the foot is turned.
struct FootPlace {
    double forward = 0, up = 0; ///< of the ankle of a flat foot, metres; forward along the way the body goes
    double side = 0;            ///< metres toward +X, from where the foot stands
    double rolled = 0;          ///< metres the ankle is ahead of a flat foot's, along the foot
    double pitch = 0;           ///< degrees, toes up positive
    double toes = 0;            ///< degrees the toes are bent up against the foot
    double yaw = 0;             ///< degrees about +Y, beside the toe-out
};

/// Degrees to turn a part by, about the joint's own axes.
struct ArmPlace {
    double forward = 0; ///< degrees about the shoulder
    double out = 6;     ///< degrees off the body
    double bend = 15;   ///< degrees at the elbow
    double inward = 0;  ///< degrees the forearm turns across the body
    double curl = 22;   ///< degrees at each finger joint
    double shrug = 0;   ///< degrees the shoulder is raised
};

/// Where her feet stand: forward of the hips, apart, and toes out.
inline constexpr double stand_left = -0.015, stand_right = 0.035, stand_width = 0.19, stand_toe_out = 9;

/// From 0 to 1 as `u` does, at rest at both ends.
[[nodiscard]] double smooth(double u);

/// The cubic from (p0, v0) to (p1, v1) over `span` seconds, at the fraction `u` of it.
[[nodiscard]] double hermite(double u, double p0, double v0, double p1, double v1, double span);

/// The gait as it is when the body goes `toward` (degrees, to the right) instead of ahead.
[[nodiscard]] Gait turned_gait(const Gait& gait, double toward);

/// `legs` apart by `width`, toes out by `toe_out` degrees; feet go along `along` (a unit vector on the ground). Returns
/// how far the longer leg has to reach.
double place_legs(const Skeleton& skeleton, SkeletonPose& pose, const std::array<FootPlace, 2>& feet, double width,
                  double toe_out, const Eigen::Vector3d& along);
void place_arm(const Skeleton& skeleton, SkeletonPose& pose, bool left, const ArmPlace& arm);
/// The coat's tails give way to the thighs.
void place_coat(const Skeleton& skeleton, SkeletonPose& pose, double flutter_left, double flutter_right);
/// Turns the trunk so that the chest and the head face as they should in the character's space; degrees.
void place_trunk(const Skeleton& skeleton, SkeletonPose& pose, double chest_turn, double lean, double chest_list,
                 double head_turn, double head_nod);

/// A foot at `phase` (0 to 1 from its own strike). While it is down, the part of it that touches the ground (the heel,
/// then the sole, then the ball) moves backward at exactly the ground speed.
[[nodiscard]] FootPlace foot_at(const Gait& gait, double phase);

/// One cycle of a gait.
class GaitModel {
public:
    /// `toward`: degrees to the right of ahead that the body goes; `crouch`: metres the hips are lowered.
    GaitModel(const Skeleton& skeleton, const Gait& gait, double toward = 0, double crouch = 0);
    [[nodiscard]] SkeletonPose pose(double phase) const;
    /// The foot relative to the body: 0 left, 1 right.
    [[nodiscard]] FootPlace foot(double phase, std::size_t side) const;
    [[nodiscard]] const Gait& gait() const { return gait_; }
    [[nodiscard]] double hip_height() const { return hip_height_; }

private:
    [[nodiscard]] SkeletonPose pose_at_height(double phase, double hip_height, double* reach) const;
    const Skeleton& skeleton_;
    Gait gait_;
    double toward_;
    bool backward_;
    Eigen::Vector3d along_; ///< the way the feet go, into the half that lies ahead
    double hip_height_ = 0.94;
};

/// She stands, breathes and shifts her weight; `phase` 0 to 1 over the clip.
[[nodiscard]] SkeletonPose standing(const Skeleton& skeleton, double phase);

} // namespace lamplighter
