#include "character/character_data.hpp"
#include "check/braking.hpp"
#include "gait/smoothness.hpp"
#include "perform/block_of.hpp"

#include <algorithm>
#include <cmath>

namespace gait {
using namespace detail;

SnapFrame snap_frame(const Performer& performer, std::size_t layer) {
    const std::size_t joints = performer.character().joint_count();
    SnapFrame frame;
    frame.time = performer.time();
    frame.pose.resize(joints);
    performer.layer_pose(layer, frame.pose);
    // Of a layer that adds nothing is a difference of nothing.
    const bool adds = performer.character().layers()[layer].mode == LayerMode::add;
    for (std::size_t i = 0; i < performer.instance_count(layer); ++i) {
        const InstanceView view = performer.instance(i, layer);
        const bool plays_nothing = performer.character().states()[view.state].nothing;
        if (plays_nothing && !adds) { continue; } // it moves no joint
        MotionSample sample{view.serial,       std::vector<Transform>(joints),
                            view.fade_seconds, view.fade_elapsed,
                            view.ease,         view.transition};
        if (!plays_nothing) { performer.instance_pose(i, sample.pose, layer); }
        frame.motions.push_back(std::move(sample));
    }
    // Where a layer does not count nobody sees how it moves; and where it counts in part beside a motion that counts in
    // full, one gives way to the other sooner than the fade says.
    const KeptList<float>& mask = performer.character().layers()[layer].mask_weights;
    const bool unlike = performer.character().data().layers[layer].has_whole_body;
    for (std::size_t j = 0; j < mask.size(); ++j) {
        if (unlike ? mask[j] >= 1 : mask[j] > 0) { continue; }
        frame.pose[j] = {};
        for (MotionSample& motion : frame.motions) { motion.pose[j] = {}; }
    }
    frame.offset_seconds = performer.offset_seconds(layer);
    frame.offset_elapsed = performer.offset_elapsed(layer);
    return frame;
}

namespace {

/// The turns of all joints against the body as a whole, given those against their parents.
std::vector<Quat> turns_in_model(const Rig& rig, const std::vector<Transform>& local) {
    std::vector<Quat> model;
    for (std::size_t j = 0; j < local.size(); ++j) {
        const int parent = rig.joints[j].parent;
        model.push_back(parent < 0 ? local[j].rotation : model[std::size_t(parent)] * local[j].rotation);
    }
    return model;
}

/// Lays a layer's pose over what is below: `sample.pose` becomes the turns that joints would have where it counts in
/// full, and in model space `sample.over` those where it does not; `below` is what shows then. Everything as
/// `lay_over` does it. `known`: the turns of all joints against the body, where no other layer lies over this one.
void blend_reference(const Rig& rig, const LayerInfo& layer, const std::vector<Quat>* known, MotionSample& sample,
                     std::vector<Transform>& below) {
    const std::vector<float>& weights = sample.weights;
    std::vector<Transform>& target = sample.pose;
    const std::vector<Quat> wanted = turns_in_model(rig, target), alone = turns_in_model(rig, below);
    std::vector<Quat> shown;
    std::vector<float> greatest;
    if (layer.space == LayerSpace::model) { sample.over = below; }
    for (std::size_t j = 0; j < target.size(); ++j) {
        const int parent = rig.joints[j].parent;
        const Quat above = parent < 0 ? Quat{} : (known != nullptr ? *known : shown)[std::size_t(parent)];
        const float carried_by = parent < 0 ? 0 : greatest[std::size_t(parent)];
        const float counts = layer.mask_weights.empty() ? 1 : layer.mask_weights[j];
        if (layer.mode == LayerMode::add) {
            target[j].rotation = target[j].rotation * below[j].rotation;
        } else if (layer.space == LayerSpace::model) {
            target[j].rotation = conjugate(above) * wanted[j];
            if (parent >= 0 && (counts > 0 || counts >= carried_by)) {
                const Quat carry = above * conjugate(alone[std::size_t(parent)]);
                const double part = counts < carried_by ? double(1 - counts / carried_by) : 0;
                below[j].rotation = conjugate(above) * (slerp({}, carry, part) * alone[j]);
            }
            sample.over[j] = below[j];
        }
        below[j].rotation = slerp(below[j].rotation, target[j].rotation, double(weights[j]));
        shown.push_back(above * below[j].rotation);
        greatest.push_back(std::max(counts, carried_by));
    }
}

} // namespace

SnapFrame laid_over_frame(const Performer& performer, const std::vector<bool>& cut) {
    const Character& character = performer.character();
    const std::size_t joints = character.joint_count();
    SnapFrame frame;
    frame.time = performer.time();
    frame.pose.resize(joints);
    performer.pose(frame.pose);
    std::vector<Transform> below(joints);
    performer.layer_pose(0, below);
    frame.motions.push_back({0, below});
    for (std::size_t l = 1; l < character.layers().size(); ++l) {
        MotionSample sample;
        sample.weights.resize(joints);
        performer.layer_weights(l, sample.weights);
        if (std::all_of(sample.weights.begin(), sample.weights.end(), [](float w) { return !(w > 0); })) { continue; }
        sample.pose.resize(joints);
        performer.layer_pose(l, sample.pose);
        sample.id = std::uint32_t(l);
        sample.fade_seconds = l < cut.size() && cut[l] ? 0 : 1;
        const InstanceView newest = performer.instance(performer.instance_count(l) - 1, l);
        sample.transition = newest.transition;
        sample.attributed_to = newest.serial;
        frame.motions.push_back(std::move(sample));
    }
    const std::vector<Quat> shown = turns_in_model(character.rig(), frame.pose);
    for (std::size_t m = 1; m < frame.motions.size(); ++m) {
        const LayerInfo& layer = character.layers()[frame.motions[m].id];
        blend_reference(character.rig(), layer, m + 1 == frame.motions.size() ? &shown : nullptr, frame.motions[m],
                        below);
    }
    // Changes of side that still decay.
    for (std::size_t l = 1; l < character.layers().size(); ++l) {
        const PerformerBlock block = block_of(performer, l);
        if (block.layer().turns_sides == 0) { continue; }
        frame.decaying.resize(joints, 0);
        for (const SideTurn& side : block.side_turns()) {
            const auto& v = side.vector;
            if (side.is_over() || side.joint >= joints) { continue; }
            const double place = std::hypot(v[0], v[1], v[2]) * double(SideTurn::unit) * degrees_per_radian;
            const auto rate = double(side.rate);
            // See `decayed`.
            const double seconds =
                rate < 0 ? std::clamp(-5 / rate, SideTurn::seconds / 4, SideTurn::seconds) : SideTurn::seconds;
            frame.decaying[side.joint] += float(quintic_acceleration(place, place * std::fabs(rate), seconds));
        }
    }
    return frame;
}

} // namespace gait
