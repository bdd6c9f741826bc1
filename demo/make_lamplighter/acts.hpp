/// What the lamplighter does beside going her way: everything that is laid out by hand, instant by instant.
#pragma once

#include "gait_model.hpp"

#include <functional>
#include <string>
#include <vector>

namespace lamplighter {

/// A clip to be written.
struct Act {
    std::string name;
    double seconds = 0;
    bool loops = false;
    std::function<SkeletonPose(double seconds)> pose;
};

/// Fidgets, turns, the hop and its landings, the pole, the lantern, waving, the bell, leaning.
[[nodiscard]] std::vector<Act> acts(const Skeleton& skeleton);

/// Setting off and coming to a stand, from each foot, at a stroll and at a run.
[[nodiscard]] std::vector<Act> starts_and_stops(const Skeleton& skeleton);

/// In the air: arms out, legs hanging.
[[nodiscard]] SkeletonPose airborne(const Skeleton& skeleton);

/// Taking off from each foot, at a trot and at a run, into the air.
[[nodiscard]] std::vector<Act> leaps(const Skeleton& skeleton);

} // namespace lamplighter
