/// The lamplighter's joints, and a pose of them.
#pragma once

#include <Eigen/Geometry>

#include <string>
#include <vector>

namespace lamplighter {

struct SkeletonJoint {
    std::string name;
    int parent = -1;
    Eigen::Vector3d position; ///< at rest, in the character's space; every joint rests unturned
};

/// She faces +Z, so her left is +X.
class Skeleton {
public:
    Skeleton();
    [[nodiscard]] const std::vector<SkeletonJoint>& joints() const { return joints_; }
    [[nodiscard]] int index(const std::string& name) const;
    /// From the parent to the joint, at rest.
    [[nodiscard]] Eigen::Vector3d offset(int joint) const;

private:
    void add(const std::string& name, const std::string& parent, Eigen::Vector3d position);
    std::vector<SkeletonJoint> joints_;
};

/// Rotations relative to the parent, and where the hips are.
struct SkeletonPose {
    std::vector<Eigen::Quaterniond> rotations;
    Eigen::Vector3d hips;
};

[[nodiscard]] SkeletonPose rest(const Skeleton& skeleton);

/// A turn of `degrees` about `axis`.
[[nodiscard]] Eigen::Quaterniond turned(const Eigen::Vector3d& axis, double degrees);

/// The direction of the left arm at rest.
[[nodiscard]] Eigen::Vector3d left_arm_direction();

} // namespace lamplighter
