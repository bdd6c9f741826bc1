#include "files/gltf_scene.hpp"

#include "files/memory_reserve.hpp"
#include "files/stance.hpp"
#include "files/write_file.hpp"
#include "math/bounds.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <set>

namespace gait::detail {
namespace {

constexpr int deepest_json = 64;

// ---- opening ----

/// What tinygltf's file callbacks may do: read inside the file's own folder.
struct Sandbox {
    std::filesystem::path folder;
    const FileReader& files;     ///< instead of the disk, where it is given
    std::filesystem::path below; ///< the folder as the file's own path has it
    std::string refused;         ///< a path that climbed out, or a link that leads out
    std::string missing;         ///< a file that is not there
};

/// Whether what `path` names lies below `folder`, as both are written.
bool is_below(const std::filesystem::path& folder, const std::filesystem::path& path) {
    const std::filesystem::path relative = path.lexically_relative(folder);
    return !relative.empty() && *relative.begin() != ".." && !relative.is_absolute();
}

bool inside(Sandbox& sandbox, const std::string& file) {
    // The reader also tries names against the working folder; only the file's own counts.
    if (!std::filesystem::path(file).is_absolute()) { return false; }
    if (sandbox.files) {
        if (is_below(sandbox.folder, std::filesystem::path(file).lexically_normal())) { return true; }
        sandbox.refused = file;
        return false;
    }
    std::error_code failed, unfound;
    const std::filesystem::path folder = std::filesystem::canonical(sandbox.folder, failed);
    const std::filesystem::path real = std::filesystem::weakly_canonical(file, unfound);
    if (!is_below(sandbox.folder, file) || failed || unfound || !is_below(folder, real)) {
        sandbox.refused = file;
        return false;
    }
    return true;
}

bool sandbox_exists(const std::string& file, void* user) {
    auto& sandbox = *static_cast<Sandbox*>(user);
    if (!inside(sandbox, file)) { return false; }
    std::error_code ignored;
    if (sandbox.files || std::filesystem::is_regular_file(file, ignored)) { return true; }
    sandbox.missing = file;
    return false;
}

std::string sandbox_expand(const std::string& file, void* /*user*/) { return file; }

bool sandbox_read(std::vector<unsigned char>* out, std::string* error, const std::string& file, void* user) {
    auto& sandbox = *static_cast<Sandbox*>(user);
    if (!inside(sandbox, file)) { return false; }
    const std::filesystem::path asked =
        sandbox.files ? sandbox.below / std::filesystem::path(file).lexically_relative(sandbox.folder)
                      : std::filesystem::path(file);
    const FileContents contents = read_file(asked, sandbox.files);
    if (contents.problem) {
        if (sandbox.files) { sandbox.missing = file; }
        if (error != nullptr) { *error += file + " " + *contents.problem; }
        return false;
    }
    out->assign(contents.bytes.begin(), contents.bytes.end());
    return true;
}

bool no_write(std::string* /*error*/, const std::string& /*file*/, const std::vector<unsigned char>& /*bytes*/,
              void* /*user*/) {
    return false;
}

/// As it stands in the file: nobody here looks into it.
bool keep_image(tinygltf::Image* image, const int /*index*/, std::string* /*error*/, std::string* /*warning*/,
                int /*width*/, int /*height*/, const unsigned char* bytes, int size, void* /*user*/) {
    if (bytes != nullptr && size > 0) { image->image.assign(bytes, bytes + size); }
    return true;
}

/// The parser recurses, so depth is counted before it starts.
bool too_deep(std::string_view json) {
    int depth = 0;
    bool in_string = false, escaped = false;
    for (const char c : json) {
        if (in_string) {
            if (escaped) {
                escaped = false;
            } else if (c == '\\') {
                escaped = true;
            } else if (c == '"') {
                in_string = false;
            }
        } else if (c == '"') {
            in_string = true;
        } else if (c == '{' || c == '[') {
            if (++depth > deepest_json) { return true; }
        } else if (c == '}' || c == ']') {
            --depth;
        }
    }
    return false;
}

std::uint32_t little_endian(std::string_view bytes, std::size_t at) {
    std::uint32_t value = 0;
    std::memcpy(&value, bytes.data() + at, 4);
    return value;
}

bool parse(const std::filesystem::path& path, const FileReader& files, tinygltf::Model& model, FileProblems& problems) {
    FileContents contents = read_file(path, files);
    if (contents.problem) {
        problems.error("unreadable-file", *contents.problem);
        return false;
    }
    const std::string& bytes = contents.bytes;
    const bool binary = bytes.size() >= 4 && bytes.compare(0, 4, "glTF") == 0;
    std::string_view json = bytes;
    if (binary) {
        if (bytes.size() < 20) {
            problems.error("broken-file",
                           "the file is cut short: a .glb begins with a header of 20 bytes; export it again");
            return false;
        }
        if (little_endian(bytes, 4) != 2) {
            problems.error("broken-file",
                           fmt::format("this is glTF version {}; export it as glTF 2.0", little_endian(bytes, 4)));
            return false;
        }
        const std::size_t stated = little_endian(bytes, 8), json_length = little_endian(bytes, 12);
        if (stated > bytes.size() || json_length > bytes.size() - 20) {
            problems.error(
                "broken-file",
                fmt::format("the file is cut short: it says it has {} bytes and has {}; export or copy it again",
                            std::max(stated, json_length + 20), bytes.size()));
            return false;
        }
        json = json.substr(20, json_length);
    } else if (json.find_first_not_of(" \t\r\n\xEF\xBB\xBF") == std::string_view::npos ||
               json[json.find_first_not_of(" \t\r\n\xEF\xBB\xBF")] != '{') {
        problems.error("broken-file",
                       "this is not glTF: a .glb begins with 'glTF' and a .gltf with '{'; export the file as glTF 2.0");
        return false;
    }
    if (too_deep(json)) {
        problems.error(
            "broken-file",
            fmt::format("its JSON nests deeper than {} levels; no exporter writes that, so the file is refused",
                        deepest_json));
        return false;
    }

    std::error_code ignored;
    std::filesystem::path folder = std::filesystem::absolute(path, ignored).lexically_normal().parent_path();
    Sandbox sandbox{folder, files, path.parent_path(), {}, {}};
    tinygltf::TinyGLTF reader;
    reader.SetFsCallbacks({&sandbox_exists, &sandbox_expand, &sandbox_read, &no_write, &sandbox});
    reader.SetImageLoader(&keep_image, nullptr);
    std::string error, warning;
    bool read = false;
    {
        const MemoryReserve reserve;
        try {
            const auto size = static_cast<unsigned int>(bytes.size());
            read = binary ? reader.LoadBinaryFromMemory(&model, &error, &warning,
                                                        reinterpret_cast<const unsigned char*>(bytes.data()), size,
                                                        folder.string())
                          : reader.LoadASCIIFromString(&model, &error, &warning, bytes.data(), size, folder.string());
        } catch (const std::bad_alloc&) { throw; } catch (const std::exception& exception) {
            error = exception.what();
        }
        if (reserve.spent()) { throw std::bad_alloc(); }
    }
    if (!sandbox.refused.empty()) {
        problems.error(
            "outside-folder",
            fmt::format("it refers to '{}', which lies or leads outside its own folder; put the buffer beside "
                        "the file",
                        std::filesystem::path(sandbox.refused).lexically_normal().string()));
    } else if (!read && !sandbox.missing.empty()) {
        problems.error("missing-buffer",
                       fmt::format("its buffer '{}' is not there; put it beside the file or export as .glb",
                                   std::filesystem::path(sandbox.missing).filename().string()));
    } else if (!read) {
        std::replace(error.begin(), error.end(), '\n', ' ');
        while (!error.empty() && error.back() == ' ') { error.pop_back(); }
        if (error.size() > 200) { error = error.substr(0, 200) + "..."; }
        problems.error("broken-file", fmt::format("it cannot be read as glTF 2.0 ({}); export it again",
                                                  error.empty() ? "no reason given" : error));
    }
    return read && !problems.failed();
}

// ---- accessors ----

struct Slice {
    const unsigned char* data = nullptr;
    std::size_t stride = 0;
};

/// `count` elements of `size` bytes in a view, or an error.
std::optional<Slice> slice(const tinygltf::Model& model, int view_index, std::size_t offset, std::size_t count,
                           std::size_t size, bool packed, const std::string& what, FileProblems& problems) {
    const auto broken = [&](const std::string& why) {
        problems.error("broken-file", fmt::format("{} cannot be read: {}; export the file again", what, why));
        return std::nullopt;
    };
    if (view_index < 0 || std::size_t(view_index) >= model.bufferViews.size()) {
        return broken(fmt::format("it names buffer view {} of {}", view_index, model.bufferViews.size()));
    }
    const tinygltf::BufferView& view = model.bufferViews[std::size_t(view_index)];
    if (view.buffer < 0 || std::size_t(view.buffer) >= model.buffers.size()) {
        return broken(fmt::format("it names buffer {} of {}", view.buffer, model.buffers.size()));
    }
    const auto& data = model.buffers[std::size_t(view.buffer)].data;
    if (view.byteOffset > data.size() || view.byteLength > data.size() - view.byteOffset) {
        return broken(fmt::format("a view of {} bytes at {} is larger than its buffer of {} bytes", view.byteLength,
                                  view.byteOffset, data.size()));
    }
    const std::size_t stride = packed || view.byteStride == 0 ? size : view.byteStride;
    if (stride < size) { return broken(fmt::format("its elements of {} bytes stand {} bytes apart", size, stride)); }
    const bool fits =
        offset <= view.byteLength && (count == 0 || (count - 1 <= (view.byteLength - offset) / stride &&
                                                     (count - 1) * stride + size <= view.byteLength - offset));
    if (!fits) {
        return broken(fmt::format("it claims {} elements and its view holds {} bytes", count, view.byteLength));
    }
    return Slice{data.data() + view.byteOffset + offset, stride};
}

template <typename Integer> double component(const unsigned char* at) {
    Integer value{};
    std::memcpy(&value, at, sizeof value);
    return double(value);
}

double read_component(const unsigned char* at, int component_type, bool normalized) {
    // glTF 2.0, 3.6.2.2 and appendix: signed integers are divided by their greatest and clamped at -1.
    switch (component_type) {
    case TINYGLTF_COMPONENT_TYPE_BYTE:
        return normalized ? std::max(component<std::int8_t>(at) / 127, -1.0) : component<std::int8_t>(at);
    case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE:
        return component<std::uint8_t>(at) / (normalized ? 255 : 1);
    case TINYGLTF_COMPONENT_TYPE_SHORT:
        return normalized ? std::max(component<std::int16_t>(at) / 32767, -1.0) : component<std::int16_t>(at);
    case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
        return component<std::uint16_t>(at) / (normalized ? 65535 : 1);
    case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT:
        return component<std::uint32_t>(at);
    default:
        return component<float>(at);
    }
}

bool known_component(int type) {
    return type == TINYGLTF_COMPONENT_TYPE_FLOAT ||
           (type >= TINYGLTF_COMPONENT_TYPE_BYTE && type <= TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT) ||
           type == TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT;
}

// ---- nodes ----

bool find_parents(const tinygltf::Model& model, std::vector<int>& parents, FileProblems& problems) {
    const std::size_t count = model.nodes.size();
    parents.assign(count, -1);
    for (std::size_t n = 0; n < count; ++n) {
        for (const int child : model.nodes[n].children) {
            if (child < 0 || std::size_t(child) >= count) {
                problems.error("broken-file",
                               fmt::format("node {} has child {}, and there are {} nodes; export the file again", n,
                                           child, count));
                return false;
            }
            if (parents[std::size_t(child)] != -1) {
                problems.error("broken-file", fmt::format("node {} has two parents, {} and {}; export the file again",
                                                          child, parents[std::size_t(child)], n));
                return false;
            }
            parents[std::size_t(child)] = int(n);
        }
    }
    std::vector<int> seen(count, -1); // the walk that came by
    for (std::size_t n = 0; n < count; ++n) {
        for (int at = int(n); at != -1 && seen[std::size_t(at)] != -2; at = parents[std::size_t(at)]) {
            if (seen[std::size_t(at)] == int(n)) {
                problems.error("broken-file",
                               fmt::format("node {} is among its own ancestors; export the file again", at));
                return false;
            }
            seen[std::size_t(at)] = int(n);
        }
        for (int at = int(n); at != -1 && seen[std::size_t(at)] != -2; at = parents[std::size_t(at)]) {
            seen[std::size_t(at)] = -2;
        }
    }
    return true;
}

/// The nodes depth first, in the file's order, without recursion: a chain of a hundred thousand nodes is a legal file.
std::vector<int> depth_first(const tinygltf::Model& model, const std::vector<int>& parents) {
    std::vector<int> order, pending;
    for (std::size_t n = model.nodes.size(); n-- > 0;) {
        if (parents[n] == -1) { pending.push_back(int(n)); }
    }
    while (!pending.empty()) {
        const int node = pending.back();
        pending.pop_back();
        order.push_back(node);
        const auto& children = model.nodes[std::size_t(node)].children;
        pending.insert(pending.end(), children.rbegin(), children.rend());
    }
    return order;
}

struct NodePlace {
    Eigen::Quaterniond rotation = Eigen::Quaterniond::Identity();
    Eigen::Vector3d translation = Eigen::Vector3d::Zero();
    Eigen::Vector3d scale = Eigen::Vector3d::Ones();

    [[nodiscard]] Eigen::Affine3d matrix() const {
        return Eigen::Translation3d(translation) * rotation * Eigen::Scaling(scale);
    }
};

bool all_finite(const std::vector<double>& values) {
    return std::all_of(values.begin(), values.end(), [](double v) { return std::fabs(v) < farthest; });
}

std::string describe(const tinygltf::Model& model, int node) {
    const std::string& name = model.nodes[std::size_t(node)].name;
    return name.empty() ? fmt::format("node {}", node) : fmt::format("node '{}'", name);
}

NodePlace place_of(const tinygltf::Model& model, int index, FileProblems& problems) {
    const tinygltf::Node& node = model.nodes[std::size_t(index)];
    NodePlace place;
    for (const auto* values : {&node.translation, &node.rotation, &node.scale, &node.matrix}) {
        if (!all_finite(*values)) {
            problems.error("not-finite",
                           fmt::format("{} stands at a number that is not finite, or is beyond {:g}; export "
                                       "the file again",
                                       describe(model, index), farthest));
            return place;
        }
    }
    if (node.matrix.size() == 16) {
        const Eigen::Matrix4d matrix = Eigen::Map<const Eigen::Matrix4d>(node.matrix.data());
        Eigen::Matrix3d linear = matrix.topLeftCorner<3, 3>();
        place.translation = matrix.topRightCorner<3, 1>();
        place.scale = linear.colwise().norm().transpose();
        if (linear.determinant() < 0) { place.scale.x() = -place.scale.x(); }
        for (int c = 0; c < 3; ++c) {
            if (std::fabs(place.scale[c]) > 1e-12) { linear.col(c) /= place.scale[c]; }
        }
        place.rotation = Eigen::Quaterniond(linear).normalized();
        return place;
    }
    if (node.translation.size() == 3) {
        place.translation = Eigen::Map<const Eigen::Vector3d>(node.translation.data());
    }
    if (node.scale.size() == 3) { place.scale = Eigen::Map<const Eigen::Vector3d>(node.scale.data()); }
    if (node.rotation.size() == 4) {
        place.rotation = Eigen::Quaterniond(node.rotation[3], node.rotation[0], node.rotation[1], node.rotation[2]);
        if (place.rotation.norm() < 1e-6) {
            problems.error("broken-file", fmt::format("{} has a rotation of zero length; export the file again",
                                                      describe(model, index)));
            return place;
        }
        place.rotation.normalize();
    }
    return place;
}

// ---- the rig ----

/// The first few of many.
std::string in_short(const std::vector<std::string>& names) {
    constexpr std::size_t most = 6;
    if (names.size() <= most) { return fmt::format("{}", fmt::join(names, ", ")); }
    return fmt::format("{} and {} more", fmt::join(names.begin(), names.begin() + most, ", "), names.size() - most);
}

/// The skins to take joints from, the chosen one first.
std::vector<std::size_t> choose_skins(const GltfScene& scene, const std::string& wanted, FileProblems& problems) {
    const tinygltf::Model& model = scene.model;
    std::vector<std::size_t> chosen;
    if (model.skins.empty()) { return chosen; }
    const auto name = [&](std::size_t s) {
        return model.skins[s].name.empty() ? fmt::format("{}", s) : model.skins[s].name;
    };
    std::size_t main = 0;
    if (wanted.empty()) {
        for (std::size_t s = 1; s < model.skins.size(); ++s) {
            if (model.skins[s].joints.size() > model.skins[main].joints.size()) { main = s; }
        }
    } else {
        std::vector<std::string> names;
        for (std::size_t s = 0; s < model.skins.size(); ++s) { names.push_back(name(s)); }
        const auto found = std::find(names.begin(), names.end(), wanted);
        if (found == names.end()) {
            problems.error("unknown-skin", fmt::format("no skin '{}'; the file has {}", wanted, in_short(names)));
            return chosen;
        }
        main = std::size_t(found - names.begin());
    }
    std::vector<int> root_of(model.nodes.size(), -1);
    for (const int node : scene.order) {
        const int parent = scene.parents[std::size_t(node)];
        root_of[std::size_t(node)] = parent == -1 ? node : root_of[std::size_t(parent)];
    }
    const auto root = [&](std::size_t s) {
        return model.skins[s].joints.empty() ? -1 : root_of[std::size_t(model.skins[s].joints.front())];
    };
    chosen.push_back(main);
    std::vector<std::string> left_out;
    const std::set<int> main_joints(model.skins[main].joints.begin(), model.skins[main].joints.end());
    for (std::size_t s = 0; s < model.skins.size(); ++s) {
        if (s == main) { continue; }
        // A coat on the same skeleton shares joints; another character does not.
        const auto& joints = model.skins[s].joints;
        const bool shares = root(s) == root(main) &&
                            std::any_of(joints.begin(), joints.end(), [&](int j) { return main_joints.contains(j); });
        if (shares) {
            chosen.push_back(s);
        } else {
            left_out.push_back(fmt::format("'{}' ({} joints)", name(s), joints.size()));
        }
    }
    if (!left_out.empty()) {
        problems.warn(
            "several-skins",
            fmt::format(
                "the file has {} skins; '{}' ({} joints) is taken and {} left out; name the one to take with 'skin'",
                model.skins.size(), name(main), model.skins[main].joints.size(), in_short(left_out)));
    }
    return chosen;
}

/// Marks joints, what links them, and animated nodes above them.
std::vector<bool> choose_nodes(const GltfScene& scene, const std::vector<std::size_t>& skins) {
    const tinygltf::Model& model = scene.model;
    std::vector<bool> animated(model.nodes.size(), false), taken(model.nodes.size(), false);
    for (const auto& animation : model.animations) {
        for (const auto& channel : animation.channels) {
            if (channel.target_node >= 0 && std::size_t(channel.target_node) < animated.size() &&
                channel.target_path != "weights") {
                animated[std::size_t(channel.target_node)] = true;
            }
        }
    }
    std::vector<int> wanted;
    for (const std::size_t s : skins) {
        wanted.insert(wanted.end(), model.skins[s].joints.begin(), model.skins[s].joints.end());
    }
    if (skins.empty()) {
        for (std::size_t n = 0; n < animated.size(); ++n) {
            if (animated[n]) { wanted.push_back(int(n)); }
        }
    }
    // Wanted is what lies between a joint and its highest ancestor that is a joint itself or moves.
    std::vector<bool> wanted_below(model.nodes.size(), false), some_above = animated;
    for (const int joint : wanted) { wanted_below[std::size_t(joint)] = some_above[std::size_t(joint)] = true; }
    for (auto node = scene.order.rbegin(); node != scene.order.rend(); ++node) {
        const int parent = scene.parents[std::size_t(*node)];
        if (parent != -1 && wanted_below[std::size_t(*node)]) { wanted_below[std::size_t(parent)] = true; }
    }
    for (const int node : scene.order) {
        const int parent = scene.parents[std::size_t(node)];
        if (parent != -1 && some_above[std::size_t(parent)]) { some_above[std::size_t(node)] = true; }
        taken[std::size_t(node)] = wanted_below[std::size_t(node)] && some_above[std::size_t(node)];
    }
    return taken;
}

Transform to_transform(const Eigen::Quaterniond& rotation, const Eigen::Vector3d& translation,
                       const Eigen::Vector3d& scale) {
    const Eigen::Quaternionf q = rotation.cast<float>().normalized();
    const Eigen::Vector3f t = translation.cast<float>(), s = scale.cast<float>();
    return {{q.x(), q.y(), q.z(), q.w()}, {t.x(), t.y(), t.z()}, {s.x(), s.y(), s.z()}};
}

/// The transforms of all nodes above a joint, each worked out once.
class NodesAbove {
public:
    explicit NodesAbove(const GltfScene& scene) : scene_(scene), known_(scene.parents.size()) {}

    [[nodiscard]] Eigen::Affine3d of(int node, FileProblems& problems) {
        std::vector<int> way; // up to one that is known
        for (int at = node; at != -1 && !known_[std::size_t(at)]; at = scene_.parents[std::size_t(at)]) {
            way.push_back(at);
        }
        for (auto at = way.rbegin(); at != way.rend(); ++at) {
            const int parent = scene_.parents[std::size_t(*at)];
            known_[std::size_t(*at)] =
                parent == -1 ? Eigen::Affine3d::Identity()
                             : *known_[std::size_t(parent)] * place_of(scene_.model, parent, problems).matrix();
        }
        return *known_[std::size_t(node)];
    }

private:
    const GltfScene& scene_;
    std::vector<std::optional<Eigen::Affine3d>> known_; ///< a node each
};

/// Works out the scale of the nodes above a root joint, which must be even and not mirror.
bool check_above(const tinygltf::Model& model, JointNode& joint, FileProblems& problems) {
    const Eigen::Matrix3d linear = joint.above.linear();
    const Eigen::Vector3d lengths = linear.colwise().norm().transpose();
    joint.scale = std::cbrt(std::fabs(linear.determinant()));
    if (!(joint.scale > 1e-9)) {
        problems.error("uneven-scale",
                       fmt::format("the nodes above {} scale it to nothing; apply the scale before exporting",
                                   describe(model, joint.node)));
        return false;
    }
    if (linear.determinant() < 0 || (lengths / joint.scale - Eigen::Vector3d::Ones()).cwiseAbs().maxCoeff() > 0.001) {
        problems.error("uneven-scale", fmt::format("the nodes above {} mirror it or scale it unevenly ({:.3g}, {:.3g}, "
                                                   "{:.3g}); apply the scale before exporting",
                                                   describe(model, joint.node), lengths.x(), lengths.y(), lengths.z()));
        return false;
    }
    return true;
}

bool build_rig(GltfScene& scene, const std::vector<std::size_t>& skins, FileProblems& problems) {
    const tinygltf::Model& model = scene.model;
    const std::vector<bool> taken = choose_nodes(scene, skins);
    const auto count = std::size_t(std::count(taken.begin(), taken.end(), true));
    if (count == 0) {
        problems.error("no-joints", "the file has neither a skin nor an animated node, so there is nothing to move; "
                                    "export the armature and its skin");
        return false;
    }
    if (count > most_joints_read) {
        problems.error(
            "too-many-joints",
            fmt::format("the skeleton has {} joints and {} are possible; leave out helper bones when exporting", count,
                        most_joints_read));
        return false;
    }
    std::vector<int> joint_of(model.nodes.size(), -1);
    NameList names;
    NodesAbove nodes_above(scene);
    for (const int node : scene.order) {
        if (!taken[std::size_t(node)]) { continue; }
        JointNode joint{node};
        const int parent_node = scene.parents[std::size_t(node)];
        const int parent = parent_node == -1 ? -1 : joint_of[std::size_t(parent_node)];
        if (parent == -1) {
            joint.above = nodes_above.of(node, problems);
            if (problems.failed() || !check_above(model, joint, problems)) { return false; }
        } else {
            joint.scale = scene.joints[std::size_t(parent)].scale;
        }
        const NodePlace place = place_of(model, node, problems);
        if (problems.failed()) { return false; }
        Joint out;
        const std::string name = model.nodes[std::size_t(node)].name;
        out.name = names.told_apart(name.empty() ? fmt::format("joint_{}", node) : name);
        if (!name.empty() && out.name != name) {
            problems.warn("doubled-joint",
                          fmt::format("two joints are called '{}'; the second is taken as '{}'", name, out.name));
        }
        out.parent = parent;
        out.in_skin = false;
        if (parent == -1) {
            const Eigen::Quaterniond turned(joint.above.linear() / joint.scale);
            out.rest = to_transform(turned * place.rotation, joint.above * place.translation, place.scale);
        } else {
            out.rest = to_transform(place.rotation, place.translation * joint.scale, place.scale);
        }
        joint_of[std::size_t(node)] = int(scene.joints.size());
        scene.joints.push_back(joint);
        scene.rig.joints.push_back(std::move(out));
    }
    ReadBudget budget(model);
    for (const std::size_t s : skins) {
        const tinygltf::Skin& skin = model.skins[s];
        std::optional<std::vector<double>> matrices;
        if (skin.inverseBindMatrices >= 0) {
            matrices = read_accessor(model, skin.inverseBindMatrices, TINYGLTF_TYPE_MAT4,
                                     "the skin's inverse bind matrices", budget, problems);
            if (!matrices) { return false; }
            if (matrices->size() < skin.joints.size() * 16) {
                problems.error("broken-file",
                               fmt::format("the skin has {} joints and {} inverse bind matrices; export the file again",
                                           skin.joints.size(), matrices->size() / 16));
                return false;
            }
        }
        for (std::size_t j = 0; j < skin.joints.size(); ++j) {
            const int index = joint_of[std::size_t(skin.joints[j])];
            Joint& joint = scene.rig.joints[std::size_t(index)];
            if (joint.in_skin) { continue; } // the chosen skin's own matrices count
            joint.in_skin = true;
            if (!matrices) { continue; }
            const double scale = scene.joints[std::size_t(index)].scale;
            for (std::size_t e = 0; e < 16; ++e) {
                // Joints carry no scale of the armature any more; their bind matrices take it over.
                // Their last row is 0 0 0 1 by the standard, whatever the file's rounding made of it.
                const double value = (*matrices)[j * 16 + e] * scale;
                joint.inverse_bind.elements[e] = float(e % 4 == 3 ? (e == 15 ? 1 : 0) : value);
            }
        }
    }
    return true;
}

bool check_skins(const tinygltf::Model& model, FileProblems& problems) {
    for (std::size_t s = 0; s < model.skins.size(); ++s) {
        for (const int joint : model.skins[s].joints) {
            if (joint < 0 || std::size_t(joint) >= model.nodes.size()) {
                problems.error("broken-file",
                               fmt::format("skin {} names joint node {}, and there are {} nodes; export the file again",
                                           s, joint, model.nodes.size()));
                return false;
            }
        }
    }
    return true;
}

} // namespace

ReadBudget::ReadBudget(const tinygltf::Model& model) : left_(8'000'000) {
    // A number takes a byte at least, and times are often shared by all joints.
    for (const tinygltf::Buffer& buffer : model.buffers) { left_ += 2 * buffer.data.size(); }
}

bool ReadBudget::take(std::size_t numbers) {
    if (numbers > left_) { return false; }
    left_ -= numbers;
    return true;
}

std::optional<std::vector<double>> read_accessor(const tinygltf::Model& model, int index, int type,
                                                 const std::string& what, ReadBudget& budget, FileProblems& problems) {
    const auto broken = [&](const std::string& why) {
        problems.error("broken-file", fmt::format("{} cannot be read: {}; export the file again", what, why));
        return std::nullopt;
    };
    if (index < 0 || std::size_t(index) >= model.accessors.size()) {
        return broken(fmt::format("it names accessor {} of {}", index, model.accessors.size()));
    }
    const tinygltf::Accessor& accessor = model.accessors[std::size_t(index)];
    if (accessor.type != type) { return broken("its accessor has another number of components than it needs"); }
    if (!known_component(accessor.componentType)) {
        return broken(fmt::format("component type {} is unknown", accessor.componentType));
    }
    constexpr std::size_t more_than_any = std::size_t{1} << 40U; // so that what is made of it does not overflow
    if (accessor.count > more_than_any) { return broken(fmt::format("it claims {} elements", accessor.count)); }
    const auto components = std::size_t(tinygltf::GetNumComponentsInType(std::uint32_t(type)));
    const auto size = std::size_t(tinygltf::GetComponentSizeInBytes(std::uint32_t(accessor.componentType)));
    std::optional<Slice> dense;
    if (accessor.bufferView >= 0) {
        dense = slice(model, accessor.bufferView, accessor.byteOffset, accessor.count, components * size, false, what,
                      problems);
        if (!dense) { return std::nullopt; }
    } else if (!accessor.sparse.isSparse) {
        return broken("its accessor has no buffer view");
    }
    if (!budget.take(accessor.count * components)) {
        return broken(
            fmt::format("with its {} elements the file claims far more numbers than it holds", accessor.count));
    }
    std::vector<double> values(accessor.count * components, 0.0);
    if (dense) {
        for (std::size_t i = 0; i < accessor.count; ++i) {
            for (std::size_t c = 0; c < components; ++c) {
                values[i * components + c] = read_component(dense->data + i * dense->stride + c * size,
                                                            accessor.componentType, accessor.normalized);
            }
        }
    }
    if (accessor.sparse.isSparse) {
        const auto& sparse = accessor.sparse;
        if (sparse.count < 0 || std::size_t(sparse.count) > accessor.count) {
            return broken(fmt::format("it replaces {} of {} elements", sparse.count, accessor.count));
        }
        const int index_type = sparse.indices.componentType;
        if (index_type != TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE &&
            index_type != TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT &&
            index_type != TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT) {
            return broken(fmt::format("its sparse indices have component type {}", index_type));
        }
        const auto changes = std::size_t(sparse.count);
        const auto index_size = std::size_t(tinygltf::GetComponentSizeInBytes(std::uint32_t(index_type)));
        const auto indices = slice(model, sparse.indices.bufferView, std::size_t(sparse.indices.byteOffset), changes,
                                   index_size, true, what, problems);
        if (!indices) { return std::nullopt; }
        const auto replaced = slice(model, sparse.values.bufferView, std::size_t(sparse.values.byteOffset), changes,
                                    components * size, true, what, problems);
        if (!replaced) { return std::nullopt; }
        for (std::size_t i = 0; i < changes; ++i) {
            const auto element = std::size_t(read_component(indices->data + i * indices->stride, index_type, false));
            if (element >= accessor.count) {
                return broken(fmt::format("it replaces element {} of {}", element, accessor.count));
            }
            for (std::size_t c = 0; c < components; ++c) {
                values[element * components + c] = read_component(replaced->data + i * replaced->stride + c * size,
                                                                  accessor.componentType, accessor.normalized);
            }
        }
    }
    if (!all_finite(values)) {
        problems.error("not-finite",
                       fmt::format("{} hold a number that is not finite, or is beyond {:g}; export the file "
                                   "again",
                                   what, farthest));
        return std::nullopt;
    }
    return values;
}

namespace {

/// Folds what brings the body upright into the nodes above it.
void stand_up(GltfScene& scene, const BodyReading& how, FileProblems& problems) {
    const Stance stance = stance_of(scene.rig, how);
    if (!stance.turns && !stance.scales) { return; }
    const Quat& q = stance.turn;
    const Eigen::Quaterniond turn(double(q.w), double(q.x), double(q.y), double(q.z));
    for (std::size_t j = 0; j < scene.joints.size(); ++j) {
        JointNode& joint = scene.joints[j];
        joint.scale *= stance.scale;
        if (scene.rig.joints[j].parent < 0) {
            joint.above = turn.normalized() * (Eigen::Scaling(stance.scale) * joint.above);
        }
    }
    apply(stance, scene.rig);
    if (!stance.words.empty()) { problems.note("turned-body", stance.words + turned_advice); }
}

} // namespace

std::optional<GltfScene> open_gltf(const std::filesystem::path& path, const std::string& skin, FileProblems& problems,
                                   const BodyReading& how, const FileReader& files) {
    GltfScene scene;
    if (!parse(path, files, scene.model, problems) || !find_parents(scene.model, scene.parents, problems) ||
        !check_skins(scene.model, problems)) {
        return std::nullopt;
    }
    scene.order = depth_first(scene.model, scene.parents);
    const auto skins = choose_skins(scene, skin, problems);
    if (problems.failed() || !build_rig(scene, skins, problems)) { return std::nullopt; }
    stand_up(scene, how, problems);
    if (skins.empty()) {
        problems.note("no-skin", fmt::format("the file has no skin; its {} animated nodes are taken as the joints",
                                             scene.rig.joints.size()));
    }
    scene.rig.name = skins.empty() || scene.model.skins[skins[0]].name.empty() ? path.stem().string()
                                                                               : scene.model.skins[skins[0]].name;
    return scene;
}

} // namespace gait::detail
