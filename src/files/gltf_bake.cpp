#include "files/gltf_scene.hpp"
#include "files/gltf_writer.hpp"
#include "files/write_file.hpp"
#include "gait/gltf.hpp"
#include "math/rotations.hpp"

#include <fmt/core.h>

#include <functional>
#include <map>
#include <optional>
#include <string>

namespace gait {
using namespace detail;
namespace {

/// The scene without its animations and without the data that only they used, in one buffer.
tinygltf::Model without_animations(const tinygltf::Model& source) {
    tinygltf::Model model = source;
    model.animations.clear();
    model.accessors.clear();
    model.bufferViews.clear();
    model.buffers.clear();
    GltfBuffer buffer(model);
    std::map<int, int> views, accessors;
    const auto keep_view = [&](int view) {
        const auto known = views.find(view);
        if (known != views.end()) { return known->second; }
        const auto& old = source.bufferViews[std::size_t(view)];
        const auto& data = source.buffers[std::size_t(old.buffer)].data;
        const int index = buffer.add_view({data.data() + old.byteOffset, old.byteLength}, old.target, old.byteStride);
        return views[view] = index;
    };
    const auto keep_accessor = [&](int accessor) {
        const auto known = accessors.find(accessor);
        if (known != accessors.end()) { return known->second; }
        tinygltf::Accessor kept = source.accessors[std::size_t(accessor)];
        if (kept.bufferView >= 0) { kept.bufferView = keep_view(kept.bufferView); }
        if (kept.sparse.isSparse) {
            kept.sparse.indices.bufferView = keep_view(kept.sparse.indices.bufferView);
            kept.sparse.values.bufferView = keep_view(kept.sparse.values.bufferView);
        }
        model.accessors.push_back(kept);
        return accessors[accessor] = int(model.accessors.size()) - 1;
    };
    for (auto& mesh : model.meshes) {
        for (auto& primitive : mesh.primitives) {
            for (auto& attribute : primitive.attributes) { attribute.second = keep_accessor(attribute.second); }
            if (primitive.indices >= 0) { primitive.indices = keep_accessor(primitive.indices); }
            for (auto& target : primitive.targets) {
                for (auto& attribute : target) { attribute.second = keep_accessor(attribute.second); }
            }
        }
    }
    for (auto& skin : model.skins) {
        if (skin.inverseBindMatrices >= 0) { skin.inverseBindMatrices = keep_accessor(skin.inverseBindMatrices); }
    }
    for (auto& image : model.images) {
        if (image.bufferView >= 0) { image.bufferView = keep_view(image.bufferView); }
    }
    return model;
}

/// Every index the kept scene follows, checked before it is followed.
bool references_hold(const tinygltf::Model& model, FileProblems& problems) {
    bool good = true;
    const auto check_view = [&](int view) {
        const bool holds = view >= 0 && std::size_t(view) < model.bufferViews.size() && [&] {
            const auto& v = model.bufferViews[std::size_t(view)];
            return v.buffer >= 0 && std::size_t(v.buffer) < model.buffers.size() &&
                   v.byteOffset <= model.buffers[std::size_t(v.buffer)].data.size() &&
                   v.byteLength <= model.buffers[std::size_t(v.buffer)].data.size() - v.byteOffset;
        }();
        good = good && holds;
    };
    const auto check_accessor = [&](int accessor) {
        if (accessor < 0 || std::size_t(accessor) >= model.accessors.size()) {
            good = false;
            return;
        }
        const auto& a = model.accessors[std::size_t(accessor)];
        if (a.bufferView >= 0) { check_view(a.bufferView); }
        if (a.sparse.isSparse) {
            check_view(a.sparse.indices.bufferView);
            check_view(a.sparse.values.bufferView);
        }
    };
    for (const auto& mesh : model.meshes) {
        for (const auto& primitive : mesh.primitives) {
            for (const auto& attribute : primitive.attributes) { check_accessor(attribute.second); }
            if (primitive.indices >= 0) { check_accessor(primitive.indices); }
            for (const auto& target : primitive.targets) {
                for (const auto& attribute : target) { check_accessor(attribute.second); }
            }
        }
    }
    for (const auto& image : model.images) {
        if (image.bufferView >= 0) { check_view(image.bufferView); }
    }
    if (!good) { problems.error("broken-file", "its meshes refer to data that is not there; export the file again"); }
    return good;
}

/// A joint's local transform on the rig, as its node in the file wants it.
Transform on_node(const Transform& local, const JointNode& joint, bool root) {
    const Eigen::Vector3d t(double(local.translation.x), double(local.translation.y), double(local.translation.z));
    Transform node = local;
    Eigen::Vector3d moved = t / joint.scale;
    if (root) {
        const Eigen::Quaterniond above(joint.above.linear() / joint.scale);
        const Eigen::Quaterniond own(double(local.rotation.w), double(local.rotation.x), double(local.rotation.y),
                                     double(local.rotation.z));
        const Eigen::Quaterniond q = (above.conjugate() * own).normalized();
        node.rotation = {float(q.x()), float(q.y()), float(q.z()), float(q.w())};
        moved = joint.above.inverse() * t;
    }
    node.translation = {float(moved.x()), float(moved.y()), float(moved.z())};
    return node;
}

void add_motion(tinygltf::Model& model, const GltfScene& scene, const BakedMotion& motion) {
    GltfBuffer buffer(model);
    tinygltf::Animation animation;
    animation.name = motion.name;
    std::vector<float> times;
    for (std::size_t f = 0; f < motion.frames.size(); ++f) {
        times.push_back(float(double(f) / motion.frames_per_second));
    }
    const int time_accessor = buffer.add_floats(times, TINYGLTF_TYPE_SCALAR, 0, true);
    for (std::size_t j = 0; j < scene.joints.size(); ++j) {
        const bool root = scene.rig.joints[j].parent == -1;
        const Transform rest = scene.rig.joints[j].rest;
        bool moves = false, scales = false;
        std::vector<float> rotations, translations, scaling;
        Quat before;
        for (const auto& frame : motion.frames) {
            moves = moves || length(frame[j].translation - rest.translation) > 1e-6F;
            scales = scales || length(frame[j].scale - rest.scale) > 1e-6F;
            const Transform node = on_node(frame[j], scene.joints[j], root);
            const Quat q = on_side_of(before, node.rotation);
            before = q;
            rotations.insert(rotations.end(), {q.x, q.y, q.z, q.w});
            translations.insert(translations.end(), {node.translation.x, node.translation.y, node.translation.z});
            scaling.insert(scaling.end(), {node.scale.x, node.scale.y, node.scale.z});
        }
        const int node = scene.joints[j].node;
        add_channel(animation, time_accessor, buffer.add_floats(rotations, TINYGLTF_TYPE_VEC4), node, "rotation");
        if (moves) {
            add_channel(animation, time_accessor, buffer.add_floats(translations, TINYGLTF_TYPE_VEC3), node,
                        "translation");
        }
        if (scales) {
            add_channel(animation, time_accessor, buffer.add_floats(scaling, TINYGLTF_TYPE_VEC3), node, "scale");
        }
    }
    model.animations.push_back(std::move(animation));
}

/// glTF forbids animating a node that is placed by a matrix.
void place_by_parts(tinygltf::Model& model, const GltfScene& scene) {
    for (std::size_t j = 0; j < scene.joints.size(); ++j) {
        tinygltf::Node& node = model.nodes[std::size_t(scene.joints[j].node)];
        if (node.matrix.empty()) { continue; }
        const Transform rest = on_node(scene.rig.joints[j].rest, scene.joints[j], scene.rig.joints[j].parent == -1);
        node.matrix.clear();
        node.rotation = {double(rest.rotation.x), double(rest.rotation.y), double(rest.rotation.z),
                         double(rest.rotation.w)};
        node.translation = {double(rest.translation.x), double(rest.translation.y), double(rest.translation.z)};
        node.scale = {double(rest.scale.x), double(rest.scale.y), double(rest.scale.z)};
    }
}

/// A scene of nothing but joints.
GltfScene bare_scene(const Rig& rig) {
    GltfScene scene;
    scene.rig = rig;
    tinygltf::Model& model = scene.model;
    model.asset.version = "2.0";
    tinygltf::Scene& shown = model.scenes.emplace_back();
    tinygltf::Skin skin;
    skin.name = rig.name;
    std::vector<float> binds;
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const Joint& joint = rig.joints[j];
        tinygltf::Node node;
        node.name = joint.name;
        node.rotation = {double(joint.rest.rotation.x), double(joint.rest.rotation.y), double(joint.rest.rotation.z),
                         double(joint.rest.rotation.w)};
        node.translation = {double(joint.rest.translation.x), double(joint.rest.translation.y),
                            double(joint.rest.translation.z)};
        model.nodes.push_back(std::move(node));
        if (joint.parent >= 0) {
            model.nodes[std::size_t(joint.parent)].children.push_back(int(j));
        } else {
            shown.nodes.push_back(int(j));
        }
        skin.joints.push_back(int(j));
        const auto& bind = joint.inverse_bind.elements;
        binds.insert(binds.end(), std::begin(bind), std::end(bind));
        JointNode own;
        own.node = int(j);
        scene.joints.push_back(own);
    }
    model.defaultScene = 0;
    GltfBuffer buffer(model);
    skin.inverseBindMatrices = buffer.add_floats(binds, TINYGLTF_TYPE_MAT4);
    model.skins.push_back(std::move(skin));
    return scene;
}

Diagnostics write_scene(tinygltf::Model& model, const std::filesystem::path& out) {
    model.asset.generator = "Pliant Gait";
    const std::string bytes = to_glb(model);
    FileProblems written(out.string());
    if (bytes.empty()) {
        written.error("unwritable-file", "the scene cannot be written as .glb");
    } else if (const auto problem = write_file(out, bytes)) {
        written.error("unwritable-file", *problem);
    }
    return written.take();
}

/// The same motion with its joints as a rig has them; nothing where one is missing.
std::optional<BakedMotion> in_order_of(const Rig& rig, const BakedMotion& motion) {
    std::map<std::string, std::size_t> place_of;
    for (std::size_t j = 0; j < motion.joints.size(); ++j) { place_of.emplace(motion.joints[j], j); }
    std::vector<std::size_t> places;
    for (const Joint& joint : rig.joints) {
        const auto found = place_of.find(joint.name);
        if (found == place_of.end()) { return std::nullopt; }
        places.push_back(found->second);
    }
    BakedMotion ordered = motion;
    for (std::size_t f = 0; f < motion.frames.size(); ++f) {
        for (std::size_t j = 0; j < places.size(); ++j) { ordered.frames[f][j] = motion.frames[f].at(places[j]); }
    }
    return ordered;
}

} // namespace

Diagnostics bake_gltf(const Rig& rig, const BakedMotion& motion, const std::filesystem::path& out) {
    for (const auto& frame : motion.frames) {
        if (frame.size() == rig.joints.size()) { continue; }
        FileProblems problems(out.string());
        problems.error("other-rig",
                       fmt::format("the motion has {} joints and the rig {}", frame.size(), rig.joints.size()));
        return problems.take();
    }
    GltfScene scene = bare_scene(rig);
    add_motion(scene.model, scene, motion);
    return write_scene(scene.model, out);
}

Diagnostics bake_gltf(const std::filesystem::path& source, const BakedMotion& motion, const std::filesystem::path& out,
                      const std::string& skin, const BodyReading& how) {
    FileProblems problems(source.string());
    const auto scene = open_gltf(source, skin, problems, how);
    if (!scene || !references_hold(scene->model, problems)) { return problems.take(); }
    for (const auto& frame : motion.frames) {
        if (frame.size() == scene->joints.size()) { continue; }
        problems.error("other-rig", fmt::format("the motion has {} joints and the file's rig {}", frame.size(),
                                                scene->joints.size()));
        return problems.take();
    }
    tinygltf::Model model = without_animations(scene->model);
    place_by_parts(model, *scene);
    if (motion.joints.empty()) {
        add_motion(model, *scene, motion);
    } else if (const auto ordered = in_order_of(scene->rig, motion)) {
        add_motion(model, *scene, *ordered);
    } else {
        problems.error("other-rig", "the motion's joints are not called as those of the file's rig");
        return problems.take();
    }
    return write_scene(model, out);
}

} // namespace gait
