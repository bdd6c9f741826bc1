#include "gait/joint_map.hpp"

#include "gait/no_index.hpp"
#include "math/model_kernels.hpp"

#include <algorithm>

namespace gait {
JointMap::JointMap(const Character& character, std::span<const std::string> joints,
                   std::span<const Matrix4> inverse_bind)
    : rig_joints_(character.joint_count()) {
    for (std::size_t j = 0; j < joints.size(); ++j) {
        const auto known = character.rig().find(joints[j]);
        joints_.push_back(known ? std::uint16_t(*known) : no_index);
        if (!known) { missing_.push_back(joints[j]); }
        const bool own = j < inverse_bind.size();
        inverse_bind_.push_back(own     ? inverse_bind[j]
                                : known ? character.rig().joints[std::size_t(*known)].inverse_bind
                                        : Matrix4{});
    }
}

std::size_t JointMap::joints_needed() const {
    std::size_t needed = 0;
    for (const std::uint16_t joint : joints_) {
        if (joint != no_index) { needed = std::max<std::size_t>(needed, joint + 1U); }
    }
    return needed;
}

bool JointMap::skinning_matrices(std::span<const Matrix4> model, std::span<Matrix4> out) const {
    return fill(model, out, kernels::skin_matrices);
}

bool JointMap::skinning_matrices(std::span<const Matrix4> model, std::span<Matrix3x4> out) const {
    return fill(model, out, kernels::skin_matrices_by_rows);
}

template <typename Matrix, typename Multiply>
bool JointMap::fill(std::span<const Matrix4> model, std::span<Matrix> out, Multiply multiply) const {
    if (model.size() < rig_joints_ || out.size() < joints_.size()) { return false; }
    multiply({joints_.data(), reinterpret_cast<const float*>(inverse_bind_.data()), joints_.size()},
             reinterpret_cast<const float*>(model.data()), reinterpret_cast<float*>(out.data()));
    return true;
}

} // namespace gait
