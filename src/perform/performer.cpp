#include "gait/performer.hpp"

#include "character/fingerprint.hpp"
#include "gait/character.hpp"
#include "gait/eases.hpp"
#include "gait/events.hpp"
#include "gait/fade_style.hpp"
#include "gait/math.hpp"
#include "perform/block_check.hpp"
#include "perform/block_of.hpp"
#include "perform/detail.hpp"
#include "perform/foot_lock.hpp"
#include "perform/frame.hpp"
#include "perform/machine_step.hpp"
#include "perform/refuse.hpp"

#include <algorithm>
#include <cmath>
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

struct FreeBlock {
    void operator()(std::byte* block) const { ::operator delete (block, std::align_val_t{cache_line}); }
};

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
