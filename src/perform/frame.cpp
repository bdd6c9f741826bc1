#include "perform/frame.hpp"

#include "perform/blend_layers.hpp"
#include "perform/body_travel.hpp"
#include "perform/clip_events.hpp"
#include "perform/input_step.hpp"
#include "perform/machine_step.hpp"
#include "perform/playheads.hpp"
#include "perform/shared_phase.hpp"
#include "perform/weights.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <optional>

namespace gait::detail {
namespace {

void come_round(double& position, std::uint32_t& loops) {
    if (position >= 0 && position < 1) { return; }
    const double whole = std::floor(position);
    position -= whole;
    loops += std::uint32_t(std::int64_t(whole));
}

/// Adds what the playing clips of a layer have of the next `dt` seconds to what those below have.
void add_travel(Frame& frame, double dt, PhaseStep phase, ClipTravel& sum) {
    Evaluation middle;
    middle.shift = dt / 2; // the shares of the middle of the step, so that long steps and short ones agree
    const ClipTravel own = travel_of_clips(frame.data, frame.block, middle, dt, phase);
    const BodyStep left_behind = offset_travel(frame.layer, dt);
    const double weight = own.claim * frame.layer.weight.value, rest = 1 - weight;
    const auto mixed = [&](double below, double above, double left) {
        return rest * below + frame.layer.weight.value * above + weight * left;
    };
    sum.twist = {mixed(sum.twist.x, own.twist.x, left_behind.x), mixed(sum.twist.y, own.twist.y, left_behind.y),
                 mixed(sum.twist.z, own.twist.z, left_behind.z), mixed(sum.twist.yaw, own.twist.yaw, left_behind.yaw)};
    sum.share = rest * sum.share + frame.layer.weight.value * own.share;
}

/// Plays a clip of an instance on, by itself or by the phase, and says what it passes.
void pass_clip(Frame& frame, std::size_t index, const Leaf& leaf, Playhead& playhead, const SharedStep& shared,
               double dt) {
    const Instance& instance = frame.layer.instances[index];
    if (follows_phase(instance, leaf)) {
        if (!leaf.has_events) { return; }
        const PhaseWarp& warp = frame.data.motions.warp_of(leaf);
        Played played{index, &playhead, warp.place(shared.step.from), warp.place(shared.step.to), dt};
        played.clock = shared.clock;
        played.strides = shared.step.from;
        return pass_clip_events(frame, played);
    }
    const double step = dt * own_speed(instance, leaf, playhead);
    if (step == 0) { return; }
    double to = playhead.position + step;
    if (!leaf.loops) { to = std::clamp(to, 0.0, 1.0); }
    if (leaf.has_events) {
        pass_clip_events(frame, {index, &playhead, playhead.position, to, dt * (to - playhead.position) / step});
    }
    playhead.position = to;
    if (leaf.loops) { come_round(playhead.position, playhead.loops); }
}

/// Says that the active state's motion has ended, `end` seconds from now, and with it the machines it is the last of.
void finish(Frame& frame, double end) {
    Instance& active = frame.active();
    const auto leaves = frame.data.motions.leaves_of(frame.motion_of(active));
    if (std::all_of(leaves.begin(), leaves.end(), [](const Leaf& l) { return !(l.rate > 0); })) { return; }
    active.finished = 1;
    std::uint16_t said = no_index;
    for (std::uint16_t node = active.state; node != no_index; node = frame.data.states[node].parent) {
        const CompiledState& state = frame.data.states[node];
        if (state.visible != said) { say(frame, EventKind::finished, state.visible, end); }
        said = state.visible;
        if (!state.final) { break; }
    }
}

/// The clips of a layer go on.
void pass_clips(Frame& frame, const SharedStep& shared, double dt) {
    LayerHeader& layer = frame.layer;
    const bool may_finish = frame.active().finished == 0 && !frame.state_of(frame.active()).facts.endless;
    const double end = may_finish ? seconds_left(frame.data, frame.block, frame.active()) : 0;
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        const CompiledState& state = frame.state_of(instance);
        if (instance.timing == Timing::shared && state.facts.only_phase) { continue; }
        const Leaf* leaves = frame.data.leaves_of(state);
        for (Playhead& playhead : frame.block.playing(instance)) {
            pass_clip(frame, i, leaves[playhead.leaf], playhead, shared, dt);
        }
    }
    if (may_finish && end <= dt + instant) { finish(frame, std::min(end, dt)); }
}

/// Its fades and its offset move, and what has been faded over is forgotten.
void age_layer(Frame& frame, double dt) {
    LayerHeader& layer = frame.layer;
    for (std::size_t i = 0; i < layer.instance_count; ++i) { layer.instances[i].elapsed += dt; }
    for (std::size_t level = 0; level < layer.depth; ++level) { layer.path[level].elapsed += dt; }
    layer.seconds_until_decision -= dt;
    if (layer.offset_active != 0) {
        layer.offset_elapsed += dt;
        if (layer.offset_elapsed >= double(layer.offset_seconds)) { layer.offset_active = 0; }
    }
    if (layer.instance_count > 1) { drop_faded(frame); }
    if (layer.instance_count == 1 && layer.instances[0].timing == Timing::shared) { SharedPhase(frame).go_alone(); }
}

/// Time passes in all layers.
void pass(Layers& layers, double dt) {
    if (!(dt > 0)) { return; }
    Frame& lowest = layers[0];
    PerformerHeader& header = lowest.header;
    EventList* events = lowest.events;
    const std::size_t first_event = events == nullptr ? 0 : events->events().size();
    ClipTravel sum;
    ClipTravel* travel = lowest.data.travels && header.game_moves == 0 ? &sum : nullptr;
    InplaceArray<PhaseStep, most_layers> steps;
    std::uint32_t in_step = 0; // a bit for each layer that has them
    for (std::size_t l = 0; l < layers.size(); ++l) {
        Frame& frame = layers[l];
        SharedStep shared;
        InplaceArray<PhaseClock, 1> clock;
        if (plays_synced(frame.data, frame.layer)) {
            const std::uint16_t with = frame.compiled.in_step_with; // a layer below
            const PhaseStep* leader = with != no_index && ((in_step >> with) & 1U) != 0 ? &steps[with] : nullptr;
            shared = SharedPhase(frame).advance(clock, leader, dt);
            steps.make(l, shared.step);
            in_step |= 1U << l;
        }
        if (travel != nullptr) { add_travel(frame, dt, shared.step, *travel); }
        pass_clips(frame, shared, dt);
    }
    if (travel != nullptr) {
        header.travel = header.travel * exponential(sum.twist);
        header.travel_share += sum.share * dt;
    }
    if (events != nullptr) { events->sort_from(first_event); }
    header.time += dt;
    age_signals(lowest, dt);
    for (std::size_t l = 0; l < layers.size(); ++l) {
        if (((in_step >> l) & 1U) != 0) { set_strides(layers[l].layer, steps[l].to); }
        age_layer(layers[l], dt);
    }
}

/// The layers decide, each once, in the document's order.
void decide_all(Layers& layers) {
    for (const std::uint8_t layer : layers[0].data.decide_order) {
        Frame& frame = layers[layer];
        frame.asked = true; // what cannot fall need not be asked for
        if (may_decide(frame)) { decide(frame); }
    }
    if (!layers[0].data.forbidden.empty()) {
        layers.each([](Frame& frame) { yield_to_others(frame); });
    }
    if (!layers.decision_requested()) { return; }
    layers.each([](Frame& frame) {
        frame.passed_count = 0;
        frame.led = false;
    });
    layers.request_decision(false);
}

/// Nobody is told what a layer does that does not count.
void hear(Frame& frame, EventList* events) { frame.events = frame.layer.weight.value > 0 ? events : nullptr; }

} // namespace

void reset_block(const CharacterData& data, const PerformerBlock& block) {
    // What is the performer's own rather than its present state's stays.
    const PerformerHeader before = block.header();
    std::memset(static_cast<void*>(&block.header()), 0, data.layout.bytes);
    block.header().seed = before.seed;
    block.header().scale = before.scale;
    block.header().game_moves = before.game_moves;
    block.header().steps_since_planted = 2; // no foot was held yet
    for (std::size_t p = 0; p < data.picks.size(); ++p) {
        block.deals()[p] = {};
        block.deals()[p].next = no_index;
    }
    for (const CompiledState& state : data.states) {
        if (state.resume != no_index) { block.resumes()[state.resume] = no_index; }
    }
    Layers layers(data, block, nullptr);
    reset_inputs(layers[0]);
    layers.each([&](Frame& frame) {
        frame.layer.weight = {wanted_weight(frame, frame.compiled.weight), 0};
        enter(frame, frame.compiled.start, {});
    });
    look_at_layers(layers[0]);
    const std::size_t lanes = data.layout.lanes;
    fill_rest(data, {0, lanes}, {block.pose(), lanes});
    evaluate_pose(data, block);
}

void advance_block(const CharacterData& data, const PerformerBlock& block, EventList* events, double dt) {
    PerformerHeader& header = block.header();
    if (events != nullptr) { events->clear(); }
    header.record_count = 0;
    header.started = 1;
    header.travel = {};
    const double share_before = header.travel_share;
    header.travel_share = 0;
    header.since_planted += dt;
    header.steps_since_planted = std::uint8_t(std::min(2, header.steps_since_planted + 1));
    Layers layers(data, block, events);
    layers.each([&](Frame& frame) {
        frame.in_step = true;
        if (events != nullptr) { hear(frame, events); }
        if (has_announcements(frame.layer)) { announce(frame); }
        if (frame.active().begun == 0) { begin_active(frame); }
    });
    take_inputs(layers[0], dt);
    // A motion that is left now keeps the weights it had; one that stays takes the new ones.
    decide_all(layers);
    const bool inputs_moved = header.moved != 0;
    header.moved = 0;
    forget_edges(layers[0]);
    layers.each([&](Frame& frame) {
        if (frame.compiled.has_terms) { follow_terms(frame, dt); }
        if (!frame.compiled.weight.weight.empty()) {
            follow_weight(frame, dt);
            hear(frame, events);
        }
        if (inputs_moved || frame.layer.weight_moved != 0) { weigh_again(frame); }
        frame.layer.weight_moved = 0;
    });
    double left = dt;
    for (int split = 0;; ++split) {
        double due = never;
        layers.each([&](Frame& frame) { due = std::min(due, seconds_to_decision_within(frame, left)); });
        // What is due at the step's end is of this step, whatever a sum of frames makes of its last bit.
        if (due > left + instant) { break; }
        if (split == most_splits * int(layers.size())) {
            ++header.faults.cut_chains;
            break;
        }
        pass(layers, std::min(due, left));
        left = std::max(0.0, left - due);
        decide_all(layers);
    }
    pass(layers, left);
    if (layers.decision_requested()) { decide_all(layers); } // a mark at the step's very end
    drop_old_signals(layers[0]);
    if (!(dt > 0)) {
        header.travel_share = share_before;
    } else if (data.travels) {
        header.travel_share /= dt;
    }
    evaluate_pose(data, block);
}

namespace {

double seconds_to_next_instant_of(const CharacterData& data, const PerformerBlock& block) {
    const Frame frame(data, block);
    const LayerHeader& layer = frame.layer;
    double next = seconds_to_decision(frame);
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        if (i > 0 && instance.fade > instance.elapsed) { next = std::min(next, instance.fade - instance.elapsed); }
        const auto leaves = leaves_of(data, instance);
        for (const Playhead& playhead : block.playing(instance)) {
            const Leaf& leaf = leaves[playhead.leaf];
            if (follows_phase(instance, leaf)) {
                const PhaseClock clock(data, block, 0);
                const PhaseWarp& warp = data.motions.warp_of(leaf);
                const double strides = strides_of(layer), end = std::floor(warp.place(strides)) + 1;
                if (clock.cadence() > 0) { next = std::min(next, clock.until(strides, warp.strides_at(end))); }
                continue;
            }
            const double speed = own_speed(instance, leaf, playhead), position = playhead.position;
            if (speed == 0) { continue; }
            const double ahead = speed > 0 ? 1 - position : position;
            if (leaf.loops || ahead > 0) { next = std::min(next, ahead / std::fabs(speed)); }
        }
    }
    return next;
}

} // namespace

double seconds_to_next_instant(const CharacterData& data, const PerformerBlock& block) {
    double least = never;
    for (std::size_t l = 0; l < data.layers.size(); ++l) {
        least = std::min(least, seconds_to_next_instant_of(data, block.of_layer(l)));
    }
    return least;
}

} // namespace gait::detail
