#include "perform/frame.hpp"

#include "character/fingerprint.hpp"
#include "math/compiler.hpp"
#include "perform/blend_layers.hpp"
#include "perform/detail.hpp"
#include "perform/input_step.hpp"
#include "perform/machine_step.hpp"
#include "perform/playheads.hpp"
#include "perform/step.hpp"
#include "perform/weights.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <optional>

namespace gait::detail {
namespace {

/// Nobody is told what a layer does that does not count.
void hear(Frame& frame, EventList* events) { frame.events = frame.layer.weight.value > 0 ? events : nullptr; }

/// Forgets on which sides the layer's joints lie over those below.
void find_sides_anew(const PerformerBlock& block) {
    block.forget_hemispheres();
    std::fill(block.side_turns().begin(), block.side_turns().end(), SideTurn{});
    block.layer().turns_sides = 0;
}

/// Enters every layer's start, by the inputs as they are.
void enter_start(const CharacterData& data, Layers& layers) {
    const PerformerBlock& block = layers[0].block;
    for (std::size_t p = 0; p < data.picks.size(); ++p) {
        block.deals()[p] = {};
        block.deals()[p].next = no_index;
    }
    for (const CompiledState& state : data.states) {
        if (state.resume != no_index) { block.resumes()[state.resume] = no_index; }
    }
    layers.each([&](Frame& frame) {
        frame.layer.weight = {wanted_weight(frame, frame.compiled.weight), 0};
        enter(frame, frame.compiled.start, {});
    });
    look_at_layers(layers[0]);
    const std::size_t lanes = data.layout.lanes;
    fill_rest(data, {0, lanes}, {block.pose(), lanes});
    evaluate_pose(data, block);
}

} // namespace

void reset_block(const CharacterData& data, const PerformerBlock& block) {
    // What is the performer's own rather than its present state's stays.
    const PerformerHeader before = block.header();
    std::memset(static_cast<void*>(&block.header()), 0, data.layout.bytes);
    block.header().version = block_version;
    block.header().fingerprint = data.fingerprint;
    block.header().seed = before.seed;
    block.header().scale = before.scale;
    block.header().game_moves = before.game_moves;
    block.header().detail.asked = block.header().detail.now = before.detail.asked;
    block.header().steps_since_planted = 2; // no foot was held yet
    Layers layers(data, block, nullptr);
    reset_inputs(layers[0]);
    enter_start(data, layers);
}

void begin_again(const CharacterData& data, const PerformerBlock& block) {
    PerformerHeader& header = block.header();
    Layers layers(data, block, nullptr);
    recompute_inputs(layers[0]);
    if (header.entered != 0) {
        layers.each([&](Frame& frame) {
            frame.layer.weight = {wanted_weight(frame, frame.compiled.weight), 0};
            if (frame.compiled.has_terms) { begin_terms(frame); }
            weigh_again(frame);
        });
        evaluate_pose(data, block);
        return;
    }
    header.next_serial = 0;
    layers.each([&](Frame& frame) {
        frame.layer = {};
        find_sides_anew(frame.block);
    });
    enter_start(data, layers);
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
    Layers layers(data, block, events, dt);
    layers.each([&](Frame& frame) {
        frame.in_step = true;
        if (events != nullptr) { hear(frame, events); }
        if (has_announcements(frame.layer)) { announce(frame); }
        if (frame.active().begun == 0) { begin_active(frame); }
    });
    take_inputs(layers[0], dt);
    Step step(layers, dt);
    // A motion that is left now keeps the weights it had; one that stays takes the new ones.
    step.decide_all();
    const bool inputs_moved = (header.moved & data.weights_read) != 0;
    header.moved = 0;
    forget_edges(layers[0]);
    layers.each([&](Frame& frame) {
        if (frame.compiled.has_terms) { follow_terms(frame, dt); }
        if (!frame.compiled.weight.weight.empty()) {
            follow_weight(frame, dt);
            hear(frame, events);
        }
        if (inputs_moved || frame.layer.weight_moved != 0) { weigh_again(frame); }
        if (frame.compiled.follows_left && frame.layer.instance_count > 1) { weigh_left(frame, inputs_moved, dt); }
        frame.layer.weight_moved = 0;
        frame.weighed = true;
    });
    step.run();
    drop_old_signals(layers[0]);
    if (!(dt > 0)) {
        header.travel_share = share_before;
    } else if (data.travels) {
        header.travel_share /= dt;
    }
    header.pose_due = 1;
    header.steps_unposed = std::uint8_t(std::min(2, header.steps_unposed + 1));
    header.since_posed += dt;
}

namespace {

/// So long nobody remembers how the layers lay over one another.
constexpr double unseen_for = 1; // seconds

GAIT_NOINLINE void make_pose_now(const CharacterData& data, const PerformerBlock& block) {
    PerformerHeader& header = block.header();
    if (header.steps_unposed > 1 && header.since_posed > unseen_for) {
        for (std::size_t l = 0; l < data.layers.size(); ++l) { find_sides_anew(block.of_layer(l)); }
        take_detail_at_once(header.detail);
    }
    if (header.detail.is_full()) [[likely]] {
        evaluate_pose(data, block);
    } else {
        make_pose_in_detail(data, block);
    }
    header.bent = header.pose_due = header.steps_unposed = 0;
    header.since_posed = 0;
}

} // namespace

void make_pose(const CharacterData& data, const PerformerBlock& block) {
    if (block.header().pose_due != 0) { make_pose_now(data, block); }
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
