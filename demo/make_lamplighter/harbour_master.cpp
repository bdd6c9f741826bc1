#include "harbour_master.hpp"

#include "gait_model.hpp"

#include "files/gltf_writer.hpp"

#include <cmath>

namespace lamplighter {
namespace {

using Eigen::Quaterniond;
using Eigen::Vector3d;

constexpr double legs = 1.12, arms = 0.93, centimetres = 100;

double tidy(double value) {
    const double rounded = std::round(value * 1e6) / 1e6;
    return rounded == 0 ? 0.0 : rounded;
}

/// `left_upper_leg` is `HM UpperLeg L` here.
std::string his_name(const std::string& ours) {
    std::string side, stem = ours;
    for (const auto& [word, letter] : {std::pair<std::string, std::string>{"left_", " L"}, {"right_", " R"}}) {
        if (ours.starts_with(word)) {
            side = letter;
            stem = ours.substr(word.size());
        }
    }
    std::string name = "HM ";
    bool begins = true;
    for (const char c : stem) {
        if (c == '_') {
            begins = true;
            continue;
        }
        name += begins ? char(std::toupper(static_cast<unsigned char>(c))) : c;
        begins = false;
    }
    return name + side;
}

/// From +Y up to +Z up.
Vector3d upended(const Vector3d& v) { return {v.x(), -v.z(), v.y()}; }
Quaterniond upended(const Quaterniond& q) { return {q.w(), q.x(), -q.z(), q.y()}; }

Vector3d his_offset(const Skeleton& skeleton, int joint) {
    const std::string& name = skeleton.joints()[std::size_t(joint)].name;
    const bool leg = name.find("leg") != std::string::npos || name.find("foot") != std::string::npos ||
                     name.find("toes") != std::string::npos || joint == 0;
    const bool arm = name.find("arm") != std::string::npos || name.find("hand") != std::string::npos;
    return upended(skeleton.offset(joint)) * (leg ? legs : arm ? arms : 1) * centimetres;
}

void add_clip(const Skeleton& skeleton, tinygltf::Model& model, gait::detail::GltfBuffer& buffer,
              const std::string& name, double seconds, int keys, const GaitModel& body, double last_phase) {
    tinygltf::Animation animation;
    animation.name = name;
    std::vector<float> times;
    for (int k = 0; k < keys; ++k) { times.push_back(float(tidy(seconds * k / (keys - 1)))); }
    const int time_accessor = buffer.add_floats(times, TINYGLTF_TYPE_SCALAR, 0, true);
    std::vector<SkeletonPose> poses;
    for (int k = 0; k < keys; ++k) { poses.push_back(body.pose(last_phase * k / (keys - 1))); }
    for (std::size_t j = 0; j < skeleton.joints().size(); ++j) {
        std::vector<float> values;
        Quaterniond before = Quaterniond::Identity();
        for (const SkeletonPose& pose : poses) {
            Quaterniond q = upended(pose.rotations[j].normalized());
            if (q.dot(before) < 0) { q.coeffs() *= -1; }
            before = q;
            for (const double c : {q.x(), q.y(), q.z(), q.w()}) { values.push_back(float(tidy(c))); }
        }
        gait::detail::add_channel(animation, time_accessor, buffer.add_floats(values, TINYGLTF_TYPE_VEC4), int(j) + 1,
                                  "rotation");
    }
    std::vector<float> places;
    for (const SkeletonPose& pose : poses) {
        const Vector3d hips = upended(pose.hips) * legs * centimetres;
        for (const double c : {hips.x(), hips.y(), hips.z()}) { places.push_back(float(tidy(c))); }
    }
    gait::detail::add_channel(animation, time_accessor, buffer.add_floats(places, TINYGLTF_TYPE_VEC3), 1,
                              "translation");
    model.animations.push_back(animation);
}

} // namespace

tinygltf::Model make_harbour_master(const Skeleton& skeleton) {
    tinygltf::Model model;
    model.asset.version = "2.0";
    model.asset.generator = "make_lamplighter, of Pliant Gait";
    gait::detail::GltfBuffer buffer(model);
    tinygltf::Node armature;
    armature.name = "Armature";
    armature.rotation = {-std::sqrt(0.5), 0, 0, std::sqrt(0.5)};
    armature.scale = {1 / centimetres, 1 / centimetres, 1 / centimetres};
    armature.children = {1};
    model.nodes.push_back(armature);
    for (std::size_t j = 0; j < skeleton.joints().size(); ++j) {
        tinygltf::Node node;
        node.name = his_name(skeleton.joints()[j].name);
        const Vector3d offset = his_offset(skeleton, int(j));
        node.translation = {tidy(offset.x()), tidy(offset.y()), tidy(offset.z())};
        model.nodes.push_back(node);
        const int parent = skeleton.joints()[j].parent;
        if (parent >= 0) { model.nodes[std::size_t(parent) + 1].children.push_back(int(j) + 1); }
    }
    tinygltf::Scene scene;
    scene.name = "harbour office";
    scene.nodes = {0};
    model.scenes.push_back(scene);
    model.defaultScene = 0;
    const GaitModel body(skeleton, gaits[0]);
    add_clip(skeleton, model, buffer, "Amble", 1.1, 34, body, 1);
    add_clip(skeleton, model, buffer, "Amble rough", 1.07, 33, body, 0.97);
    return model;
}

} // namespace lamplighter
