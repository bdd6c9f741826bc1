#include "perform/phase_clock.hpp"

#include "perform/evaluate.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace gait {

PhaseClock::PhaseClock(const CharacterData& data, const PerformerBlock& block, double shift) {
    const LayerHeader& layer = block.layer();
    Evaluation then;
    then.shift = shift;
    const auto shares = instance_shares(layer, then);
    double cycles = 0, total = 0, seconds = 0, fallback = 0;
    bool even = true;
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        const Motion& motion = data.motions.motions[data.states[instance.state].motion];
        if (!motion.synced || instance.loose != 0) { continue; }
        const auto leaves = data.motions.leaves_of(motion);
        for (const Playhead& playhead : block.playing(instance)) {
            const Leaf& leaf = leaves[playhead.leaf];
            // The legs keep the time, not what is laid over or added.
            if (!leaf.synced || !leaf.leads || !(leaf.rate > 0)) { continue; }
            const double weight = double(shares[i]) * double(playhead.weight);
            const double cadence = leaf.rate * leaf.strides * double(playhead.pace);
            fallback = cadence;
            if (!(weight > 0) || count_ == clips_.size()) { continue; }
            clips_[count_].warp = &data.motions.warp_of(leaf);
            clips_[count_].part = weight / leaf.rate;
            even = even && clips_[count_].warp->even();
            ++count_;
            cycles += weight * cadence;
            total += weight;
            seconds += weight / (leaf.rate * leaf.strides);
        }
    }
    cadence_ = total > 1e-6 ? cycles / total : fallback;
    if (even || !(seconds > 0)) { count_ = 0; }
    for (std::size_t c = 0; c < count_; ++c) { clips_[c].part /= seconds; }
}

double PhaseClock::reading(double strides) const {
    if (count_ == 0) { return strides; }
    double sum = 0;
    for (std::size_t c = 0; c < count_; ++c) { sum += clips_[c].part * clips_[c].warp->place(strides); }
    return sum;
}

double PhaseClock::slope(double strides) const {
    if (count_ == 0) { return 1; }
    double sum = 0;
    for (std::size_t c = 0; c < count_; ++c) { sum += clips_[c].part * clips_[c].warp->slope(strides); }
    return sum;
}

double PhaseClock::after(double strides, double seconds) const {
    const double step = seconds * cadence_;
    if (count_ == 0 || step == 0) { return strides + step; }
    const double wanted = reading(strides) + step;
    // The clock rises with the phase and gains one a stride, give or take what the clips' steps differ within one.
    double low = strides + step - 2, high = strides + step + 2, guess = strides + step / slope(strides);
    for (int round = 0; round < 60; ++round) {
        if (!(guess > low && guess < high)) { guess = (low + high) / 2; }
        const double off = reading(guess) - wanted;
        if (std::fabs(off) < 1e-13) { break; }
        (off > 0 ? high : low) = guess;
        guess -= off / slope(guess);
    }
    return guess;
}

double PhaseClock::until(double strides, double later) const {
    const double way = reading(later) - reading(strides);
    if (way == 0) { return 0; }
    const double seconds = way / cadence_;
    return seconds >= 0 ? seconds : std::numeric_limits<double>::infinity();
}

} // namespace gait
