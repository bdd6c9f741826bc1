#include "files/gltf_mesh.hpp"

#include "files/gltf_scene.hpp"

#include <algorithm>
#include <map>

namespace gait::detail {
namespace {

Vec3 base_colour(const tinygltf::Model& model, int material) {
    if (material < 0 || std::size_t(material) >= model.materials.size()) { return {0.5F, 0.5F, 0.5F}; }
    const auto& factor = model.materials[std::size_t(material)].pbrMetallicRoughness.baseColorFactor;
    if (factor.size() < 3) { return {0.5F, 0.5F, 0.5F}; }
    return {float(factor[0]), float(factor[1]), float(factor[2])};
}

std::optional<std::vector<double>> attribute(const tinygltf::Model& model, const tinygltf::Primitive& primitive,
                                             const char* name, int type, FileProblems& problems) {
    const auto found = primitive.attributes.find(name);
    if (found == primitive.attributes.end()) { return std::nullopt; }
    return read_accessor(model, found->second, type, name, problems);
}

void add_primitive(const tinygltf::Model& model, const tinygltf::Primitive& primitive, const std::vector<int>& joint_of,
                   SkinnedMesh& mesh, FileProblems& problems) {
    const auto positions = attribute(model, primitive, "POSITION", TINYGLTF_TYPE_VEC3, problems);
    const auto joints = attribute(model, primitive, "JOINTS_0", TINYGLTF_TYPE_VEC4, problems);
    const auto weights = attribute(model, primitive, "WEIGHTS_0", TINYGLTF_TYPE_VEC4, problems);
    const bool triangles = primitive.mode == TINYGLTF_MODE_TRIANGLES || primitive.mode == -1;
    if (!triangles || !positions || !joints || !weights || joints->size() != weights->size() ||
        joints->size() / 4 != positions->size() / 3) {
        return;
    }
    const auto base = std::uint32_t(mesh.vertices.size());
    const std::size_t count = positions->size() / 3;
    for (std::size_t v = 0; v < count; ++v) {
        MeshVertex vertex;
        vertex.position = {float((*positions)[v * 3]), float((*positions)[v * 3 + 1]), float((*positions)[v * 3 + 2])};
        for (std::size_t i = 0; i < 4; ++i) {
            const auto joint = std::size_t(std::max((*joints)[v * 4 + i], 0.0));
            if (joint >= joint_of.size() || joint_of[joint] < 0) { continue; }
            vertex.joints[i] = std::uint16_t(joint_of[joint]);
            vertex.weights[i] = float((*weights)[v * 4 + i]);
        }
        mesh.vertices.push_back(vertex);
    }
    std::vector<double> indices;
    if (primitive.indices >= 0) {
        auto read = read_accessor(model, primitive.indices, TINYGLTF_TYPE_SCALAR, "indices", problems);
        if (!read) { return; }
        indices = std::move(*read);
    } else {
        for (std::size_t v = 0; v < count; ++v) { indices.push_back(double(v)); }
    }
    const Vec3 colour = base_colour(model, primitive.material);
    for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
        if (std::any_of(&indices[i], &indices[i] + 3,
                        [&](double index) { return index < 0 || index >= double(count); })) {
            continue;
        }
        for (std::size_t corner = 0; corner < 3; ++corner) {
            mesh.triangles.push_back(base + std::uint32_t(indices[i + corner]));
        }
        mesh.colours.push_back(colour);
    }
}

} // namespace

SkinnedMesh read_skinned_mesh(const std::filesystem::path& path, const std::string& skin) {
    FileProblems problems(path.string());
    SkinnedMesh mesh;
    const auto scene = open_gltf(path, skin, problems);
    if (!scene) { return mesh; }
    const tinygltf::Model& model = scene->model;
    std::map<int, int> rig_joint;
    for (std::size_t j = 0; j < scene->joints.size(); ++j) { rig_joint[scene->joints[j].node] = int(j); }
    for (const tinygltf::Node& node : model.nodes) {
        const bool skinned = node.mesh >= 0 && std::size_t(node.mesh) < model.meshes.size() && node.skin >= 0 &&
                             std::size_t(node.skin) < model.skins.size();
        if (!skinned) { continue; }
        std::vector<int> joint_of;
        for (const int joint : model.skins[std::size_t(node.skin)].joints) {
            const auto found = rig_joint.find(joint);
            joint_of.push_back(found == rig_joint.end() ? -1 : found->second);
        }
        if (std::find(joint_of.begin(), joint_of.end(), -1) != joint_of.end()) { continue; } // another character's
        for (const auto& primitive : model.meshes[std::size_t(node.mesh)].primitives) {
            add_primitive(model, primitive, joint_of, mesh, problems);
        }
    }
    return mesh;
}

} // namespace gait::detail
