/// Where a rig's feet touch the ground: heels and balls.
#pragma once

#include "rig/body_parts.hpp"

#include <array>
#include <string>
#include <vector>

namespace gait::detail {

class GAIT_API FootPoints {
public:
    /// Feet are found by name or shape; `names` names their ankles instead, left before right.
    explicit FootPoints(const Rig& rig, const std::vector<std::string>& names = {});

    [[nodiscard]] const std::vector<Foot>& feet() const { return feet_; }
    /// Heel and ball of a foot in a model-space pose, metres; their height is above where they rest.
    [[nodiscard]] std::array<Vec3, 2> at(std::size_t foot, const std::vector<Transform>& model) const;

    struct Sole {
        Vec3 heel, ball; ///< in the ankle's and in the toes' own frame
        float ball_height = 0;
    };
    [[nodiscard]] const Sole& sole(std::size_t foot) const { return soles_[foot]; }
    /// The height of the ground on which the rest pose stands, metres.
    [[nodiscard]] float ground() const { return ground_; }

private:
    std::vector<Foot> feet_;
    std::vector<Sole> soles_;
    float ground_ = 0;
};

} // namespace gait::detail
