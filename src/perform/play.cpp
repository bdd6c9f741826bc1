#include "perform/play.hpp"

#include "perform/evaluate.hpp"
#include "perform/inertial_offset.hpp"
#include "perform/moments.hpp"
#include "perform/playheads.hpp"
#include "perform/weights.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace gait {
namespace {

/// The least time an inertial offset gets to decay, seconds.
constexpr double least_offset_seconds = 0.05;

/// Forgets the oldest `count` instances; the rest move down and keep their slots.
void drop_oldest(Frame& frame, std::size_t count) {
    LayerHeader& layer = frame.layer;
    if (count == 0) { return; }
    for (std::size_t i = 0; i < count; ++i) { end_moments(frame, i); }
    layer.instance_count = std::uint8_t(layer.instance_count - count);
    std::memmove(layer.instances.data(), layer.instances.data() + count, layer.instance_count * sizeof(Instance));
}

std::uint8_t free_slot(const LayerHeader& layer) {
    unsigned used = 0;
    for (std::size_t i = 0; i < layer.instance_count; ++i) { used |= 1U << layer.instances[i].slot; }
    std::uint8_t slot = 0;
    while (((used >> slot) & 1U) != 0) { ++slot; }
    return slot;
}

/// The motions that play leave the shared phase, each from where it is.
void loosen_all(Frame& frame) {
    LayerHeader& layer = frame.layer;
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        Instance& instance = layer.instances[i];
        const auto leaves = leaves_of(frame.data, instance);
        for (Playhead& playhead : frame.block.playing(instance)) {
            if (!follows_phase(instance, leaves[playhead.leaf])) { continue; }
            const ClipPlace place = place_of(frame.data, layer, instance, leaves[playhead.leaf], playhead);
            playhead.position = place.position;
            playhead.loops = place.loops;
        }
        instance.timing = Timing::own;
    }
}

/// A motion that plays alone goes by the shared phase again, from where it is.
void join_phase(Frame& frame) {
    for (std::size_t i = 0; i < frame.layer.instance_count; ++i) {
        Instance& instance = frame.layer.instances[i];
        if (instance.timing != Timing::alone) { continue; }
        instance.timing = Timing::shared;
        const Playhead& playhead = frame.block.playing(instance).front();
        const PhaseWarp& warp = frame.data.motions.warp_of(leaves_of(frame.data, instance)[playhead.leaf]);
        set_strides(frame.layer, warp.strides_at(double(std::int32_t(playhead.loops)) + playhead.position));
    }
}

/// Where the motion that is being left stands, for one that goes on from there.
struct Reference {
    bool known = false;
    std::uint16_t clip = 0;
    double position = 0;
    bool loops = false;
    bool synced = false;
};

Reference reference_of(const Frame& frame) {
    if (frame.layer.instance_count == 0) { return {}; }
    const Instance& instance = frame.active();
    const Playhead* heaviest = heaviest_clip(frame.data, frame.block, instance);
    if (heaviest == nullptr) { return {}; }
    const Leaf& leaf = leaves_of(frame.data, instance)[heaviest->leaf];
    return {true, leaf.clip, place_of(frame.data, frame.layer, instance, leaf, *heaviest).position, leaf.loops,
            follows_phase(instance, leaf)};
}

/// The place in `clip` that is as far from a footfall as the reference is from its nearest one of the same foot.
double footfall_place(const CharacterData& data, const Reference& from, std::uint16_t clip, bool loops) {
    const auto& out = data.moments[from.clip].footfalls;
    const auto& in = data.moments[clip].footfalls;
    const Footfall* nearest = nullptr;
    double offset = 0;
    for (const Footfall& footfall : out) {
        double away = from.position - footfall.at;
        if (from.loops) { away -= std::round(away); }
        if (nearest == nullptr || std::fabs(away) < std::fabs(offset)) {
            nearest = &footfall;
            offset = away;
        }
    }
    if (nearest == nullptr) { return 0; }
    for (const Footfall& footfall : in) {
        if (footfall.foot != nearest->foot) { continue; }
        const double place =
            footfall.at + offset * data.clips[from.clip].seconds / std::max(1e-9, data.clips[clip].seconds);
        return loops ? place - std::floor(place) : std::clamp(place, 0.0, 1.0);
    }
    return 0;
}

double place_to_enter(const Frame& frame, const Entrance& entrance, const Reference& from, const Leaf& leaf) {
    switch (entrance.at) {
    case EnterAt::fraction:
        return leaf.loops && entrance.fraction >= 1 ? 0 : entrance.fraction;
    case EnterAt::mark:
        for (const PlacedMark& mark : frame.data.moments[leaf.clip].marks) {
            if (mark.mark == entrance.mark) { return leaf.loops && mark.at >= 1 ? 0 : mark.at; }
        }
        return 0;
    case EnterAt::phase:
        return from.known ? from.position : 0;
    case EnterAt::footfall:
        return from.known ? footfall_place(frame.data, from, leaf.clip, leaf.loops) : 0;
    case EnterAt::beginning:
        break;
    }
    return 0;
}

/// Sets the playheads of the newest motion, whose weights are known; and the shared phase, unless another layer leads
/// it.
void place_playheads(Frame& frame, const Entrance& entrance, const Reference& from, bool led) {
    LayerHeader& layer = frame.layer;
    const Instance& fresh = frame.active();
    const auto leaves = leaves_of(frame.data, fresh);
    bool phase_placed = led;
    for (Playhead& playhead : frame.block.playing(fresh)) {
        const Leaf& leaf = leaves[playhead.leaf];
        const double place = place_to_enter(frame, entrance, from, leaf);
        if (!leaf.synced) {
            if (entrance.at != EnterAt::beginning) { playhead.position = place; }
        } else if (!phase_placed) {
            set_strides(layer, frame.data.motions.warp_of(leaf).strides_at(place));
            phase_placed = true;
        }
    }
}

/// Adds an instance for the active leaf of the tree.
Instance& add_instance(Frame& frame, std::uint16_t node, const Entrance& entrance) {
    PerformerHeader& header = frame.header;
    LayerHeader& layer = frame.layer;
    Instance& fresh = layer.instances[layer.instance_count];
    const std::uint8_t slot = free_slot(layer);
    fresh = Instance{};
    fresh.serial = header.next_serial++;
    fresh.state = node;
    fresh.entered_by = entrance.by;
    fresh.fade = entrance.fade;
    fresh.ease = entrance.ease;
    fresh.slot = slot;
    fresh.settling = entrance.settle ? 1 : 0;
    ++layer.instance_count;
    frame.block.resize_playing(fresh, 0);
    frame.block.bend(fresh) = {};
    return fresh;
}

/// The layer with which this one keeps in step, where that keeps step now; null for none.
const LayerHeader* giver_of_step(const Frame& frame) {
    const std::uint16_t leader = frame.own.in_step_with;
    if (leader == nothing) { return nullptr; }
    const LayerHeader& layer = frame.block.of_layer(leader).layer();
    return plays_synced(frame.data, layer) ? &layer : nullptr;
}

} // namespace

void play(Frame& frame, std::uint16_t node, const Entrance& entrance) {
    LayerHeader& layer = frame.layer;
    join_phase(frame);
    const Reference from = reference_of(frame);
    // Where the part of the body that it covers changes, that part is faded, and an offset could not stand for it.
    const auto covers = [&](std::uint16_t state) {
        const CompiledState& which = frame.data.states[state];
        return std::pair(frame.data.motions.motions[which.motion].nothing, which.whole_body);
    };
    const bool same_cover = layer.instance_count > 0 && covers(frame.active().state) == covers(node);
    const bool inertial = entrance.style == FadeStyle::inertial && entrance.fade > 0 && same_cover;
    if (!(entrance.fade > 0)) {
        drop_oldest(frame, layer.instance_count);
        layer.offset_active = 0;
    } else if (layer.instance_count == most_instances) {
        const Instance& next = layer.instances[1];
        const double fade_left = next.fade - next.elapsed;
        const double offset_left = layer.offset_active != 0 ? double(layer.offset_seconds) - layer.offset_elapsed : 0;
        Evaluation all, rest;
        rest.first_instance = 1;
        rest.with_offset = false;
        capture_offset(frame.data, frame.block, all, rest, std::max({fade_left, offset_left, least_offset_seconds}));
        drop_oldest(frame, 1);
    }
    const Motion& motion = frame.data.motions.motions[frame.data.states[node].motion];
    const LayerHeader* leader = giver_of_step(frame);
    const bool sets_phase = motion.synced && entrance.at != EnterAt::beginning && leader == nullptr &&
                            !((entrance.at == EnterAt::phase || entrance.at == EnterAt::footfall) && from.synced);
    if (entrance.style == FadeStyle::frozen || sets_phase) { loosen_all(frame); }
    if (entrance.style == FadeStyle::frozen) {
        for (std::size_t i = 0; i < layer.instance_count; ++i) { layer.instances[i].frozen = 1; }
    }
    const bool synced_already = plays_synced(frame.data, layer);
    Instance& fresh = add_instance(frame, node, entrance);
    begin_terms(frame);
    weigh_active(frame);
    const bool starts_phase = motion.synced && !synced_already;
    if (starts_phase) {
        set_strides(layer, leader != nullptr ? strides_of(*leader) : 0);
        layer.keeping = leader != nullptr ? StepKeeping::led : StepKeeping::own;
        layer.step_speed = 0;
    }
    const bool elsewhere = entrance.at != EnterAt::beginning;
    if (starts_phase || sets_phase || (!motion.synced && elsewhere)) {
        place_playheads(frame, entrance, from, leader != nullptr);
    }
    choose_signs(frame.data, frame.block);
    if (inertial) {
        const std::size_t newest = layer.instance_count - 1U;
        fresh.inertial = 1;
        Evaluation before, after;
        before.last_instance = newest;
        after.first_instance = newest;
        after.with_offset = false;
        capture_offset(frame.data, frame.block, before, after, entrance.fade);
        drop_oldest(frame, newest);
    }
    if (frame.in_step) { begin_active(frame); }
}

void begin_active(Frame& frame) {
    Instance& active = frame.active();
    if (active.begun != 0) { return; }
    active.begun = 1;
    for (const Playhead& playhead : frame.block.playing(active)) {
        begin_moments(frame, frame.layer.instance_count - 1U, playhead);
    }
}

void drop_faded(Frame& frame) {
    for (std::size_t i = frame.layer.instance_count; i-- > 1;) {
        if (frame.layer.instances[i].elapsed >= frame.layer.instances[i].fade - instant) {
            return drop_oldest(frame, i);
        }
    }
}

void go_alone(Frame& frame) {
    Instance& only = frame.active();
    const Motion& motion = frame.motion_of(only);
    if (frame.layer.instance_count > 1 || only.timing != Timing::shared || only.frozen != 0) { return; }
    // Where layers keep in step with one another there is always another one.
    if (frame.own.in_step_with != nothing || frame.own.gives_step) { return; }
    if (!motion.synced || motion.leaf_count > 1) { return; }
    Playhead& playhead = frame.block.playing(only).front();
    const Leaf& leaf = frame.data.motions.leaves_of(motion).front();
    const ClipPlace place = place_of(frame.data, frame.layer, only, leaf, playhead);
    playhead.position = place.position;
    playhead.loops = place.loops;
    only.timing = Timing::alone;
}

} // namespace gait
