#include "perform/step.hpp"

#include "perform/body_travel.hpp"
#include "perform/clip_events.hpp"
#include "perform/input_step.hpp"
#include "perform/machine_step.hpp"
#include "perform/playheads.hpp"
#include "perform/shared_phase.hpp"
#include "perform/weights.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

void come_round(double& position, std::uint32_t& loops) {
    if (position >= 0 && position < 1) { return; }
    const double whole = std::floor(position);
    position -= whole;
    loops += std::uint32_t(std::int64_t(whole));
}

/// Whether some of the body's way is the layer's to say.
bool says_the_way(const Frame& frame) {
    const LayerHeader& layer = frame.layer;
    if (frame.block.layer_index() == 0 || frame.compiled.takes_travel || layer.offset_active != 0) { return true; }
    return std::any_of(layer.instances.begin(), layer.instances.begin() + layer.instance_count,
                       [&](const Instance& instance) { return frame.state_of(instance).takes_travel; });
}

/// Whether a layer plays nothing, and nothing of it decays: its time passes and no more.
bool is_idle(const Frame& frame) { return frame.block.layer_index() > 0 && plays_nothing(frame.data, frame.layer); }

/// Whether all that the lowest layer plays stays on the spot.
bool stays_where_it_is(const Frame& frame) {
    const LayerHeader& layer = frame.layer;
    return frame.block.layer_index() == 0 && layer.offset_active == 0 &&
           std::none_of(layer.instances.begin(), layer.instances.begin() + layer.instance_count,
                        [&](const Instance& instance) { return frame.state_of(instance).facts.moves_body; });
}

/// Adds what the playing clips of a layer have of some time to what those below have.
void add_travel(Frame& frame, TimeAhead time, PhaseStep phase, ClipTravel& sum) {
    if (!says_the_way(frame) || stays_where_it_is(frame)) { return; }
    // The shares of its middle, so that long steps and short ones agree.
    const Evaluation middle = shifted(everything_now, time.begin + time.dt / 2);
    const ClipTravel own = travel_of_clips(frame.data, frame.block, middle, time, phase);
    const ClipTravel left_behind = travel_of_offset(frame.layer, time);
    const double weight = own.claim * frame.layer.weight.value, rest = 1 - weight;
    const auto mixed = [&](double below, double above, double left) {
        return rest * below + frame.layer.weight.value * above + weight * left;
    };
    sum.twist = {mixed(sum.twist.x, own.twist.x, left_behind.twist.x),
                 mixed(sum.twist.y, own.twist.y, left_behind.twist.y),
                 mixed(sum.twist.z, own.twist.z, left_behind.twist.z),
                 mixed(sum.twist.yaw, own.twist.yaw, left_behind.twist.yaw)};
    sum.share = rest * sum.share + frame.layer.weight.value * (own.share + own.claim * left_behind.share);
}

/// What of the shared phase goes by in a time that the layer has not passed yet.
PhaseStep phase_in(const Frame& frame, TimeAhead time) {
    const PhaseClock clock(frame.data, frame.block, time.begin + time.dt / 2);
    const double strides = strides_of(frame.layer);
    return {clock.after(strides, time.begin), clock.after(strides, time.begin + time.dt)};
}

/// Plays a clip of an instance on, by itself or by the phase, and says what it passes.
void pass_clip(Frame& frame, std::size_t index, const Leaf& leaf, Playhead& playhead, const SharedStep& shared,
               double dt) {
    const Instance& instance = frame.layer.instances[index];
    if (follows_phase(instance, leaf)) {
        const double rounds = leaf.cycles_a_stride;
        if (!may_pass(leaf.phase_moments, shared.step.from * rounds, shared.step.to * rounds)) { return; }
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
    if (may_pass(leaf.moments, playhead.position, to)) {
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
    if (layer.turns_sides != 0) {
        for (SideTurn& turn : frame.block.side_turns()) { turn.left = std::max(0.0F, turn.left - float(dt)); }
    }
    if (layer.instance_count > 1) { drop_faded(frame); }
    if (layer.instance_count == 1 && layer.instances[0].timing == Timing::shared &&
        frame.state_of(layer.instances[0]).facts.synced) {
        SharedPhase(frame).go_alone();
    }
}

} // namespace

Step::Step(Layers& layers, double dt)
    : layers_(layers), header_(layers[0].header), events_(layers[0].step_events), dt_(dt),
      all_(LayerSet((std::uint64_t{1} << layers.size()) - 1)) {
    layers.begin(this);
}

Step::~Step() { layers_.begin(nullptr); }

bool Step::keep_in_step(std::size_t layer, std::size_t other) const {
    return layers_[layer].compiled.step_group == layers_[other].compiled.step_group;
}

Step::Deciding Step::find_next() {
    for (Frame& frame : layers_) {
        if (!is_quiet_for(frame, frame.left)) { return find_next_instant(); }
        frame.passes = frame.left; // as most often
    }
    return {};
}

Step::Deciding Step::find_next_instant() {
    Deciding next;
    std::array<double, most_layers> due; // NOLINT: as many as there are layers
    for (std::size_t l = 0; l < layers_.size(); ++l) {
        Frame& frame = layers_[l];
        due[l] = seconds_to_decision_within(frame, frame.left);
        // What is due at the step's end is of this step, whatever a sum of frames makes of its last bit.
        if (due[l] > frame.left + instant) { due[l] = never; }
        if (due[l] < never && frame.splits == most_splits) {
            due[l] = never;
            header_.faults.cut_chains += cut_ ? 0 : 1;
            cut_ = true;
        }
        next.at = std::min(next.at, frame.gone + due[l]);
    }
    if (next.at == never) {
        for (Frame& frame : layers_) { frame.passes = frame.left; }
        return next;
    }
    for (Frame& frame : layers_) { frame.passes = never; }
    for (std::size_t l = 0; l < layers_.size(); ++l) {
        Frame& frame = layers_[l];
        if (!(frame.gone + due[l] <= next.at + instant)) { continue; }
        ++frame.splits;
        next.layers |= LayerSet{1} << l;
        for (std::size_t other = 0; other < layers_.size(); ++other) {
            if (keep_in_step(l, other)) {
                layers_[other].passes = std::min(layers_[other].passes, std::min(due[l], frame.left));
            }
        }
    }
    for (Frame& frame : layers_) { frame.passes = frame.passes == never ? 0 : frame.passes; }
    next.at = std::min(next.at, dt_);
    return next;
}

void Step::pass(double until) {
    const std::size_t first_event = events_ == nullptr ? 0 : events_->events().size();
    const double way_time = until - travelled_;
    ClipTravel sum;
    ClipTravel* travel = layers_[0].data.travels && header_.game_moves == 0 && way_time > 0 ? &sum : nullptr;
    for (Frame& frame : layers_) {
        frame.steps = false;
        if (is_idle(frame)) { continue; }
        const double dt = frame.passes;
        const bool passes = dt > 0;
        SharedStep shared;
        InplaceArray<PhaseClock, 1> clock;
        const bool synced =
            frame.compiled.has_synced && (passes || travel != nullptr) && plays_synced(frame.data, frame.layer);
        if (passes && synced) {
            const std::uint16_t with = frame.compiled.in_step_with; // a layer below
            const PhaseStep* leader = with != no_index && layers_[with].steps ? &layers_[with].strides : nullptr;
            shared = SharedPhase(frame).advance(clock, leader, dt);
            frame.strides = shared.step;
            frame.steps = true;
        }
        if (travel != nullptr) {
            // What has not passed up to there is asked how it will.
            const TimeAhead time{std::max(0.0, travelled_ - frame.gone), way_time};
            const bool as_it_passes = passes && time.begin == 0;
            add_travel(frame, as_it_passes ? TimeAhead{0, dt} : time,
                       synced && !as_it_passes ? phase_in(frame, time) : shared.step, *travel);
        }
        if (passes) { pass_clips(frame, shared, dt); }
    }
    if (travel != nullptr) {
        const BodyStep& way = sum.twist;
        const bool moves = way.x != 0 || way.y != 0 || way.z != 0 || way.yaw != 0;
        if (moves) { header_.travel = header_.travel * exponential(way); }
        header_.travel_share += sum.share * way_time;
    }
    travelled_ = std::max(travelled_, until);
    if (events_ != nullptr) { events_->sort_from(first_event); }
    for (Frame& frame : layers_) {
        if (!(frame.passes > 0)) { continue; }
        if (frame.steps) { set_strides(frame.layer, frame.strides.to); }
        age_layer(frame, frame.passes);
        frame.gone += frame.passes;
        frame.left = std::max(0.0, frame.left - frame.passes);
    }
}

void Step::decide(LayerSet deciding) {
    for (const std::uint8_t layer : layers_[0].data.decide_order) {
        if (!is_in(deciding, layer)) { continue; }
        Frame& frame = layers_[layer];
        frame.asked = true; // what cannot fall need not be asked for
        if (may_decide(frame)) { detail::decide(frame); }
    }
    if (!layers_[0].data.forbidden.empty()) {
        layers_.each([](Frame& frame) {
            if (frame.compiled.yields) { yield_to_others(frame); }
        });
    }
    if (!layers_.decision_requested()) { return; }
    layers_.each([](Frame& frame) {
        frame.passed_count = 0;
        frame.led = false;
    });
    layers_.request_decision(false);
}

void Step::run() {
    int passes = 1;
    for (Deciding next = find_next(); next.layers != 0; next = find_next(), ++passes) {
        pass(next.at);
        decide(next.layers);
    }
    pass(dt_); // what is left
    // What the layers said of the same time was said one after the other.
    if (passes > 1 && layers_.size() > 1 && events_ != nullptr) { events_->sort_by_time(); }
    if (layers_.decision_requested()) { // at the step's very end
        LayerSet marked = 0;
        for (std::size_t l = 0; l < layers_.size(); ++l) {
            if (layers_[l].passed_count > 0) { marked |= LayerSet{1} << l; }
        }
        if (marked != 0) { decide(marked); }
    }
    age_signals(layers_[0], dt_);
    header_.time += dt_;
}

void Step::catch_up(Frame& frame, double gone) {
    if (!(gone > frame.gone)) { return; }
    for (std::size_t l = 0; l < layers_.size(); ++l) {
        Frame& other = layers_[l];
        other.passes = keep_in_step(frame.block.layer_index(), l) ? std::min(gone - other.gone, other.left) : 0;
    }
    pass(travelled_); // the way up to there is known
}

void Layers::catch_up(Frame& frame, const Frame& with) {
    if (step_ != nullptr) { step_->catch_up(frame, with.gone); }
}

} // namespace gait::detail
