/// \file
/// The joints of a skin, in the skin's own order.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/math.hpp"

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace gait {

/// A 3 x 4 matrix, row by row, as shaders take them: the translation stands in elements 3, 7 and 11.
struct Matrix3x4 {
    float elements[12] = {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0};
};

/// A skin names its joints in an order of its own, which is seldom the rig's: a mesh's vertices count by it. A map is
/// made once for each skin, part of one, or any other order a game wants, and turns model matrices into what is sent to
/// the graphics card:
///
///     performer.model_matrices(model);    // [joint], once for all skins
///     coat.skinning_matrices(model, out); // [joint of the skin]
class GAIT_API JointMap {
public:
    /// The joints by name, in the skin's order. `inverse_bind` [joint] is the skin's own, from its space to each
    /// joint's as it was bound; where it is empty the rig's are taken. A name that the rig does not have is `missing`.
    JointMap(const Character& character, std::span<const std::string> joints,
             std::span<const Matrix4> inverse_bind = {});

    /// How many joints the skin has.
    [[nodiscard]] std::size_t size() const { return joints_.size(); }
    /// The index in the rig of the skin's `index`-th joint; `no_index` where the rig has none, or there is no such.
    [[nodiscard]] std::uint16_t joint(std::size_t index) const {
        return index < joints_.size() ? joints_[index] : no_index;
    }
    /// The rig's joints from the first on that have to be posed for it: see `Detail::joints`.
    [[nodiscard]] std::size_t joints_needed() const;
    /// Names that the rig does not have: they stand at the body's origin.
    [[nodiscard]] const std::vector<std::string>& missing() const { return missing_; }

    /// Model matrices [joint of the rig], as `Performer::model_matrices` gives them, times the inverse bind matrices,
    /// in the skin's order. False, and nothing is written, when either holds too few.
    [[nodiscard]] bool skinning_matrices(std::span<const Matrix4> model, std::span<Matrix4> out) const;
    /// The same, three rows each.
    [[nodiscard]] bool skinning_matrices(std::span<const Matrix4> model, std::span<Matrix3x4> out) const;

private:
    [[nodiscard]] bool fits(std::size_t model, std::size_t out) const;

    std::size_t rig_joints_;
    std::vector<std::uint16_t> joints_;
    std::vector<Matrix4> inverse_bind_;
    std::vector<std::string> missing_;
};

} // namespace gait
