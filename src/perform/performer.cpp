#include "gait/performer.hpp"
#include "gait/math.hpp"

#include "gait/character.hpp"
#include "gait/eases.hpp"
#include "gait/events.hpp"
#include "gait/fade_style.hpp"

#include "character/fingerprint.hpp"
#include "math/compiler.hpp"
#include "math/pose_kernels.hpp"
#include "perform/blend_layers.hpp"
#include "perform/block_check.hpp"
#include "perform/block_of.hpp"
#include "perform/detail.hpp"
#include "perform/evaluate.hpp"
#include "perform/foot_lock.hpp"
#include "perform/frame.hpp"
#include "perform/input_step.hpp"
#include "perform/machine_step.hpp"
#include "perform/playheads.hpp"
#include "perform/refuse.hpp"
#include "perform/values.hpp"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstring>
#include <memory>
#include <new>
#include <stdexcept>
#include <string>
#include <utility>

namespace gait {
using namespace detail;
namespace {

std::byte* allocate(std::size_t bytes) {
    return static_cast<std::byte*>(::operator new (bytes, std::align_val_t{cache_line}));
}

/// Joint `lane` of rows `stride` apart.
Transform transform_at(const float* rows, std::size_t stride, std::size_t lane, bool scales) {
    const float* p = rows + lane;
    Transform t{
        {p[0], p[stride], p[2 * stride], p[3 * stride]}, {p[4 * stride], p[5 * stride], p[6 * stride]}, {1, 1, 1}};
    if (scales) { t.scale = {p[7 * stride], p[8 * stride], p[9 * stride]}; }
    return t;
}

/// A pose's rows, for the kernels.
kernels::LocalPose local_pose(const CharacterData& data, const float* rows) {
    const std::size_t lanes = data.layout.lanes;
    kernels::LocalPose pose{{rows, lanes},         {rows + 4 * lanes, lanes}, {},
                            data.parents.data(),   data.level_order.data(),   data.done_before.data(),
                            data.rig.joints.size()};
    if (data.scales) { pose.scales = {rows + 7 * lanes, lanes}; }
    return pose;
}

/// The pose as it is now, made if nobody has asked for it yet.
const float* shown_pose(const CharacterData& data, const PerformerBlock& block) {
    make_pose(data, block);
    return block.pose();
}

struct FreeBlock {
    void operator()(std::byte* block) const { ::operator delete (block, std::align_val_t{cache_line}); }
};

/// What a call asks for, to be refused.
struct Asked {
    std::string_view call, kind;
    std::string_view word = {};
    double value = 0;
};

/// Refuses a call about something of that name.
GAIT_COLD bool refuse_name(const Performer& performer, const Asked& asked, std::string_view name, Refusal why) {
    return refuse(block_of(performer), {performer, asked.call, asked.kind, why, name, asked.word, asked.value});
}

/// Refuses a call without a name.
GAIT_COLD bool refuse(const Performer& performer, const Asked& asked, Refusal why) {
    return refuse_name(performer, asked, {}, why);
}

/// Refuses what a parameter's handle asks for; a reason that lies in the handle comes first.
GAIT_COLD bool refuse_parameter(const Performer& performer, const Asked& asked, std::uint16_t index, Refusal why) {
    const CharacterData& data = performer.character().data();
    if (index >= data.smoothed_of.size()) { return refuse(performer, asked, Refusal::wrong_handle); }
    const ParameterInfo& info = data.parameters[index];
    return refuse_name(performer, asked, info.name, info.computed ? Refusal::computed : why);
}

Refusal fault_of_number(double value) { return std::isfinite(value) ? Refusal::out_of_bounds : Refusal::not_a_number; }

} // namespace

Performer::Performer(SharedCharacter character) : character_(std::move(character)) {
    if (!character_) {
        throw std::invalid_argument("a performer needs a character; this one's document did not compile");
    }
    static_cast<void>(nobody()); // which moving this one away will need
    block_ = allocate(character_->performer_bytes());
    block_of(*this).header() = PerformerHeader{};
    reset();
}

Performer::Performer(const Performer& other) { become(other); }

Performer& Performer::operator=(const Performer& other) {
    if (this != &other) { become(other); }
    return *this;
}

Performer::Performer(Performer&& other) noexcept
    : character_(std::exchange(other.character_, nobody())), block_(std::exchange(other.block_, nullptr)) {}

Performer& Performer::operator=(Performer&& other) noexcept {
    if (this != &other) {
        FreeBlock{}(std::exchange(block_, std::exchange(other.block_, nullptr)));
        character_ = std::exchange(other.character_, nobody());
    }
    return *this;
}

Performer::~Performer() { FreeBlock{}(block_); }

void Performer::become(const Performer& other) {
    if (!(character_ == other.character_) || block_ == nullptr) {
        std::byte* own = other.block_ == nullptr ? nullptr : allocate(other.character_->performer_bytes());
        FreeBlock{}(std::exchange(block_, own));
        character_ = other.character_;
    }
    // With its pose, so that the twins do not differ by which of them is looked at first.
    if (block_ != nullptr) { std::memcpy(block_, other.bytes().data(), character_->performer_bytes()); }
}

void Performer::reset() {
    if (block_ != nullptr) { reset_block(character_->data(), block_of(*this)); }
}

namespace {

/// The node of the tree of states that is the public state.
std::uint16_t node_of(const CharacterData& data, std::uint16_t state) {
    const auto found = std::find_if(data.states.begin(), data.states.end(),
                                    [&](const CompiledState& s) { return s.visible == state; });
    return std::uint16_t(found - data.states.begin());
}

} // namespace

bool Performer::enter(StateHandle state, double fade, Ease ease) {
    const PerformerBlock block = block_of(*this);
    const CharacterData& data = character_->data();
    const Asked asked{"enter", "fade", {}, fade};
    if (state.index >= data.state_info.size()) { return refuse(*this, {"enter", "state"}, Refusal::wrong_handle); }
    const std::string& name = data.state_info[state.index].name;
    if (!(fade >= 0 && fade <= longest_fade)) { return refuse_name(*this, asked, name, fault_of_number(fade)); }
    if (std::size_t(ease) >= eases.size()) { return refuse_name(*this, asked, name, Refusal::out_of_bounds); }
    make_pose(data, block); // it is that of the step before
    Entrance entrance;
    entrance.fade = fade;
    entrance.ease = ease;
    Layers layers(data, block, nullptr);
    detail::enter(layers[data.state_info[state.index].layer], node_of(data, state.index), entrance);
    block.header().entered = 1;
    return true;
}

bool Performer::play_once(OneShotHandle one_shot) {
    const CharacterData& data = character_->data();
    if (one_shot.index >= data.state_info.size() || !data.layer_info[data.state_info[one_shot.index].layer].one_shots) {
        return refuse(*this, {"play_once", "one-shot"}, Refusal::wrong_handle);
    }
    return send(character_->signal(data.state_info[one_shot.index].name));
}

bool Performer::play_once(std::string_view name) {
    const OneShotHandle found = character_->one_shot(name);
    return found ? play_once(found) : refuse_name(*this, {"play_once", "one-shot"}, name, Refusal::unknown_name);
}

bool Performer::stop_once(OneShotHandle one_shot, double fade) {
    if (!is_active(StateHandle{one_shot})) { return false; }
    const CharacterData& data = character_->data();
    const CompiledLayer& layer = data.layers[data.state_info[one_shot.index].layer];
    return enter(StateHandle{data.states[layer.start].visible}, fade);
}

void Performer::set_seed(std::uint64_t seed) { block_of(*this).header().seed = seed; }
std::uint64_t Performer::seed() const { return block_of(*this).header().seed; }

bool Performer::set_scale(float scale) {
    const PerformerBlock block = block_of(*this);
    if (!(scale >= smallest_scale && scale <= greatest_scale)) {
        return refuse(*this, {"set_scale", "scale", {}, double(scale)}, fault_of_number(double(scale)));
    }
    if (block_ == nullptr) { return refuse(*this, {"set_scale", "scale"}, Refusal::not_there); }
    block.header().scale = double(scale);
    block.header().moved = ~SlotSet{0}; // clips that keep pace with what is asked go as fast as the body is large
    return true;
}

bool Performer::set_detail(const Detail& detail) {
    const PerformerBlock block = block_of(*this);
    const Asked asked{"set_detail", "detail", {}, double(detail.joints == 0 ? 0 : detail.every)};
    if (detail.joints == 0 || detail.every < 1 || detail.every > slowest_pose) {
        return refuse(*this, asked, Refusal::out_of_bounds);
    }
    const CharacterData& data = character_->data();
    DetailLevel level;
    if (detail.joints < data.rig.joints.size()) { level.lanes = std::uint16_t(round_up(detail.joints, lane_padding)); }
    if (level.lanes == data.layout.lanes) { level.lanes = 0; }
    level.left_out = std::uint8_t(detail.every - 1);
    if (!data.has_details) { return level == DetailLevel{} || refuse(*this, asked, Refusal::not_there); }
    make_pose(data, block);
    ask_for_detail(data, block, level);
    return true;
}

void Performer::set_moved_by(Mover mover) { block_of(*this).header().game_moves = mover == Mover::game ? 1 : 0; }

Travel Performer::travel() const {
    const PerformerHeader& header = block_of(*this).header();
    const BodyStep& step = header.travel;
    return {{float(step.x * header.scale), float(step.y * header.scale), float(step.z * header.scale)},
            float(-step.yaw * degrees_per_radian),
            float(header.travel_share)};
}

bool Performer::plant_feet(const Travel& moved) {
    const PerformerBlock block = block_of(*this);
    constexpr float far = 1e6F; // metres, or degrees
    for (const float part : {moved.move.x, moved.move.y, moved.move.z, moved.turn}) {
        if (!(std::fabs(part) < far)) {
            return refuse(*this, {"plant_feet", "way", {}, double(part)}, fault_of_number(double(part)));
        }
    }
    if (character_->data().feet.legs.empty()) { return false; }
    make_pose(character_->data(), block);
    const double scale = block.header().scale;
    detail::plant_feet(
        character_->data(), block,
        {double(moved.move.x) / scale, 0, double(moved.move.z) / scale, -double(moved.turn) / degrees_per_radian});
    return true;
}

void Performer::unbend_legs() { detail::unbend_legs(character_->data(), block_of(*this)); }

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

namespace {

/// The parameter at `index`, if it is one that the game sets; null otherwise.
const ParameterInfo* settable(const CharacterData& data, std::uint16_t index) {
    if (index >= data.smoothed_of.size() || data.parameters[index].computed) { return nullptr; }
    return &data.parameters[index];
}
/// Whether it is, and of that kind.
bool can_set(const CharacterData& data, std::uint16_t index, ParameterKind kind) {
    const ParameterInfo* info = settable(data, index);
    return info != nullptr && info->kind == kind;
}

Asked asked_number(float value) { return {"set", "number", {}, double(value)}; }

/// What the game sets, to be followed.
void set_aim(const PerformerBlock& block, std::uint16_t index, float value) {
    float& raw = block.raw()[index];
    if (raw == value) { return; }
    raw = value;
    note_moved(block.header(), index);
    block.header().inputs_settle = 1;
}

/// What is seen at once.
void set_at_once(const PerformerBlock& block, std::uint16_t index, float value) {
    set_aim(block, index, value);
    block.smoothed()[index] = value;
}

/// Before the first step the pose shows what is set.
void show_at_start(const CharacterData& data, const PerformerBlock& block) {
    if (block.header().started == 0) { begin_again(data, block); }
}

/// A number or an angle that may be followed smoothly. By itself, so that what most calls do needs no room on the
/// stack.
GAIT_NOINLINE bool set_followed(const Performer& performer, std::uint16_t index, float value) {
    const PerformerBlock block = block_of(performer);
    const CharacterData& data = performer.character().data();
    const ParameterInfo& info = data.parameters[index];
    if (!info_of(info.kind).continuous) {
        return refuse_parameter(performer, asked_number(value), index, Refusal::wrong_handle);
    }
    value = within_range(info, value);
    const bool follows = data.smoothed_of[index] != no_index;
    if (follows && block.header().started != 0) {
        set_aim(block, index, value);
        return true;
    }
    set_at_once(block, index, value);
    if (follows) { begin_smoothed(data, block, index); }
    show_at_start(data, block);
    return true;
}

} // namespace

bool Performer::set(NumberParameter parameter, float value) {
    const PerformerBlock block = block_of(*this);
    const CharacterData& data = character_->data();
    const ParameterInfo* info = settable(data, parameter.index);
    if (info == nullptr || !std::isfinite(value)) {
        return refuse_parameter(*this, asked_number(value), parameter.index, Refusal::not_a_number);
    }
    const bool follows = data.smoothed_of[parameter.index] != no_index;
    if (info->kind == ParameterKind::number && !follows) {
        set_at_once(block, parameter.index, std::clamp(value, info->low, info->high));
        show_at_start(data, block);
        return true;
    }
    return set_followed(*this, parameter.index, value);
}

bool Performer::set(FlagParameter parameter, bool value) {
    const PerformerBlock block = block_of(*this);
    if (!can_set(character_->data(), parameter.index, ParameterKind::flag)) {
        return refuse_parameter(*this, {"set", "flag", {}, value ? 1.0 : 0.0}, parameter.index, Refusal::wrong_handle);
    }
    set_at_once(block, parameter.index, value ? 1.0F : 0.0F);
    show_at_start(character_->data(), block);
    return true;
}

bool Performer::set(ChoiceParameter parameter, std::string_view value) {
    const PerformerBlock block = block_of(*this);
    const CharacterData& data = character_->data();
    if (can_set(data, parameter.index, ParameterKind::choice)) {
        const auto& of = data.parameters[parameter.index].of;
        const auto found = std::find(of.begin(), of.end(), value);
        if (found != of.end()) {
            set_at_once(block, parameter.index, float(found - of.begin()));
            show_at_start(data, block);
            return true;
        }
        return refuse_parameter(*this, {"set", "choice", value}, parameter.index, Refusal::unknown_word);
    }
    return refuse_parameter(*this, {"set", "choice", value}, parameter.index, Refusal::wrong_handle);
}

bool Performer::set(std::string_view name, std::string_view value) {
    const ChoiceParameter found = character_->choice(name);
    return found ? set(found, value) : refuse_name(*this, {"set", "choice", value}, name, Refusal::unknown_name);
}

bool Performer::set_number(std::string_view name, float value) {
    const NumberParameter found = character_->number(name);
    return found ? set(found, value) : refuse_name(*this, asked_number(value), name, Refusal::unknown_name);
}

bool Performer::set_flag(std::string_view name, bool value) {
    const FlagParameter found = character_->flag(name);
    const Asked asked{"set", "flag", {}, value ? 1.0 : 0.0};
    return found ? set(found, value) : refuse_name(*this, asked, name, Refusal::unknown_name);
}

bool Performer::send(SignalParameter signal) {
    const PerformerBlock block = block_of(*this);
    const CharacterData& data = character_->data();
    if (!can_set(data, signal.index, ParameterKind::signal)) {
        return refuse_parameter(*this, {"send", "signal"}, signal.index, Refusal::wrong_handle);
    }
    Frame frame(data, block);
    send_signal(frame, data.signal_of[signal.index]);
    return true;
}

bool Performer::send(std::string_view name) {
    const SignalParameter found = character_->signal(name);
    return found ? send(found) : refuse_name(*this, {"send", "signal"}, name, Refusal::unknown_name);
}

float Performer::get(NumberParameter parameter) const {
    return parameter.index < character_->data().parameters.size() ? block_of(*this).raw()[parameter.index] : 0;
}

float Performer::smoothed(NumberParameter parameter) const {
    return parameter.index < character_->data().parameters.size() ? block_of(*this).smoothed()[parameter.index] : 0;
}

bool Performer::get(FlagParameter parameter) const { return get(NumberParameter{parameter.index}) != 0; }

namespace {

/// One of a choice's words; empty for a place that it does not have, as a computed one may come to.
std::string_view word_at(const std::vector<std::string>& of, float place) {
    return place >= 0 && place < float(of.size()) ? std::string_view(of[std::size_t(place)]) : std::string_view();
}

} // namespace

std::string_view Performer::get(ChoiceParameter parameter) const {
    const auto& all = character_->data().parameters;
    if (parameter.index >= all.size() || all[parameter.index].kind != ParameterKind::choice) { return {}; }
    return word_at(all[parameter.index].of, get(NumberParameter{parameter.index}));
}

float Performer::get(NumberValue value) const {
    const CharacterData& data = character_->data();
    return value.index < data.value_info.size() ? value_now(data, block_of(*this), value.index) : 0;
}

bool Performer::get(FlagValue value) const { return get(NumberValue{value.index}) != 0; }

std::string_view Performer::get(ChoiceValue value) const {
    const auto& all = character_->data().value_info;
    if (value.index >= all.size() || all[value.index].kind != ParameterKind::choice) { return {}; }
    return word_at(all[value.index].of, get(NumberValue{value.index}));
}

bool Performer::advance(double seconds) { return advance_with(seconds, nullptr); }
bool Performer::advance(double seconds, EventList& events) { return advance_with(seconds, &events); }

bool Performer::advance_with(double seconds, EventList* events) {
    const PerformerBlock block = block_of(*this);
    if (!(seconds >= 0 && seconds <= longest_step) || block_ == nullptr) {
        if (events != nullptr) { events->clear(); }
        return refuse(*this, {"advance", "step", {}, seconds},
                      block_ == nullptr ? Refusal::not_there : fault_of_number(seconds));
    }
    advance_block(character_->data(), block, events, seconds);
    return true;
}

void Performer::pose(std::span<Transform> out) const {
    const CharacterData& data = character_->data();
    const float* rows = shown_pose(data, block_of(*this));
    const std::size_t count = std::min(out.size(), data.rig.joints.size());
    for (std::size_t j = 0; j < count; ++j) { out[j] = transform_at(rows, data.layout.lanes, j, data.scales); }
}

void Performer::model_pose(std::span<Transform> out) const {
    const CharacterData& data = character_->data();
    const float* rows = shown_pose(data, block_of(*this));
    static_assert(sizeof(Transform) == 10 * sizeof(float) && offsetof(Transform, translation) == 4 * sizeof(float));
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

std::span<const std::byte> Performer::bytes() const {
    if (block_ == nullptr) { return {}; }
    make_pose(character_->data(), block_of(*this)); // so that it hangs on the steps alone, and not on who looked
    return {block_, character_->performer_bytes()};
}

SnapshotFault Performer::fault_of(std::span<const std::byte> stored) const {
    if (block_ == nullptr) { return SnapshotFault::character; }
    if (stored.size() != character_->performer_bytes()) { return SnapshotFault::size; }
    // Looked at where it is, or, where it does not stand as a block does, as a copy.
    std::unique_ptr<std::byte, FreeBlock> copy;
    auto* looked_at = const_cast<std::byte*>(stored.data()); // NOLINT: it is only read
    if (reinterpret_cast<std::uintptr_t>(looked_at) % alignof(PerformerHeader) != 0) {
        copy.reset(allocate(stored.size()));
        std::memcpy(copy.get(), stored.data(), stored.size());
        looked_at = copy.get();
    }
    const PerformerBlock block(looked_at, character_->data().layout);
    if (block.header().version != block_version) { return SnapshotFault::version; }
    if (block.header().fingerprint != character_->data().fingerprint) { return SnapshotFault::character; }
    return is_sound(character_->data(), block) ? SnapshotFault::none : SnapshotFault::damaged;
}

bool Performer::restore(std::span<const std::byte> stored) {
    if (fault_of(stored) != SnapshotFault::none) { return false; }
    std::memmove(block_, stored.data(), stored.size()); // which may be its own
    return true;
}

} // namespace gait
