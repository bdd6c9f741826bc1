#include "gait/joint_map.hpp"

#include "gait/no_index.hpp"
#include "math/model_kernels.hpp"

#include <algorithm>

namespace gait {
namespace {

const float* floats_of(std::span<const Matrix4> matrices) { return reinterpret_cast<const float*>(matrices.data()); }

} // namespace

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

bool JointMap::fits(std::size_t model, std::size_t out) const { return model >= rig_joints_ && out >= joints_.size(); }

bool JointMap::skinning_matrices(std::span<const Matrix4> model, std::span<Matrix4> out) const {
    if (!fits(model.size(), out.size())) { return false; }
    kernels::skin_matrices({joints_.data(), floats_of(inverse_bind_), joints_.size()}, floats_of(model),
                           reinterpret_cast<float*>(out.data()));
    return true;
}

bool JointMap::skinning_matrices(std::span<const Matrix4> model, std::span<Matrix3x4> out) const {
    if (!fits(model.size(), out.size())) { return false; }
    kernels::skin_matrices_by_rows({joints_.data(), floats_of(inverse_bind_), joints_.size()}, floats_of(model),
                                   reinterpret_cast<float*>(out.data()));
    return true;
}

} // namespace gait
