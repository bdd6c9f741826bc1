#include "files/gltf_writer.hpp"

#include <algorithm>
#include <sstream>

namespace gait::detail {

GltfBuffer::GltfBuffer(tinygltf::Model& model) : model_(model) {
    if (model_.buffers.empty()) { model_.buffers.emplace_back(); }
}

int GltfBuffer::add_view(std::span<const unsigned char> bytes, int target, std::size_t byte_stride) {
    auto& data = model_.buffers[0].data;
    data.resize((data.size() + 3) / 4 * 4, 0);
    tinygltf::BufferView view;
    view.buffer = 0;
    view.byteOffset = data.size();
    view.byteLength = bytes.size();
    view.byteStride = byte_stride;
    view.target = target;
    data.insert(data.end(), bytes.begin(), bytes.end());
    model_.bufferViews.push_back(view);
    return int(model_.bufferViews.size()) - 1;
}

int GltfBuffer::add_accessor(int view, int component_type, int type, std::size_t count) {
    tinygltf::Accessor accessor;
    accessor.bufferView = view;
    accessor.componentType = component_type;
    accessor.type = type;
    accessor.count = count;
    model_.accessors.push_back(accessor);
    return int(model_.accessors.size()) - 1;
}

int GltfBuffer::add_floats(std::span<const float> values, int type, int target, bool bounded) {
    const auto* bytes = reinterpret_cast<const unsigned char*>(values.data());
    const int view = add_view({bytes, values.size_bytes()}, target);
    const auto components = std::size_t(tinygltf::GetNumComponentsInType(std::uint32_t(type)));
    const int index = add_accessor(view, TINYGLTF_COMPONENT_TYPE_FLOAT, type, values.size() / components);
    if (bounded) {
        tinygltf::Accessor& accessor = model_.accessors.back();
        for (std::size_t c = 0; c < components; ++c) {
            double low = double(values[c]), high = low;
            for (std::size_t i = c; i < values.size(); i += components) {
                low = std::min(low, double(values[i]));
                high = std::max(high, double(values[i]));
            }
            accessor.minValues.push_back(low);
            accessor.maxValues.push_back(high);
        }
    }
    return index;
}

int GltfBuffer::add_shorts(std::span<const unsigned short> values, int type, int target) {
    const auto* bytes = reinterpret_cast<const unsigned char*>(values.data());
    const auto components = std::size_t(tinygltf::GetNumComponentsInType(std::uint32_t(type)));
    return add_accessor(add_view({bytes, values.size_bytes()}, target), TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT, type,
                        values.size() / components);
}

int GltfBuffer::add_bytes(std::span<const unsigned char> values, int type, int target) {
    const auto components = std::size_t(tinygltf::GetNumComponentsInType(std::uint32_t(type)));
    return add_accessor(add_view(values, target), TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE, type,
                        values.size() / components);
}

std::string to_glb(tinygltf::Model& model) {
    tinygltf::TinyGLTF writer;
    std::ostringstream stream(std::ios::binary);
    return writer.WriteGltfSceneToStream(&model, stream, false, true) ? stream.str() : std::string{};
}

void add_channel(tinygltf::Animation& animation, int times, int values, int node, const std::string& path) {
    tinygltf::AnimationSampler sampler;
    sampler.input = times;
    sampler.output = values;
    sampler.interpolation = "LINEAR";
    animation.samplers.push_back(sampler);
    tinygltf::AnimationChannel channel;
    channel.sampler = int(animation.samplers.size()) - 1;
    channel.target_node = node;
    channel.target_path = path;
    animation.channels.push_back(channel);
}

} // namespace gait::detail
