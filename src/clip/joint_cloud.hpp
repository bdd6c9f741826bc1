/// Where all joints of a pose are, the body brought to one spot and one heading: by it poses are told alike.
#pragma once

#include "gait/rig.hpp"

#include <vector>

namespace gait::detail {

/// Metres, a joint each.
using JointCloud = std::vector<Vec3>;

/// Makes clouds of a rig's poses.
class JointClouds {
public:
    explicit JointClouds(const Rig& rig);

    /// Of a local pose [one a joint].
    [[nodiscard]] JointCloud of(const std::vector<Transform>& pose) const;

private:
    const Rig& rig_;
    std::size_t hips_;
    Quat from_rest_; ///< undoes how the hips are turned at rest
};

/// The mean of the squared distances between corresponding joints, square metres (Kovar, Gleicher and Pighin 2002,
/// without weights).
[[nodiscard]] double squared_distance(const JointCloud& a, const JointCloud& b);

} // namespace gait::detail
