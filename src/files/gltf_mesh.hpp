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
    std::array<std::uint16_t, 4> joints{}; ///< of the rig that was asked for
    std::array<float, 4> weights{};
};

/// What a surface looks like (glTF's metallic-roughness model, without its finer pictures).
struct MeshMaterial {
    Vec3 colour{0.5F, 0.5F, 0.5F}; ///< linear red, green and blue
    float roughness = 1;
    int picture = -1;     ///< of its colour, by which `colour` is multiplied; an index into `pictures`, or none
    bool cut_out = false; ///< nothing is drawn where the picture is half transparent and more
    bool both_sides = false;
};

/// A picture as it stands in the file: PNG or JPEG, which nobody here decodes.
struct MeshPicture {
    std::string bytes;
    const char* type = ""; ///< its media type
};

struct SkinnedMesh {
    std::vector<MeshVertex> vertices;
    std::vector<std::array<float, 2>> picture_places; ///< a vertex each, 0 to 1 to the right and down
    std::vector<std::uint32_t> triangles;             ///< three corners each, counter-clockwise from outside
    std::vector<std::uint16_t> material_of;           ///< a triangle each: an index into `materials`
    std::vector<MeshMaterial> materials;
    std::vector<MeshPicture> pictures;

    [[nodiscard]] Vec3 colour_of(std::size_t triangle) const { return materials[material_of[triangle]].colour; }
};

/// All meshes that the imported skins move, in one, their joints those of `rig` by name. Empty when there are none or
/// they cannot be read: a drawing then makes do with the joints.
[[nodiscard]] SkinnedMesh read_skinned_mesh(const std::filesystem::path& path, const Rig& rig,
                                            const std::string& skin = {});

} // namespace gait::detail
