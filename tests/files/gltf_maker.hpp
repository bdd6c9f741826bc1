/// Small glTF files for the importer's tests, with every part at hand to be bent or broken.
#pragma once

#include "support.hpp"

#include <nlohmann/json.hpp>

#include <cstring>

namespace support {

/// A two-joint arm under an armature node, with one clip of two keys. `json` may be changed before it is written.
class GltfMaker {
public:
    nlohmann::json json;
    std::string buffer;

    GltfMaker() {
        json = {{"asset", {{"version", "2.0"}}},
                {"scene", 0},
                {"scenes", {{{"nodes", {0}}}}},
                {"nodes",
                 {{{"name", "armature"}, {"children", {1}}},
                  {{"name", "arm"}, {"translation", {0, 1, 0}}, {"children", {2}}},
                  {{"name", "hand"}, {"translation", {0, 0.5, 0}}}}},
                {"skins", {{{"name", "body"}, {"joints", {1, 2}}}}}};
        add_clip("wave", {0, 1}, {{0, 0, 0, 1}, {0.70710678F, 0, 0, 0.70710678F}});
    }

    /// An accessor of floats; returns its index.
    int add_floats(const std::vector<float>& values, const std::string& type) {
        const std::size_t components = type == "SCALAR" ? 1
                                       : type == "VEC2" ? 2
                                       : type == "VEC3" ? 3
                                       : type == "VEC4" ? 4
                                                        : 16;
        return add_accessor(add_view(std::string(reinterpret_cast<const char*>(values.data()), values.size() * 4)),
                            5126, values.size() / components, type);
    }

    int add_view(const std::string& bytes) {
        buffer.resize((buffer.size() + 3) / 4 * 4);
        json["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", buffer.size()}, {"byteLength", bytes.size()}});
        buffer += bytes;
        return int(json["bufferViews"].size()) - 1;
    }

    int add_accessor(int view, int component_type, std::size_t count, const std::string& type) {
        json["accessors"].push_back(
            {{"bufferView", view}, {"componentType", component_type}, {"count", count}, {"type", type}});
        return int(json["accessors"].size()) - 1;
    }

    /// A clip that turns the hand.
    void add_clip(const std::string& name, const std::vector<float>& times,
                  const std::vector<std::array<float, 4>>& turns, const std::string& interpolation = "LINEAR") {
        std::vector<float> flat;
        for (const auto& q : turns) { flat.insert(flat.end(), q.begin(), q.end()); }
        const int input = add_floats(times, "SCALAR"), output = add_floats(flat, "VEC4");
        json["animations"].push_back(
            {{"name", name},
             {"samplers", {{{"input", input}, {"output", output}, {"interpolation", interpolation}}}},
             {"channels", {{{"sampler", 0}, {"target", {{"node", 2}, {"path", "rotation"}}}}}}});
    }

    /// With the buffer as a data URI.
    [[nodiscard]] std::string embedded() const {
        nlohmann::json out = json;
        out["buffers"] = {
            {{"byteLength", buffer.size()}, {"uri", "data:application/octet-stream;base64," + base64(buffer)}}};
        return out.dump();
    }

    /// With the buffer in a file of its own.
    [[nodiscard]] std::string external(const std::string& uri) const {
        nlohmann::json out = json;
        out["buffers"] = {{{"byteLength", buffer.size()}, {"uri", uri}}};
        return out.dump();
    }

    [[nodiscard]] std::string binary() const {
        nlohmann::json out = json;
        out["buffers"] = {{{"byteLength", buffer.size()}}};
        std::string text = out.dump(), data = buffer;
        text.resize((text.size() + 3) / 4 * 4, ' ');
        data.resize((data.size() + 3) / 4 * 4, '\0');
        std::string file = "glTF";
        for (const std::size_t n : {std::size_t{2}, 12 + 8 + text.size() + 8 + data.size(), text.size()}) {
            file += word(n);
        }
        return file + "JSON" + text + word(data.size()) + std::string("BIN\0", 4) + data;
    }

private:
    static std::string word(std::size_t n) {
        const auto value = std::uint32_t(n);
        return std::string(reinterpret_cast<const char*>(&value), 4);
    }
    static std::string base64(const std::string& bytes) {
        const char* const digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
        std::string out;
        for (std::size_t i = 0; i < bytes.size(); i += 3) {
            std::uint32_t group = 0;
            for (std::size_t k = 0; k < 3; ++k) {
                group = group << 8U | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0U);
            }
            for (std::size_t k = 0; k < 4; ++k) {
                out += i + k > bytes.size() ? '=' : digits[group >> (18 - 6 * k) & 63U];
            }
        }
        return out;
    }
};

} // namespace support
