#include "byte_writer.hpp"
#include "wire.hpp"

#include "files/gltf_mesh.hpp"

#include <filesystem>

namespace gait::stage {

std::string body_bytes(const Loaded& loaded) {
    const Rig& rig = loaded.character->rig();
    detail::SkinnedMesh mesh;
    std::filesystem::path file = std::filesystem::path(loaded.document.file).parent_path() / loaded.document.rig.value;
    const std::string ending = file.extension().string();
    if (ending == ".glb" || ending == ".gltf") { mesh = detail::read_skinned_mesh(file, {}); }
    ByteWriter out;
    out.whole(std::uint32_t(rig.joints.size()));
    out.whole(std::uint32_t(mesh.vertices.size()));
    out.whole(std::uint32_t(mesh.triangles.size() / 3));
    for (const Joint& joint : rig.joints) {
        for (const float value : joint.inverse_bind.elements) { out.real(double(value)); }
    }
    for (const detail::MeshVertex& vertex : mesh.vertices) {
        for (const float value : {vertex.position.x, vertex.position.y, vertex.position.z}) { out.real(double(value)); }
    }
    for (const detail::MeshVertex& vertex : mesh.vertices) {
        for (const std::uint16_t joint : vertex.joints) { out.whole(joint); }
    }
    for (const detail::MeshVertex& vertex : mesh.vertices) {
        for (const float weight : vertex.weights) { out.real(double(weight)); }
    }
    for (const std::uint32_t corner : mesh.triangles) { out.whole(corner); }
    for (const Vec3& colour : mesh.colours) {
        for (const float value : {colour.x, colour.y, colour.z}) { out.real(double(value)); }
    }
    return out.take();
}

} // namespace gait::stage
