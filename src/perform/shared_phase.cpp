#include "perform/shared_phase.hpp"

#include "math/springs.hpp"
#include "perform/playheads.hpp"

#include <cmath>

namespace gait::detail {

bool SharedPhase::is_used() const { return plays_synced(frame_.data, layer_); }

const LayerHeader* SharedPhase::leader() const {
    const std::uint16_t leading = frame_.compiled.in_step_with;
    if (leading == no_index) { return nullptr; }
    const LayerHeader& layer = frame_.block.of_layer(leading).layer();
    return plays_synced(frame_.data, layer) ? &layer : nullptr;
}

void SharedPhase::begin() {
    const LayerHeader* leading = leader();
    set_strides(layer_, leading != nullptr ? strides_of(*leading) : 0);
    layer_.keeping = leading != nullptr ? StepKeeping::led : StepKeeping::own;
    layer_.step_speed = 0;
}

void SharedPhase::put(const Leaf& leaf, double place) {
    set_strides(layer_, frame_.data.motions.warp_of(leaf).strides_at(place));
}

void SharedPhase::release_all() {
    for (std::size_t i = 0; i < layer_.instance_count; ++i) {
        Instance& instance = layer_.instances[i];
        const auto leaves = leaves_of(frame_.data, instance);
        for (Playhead& playhead : frame_.block.playing(instance)) {
            if (!follows_phase(instance, leaves[playhead.leaf])) { continue; }
            const ClipPlace place = place_of(frame_.data, layer_, instance, leaves[playhead.leaf], playhead);
            playhead.position = place.position;
            playhead.loops = place.loops;
        }
        instance.timing = Timing::own;
    }
}

void SharedPhase::take_back() {
    for (std::size_t i = 0; i < layer_.instance_count; ++i) {
        Instance& instance = layer_.instances[i];
        if (instance.timing != Timing::alone) { continue; }
        instance.timing = Timing::shared;
        const Playhead& playhead = frame_.block.playing(instance).front();
        put(leaves_of(frame_.data, instance)[playhead.leaf], double(std::int32_t(playhead.loops)) + playhead.position);
    }
}

void SharedPhase::go_alone() {
    Instance& only = frame_.active();
    const Motion& motion = frame_.motion_of(only);
    if (layer_.instance_count > 1 || only.timing != Timing::shared || only.frozen != 0) { return; }
    // Where layers keep in step with one another there is always another one.
    if (frame_.compiled.in_step_with != no_index || frame_.compiled.gives_step) { return; }
    if (!motion.synced || motion.leaf_count > 1) { return; }
    Playhead& playhead = frame_.block.playing(only).front();
    const Leaf& leaf = frame_.data.motions.leaves_of(motion).front();
    const ClipPlace place = place_of(frame_.data, layer_, only, leaf, playhead);
    playhead.position = place.position;
    playhead.loops = place.loops;
    only.timing = Timing::alone;
}

/// Begins to go over to the leader's phase, or to its own clock, where it keeps to the other one now.
void SharedPhase::follow_or_part(const PhaseStep* leader) {
    constexpr double same = 1e-9; // strides
    const double from = strides_of(layer_);
    const double apart = leader == nullptr ? 0 : from - leader->from;
    // The leader may have begun its steps anew, or stopped.
    const bool lost = leader == nullptr || std::fabs(apart - std::round(apart)) > same;
    if (layer_.keeping == StepKeeping::led ? lost : leader != nullptr) { layer_.keeping = StepKeeping::between; }
}

/// Goes over to where `leader` leads, or to its own clock, as a critically damped spring does: neither the place nor
/// the speed of the phase jumps. The phase at the step's end.
double SharedPhase::go_over(const PhaseStep* leader, double dt) {
    constexpr double lag = 0.4;                 // seconds: slow enough that hardly a step goes backward
    constexpr double near = 1e-6, alike = 1e-4; // strides, and strides a second
    const double from = strides_of(layer_);
    const PhaseStep goal =
        leader != nullptr ? *leader
                          : PhaseStep{from, PhaseClock::of_clips(frame_.data, frame_.block, dt / 2).after(from, dt)};
    const double whole = whole_strides_between(from, goal.from), speed = (goal.to - goal.from) / dt;
    Follower apart{from - goal.from - whole, layer_.step_speed - speed};
    if (leader != nullptr) {
        apart = follow(apart, 0, lag, dt);
    } else {
        // There is no place to come to, only a speed.
        const double decay = exponential(-2 / lag * dt);
        apart = {apart.velocity * (1 - decay) * lag / 2, apart.velocity * decay};
    }
    layer_.step_speed = speed + apart.velocity;
    if (std::fabs(apart.velocity) > alike || (leader != nullptr && std::fabs(apart.value) > near)) {
        return goal.to + whole + apart.value;
    }
    layer_.keeping = leader != nullptr ? StepKeeping::led : StepKeeping::own;
    return goal.to + whole + (leader != nullptr ? 0 : apart.value);
}

SharedStep SharedPhase::advance(InplaceArray<PhaseClock, 1>& clock, const PhaseStep* leader, double dt) {
    const bool may_be_led = frame_.compiled.in_step_with != no_index;
    if (may_be_led) { follow_or_part(leader); }
    const double from = strides_of(layer_);
    // The cadence of the middle of the step, so that long steps and short ones agree.
    const PhaseClock& own = clock.make(0, frame_.data, frame_.block, dt / 2);
    SharedStep shared{&own, {from, from}};
    switch (layer_.keeping) {
    case StepKeeping::led:
        shared.step.to = leader->to + whole_strides_between(from, leader->from);
        break;
    case StepKeeping::between:
        shared.step.to = go_over(leader, dt);
        shared.clock = nullptr;
        break;
    case StepKeeping::own:
        shared.step.to = own.after(from, dt);
        break;
    }
    if (may_be_led && layer_.keeping != StepKeeping::between) { layer_.step_speed = (shared.step.to - from) / dt; }
    return shared;
}

} // namespace gait::detail
