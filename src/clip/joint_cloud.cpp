#include "clip/joint_cloud.hpp"

#include "rig/body_parts.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {

JointClouds::JointClouds(const Rig& rig)
    : rig_(rig), hips_(std::size_t(std::max(0, body_parts(rig).hips))),
      from_rest_(conjugate(model_space(rig, rest_pose(rig))[hips_].rotation)) {}

JointCloud JointClouds::of(const std::vector<Transform>& pose) const {
    const auto model = model_space(rig_, pose);
    const Vec3 ahead = rotate(model[hips_].rotation * from_rest_, {0, 0, 1});
    const float across = std::hypot(ahead.x, ahead.z);
    const float s = across > 1e-6F ? ahead.x / across : 0, c = across > 1e-6F ? ahead.z / across : 1;
    JointCloud cloud;
    for (const Transform& joint : model) {
        const Vec3 off = joint.translation - model[hips_].translation;
        cloud.push_back({c * off.x - s * off.z, joint.translation.y, s * off.x + c * off.z});
    }
    return cloud;
}

double squared_distance(const JointCloud& a, const JointCloud& b) {
    float sum = 0;
    for (std::size_t j = 0; j < a.size(); ++j) {
        const Vec3 off = a[j] - b[j];
        sum += dot(off, off);
    }
    return double(sum) / double(a.size());
}

} // namespace gait::detail
