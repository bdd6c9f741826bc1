#include "drawn_body.hpp"

#include "byte_writer.hpp"

#include <algorithm>
#include <filesystem>
#include <numeric>

namespace gait::stage {
namespace {

detail::SkinnedMesh mesh_of(const Document& document, const Rig& rig) {
    const auto file = std::filesystem::path(document.file).parent_path() / document.rig.value;
    const std::string ending = file.extension().string();
    return ending == ".glb" || ending == ".gltf" ? detail::read_skinned_mesh(file, rig) : detail::SkinnedMesh{};
}

nlohmann::json described(const std::vector<detail::MeshMaterial>& materials) {
    nlohmann::json all = nlohmann::json::array();
    for (const detail::MeshMaterial& material : materials) {
        all.push_back({{"colour", {material.colour.x, material.colour.y, material.colour.z}},
                       {"roughness", material.roughness},
                       {"picture", material.picture},
                       {"cut_out", material.cut_out},
                       {"both_sides", material.both_sides}});
    }
    return all;
}

} // namespace

DrawnBody drawn_body(const Loaded& loaded) {
    const Rig& rig = loaded.character->rig();
    detail::SkinnedMesh mesh = mesh_of(loaded.document, rig);
    // Those of one material stand together.
    std::vector<std::size_t> order(mesh.material_of.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return mesh.material_of[a] < mesh.material_of[b]; });
    ByteWriter out;
    out.whole(std::uint32_t(rig.joints.size()));
    out.whole(std::uint32_t(mesh.vertices.size()));
    out.whole(std::uint32_t(order.size()));
    for (const Joint& joint : rig.joints) {
        for (const float value : joint.inverse_bind.elements) { out.real(double(value)); }
    }
    for (const detail::MeshVertex& vertex : mesh.vertices) {
        for (const float value : {vertex.position.x, vertex.position.y, vertex.position.z}) { out.real(double(value)); }
    }
    for (const auto& place : mesh.picture_places) {
        for (const float value : place) { out.real(double(value)); }
    }
    for (const detail::MeshVertex& vertex : mesh.vertices) {
        for (const std::uint16_t joint : vertex.joints) { out.whole(joint); }
    }
    for (const detail::MeshVertex& vertex : mesh.vertices) {
        for (const float weight : vertex.weights) { out.real(double(weight)); }
    }
    for (const std::size_t triangle : order) {
        for (std::size_t corner = 0; corner < 3; ++corner) { out.whole(mesh.triangles[3 * triangle + corner]); }
    }
    for (const std::size_t triangle : order) { out.whole(std::uint32_t(mesh.material_of[triangle])); }
    return {out.take(), described(mesh.materials), std::move(mesh.pictures)};
}

} // namespace gait::stage
