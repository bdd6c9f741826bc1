#include "perform/phase_clock.hpp"

#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {

namespace {

/// The layer whose clips move the phase of `block`'s.
PerformerBlock leader_of(const CharacterData& data, PerformerBlock block) {
    while (block.layer().keeping == StepKeeping::led) {
        block = block.of_layer(data.layers[block.layer_index()].in_step_with);
    }
    return block;
}

} // namespace

double whole_strides_between(double strides, double other) { return std::round(strides - other); }

PhaseClock::PhaseClock(const CharacterData& data, const PerformerBlock& block, const Evaluation& what) {
    if (block.layer().keeping == StepKeeping::own) {
        collect_clips(data, block, what);
        return;
    }
    const PerformerBlock leader = leader_of(data, block);
    ahead_ = whole_strides_between(strides_of(block.layer()), strides_of(leader.layer()));
    if (leader.layer().keeping == StepKeeping::between) {
        cadence_ = leader.layer().step_speed;
    } else {
        collect_clips(data, leader, shifted(everything_now, what.shift));
    }
}

PhaseClock PhaseClock::of_clips(const CharacterData& data, const PerformerBlock& block, double shift) {
    PhaseClock clock;
    clock.collect_clips(data, block, shifted(everything_now, shift));
    return clock;
}

void PhaseClock::collect_clips(const CharacterData& data, const PerformerBlock& block, const Evaluation& what) {
    const LayerHeader& layer = block.layer();
    InstanceShares shares;
    fill_shares(layer, what, shares);
    const std::size_t last = std::min<std::size_t>(layer.instance_count, what.last_instance);
    const auto each_clip = [&](auto visit) {
        for (std::size_t i = what.first_instance; i < last; ++i) {
            const Instance& instance = layer.instances[i];
            if (instance.timing != Timing::shared) { continue; }
            const CompiledState& state = data.states[instance.state];
            if (!state.facts.synced) { continue; }
            const Leaf* leaves = data.leaves_of(state);
            for (const Playhead& playhead : block.playing(instance)) {
                const Leaf& leaf = leaves[playhead.leaf];
                if (!leaf.keeps_time) { continue; }
                visit(leaf, double(shares[i]) * double(playhead.weight), double(playhead.pace));
            }
        }
    };
    double cycles = 0, total = 0, seconds = 0, fallback = 0;
    bool even = true;
    each_clip([&](const Leaf& leaf, double weight, double pace) {
        const double cadence = leaf.cadence * pace;
        fallback = cadence;
        if (!(weight > 0)) { return; }
        even = even && leaf.warp == no_index;
        cycles += weight * cadence;
        total += weight;
        seconds += weight * leaf.stride_seconds;
    });
    cadence_ = total > 1e-6 ? cycles / total : fallback;
    if (even || !(seconds > 0)) { return; }
    each_clip([&](const Leaf& leaf, double weight, double) {
        if (!(weight > 0) || count_ == clips_.size()) { return; }
        clips_[count_].warp = &data.motions.warp_of(leaf);
        clips_[count_].part = weight * leaf.stride_seconds * leaf.strides / seconds;
        ++count_;
    });
}

PhaseWarp::Point PhaseClock::reading(double strides) const {
    if (count_ == 0) { return {strides}; }
    PhaseWarp::Point sum{0, 0, 0};
    for (std::size_t c = 0; c < count_; ++c) {
        const PhaseWarp::Point own = clips_[c].warp->at(strides - ahead_);
        sum.place += clips_[c].part * own.place;
        sum.slope += clips_[c].part * own.slope;
        sum.bend += clips_[c].part * own.bend;
    }
    return sum;
}

double PhaseClock::after_uneven(double strides, double step) const {
    const PhaseWarp::Point here = reading(strides);
    const double straight = step / here.slope,
                 guess = strides + straight * (1 - straight * here.bend / (2 * here.slope));
    // The clock rises with the phase and gains one a stride, give or take what the clips' steps differ within one.
    return rise_to(here.place + step, strides + step - 2, strides + step + 2, guess,
                   [this](double at) { return reading(at); });
}

double PhaseClock::until(double strides, double later) const {
    const double way = reading(later).place - reading(strides).place;
    if (way == 0) { return 0; }
    const double seconds = way / cadence_;
    return seconds >= 0 ? seconds : never;
}

} // namespace gait::detail
