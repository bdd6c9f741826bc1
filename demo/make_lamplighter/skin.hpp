/// Her body: low-poly tubes around the bones, in a coat and a cap.
#pragma once

#include "skeleton.hpp"

#include <array>
#include <string>
#include <vector>

namespace lamplighter {

struct SkinVertex {
    Eigen::Vector3d position = Eigen::Vector3d::Zero(), normal = Eigen::Vector3d::Zero();
    std::array<int, 4> joints{};
    std::array<double, 4> weights{};
};

/// One material's triangles.
struct SkinPart {
    std::string material;
    std::array<double, 3> colour{};
    std::vector<SkinVertex> vertices;
    std::vector<unsigned short> triangles; ///< three corners each, counter-clockwise from outside
};

[[nodiscard]] std::vector<SkinPart> make_skin(const Skeleton& skeleton);

} // namespace lamplighter
