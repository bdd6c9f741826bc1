#include "files/gltf_mesh.hpp"

#include "files/gltf_scene.hpp"

#include <algorithm>
#include <array>
#include <map>
#include <optional>
#include <string_view>

namespace gait::detail {
namespace {

/// The media type of a picture by how it begins; empty for what is neither PNG nor JPEG.
const char* picture_type(std::string_view bytes) {
    if (bytes.starts_with("\x89PNG\r\n\x1a\n")) { return "image/png"; }
    return bytes.starts_with("\xff\xd8\xff") ? "image/jpeg" : "";
}

class MeshReader {
public:
    MeshReader(const GltfScene& scene, FileProblems& problems)
        : model_(scene.model), budget_(scene.model), problems_(problems) {}

    /// Adds a part of a mesh whose skin's joints are those of the rig at `joint_of`.
    void add(const tinygltf::Primitive& primitive, int skin, const std::vector<int>& joint_of) {
        const bool triangles = primitive.mode == TINYGLTF_MODE_TRIANGLES || primitive.mode == -1;
        const Vertices* vertices = triangles ? vertices_of(primitive, skin, joint_of) : nullptr;
        if (vertices == nullptr) { return; }
        std::vector<double> indices;
        if (primitive.indices >= 0) {
            auto read = read_accessor(model_, primitive.indices, TINYGLTF_TYPE_SCALAR, "indices", budget_, problems_);
            if (!read) { return; }
            indices = std::move(*read);
        } else {
            for (std::size_t v = 0; v < vertices->count; ++v) { indices.push_back(double(v)); }
        }
        const std::uint16_t material = material_at(primitive.material);
        for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
            if (std::any_of(&indices[i], &indices[i] + 3,
                            [&](double index) { return index < 0 || index >= double(vertices->count); })) {
                continue;
            }
            for (std::size_t corner = 0; corner < 3; ++corner) {
                mesh_.triangles.push_back(vertices->first + std::uint32_t(indices[i + corner]));
            }
            mesh_.material_of.push_back(material);
        }
    }

    [[nodiscard]] SkinnedMesh take() { return std::move(mesh_); }

private:
    /// The mesh's own index of a material of the file; those that nothing is said of share one.
    std::uint16_t material_at(int index) {
        const auto [known, is_new] = materials_.try_emplace(index, std::uint16_t(mesh_.materials.size()));
        if (!is_new || mesh_.materials.size() >= most_materials) { return is_new ? std::uint16_t(0) : known->second; }
        MeshMaterial made;
        if (index >= 0 && std::size_t(index) < model_.materials.size()) {
            const tinygltf::Material& material = model_.materials[std::size_t(index)];
            const auto& look = material.pbrMetallicRoughness;
            if (look.baseColorFactor.size() >= 3) {
                made.colour = {float(look.baseColorFactor[0]), float(look.baseColorFactor[1]),
                               float(look.baseColorFactor[2])};
            }
            made.roughness = float(std::clamp(look.roughnessFactor, 0.0, 1.0));
            made.cut_out = material.alphaMode == "MASK";
            made.both_sides = material.doubleSided;
            // Where a picture lies is read of the first set of places alone.
            if (look.baseColorTexture.texCoord == 0) { made.picture = picture_at(look.baseColorTexture.index); }
        }
        mesh_.materials.push_back(made);
        return known->second;
    }

    /// The mesh's own index of a texture's picture; -1 where there is none that browsers show.
    int picture_at(int texture) {
        if (texture < 0 || std::size_t(texture) >= model_.textures.size()) { return -1; }
        const int image = model_.textures[std::size_t(texture)].source;
        if (image < 0 || std::size_t(image) >= model_.images.size()) { return -1; }
        const auto [known, is_new] = pictures_.try_emplace(image, -1);
        const std::vector<unsigned char>& kept = model_.images[std::size_t(image)].image;
        if (!is_new || kept.empty()) { return known->second; }
        MeshPicture picture{{kept.begin(), kept.end()}, ""};
        picture.type = picture_type(picture.bytes);
        if (*picture.type == '\0') { return -1; }
        known->second = int(mesh_.pictures.size());
        mesh_.pictures.push_back(std::move(picture));
        return known->second;
    }

    static constexpr std::size_t most_materials = 1024;
    struct Vertices {
        std::uint32_t first = 0;
        std::size_t count = 0;
    };

    /// The vertices of a primitive, which other primitives may share; null when they cannot be read.
    const Vertices* vertices_of(const tinygltf::Primitive& primitive, int skin, const std::vector<int>& joint_of) {
        std::array<int, 5> key{-1, -1, -1, skin, -1};
        const std::array<const char*, 3> names{"POSITION", "JOINTS_0", "WEIGHTS_0"};
        for (std::size_t a = 0; a < names.size(); ++a) {
            const auto found = primitive.attributes.find(names[a]);
            if (found == primitive.attributes.end()) { return nullptr; }
            key[a] = found->second;
        }
        if (const auto places = primitive.attributes.find("TEXCOORD_0"); places != primitive.attributes.end()) {
            key[4] = places->second;
        }
        const auto [known, is_new] = vertices_.try_emplace(key);
        if (is_new) { known->second = read_vertices(key, joint_of); }
        return known->second.count > 0 ? &known->second : nullptr;
    }

    Vertices read_vertices(const std::array<int, 5>& key, const std::vector<int>& joint_of) {
        const auto positions = read_accessor(model_, key[0], TINYGLTF_TYPE_VEC3, "POSITION", budget_, problems_);
        const auto joints = read_accessor(model_, key[1], TINYGLTF_TYPE_VEC4, "JOINTS_0", budget_, problems_);
        const auto weights = read_accessor(model_, key[2], TINYGLTF_TYPE_VEC4, "WEIGHTS_0", budget_, problems_);
        if (!positions || !joints || !weights || joints->size() != weights->size() ||
            joints->size() / 4 != positions->size() / 3) {
            return {};
        }
        const auto places = key[4] < 0
                                ? std::nullopt
                                : read_accessor(model_, key[4], TINYGLTF_TYPE_VEC2, "TEXCOORD_0", budget_, problems_);
        const bool placed = places && places->size() / 2 == positions->size() / 3;
        const Vertices read{std::uint32_t(mesh_.vertices.size()), positions->size() / 3};
        for (std::size_t v = 0; v < read.count; ++v) {
            MeshVertex vertex;
            const double* place = positions->data() + v * 3;
            vertex.position = {float(place[0]), float(place[1]), float(place[2])};
            for (std::size_t i = 0; i < 4; ++i) {
                const auto joint = std::size_t(std::max((*joints)[v * 4 + i], 0.0));
                if (joint >= joint_of.size() || joint_of[joint] < 0) { continue; }
                vertex.joints[i] = std::uint16_t(joint_of[joint]);
                vertex.weights[i] = float((*weights)[v * 4 + i]);
            }
            mesh_.vertices.push_back(vertex);
            mesh_.picture_places.push_back(placed ? std::array{float((*places)[2 * v]), float((*places)[2 * v + 1])}
                                                  : std::array<float, 2>{});
        }
        return read;
    }

    const tinygltf::Model& model_;
    ReadBudget budget_;
    FileProblems& problems_;
    SkinnedMesh mesh_;
    std::map<std::array<int, 5>, Vertices> vertices_; ///< by their accessors and their skin
    std::map<int, std::uint16_t> materials_;          ///< the file's, as the mesh counts them
    std::map<int, int> pictures_;
};

} // namespace

SkinnedMesh read_skinned_mesh(const std::filesystem::path& path, const Rig& rig, const std::string& skin) {
    FileProblems problems(path.string());
    const auto scene = open_gltf(path, skin, problems);
    if (!scene) { return {}; }
    MeshReader reader(*scene, problems);
    const tinygltf::Model& model = scene->model;
    std::map<int, int> rig_joint;
    for (std::size_t j = 0; j < scene->joints.size(); ++j) {
        if (const auto joint = rig.find(scene->rig.joints[j].name)) { rig_joint[scene->joints[j].node] = *joint; }
    }
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
            reader.add(primitive, node.skin, joint_of);
        }
    }
    return reader.take();
}

} // namespace gait::detail
