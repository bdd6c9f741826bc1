#include "rig/foot_points.hpp"

#include <algorithm>

namespace gait::detail {

FootPoints::FootPoints(const Rig& rig, const std::vector<std::string>& names) : feet_(body_parts(rig).feet) {
    if (!names.empty()) { feet_.clear(); }
    for (std::size_t i = 0; i < names.size(); ++i) {
        const auto joint = rig.find(names[i]);
        if (!joint) { continue; }
        Foot foot{i == 0 ? Side::left : Side::right, *joint, *joint};
        for (std::size_t j = 0; j < rig.joints.size(); ++j) {
            if (rig.joints[j].parent == *joint) { foot.toes = int(j); }
        }
        feet_.push_back(foot);
    }
    const auto rest = model_space(rig, rest_pose(rig));
    // A rig that stands on the ground, or hangs below it: by its feet, not by targets that lie about.
    std::vector<bool> of_foot(rig.joints.size(), false);
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const int parent = rig.joints[j].parent;
        of_foot[j] = (parent >= 0 && of_foot[std::size_t(parent)]) ||
                     std::any_of(feet_.begin(), feet_.end(), [&](const Foot& foot) { return foot.ankle == int(j); });
        if (of_foot[j]) { ground_ = std::min(ground_, rest[j].translation.y); }
    }
    for (const Foot& foot : feet_) {
        const Transform &ankle = rest[std::size_t(foot.ankle)], &toes = rest[std::size_t(foot.toes)];
        const Vec3 forward = toes.translation - ankle.translation;
        constexpr float behind = 0.36F; // of the way from the ankle to the ball: how far a heel stands out
        const Vec3 heel{ankle.translation.x - behind * forward.x, ground_, ankle.translation.z - behind * forward.z};
        const auto local = [](const Transform& frame, Vec3 place) {
            return rotate(conjugate(frame.rotation), place - frame.translation);
        };
        soles_.push_back(
            {local(ankle, heel), local(foot.toes == foot.ankle ? ankle : toes, toes.translation), toes.translation.y});
    }
}

std::array<Vec3, 2> FootPoints::at(std::size_t foot, const std::vector<Transform>& model) const {
    const Foot& which = feet_[foot];
    const Transform &ankle = model[std::size_t(which.ankle)], &toes = model[std::size_t(which.toes)];
    const Transform& ball_frame = which.toes == which.ankle ? ankle : toes;
    Vec3 heel = ankle.translation + rotate(ankle.rotation, soles_[foot].heel);
    Vec3 ball = ball_frame.translation + rotate(ball_frame.rotation, soles_[foot].ball);
    heel.y -= ground_;
    ball.y -= soles_[foot].ball_height;
    return {heel, ball};
}

} // namespace gait::detail
