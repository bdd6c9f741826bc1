#include "perform/frame.hpp"

#include "perform/evaluate.hpp"
#include "perform/input_step.hpp"
#include "perform/machine_step.hpp"
#include "perform/moments.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <optional>

namespace gait {
namespace {

void come_round(double& position, std::uint32_t& loops) {
    if (position >= 0 && position < 1) { return; }
    const double whole = std::floor(position);
    position -= whole;
    loops += std::uint32_t(std::int64_t(whole));
}

/// Moves the body on by what the playing clips have of the next `dt` seconds.
void travel(Frame& frame, double dt, PhaseStep phase) {
    PerformerHeader& header = frame.header;
    if (!frame.data.travels || header.game_moves != 0) { return; }
    Evaluation middle;
    middle.shift = dt / 2; // the shares of the middle of the step, so that it hangs little on how long steps are
    const WeighedTravel own = weigh_travel(frame.data, frame.block, middle, dt, phase);
    const BodyStep left_behind = offset_travel(header, dt);
    header.travel = header.travel * exponential({own.twist.x + left_behind.x, own.twist.y + left_behind.y,
                                                 own.twist.z + left_behind.z, own.twist.yaw + left_behind.yaw});
    header.travel_share += own.share * dt;
}

/// How the shared phase goes on in a step.
struct SharedStep {
    const PhaseClock* clock = nullptr;
    PhaseStep step;
};

/// Plays a clip of an instance on, by itself or by the phase, and says what it passes.
void pass_clip(Frame& frame, std::size_t index, std::size_t l, const SharedStep& shared, double dt) {
    const Instance& instance = frame.header.instances[index];
    const Leaf& leaf = frame.data.motions.leaves_of(frame.motion_of(instance))[l];
    Playhead& playhead = frame.block.playheads(instance)[l];
    const ClipMoments& moments = frame.data.moments[leaf.clip];
    const bool has_moments = !moments.marks.empty() || !moments.spans.empty();
    if (follows_phase(instance, leaf)) {
        if (!has_moments) { return; }
        const PhaseWarp& warp = frame.data.motions.warp_of(leaf);
        Played played{index, l, warp.place(shared.step.from), warp.place(shared.step.to), dt};
        played.clock = shared.clock;
        played.strides = shared.step.from;
        return pass_moments(frame, played);
    }
    const double step = dt * own_speed(instance, leaf, playhead);
    if (step == 0) { return; }
    double to = playhead.position + step;
    if (!leaf.loops) { to = std::clamp(to, 0.0, 1.0); }
    if (has_moments) { pass_moments(frame, {index, l, playhead.position, to, dt * (to - playhead.position) / step}); }
    playhead.position = to;
    if (leaf.loops) { come_round(playhead.position, playhead.loops); }
}

/// Says that the active state's motion has ended, `end` seconds from now, and with it the machines it is the last of.
void finish(Frame& frame, double end) {
    Instance& active = frame.active();
    const auto leaves = frame.data.motions.leaves_of(frame.motion_of(active));
    if (std::all_of(leaves.begin(), leaves.end(), [](const Leaf& l) { return !(l.rate > 0); })) { return; }
    active.finished = 1;
    std::uint16_t said = nothing;
    for (std::uint16_t node = active.state; node != nothing; node = frame.data.states[node].parent) {
        const CompiledState& state = frame.data.states[node];
        if (state.visible != said) { say(frame, EventKind::finished, state.visible, end); }
        said = state.visible;
        if (!state.final) { break; }
    }
}

/// Time passes: playheads, fades and the offset move, and what has been faded over is forgotten.
void pass(Frame& frame, double dt) {
    if (!(dt > 0)) { return; }
    PerformerHeader& header = frame.header;
    const std::size_t first_event = frame.events == nullptr ? 0 : frame.events->events().size();
    // The cadence of the middle of the step, so that it hangs little on how long steps are.
    std::optional<PhaseClock> clock;
    SharedStep shared;
    if (frame.plays_synced()) {
        clock.emplace(frame.data, frame.block, dt / 2);
        shared.clock = &*clock;
        shared.step.from = strides_of(header);
        shared.step.to = clock->after(shared.step.from, dt);
    }
    travel(frame, dt, shared.step);
    const double end = seconds_left(frame.data, frame.block, frame.active());
    for (std::size_t i = 0; i < header.instance_count; ++i) {
        for (const std::uint16_t l : frame.block.actives(header.instances[i])) { pass_clip(frame, i, l, shared, dt); }
    }
    if (frame.active().finished == 0 && end <= dt + instant) { finish(frame, std::min(end, dt)); }
    if (frame.events != nullptr) { frame.events->sort_from(first_event); }
    header.time += dt;
    if (clock) { set_strides(header, shared.step.to); }
    for (std::size_t i = 0; i < header.instance_count; ++i) { header.instances[i].elapsed += dt; }
    for (std::size_t level = 0; level < header.depth; ++level) { header.path[level].elapsed += dt; }
    age_signals(frame, dt);
    if (header.offset_active != 0) {
        header.offset_elapsed += dt;
        if (header.offset_elapsed >= double(header.offset_seconds)) { header.offset_active = 0; }
    }
    drop_faded(frame);
}

void evaluate_pose(const Frame& frame) {
    each_window(frame.data, [&](Window window) {
        evaluate_window(frame.data, frame.block, {}, window,
                        {frame.block.pose() + window.first, frame.data.layout.lanes});
    });
}

} // namespace

void reset_block(const CharacterData& data, const PerformerBlock& block) {
    // What is the performer's own rather than its present state's stays.
    const PerformerHeader before = block.header();
    std::memset(static_cast<void*>(&block.header()), 0, data.layout.bytes);
    block.header().seed = before.seed;
    block.header().scale = before.scale;
    block.header().game_moves = before.game_moves;
    block.header().steps_since_planted = 2; // no foot was held yet
    Frame frame(data, block);
    for (std::size_t p = 0; p < data.picks.size(); ++p) {
        block.deals()[p] = {};
        block.deals()[p].next = nothing;
    }
    for (const CompiledState& state : data.states) {
        if (state.resume != nothing) { block.resumes()[state.resume] = nothing; }
    }
    reset_inputs(frame);
    enter(frame, data.start, {});
    evaluate_pose(frame);
}

void advance_block(Frame& frame, double dt) {
    PerformerHeader& header = frame.header;
    if (frame.events != nullptr) { frame.events->clear(); }
    header.record_count = 0;
    header.started = 1;
    header.travel = {};
    const double share_before = header.travel_share;
    header.travel_share = 0;
    header.since_planted += dt;
    header.steps_since_planted = std::uint8_t(std::min(2, header.steps_since_planted + 1));
    frame.in_step = true;
    announce(frame);
    begin_active(frame);
    take_inputs(frame, dt);
    // A motion that is left now keeps the weights it had; one that stays takes the new ones.
    decide(frame);
    forget_edges(frame);
    follow_terms(frame, dt);
    if (header.inputs_moved != 0) { weigh_active(frame); }
    header.inputs_moved = 0;
    double left = dt;
    for (int split = 0;; ++split) {
        const double due = seconds_to_decision(frame);
        // What is due at the step's end is of this step, whatever a sum of frames makes of its last bit.
        if (due > left + instant) { break; }
        if (split == most_splits) {
            ++header.faults.cut_chains;
            break;
        }
        pass(frame, std::min(due, left));
        left = std::max(0.0, left - due);
        decide(frame);
    }
    pass(frame, left);
    if (frame.passed_count > 0) { decide(frame); } // a mark at the step's very end
    drop_old_signals(frame);
    header.travel_share = dt > 0 ? header.travel_share / dt : share_before;
    evaluate_pose(frame);
}

double seconds_to_next_instant(const CharacterData& data, const PerformerBlock& block) {
    const Frame frame(data, block);
    const PerformerHeader& header = frame.header;
    double next = seconds_to_decision(frame);
    for (std::size_t i = 0; i < header.instance_count; ++i) {
        const Instance& instance = header.instances[i];
        if (i > 0 && instance.fade > instance.elapsed) { next = std::min(next, instance.fade - instance.elapsed); }
        const Playhead* playheads = block.playheads(instance);
        const auto leaves = data.motions.leaves_of(frame.motion_of(instance));
        for (const std::uint16_t l : block.actives(instance)) {
            if (follows_phase(instance, leaves[l])) {
                const PhaseClock clock(data, block, 0);
                const PhaseWarp& warp = data.motions.warp_of(leaves[l]);
                const double strides = strides_of(header), end = std::floor(warp.place(strides)) + 1;
                if (clock.cadence() > 0) { next = std::min(next, clock.until(strides, warp.strides_at(end))); }
                continue;
            }
            const double speed = own_speed(instance, leaves[l], playheads[l]), position = playheads[l].position;
            if (speed == 0) { continue; }
            const double ahead = speed > 0 ? 1 - position : position;
            if (leaves[l].loops || ahead > 0) { next = std::min(next, ahead / std::fabs(speed)); }
        }
    }
    return next;
}

} // namespace gait
