#include "gait/rig.hpp"

#include <algorithm>

namespace gait {

std::optional<int> Rig::find(std::string_view joint_name) const {
    const auto found = std::find_if(joints.begin(), joints.end(), [&](const Joint& j) { return j.name == joint_name; });
    if (found == joints.end()) { return std::nullopt; }
    return int(found - joints.begin());
}

std::vector<Transform> model_space(const Rig& rig, const std::vector<Transform>& local) {
    std::vector<Transform> model(local.size());
    for (std::size_t i = 0; i < local.size(); ++i) {
        const int parent = rig.joints[i].parent;
        model[i] = parent < 0 ? local[i] : model[std::size_t(parent)] * local[i];
    }
    return model;
}

std::vector<Transform> rest_pose(const Rig& rig) {
    std::vector<Transform> pose(rig.joints.size());
    std::transform(rig.joints.begin(), rig.joints.end(), pose.begin(), [](const Joint& joint) { return joint.rest; });
    return pose;
}

double rest_height(const Rig& rig) {
    if (rig.joints.empty()) { return 0; }
    const auto model = model_space(rig, rest_pose(rig));
    const auto [low, high] =
        std::minmax_element(model.begin(), model.end(),
                            [](const Transform& a, const Transform& b) { return a.translation.y < b.translation.y; });
    return double(high->translation.y) - double(low->translation.y);
}

} // namespace gait
