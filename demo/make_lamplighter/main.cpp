// Makes the lamplighter: her rig, her skin and her clips, as one .glb. The same bytes on every run.
#include "../lamplighter_facts.hpp"
#include "acts.hpp"
#include "gait_model.hpp"
#include "harbour_master.hpp"
#include "skin.hpp"

#include "files/gltf_writer.hpp"
#include "files/write_file.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <functional>

namespace {

using namespace lamplighter;

/// Values are rounded, so that another processor's last bit does not change the file.
float tidy(double value) {
    const double rounded = std::round(value * 1e6) / 1e6;
    return float(rounded == 0 ? 0.0 : rounded);
}

void add_nodes(const Skeleton& skeleton, tinygltf::Model& model) {
    for (std::size_t j = 0; j < skeleton.joints().size(); ++j) {
        tinygltf::Node node;
        node.name = skeleton.joints()[j].name;
        const Eigen::Vector3d offset = skeleton.offset(int(j));
        node.translation = {double(tidy(offset.x())), double(tidy(offset.y())), double(tidy(offset.z()))};
        model.nodes.push_back(node);
        const int parent = skeleton.joints()[j].parent;
        if (parent >= 0) { model.nodes[std::size_t(parent)].children.push_back(int(j)); }
    }
}

void add_skin(const Skeleton& skeleton, tinygltf::Model& model, gait::detail::GltfBuffer& buffer) {
    tinygltf::Skin skin;
    skin.name = "lamplighter";
    std::vector<float> bind;
    for (std::size_t j = 0; j < skeleton.joints().size(); ++j) {
        skin.joints.push_back(int(j));
        const Eigen::Vector3d p = skeleton.joints()[j].position;
        bind.insert(bind.end(), {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, tidy(-p.x()), tidy(-p.y()), tidy(-p.z()), 1});
    }
    skin.inverseBindMatrices = buffer.add_floats(bind, TINYGLTF_TYPE_MAT4);
    model.skins.push_back(skin);
}

void add_mesh(const Skeleton& skeleton, tinygltf::Model& model, gait::detail::GltfBuffer& buffer) {
    tinygltf::Mesh mesh;
    mesh.name = "body";
    for (const SkinPart& part : make_skin(skeleton)) {
        tinygltf::Material material;
        material.name = part.material;
        material.pbrMetallicRoughness.baseColorFactor = {part.colour[0], part.colour[1], part.colour[2], 1};
        material.pbrMetallicRoughness.metallicFactor = 0;
        material.pbrMetallicRoughness.roughnessFactor = 0.9;
        model.materials.push_back(material);

        std::vector<float> positions, normals, weights;
        std::vector<unsigned char> joints;
        for (const SkinVertex& v : part.vertices) {
            positions.insert(positions.end(), {tidy(v.position.x()), tidy(v.position.y()), tidy(v.position.z())});
            normals.insert(normals.end(), {tidy(v.normal.x()), tidy(v.normal.y()), tidy(v.normal.z())});
            double left = 1; // weights must sum to 1 after rounding, too
            for (std::size_t i = 0; i < 4; ++i) {
                const bool last = i == 3 || v.weights[i + 1] <= 0;
                const double weight = left <= 0 || v.weights[i] <= 0 ? 0 : last ? left : double(tidy(v.weights[i]));
                left = last ? 0 : left - weight;
                weights.push_back(float(weight));
                joints.push_back(static_cast<unsigned char>(weight > 0 ? v.joints[i] : 0));
            }
        }
        tinygltf::Primitive primitive;
        primitive.attributes["POSITION"] =
            buffer.add_floats(positions, TINYGLTF_TYPE_VEC3, TINYGLTF_TARGET_ARRAY_BUFFER, true);
        primitive.attributes["NORMAL"] = buffer.add_floats(normals, TINYGLTF_TYPE_VEC3, TINYGLTF_TARGET_ARRAY_BUFFER);
        primitive.attributes["JOINTS_0"] = buffer.add_bytes(joints, TINYGLTF_TYPE_VEC4, TINYGLTF_TARGET_ARRAY_BUFFER);
        primitive.attributes["WEIGHTS_0"] =
            buffer.add_floats(weights, TINYGLTF_TYPE_VEC4, TINYGLTF_TARGET_ARRAY_BUFFER);
        primitive.indices =
            buffer.add_shorts(part.triangles, TINYGLTF_TYPE_SCALAR, TINYGLTF_TARGET_ELEMENT_ARRAY_BUFFER);
        primitive.material = int(model.materials.size()) - 1;
        primitive.mode = TINYGLTF_MODE_TRIANGLES;
        mesh.primitives.push_back(primitive);
    }
    model.meshes.push_back(mesh);
    tinygltf::Node node;
    node.name = "body";
    node.mesh = 0;
    node.skin = 0;
    model.nodes.push_back(node);
}

/// `keys` even keys from 0 to the end; a loop's last is its first.
void add_clip(const Skeleton& skeleton, tinygltf::Model& model, gait::detail::GltfBuffer& buffer, const Act& act,
              int keys) {
    std::vector<float> times;
    std::vector<SkeletonPose> poses;
    for (int k = 0; k < keys; ++k) {
        const double at = act.seconds * k / (keys - 1);
        times.push_back(float(at));
        poses.push_back(act.pose(act.loops && k == keys - 1 ? 0.0 : at));
    }
    const std::string& name = act.name;
    tinygltf::Animation animation;
    animation.name = name;
    const int time_accessor = buffer.add_floats(times, TINYGLTF_TYPE_SCALAR, 0, true);
    for (std::size_t j = 0; j < skeleton.joints().size(); ++j) {
        std::vector<float> values;
        Eigen::Quaterniond before = Eigen::Quaterniond::Identity();
        bool moves = false;
        for (const SkeletonPose& pose : poses) {
            Eigen::Quaterniond q = pose.rotations[j].normalized();
            if (q.dot(before) < 0) { q.coeffs() *= -1; }
            before = q;
            moves = moves || q.angularDistance(Eigen::Quaterniond::Identity()) > 1e-6;
            values.insert(values.end(), {tidy(q.x()), tidy(q.y()), tidy(q.z()), tidy(q.w())});
        }
        if (moves) {
            gait::detail::add_channel(animation, time_accessor, buffer.add_floats(values, TINYGLTF_TYPE_VEC4), int(j),
                                      "rotation");
        }
    }
    std::vector<float> places;
    for (const SkeletonPose& pose : poses) {
        places.insert(places.end(), {tidy(pose.hips.x()), tidy(pose.hips.y()), tidy(pose.hips.z())});
    }
    gait::detail::add_channel(animation, time_accessor, buffer.add_floats(places, TINYGLTF_TYPE_VEC3), 0,
                              "translation");
    model.animations.push_back(animation);
}

/// Strolling and trotting in eight directions, in place; and going their way, with the way in the hips.
void add_directions(const Skeleton& skeleton, tinygltf::Model& model, gait::detail::GltfBuffer& buffer,
                    const std::function<int(double, double)>& keys_at) {
    for (const Gait& gait : gaits) {
        if (gait.name == "run") { continue; }
        for (const Direction& direction : directions) {
            const GaitModel body(skeleton, gait, direction.toward);
            const double seconds = body.gait().seconds, speed = body.gait().speed, way = direction.toward * pi / 180;
            const std::string name = std::string(gait.name) + std::string(direction.suffix);
            if (direction.toward != 0) {
                add_clip(skeleton, model, buffer,
                         {name, seconds, true, [&](double at) { return body.pose(at / seconds); }},
                         keys_at(seconds, 60));
            }
            // Its last key is not its first: the way lies between them.
            add_clip(skeleton, model, buffer,
                     {name + "_going", seconds, false,
                      [&](double at) {
                          SkeletonPose pose = body.pose(std::abs(at - seconds) < 1e-9 ? 0 : at / seconds);
                          pose.hips += Eigen::Vector3d(-std::sin(way), 0, std::cos(way)) * speed * at;
                          return pose;
                      }},
                     keys_at(seconds, 60));
        }
    }
}

} // namespace

int main(int argument_count, char** arguments) {
    if (argument_count != 3) {
        std::fputs("usage: make_lamplighter LAMPLIGHTER.glb HARBOUR_MASTER.glb\n", stderr);
        return 2;
    }
    const Skeleton skeleton;
    tinygltf::Model model;
    model.asset.version = "2.0";
    model.asset.generator = "make_lamplighter, of Pliant Gait";
    gait::detail::GltfBuffer buffer(model);
    add_nodes(skeleton, model);
    add_skin(skeleton, model, buffer);
    add_mesh(skeleton, model, buffer);
    tinygltf::Scene scene;
    scene.name = "harbour";
    scene.nodes = {0, int(model.nodes.size()) - 1};
    model.scenes.push_back(scene);
    model.defaultScene = 0;

    const auto keys_at = [](double seconds, double rate) { return std::max(2, int(std::lround(seconds * rate)) + 1); };
    add_clip(skeleton, model, buffer,
             {"stand", stand_seconds, true, [&](double at) { return standing(skeleton, at / stand_seconds); }},
             keys_at(stand_seconds, 30));
    for (const Gait& gait : gaits) {
        const GaitModel body(skeleton, gait);
        add_clip(skeleton, model, buffer,
                 {std::string(gait.name), gait.seconds, true, [&](double at) { return body.pose(at / gait.seconds); }},
                 keys_at(gait.seconds, 60));
    }
    add_directions(skeleton, model, buffer, keys_at);
    const GaitModel crouched(skeleton, crouch, 0, crouch_depth);
    add_clip(skeleton, model, buffer,
             {"crouch", crouch.seconds, true, [&](double at) { return crouched.pose(at / crouch.seconds); }},
             keys_at(crouch.seconds, 60));
    for (const Act& act : acts(skeleton)) { add_clip(skeleton, model, buffer, act, keys_at(act.seconds, 30)); }
    for (const Act& act : starts_and_stops(skeleton)) {
        add_clip(skeleton, model, buffer, act, keys_at(act.seconds, 60));
    }
    for (const Act& act : leaps(skeleton)) { add_clip(skeleton, model, buffer, act, keys_at(act.seconds, 60)); }
    tinygltf::Model master = make_harbour_master(skeleton);
    for (const auto& [path, made] : {std::pair(arguments[1], &model), std::pair(arguments[2], &master)}) {
        const std::string bytes = gait::detail::to_glb(*made);
        if (const auto problem = gait::detail::write_file(path, bytes); bytes.empty() || problem) {
            std::fprintf(stderr, "make_lamplighter: %s %s\n", path, problem ? problem->c_str() : "cannot be made");
            return 2;
        }
        std::printf("%s: %zu joints, %zu clips, %zu bytes\n", path, skeleton.joints().size(), made->animations.size(),
                    bytes.size());
    }
    return 0;
}
