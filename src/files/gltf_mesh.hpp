/// The skinned meshes of a glTF file, as a drawing needs them.
#pragma once

#include "gait/diagnostic.hpp"
#include "gait/rig.hpp"

#include <array>
#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace gait::detail {

struct MeshVertex {
    Vec3 position;                         ///< in the skin's space at bind time
    std::array<std::uint16_t, 4> joints{}; ///< of the imported rig
    std::array<float, 4> weights{};
};

struct SkinnedMesh {
    std::vector<MeshVertex> vertices;
    std::vector<std::uint32_t> triangles; ///< three corners each, counter-clockwise from outside
    std::vector<Vec3> colours;            ///< a triangle each, linear red, green and blue
};

/// All meshes that the imported skins move, in one. Empty when there are none or they cannot be read: a drawing then
/// makes do with the joints.
[[nodiscard]] SkinnedMesh read_skinned_mesh(const std::filesystem::path& path, const std::string& skin = {});

} // namespace gait::detail
