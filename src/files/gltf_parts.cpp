#include "files/gltf_parts.hpp"

#include "files/gltf_scene.hpp"

namespace gait::detail {

std::vector<std::filesystem::path> gltf_parts(const std::filesystem::path& path) {
    std::vector<std::filesystem::path> parts;
    FileProblems untold(path.string());
    const auto scene = open_gltf(path, {}, untold);
    if (!scene) { return parts; }
    const auto add = [&](const std::string& name) {
        if (!name.empty()) { parts.push_back(path.parent_path() / name); }
    };
    for (const tinygltf::Buffer& buffer : scene->model.buffers) { add(buffer.uri); }
    for (const tinygltf::Image& image : scene->model.images) { add(image.uri); }
    return parts;
}

} // namespace gait::detail
