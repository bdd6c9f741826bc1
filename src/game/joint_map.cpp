#include "gait/joint_map.hpp"

#include "gait/no_index.hpp"

#include <algorithm>

namespace gait {
namespace {

void put(const Matrix4& from, Matrix4& to) { to = from; }

void put(const Matrix4& from, Matrix3x4& to) {
    for (std::size_t row = 0; row < 3; ++row) {
        for (std::size_t column = 0; column < 4; ++column) {
            to.elements[4 * row + column] = from.elements[4 * column + row];
        }
    }
}

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

template <typename Matrix> bool JointMap::fill(std::span<const Matrix4> model, std::span<Matrix> out) const {
    if (model.size() < rig_joints_ || out.size() < joints_.size()) { return false; }
    for (std::size_t j = 0; j < joints_.size(); ++j) {
        put(joints_[j] == no_index ? inverse_bind_[j] : model[joints_[j]] * inverse_bind_[j], out[j]);
    }
    return true;
}

bool JointMap::skinning_matrices(std::span<const Matrix4> model, std::span<Matrix4> out) const {
    return fill(model, out);
}

bool JointMap::skinning_matrices(std::span<const Matrix4> model, std::span<Matrix3x4> out) const {
    return fill(model, out);
}

} // namespace gait
