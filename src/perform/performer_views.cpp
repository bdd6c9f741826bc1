// A performer's pose, in whatever form, and what plays in it.
#include "gait/character.hpp"
#include "gait/performer.hpp"
#include "math/model_kernels.hpp"
#include "perform/blend_layers.hpp"
#include "perform/block_of.hpp"
#include "perform/evaluate.hpp"
#include "perform/frame.hpp"
#include "perform/machine_step.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <cstddef>

namespace gait {
using namespace detail;
namespace {

/// Joint `lane` of rows `stride` apart.
Transform transform_at(const float* rows, std::size_t stride, std::size_t lane, bool scales) {
    const float* p = rows + lane;
    Transform t{
        {p[0], p[stride], p[2 * stride], p[3 * stride]}, {p[4 * stride], p[5 * stride], p[6 * stride]}, {1, 1, 1}};
    if (scales) { t.scale = {p[7 * stride], p[8 * stride], p[9 * stride]}; }
    return t;
}

// The kernels write transforms as numbers.
static_assert(sizeof(Transform) == 10 * sizeof(float) && offsetof(Transform, translation) == 4 * sizeof(float) &&
              offsetof(Transform, scale) == 7 * sizeof(float));

/// A pose's rows, for the kernels.
kernels::LocalPose local_pose(const CharacterData& data, const float* rows) {
    const std::size_t lanes = data.layout.lanes;
    kernels::LocalPose pose{{rows, lanes},       {rows + 4 * lanes, lanes}, {},
                            data.parents.data(), data.level_order.data(),   data.rig.joints.size()};
    if (data.scales) { pose.scales = {rows + 7 * lanes, lanes}; }
    return pose;
}

/// The pose as it is now, made if nobody has asked for it yet.
const float* shown_pose(const CharacterData& data, const PerformerBlock& block) {
    make_pose(data, block);
    return block.pose();
}

} // namespace

void Performer::pose(std::span<Transform> out) const {
    const CharacterData& data = character_->data();
    const float* rows = shown_pose(data, block_of(*this));
    const std::size_t count = std::min(out.size(), data.rig.joints.size());
    if (count > 0) { kernels::local_transforms(local_pose(data, rows), count, &out.front().rotation.x); }
}

void Performer::model_pose(std::span<Transform> out) const {
    const CharacterData& data = character_->data();
    const float* rows = shown_pose(data, block_of(*this));
    if (!data.scales && out.size() >= data.rig.joints.size()) {
        kernels::model_transforms(local_pose(data, rows), &out.front().rotation.x, 10);
        for (std::size_t j = 0; j < data.rig.joints.size(); ++j) { out[j].scale = {1, 1, 1}; }
        return;
    }
    // Level by level: a joint's neighbours there do not wait for it, as its children would.
    for (const std::uint16_t j : data.level_order) {
        if (j >= out.size()) { continue; }
        const Transform own = transform_at(rows, data.layout.lanes, j, data.scales);
        out[j] = data.parents[j] < 0 ? own : out[std::size_t(data.parents[j])] * own;
    }
}

Transform Performer::model_transform(std::size_t joint) const {
    const CharacterData& data = character_->data();
    if (joint >= data.rig.joints.size()) { return {}; }
    const float* rows = shown_pose(data, block_of(*this));
    Transform transform = transform_at(rows, data.layout.lanes, joint, data.scales);
    for (int up = data.parents[joint]; up >= 0; up = data.parents[std::size_t(up)]) {
        transform = transform_at(rows, data.layout.lanes, std::size_t(up), data.scales) * transform;
    }
    return transform;
}

void Performer::model_matrices(std::span<Matrix4> out) const { fill_matrices(nullptr, out); }

void Performer::skinning_matrices(std::span<Matrix4> out) const {
    fill_matrices(character_->data().inverse_bind.data(), out);
}

void Performer::fill_matrices(const float* inverse_bind, std::span<Matrix4> out) const {
    const CharacterData& data = character_->data();
    const std::size_t joints = data.rig.joints.size();
    if (out.size() < joints) { return; }
    const float* rows = shown_pose(data, block_of(*this));
    kernels::model_matrices(local_pose(data, rows), inverse_bind, reinterpret_cast<float*>(out.data()));
}

double Performer::time() const { return block_of(*this).header().time; }

std::uint16_t Performer::state(std::size_t layer) const {
    if (layer >= character_->data().layers.size()) { return no_index; }
    const LayerHeader& own = block_of(*this, layer).layer();
    return character_->data().states[own.path[own.depth - 1U].node].visible;
}

bool Performer::is_active(StateHandle state) const {
    const CharacterData& data = character_->data();
    if (state.index >= data.state_info.size()) { return false; }
    const LayerHeader& layer = block_of(*this, data.state_info[state.index].layer).layer();
    return std::any_of(layer.path.begin(), layer.path.begin() + layer.depth,
                       [&](const ActiveNode& active) { return data.states[active.node].visible == state.index; });
}

double Performer::seconds_in(StateHandle state) const {
    const CharacterData& data = character_->data();
    if (state.index >= data.state_info.size()) { return 0; }
    const LayerHeader& layer = block_of(*this, data.state_info[state.index].layer).layer();
    for (std::size_t level = 0; level < layer.depth; ++level) {
        // The outermost node of a state is the state itself.
        if (data.states[layer.path[level].node].visible == state.index) { return layer.path[level].elapsed; }
    }
    return 0;
}

std::string_view Performer::state_name(std::size_t layer) const {
    return layer < character_->layers().size() ? std::string_view(character_->states()[state(layer)].name)
                                               : std::string_view();
}

double Performer::layer_weight(std::size_t layer) const {
    if (layer >= character_->data().layers.size()) { return 0; }
    return layer_cover(character_->data(), block_of(*this, layer));
}

void Performer::layer_weights(std::size_t layer, std::span<float> out) const {
    const CharacterData& data = character_->data();
    std::fill(out.begin(), out.end(), 0.0F);
    if (layer >= data.layers.size()) { return; }
    layer_cover(data, block_of(*this, layer), out.first(std::min(out.size(), data.rig.joints.size())));
}

std::span<const TransitionRecord> Performer::transitions() const {
    const PerformerHeader& header = block_of(*this).header();
    return {header.records.data(), header.record_count};
}

Faults Performer::faults() const { return block_of(*this).header().faults; }

std::size_t Performer::instance_count(std::size_t layer) const {
    if (layer >= character_->data().layers.size()) { return 0; }
    return block_of(*this, layer).layer().instance_count;
}

InstanceView Performer::instance(std::size_t index, std::size_t layer) const {
    if (index >= instance_count(layer)) { return {}; }
    const LayerHeader& own = block_of(*this, layer).layer();
    const Instance& i = own.instances[index];
    return {i.serial,
            character_->data().states[i.state].visible,
            i.entered_by,
            instance_shares(own, {})[index],
            i.inertial != 0 ? 0 : i.fade,
            i.elapsed,
            i.ease,
            i.frozen != 0};
}

std::size_t Performer::instance_clips(std::size_t index, std::span<ClipView> out, std::size_t layer) const {
    const CharacterData& data = character_->data();
    if (index >= instance_count(layer)) { return 0; }
    const PerformerBlock block = block_of(*this, layer);
    const Instance& instance = block.layer().instances[index];
    const auto leaves = leaves_of(data, instance);
    std::size_t count = 0;
    for (const Playhead& playhead : block.playing(instance)) {
        if (count < out.size()) {
            const Leaf& leaf = leaves[playhead.leaf];
            const ClipPlace place = place_of(data, block.layer(), instance, leaf, playhead);
            out[count] = {leaf.clip, playhead.weight, place.position, place.loops, leaf.additive != no_index};
        }
        ++count;
    }
    return count;
}

void Performer::evaluated_pose(std::size_t layer, const Evaluation& what, std::span<Transform> out) const {
    const CharacterData& data = character_->data();
    const PerformerBlock block = block_of(*this, layer);
    const std::size_t count = std::min(out.size(), data.rig.joints.size());
    const LayerPose evaluated(data, block, what);
    each_window(data, [&](Window window) {
        WindowPose pose;
        const PoseRows rows{pose.rows.data(), window_lanes};
        fill_rest(data, window, rows);
        evaluated.evaluate(window, rows);
        for (std::size_t lane = 0; lane < window.lanes && window.first + lane < count; ++lane) {
            out[window.first + lane] = transform_at(pose.rows.data(), window_lanes, lane, data.scales);
        }
    });
}

void Performer::instance_pose(std::size_t index, std::span<Transform> out, std::size_t layer) const {
    if (index < instance_count(layer)) { evaluated_pose(layer, {index, index + 1, 0, false}, out); }
}

void Performer::layer_pose(std::size_t layer, std::span<Transform> out) const {
    if (layer < character_->data().layers.size()) { evaluated_pose(layer, {}, out); }
}

double Performer::offset_seconds(std::size_t layer) const {
    if (layer >= character_->data().layers.size()) { return 0; }
    const LayerHeader& own = block_of(*this, layer).layer();
    return own.offset_active != 0 ? double(own.offset_seconds) : 0;
}

double Performer::offset_elapsed(std::size_t layer) const {
    if (layer >= character_->data().layers.size()) { return 0; }
    const LayerHeader& own = block_of(*this, layer).layer();
    return own.offset_active != 0 ? own.offset_elapsed : 0;
}

double Performer::seconds_to_next_instant() const {
    return detail::seconds_to_next_instant(character_->data(), block_of(*this));
}

namespace {

/// A number at a place in its clip, 0 to 1.
float number_at(const NumberRow& row, double position) {
    const double place = std::clamp(position, 0.0, 1.0) * double(row.values.size() - 1);
    const std::size_t first = std::min(std::size_t(place), row.values.size() - 2);
    const auto t = float(place - double(first));
    return row.values[first] * (1 - t) + row.values[first + 1] * t;
}

/// What a layer's clips have of a number, and how much of the layer has it.
struct TrackedNumber {
    float sum = 0, part = 0;
};

TrackedNumber tracked_number(const CharacterData& data, const PerformerBlock& block, std::size_t number) {
    const LayerHeader& layer = block.layer();
    const auto shares = instance_shares(layer, {});
    TrackedNumber tracked;
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        const auto leaves = leaves_of(data, instance);
        for (const Playhead& playhead : block.playing(instance)) {
            const Leaf& leaf = leaves[playhead.leaf];
            for (const NumberRow& row : data.clips[leaf.clip].numbers) {
                if (row.number != number) { continue; }
                const float part = shares[i] * playhead.weight;
                tracked.part += part;
                tracked.sum += part * number_at(row, place_of(data, layer, instance, leaf, playhead).position);
            }
        }
    }
    return tracked;
}

} // namespace

std::size_t Performer::number_tracks(std::span<float> out) const {
    const CharacterData& data = character_->data();
    std::fill(out.begin(), out.end(), 0.0F);
    const std::size_t count = std::min(out.size(), data.number_tracks.size());
    for (std::size_t number = 0; number < count; ++number) {
        for (std::size_t l = 0; l < data.layers.size(); ++l) {
            const PerformerBlock block = block_of(*this, l);
            const TrackedNumber own = tracked_number(data, block, number);
            // A layer takes the place of what is below as far as its clips have the number.
            const auto weight = float(block.layer().weight.value);
            out[number] = out[number] * (l == 0 ? 0 : std::max(0.0F, 1 - weight * own.part)) + weight * own.sum;
        }
    }
    return count;
}

} // namespace gait
