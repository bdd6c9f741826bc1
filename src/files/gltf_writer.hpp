/// Helps to fill a glTF model's one buffer.
#pragma once

#include <tiny_gltf.h>

#include <span>
#include <string>
#include <vector>

namespace gait::detail {

/// Appends data to buffer 0 of `model` (made when there is none) and describes it.
class GltfBuffer {
public:
    explicit GltfBuffer(tinygltf::Model& model);

    /// Raw bytes as a view, on a four-byte boundary. `target` is a glTF buffer target or 0. Returns the view's index.
    int add_view(std::span<const unsigned char> bytes, int target = 0, std::size_t byte_stride = 0);

    /// Floats as an accessor of `type` (TINYGLTF_TYPE_*). `bounded` writes the least and greatest of each component.
    int add_floats(std::span<const float> values, int type, int target = 0, bool bounded = false);
    int add_shorts(std::span<const unsigned short> values, int type, int target = 0);
    int add_bytes(std::span<const unsigned char> values, int type, int target = 0);

private:
    int add_accessor(int view, int component_type, int type, std::size_t count);
    tinygltf::Model& model_;
};

/// The model as the bytes of a .glb file; empty on failure.
[[nodiscard]] std::string to_glb(tinygltf::Model& model);

/// A sampler and a channel of linear keys for a node's "rotation" or "translation".
void add_channel(tinygltf::Animation& animation, int times, int values, int node, const std::string& path);

} // namespace gait::detail
