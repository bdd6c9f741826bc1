#include "skeleton.hpp"

#include "../lamplighter_facts.hpp"

#include <stdexcept>

namespace lamplighter {

Eigen::Quaterniond turned(const Eigen::Vector3d& axis, double degrees) {
    return Eigen::Quaterniond(Eigen::AngleAxisd(degrees * pi / 180, axis.normalized()));
}

Eigen::Vector3d left_arm_direction() { return {0.6428, -0.7660, 0}; }

Skeleton::Skeleton() {
    add("hips", "", {0, 0.94, 0});
    add("spine_1", "hips", {0, 1.03, -0.012});
    add("spine_2", "spine_1", {0, 1.14, -0.012});
    add("chest", "spine_2", {0, 1.26, 0});
    add("neck", "chest", {0, 1.455, -0.012});
    add("head", "neck", {0, 1.535, 0.008});
    add("cap", "head", {0, 1.665, 0});
    for (const auto& [side, sign] : {std::pair<std::string, double>{"left", 1}, {"right", -1}}) {
        const auto mirrored = [s = sign](Eigen::Vector3d v) { return Eigen::Vector3d(v.x() * s, v.y(), v.z()); };
        const auto put = [&, s = side](const std::string& part, const std::string& parent,
                                       const Eigen::Vector3d& place) {
            add(s + "_" + part, parent == "hips" || parent == "chest" ? parent : s + "_" + parent, mirrored(place));
        };
        const Eigen::Vector3d along = left_arm_direction(), shoulder(0.165, 1.405, -0.012);
        const Eigen::Vector3d elbow = shoulder + 0.27 * along, wrist = elbow + 0.245 * along;
        const Eigen::Vector3d forward(0, 0, 1);
        put("shoulder", "chest", {0.03, 1.405, -0.005});
        put("upper_arm", "shoulder", shoulder);
        put("lower_arm", "upper_arm", elbow);
        put("hand", "lower_arm", wrist);
        put("thumb_1", "hand", wrist + 0.03 * along + 0.028 * forward);
        put("thumb_2", "thumb_1", wrist + 0.055 * along + 0.045 * forward);
        put("index_1", "hand", wrist + 0.085 * along + 0.024 * forward);
        put("index_2", "index_1", wrist + 0.122 * along + 0.026 * forward);
        put("fingers_1", "hand", wrist + 0.085 * along - 0.008 * forward);
        put("fingers_2", "fingers_1", wrist + 0.120 * along - 0.010 * forward);
        put("grip", "hand", wrist + 0.07 * along);
        const double ankle_y = ankle_height;
        put("upper_leg", "hips", {0.09, ankle_y + shin + thigh, 0});
        put("lower_leg", "upper_leg", {0.09, ankle_y + shin, 0});
        put("foot", "lower_leg", {0.09, ankle_y, 0});
        put("toes", "foot", {0.09, ball_height, ball_before_ankle});
        put("coat_front_1", "hips", {0.085, 0.93, 0.095});
        put("coat_front_2", "coat_front_1", {0.095, 0.70, 0.115});
        put("coat_back_1", "hips", {0.085, 0.93, -0.105});
        put("coat_back_2", "coat_back_1", {0.095, 0.70, -0.125});
    }
}

void Skeleton::add(const std::string& name, const std::string& parent, Eigen::Vector3d position) {
    joints_.push_back({name, parent.empty() ? -1 : index(parent), std::move(position)});
}

int Skeleton::index(const std::string& name) const {
    for (std::size_t i = 0; i < joints_.size(); ++i) {
        if (joints_[i].name == name) { return int(i); }
    }
    throw std::logic_error("no joint " + name);
}

Eigen::Vector3d Skeleton::offset(int joint) const {
    const SkeletonJoint& j = joints_[std::size_t(joint)];
    return j.parent < 0 ? j.position : Eigen::Vector3d(j.position - joints_[std::size_t(j.parent)].position);
}

SkeletonPose rest(const Skeleton& skeleton) {
    return {std::vector<Eigen::Quaterniond>(skeleton.joints().size(), Eigen::Quaterniond::Identity()),
            skeleton.joints()[0].position};
}

} // namespace lamplighter
