#include "files/clips_home.hpp"
#include "files/gltf_scene.hpp"
#include "gait/gltf.hpp"
#include "math/bounds.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <map>

namespace gait {
using namespace detail;
namespace {

/// Times and values of a sampler, shared by the channels that use it.
struct Keys {
    std::vector<double> times;
    Interpolation interpolation = Interpolation::linear;
};

class AnimationReader {
public:
    AnimationReader(const GltfScene& scene, FileProblems& problems)
        : scene_(scene), budget_(scene.model), problems_(problems) {
        for (std::size_t j = 0; j < scene.joints.size(); ++j) { joint_of_[scene.joints[j].node] = j; }
    }

    /// One animation; what it moves beside the joints is counted in `elsewhere`.
    std::optional<ClipSource> read(const tinygltf::Animation& animation, const std::string& name, int& elsewhere) {
        ClipSource clip;
        clip.name = name;
        for (const Joint& joint : scene_.rig.joints) { clip.joints.push_back(joint.name); }
        clip.tracks.resize(clip.joints.size());
        for (const auto& channel : animation.channels) {
            const auto joint = joint_of_.find(channel.target_node);
            if (channel.target_node >= int(scene_.model.nodes.size())) {
                problems_.error("broken-file",
                                fmt::format("clip '{}' moves node {}, and there are {} nodes; export the file again",
                                            name, channel.target_node, scene_.model.nodes.size()));
                return std::nullopt;
            }
            if (channel.target_path == "weights") {
                if (!read_weights(animation, channel, name, clip)) { return std::nullopt; }
                continue;
            }
            const bool moves_joint =
                joint != joint_of_.end() && (channel.target_path == "rotation" ||
                                             channel.target_path == "translation" || channel.target_path == "scale");
            if (!moves_joint) {
                ++elsewhere;
                continue;
            }
            if (!read_channel(animation, channel, name, joint->second, clip)) { return std::nullopt; }
        }
        if (clip.seconds > longest_clip) {
            problems_.error(
                "too-long",
                fmt::format("clip '{}' lasts {:.0f} seconds and {:.0f} are possible; its times may be in another unit",
                            name, clip.seconds, longest_clip));
            return std::nullopt;
        }
        return clip;
    }

private:
    /// The names of a mesh's morph targets: as exporters write them beside the mesh, or counted.
    [[nodiscard]] std::vector<std::string> target_names(int node) const {
        const int mesh = scene_.model.nodes[std::size_t(node)].mesh;
        if (mesh < 0 || std::size_t(mesh) >= scene_.model.meshes.size()) { return {}; }
        const auto& source = scene_.model.meshes[std::size_t(mesh)];
        std::vector<std::string> names;
        const std::size_t count = source.primitives.empty() ? 0 : source.primitives.front().targets.size();
        for (std::size_t t = 0; t < count; ++t) {
            std::string name = fmt::format("{}_{}", source.name.empty() ? "morph" : source.name, t);
            if (source.extras.IsObject() && source.extras.Has("targetNames")) {
                const auto& given = source.extras.Get("targetNames");
                if (given.IsArray() && t < given.ArrayLen() && given.Get(int(t)).IsString()) {
                    name = given.Get(int(t)).Get<std::string>();
                }
            }
            names.push_back(name);
        }
        return names;
    }

    /// A number track for each morph target; a cubic spline's tangents are left out and its values joined straight.
    bool read_weights(const tinygltf::Animation& animation, const tinygltf::AnimationChannel& channel,
                      const std::string& clip_name, ClipSource& clip) {
        const std::string what = fmt::format("the weights of clip '{}'", clip_name);
        const auto names = channel.target_node < 0 ? std::vector<std::string>{} : target_names(channel.target_node);
        if (names.empty() || channel.sampler < 0 || std::size_t(channel.sampler) >= animation.samplers.size()) {
            problems_.error(
                "broken-file",
                fmt::format("{} cannot be read: they belong to no mesh with morph targets; export the file again",
                            what));
            return false;
        }
        const auto& sampler = animation.samplers[std::size_t(channel.sampler)];
        const auto times = read_accessor(scene_.model, sampler.input, TINYGLTF_TYPE_SCALAR, what, budget_, problems_);
        const auto values =
            times ? read_accessor(scene_.model, sampler.output, TINYGLTF_TYPE_SCALAR, what, budget_, problems_)
                  : std::nullopt;
        if (!times || !values) { return false; }
        const bool spline = sampler.interpolation == "CUBICSPLINE";
        const std::size_t a_key = names.size() * (spline ? 3 : 1);
        if (times->empty() || values->size() != times->size() * a_key || times->front() < 0 ||
            !std::is_sorted(times->begin(), times->end(), std::less_equal<>())) {
            problems_.error(
                "broken-file",
                fmt::format("{} cannot be read: {} times and {} values for {} morph targets; export the file again",
                            what, times->size(), values->size(), names.size()));
            return false;
        }
        for (std::size_t t = 0; t < names.size(); ++t) {
            NumberTrack track;
            track.name = names[t];
            track.values.interpolation = sampler.interpolation == "STEP" ? Interpolation::step : Interpolation::linear;
            track.values.times = *times;
            for (std::size_t k = 0; k < times->size(); ++k) {
                track.values.values.push_back(float((*values)[k * a_key + (spline ? names.size() : 0) + t]));
            }
            clip.numbers.push_back(std::move(track));
        }
        clip.seconds = std::max(clip.seconds, times->back());
        clip.keys = std::max(clip.keys, int(times->size()));
        return true;
    }

    bool read_channel(const tinygltf::Animation& animation, const tinygltf::AnimationChannel& channel,
                      const std::string& clip_name, std::size_t joint, ClipSource& clip) {
        const std::string what =
            fmt::format("the keys of clip '{}' on '{}' ({})", clip_name, clip.joints[joint], channel.target_path);
        if (channel.sampler < 0 || std::size_t(channel.sampler) >= animation.samplers.size()) {
            problems_.error("broken-file",
                            fmt::format("{} cannot be read: they name sampler {} of {}; export the file again", what,
                                        channel.sampler, animation.samplers.size()));
            return false;
        }
        const auto& sampler = animation.samplers[std::size_t(channel.sampler)];
        Keys keys;
        const auto times = read_accessor(scene_.model, sampler.input, TINYGLTF_TYPE_SCALAR, what, budget_, problems_);
        if (!times) { return false; }
        keys.times = *times;
        if (keys.times.empty() || !std::is_sorted(keys.times.begin(), keys.times.end(), std::less_equal<>()) ||
            keys.times.front() < 0) {
            problems_.error(
                "broken-file",
                fmt::format("{} cannot be read: their times do not rise from zero; export the file again", what));
            return false;
        }
        if (sampler.interpolation == "STEP") {
            keys.interpolation = Interpolation::step;
        } else if (sampler.interpolation == "CUBICSPLINE") {
            keys.interpolation = Interpolation::cubic_spline;
        } else if (sampler.interpolation != "LINEAR" && !sampler.interpolation.empty()) {
            problems_.error("broken-file", fmt::format("{} cannot be read: interpolation '{}' is unknown", what,
                                                       sampler.interpolation));
            return false;
        }
        const bool rotation = channel.target_path == "rotation";
        const auto values = read_accessor(scene_.model, sampler.output,
                                          rotation ? TINYGLTF_TYPE_VEC4 : TINYGLTF_TYPE_VEC3, what, budget_, problems_);
        if (!values) { return false; }
        const std::size_t a_key = keys.interpolation == Interpolation::cubic_spline ? 3 : 1;
        const std::size_t components = rotation ? 4 : 3;
        if (values->size() != keys.times.size() * a_key * components) {
            problems_.error("broken-file",
                            fmt::format("{} cannot be read: {} times and {} values; export the file again", what,
                                        keys.times.size(), values->size() / components));
            return false;
        }
        clip.seconds = std::max(clip.seconds, keys.times.back());
        clip.keys = std::max(clip.keys, int(keys.times.size()));
        JointTracks& tracks = clip.tracks[joint];
        if (rotation) { return fill_rotations(keys, *values, joint, what, tracks.rotation); }
        fill_vectors(keys, *values, joint, channel.target_path == "translation",
                     channel.target_path == "translation" ? tracks.translation : tracks.scale);
        return true;
    }

    bool fill_rotations(const Keys& keys, const std::vector<double>& values, std::size_t joint, const std::string& what,
                        Track<Quat>& track) {
        const JointNode& node = scene_.joints[joint];
        const Eigen::Quaterniond above(scene_.rig.joints[joint].parent == -1
                                           ? Eigen::Matrix3d(node.above.linear() / node.scale)
                                           : Eigen::Matrix3d::Identity());
        track.interpolation = keys.interpolation;
        track.times = keys.times;
        for (std::size_t i = 0; i < values.size(); i += 4) {
            Eigen::Quaterniond q(values[i + 3], values[i], values[i + 1], values[i + 2]);
            const bool is_value = keys.interpolation != Interpolation::cubic_spline || (i / 4) % 3 == 1;
            if (is_value) {
                if (q.norm() < 1e-6) {
                    problems_.error(
                        "broken-file",
                        fmt::format("{} cannot be read: a rotation has zero length; export the file again", what));
                    return false;
                }
                q.normalize();
            }
            q = above * q;
            track.values.push_back({float(q.x()), float(q.y()), float(q.z()), float(q.w())});
        }
        return true;
    }

    void fill_vectors(const Keys& keys, const std::vector<double>& values, std::size_t joint, bool translation,
                      Track<Vec3>& track) {
        const JointNode& node = scene_.joints[joint];
        const bool root = scene_.rig.joints[joint].parent == -1;
        track.interpolation = keys.interpolation;
        track.times = keys.times;
        for (std::size_t i = 0; i < values.size(); i += 3) {
            Eigen::Vector3d v(values[i], values[i + 1], values[i + 2]);
            const bool is_value = keys.interpolation != Interpolation::cubic_spline || (i / 3) % 3 == 1;
            if (translation && root) {
                v = is_value ? Eigen::Vector3d(node.above * v) : Eigen::Vector3d(node.above.linear() * v);
            } else if (translation) {
                v *= node.scale;
            }
            track.values.push_back({float(v.x()), float(v.y()), float(v.z())});
        }
    }

    const GltfScene& scene_;
    ReadBudget budget_;
    FileProblems& problems_;
    std::map<int, std::size_t> joint_of_;
};

std::vector<std::filesystem::path> files_of(const tinygltf::Model& model, const std::filesystem::path& path) {
    std::vector<std::filesystem::path> files{path};
    const auto add = [&](const std::string& uri) {
        if (!uri.empty()) { files.push_back(path.parent_path() / uri); }
    };
    for (const tinygltf::Buffer& buffer : model.buffers) { add(buffer.uri); }
    for (const tinygltf::Image& image : model.images) { add(image.uri); }
    return files;
}

} // namespace

ImportResult import_gltf(const std::filesystem::path& path, const std::string& skin, const BodyReading& how,
                         const FileReader& files) {
    FileProblems problems(path.string());
    ImportResult result;
    auto scene = open_gltf(path, skin, problems, how, files);
    if (!scene) {
        result.diagnostics = problems.take();
        return result;
    }
    ImportedFile file;
    file.files = files_of(scene->model, path);
    AnimationReader reader(*scene, problems);
    NameList names;
    for (std::size_t a = 0; a < scene->model.animations.size() && !problems.failed(); ++a) {
        const auto& animation = scene->model.animations[a];
        const std::string name = animation.name.empty() ? fmt::format("animation_{}", a) : animation.name;
        const std::string unique = names.told_apart(name);
        if (unique != name) {
            problems.warn("doubled-clip",
                          fmt::format("two animations are called '{}'; the second is taken as '{}'", name, unique));
        }
        int elsewhere = 0;
        auto clip = reader.read(animation, unique, elsewhere);
        if (!clip) { continue; }
        if (clip->keys == 0) {
            problems.warn("empty-clip",
                          fmt::format("clip '{}' moves no joint of '{}'; it is left out", unique, scene->rig.name));
            continue;
        }
        if (elsewhere > 0) {
            problems.note("other-tracks",
                          fmt::format("clip '{}' also moves {} thing{} that {} no joint; {} left out", unique,
                                      elsewhere, elsewhere == 1 ? "" : "s", elsewhere == 1 ? "is" : "are",
                                      elsewhere == 1 ? "it is" : "they are"));
        }
        file.clips.push_back(std::move(*clip));
    }
    file.rig = std::move(scene->rig);
    if (const std::string home = bring_clips_home(file, how); !home.empty()) { problems.note("turned-clips", home); }
    if (!problems.failed()) { result.file = std::move(file); }
    result.diagnostics = problems.take();
    return result;
}

} // namespace gait
