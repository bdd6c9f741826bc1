#include "perform/playheads.hpp"

#include "perform/frame.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

/// Cycles that are left of a clip played once, over its speed.
double time_left(double position, double speed) {
    if (speed > 0) { return (1 - position) / speed; }
    return speed < 0 ? position / -speed : never;
}

/// Seconds from `position` to `place`, going on at `speed` cycles a second.
double time_to(double position, double place, double speed, bool loops) {
    if (speed == 0) { return never; }
    double ahead = speed > 0 ? place - position : position - place;
    if (ahead <= same_place) {
        if (!loops) { return never; }
        ahead += 1;
    }
    return ahead / std::fabs(speed);
}

} // namespace

double seconds_left(const CharacterData& data, const PerformerBlock& block, const Instance& instance) {
    const auto leaves = leaves_of(data, instance);
    double left = 0;
    for (const Playhead& playhead : block.playing(instance)) {
        const Leaf& leaf = leaves[playhead.leaf];
        if (!leaf.leads) { continue; }
        if (leaf.loops) { return never; }
        if (leaf.rate > 0) { left = std::max(left, time_left(playhead.position, own_speed(instance, leaf, playhead))); }
    }
    return left;
}

StateReadings read_state(const CharacterData& data, const PerformerBlock& block, std::size_t level) {
    const LayerHeader& layer = block.layer();
    const Instance& instance = layer.instances[layer.instance_count - 1U];
    const Playhead* heaviest = heaviest_clip(data, block, instance);
    const double left = seconds_left(data, block, instance);
    const ClipPlace place = heaviest == nullptr
                                ? ClipPlace{}
                                : place_of(data, layer, instance, leaves_of(data, instance)[heaviest->leaf], *heaviest);
    StateReadings readings{float(layer.path[level].elapsed), float(std::min(left, double(endless))),
                           float(place.position), float(std::abs(std::int32_t(place.loops))), left <= instant};
    for (std::size_t inner = level + 1; inner < layer.depth; ++inner) {
        if (data.states[layer.path[inner].node].final) { continue; }
        readings.left = endless;
        readings.ended = false;
    }
    return readings;
}

double speed_of(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                const Playhead& playhead) {
    const Leaf& leaf = leaves_of(data, instance)[playhead.leaf];
    return follows_phase(instance, leaf) ? PhaseClock(data, block, 0).cadence() / leaf.strides
                                         : own_speed(instance, leaf, playhead);
}

namespace {

/// The heaviest clip of an instance that has a moment of some kind: where it is and how fast it goes.
class Carrier {
public:
    template <typename Has>
    Carrier(const CharacterData& data, const PerformerBlock& block, const Instance& instance, Has has)
        : data_(data), block_(block) {
        const Playhead* heaviest =
            heaviest_clip(data, block, instance, [&](const Leaf& leaf) { return has(data.clip_events[leaf.clip]); });
        if (heaviest == nullptr) { return; }
        leaf_ = &leaves_of(data, instance)[heaviest->leaf];
        events_of_clip_ = &data.clip_events[leaf_->clip];
        position_ = place_of(data, block.layer(), instance, *leaf_, *heaviest).position;
        in_step_ = follows_phase(instance, *leaf_);
        if (!in_step_) { speed_ = own_speed(instance, *leaf_, *heaviest); }
    }

    [[nodiscard]] const ClipEvents* moments() const { return events_of_clip_; }
    [[nodiscard]] double position() const { return position_; }

    /// Seconds until the clip comes to `place`, or to where it would come going backward.
    [[nodiscard]] double seconds_to(double place, double place_backward) const {
        if (!in_step_) { return time_to(position_, speed_ < 0 ? place_backward : place, speed_, leaf_->loops); }
        const PhaseClock clock(data_, block_, 0);
        if (clock.cadence() == 0) { return never; }
        const PhaseWarp& warp = data_.motions.warp_of(*leaf_);
        const double strides = strides_of(block_.layer()), here = warp.place(strides);
        const bool back = clock.cadence() < 0;
        double ahead = back ? position_ - place_backward : place - position_;
        if (ahead <= same_place) { ahead += 1; }
        return clock.until(strides, warp.strides_at(here + (back ? -ahead : ahead)));
    }

private:
    const CharacterData& data_;
    const PerformerBlock& block_;
    const ClipEvents* events_of_clip_ = nullptr; ///< null when no clip has one
    const Leaf* leaf_ = nullptr;
    double position_ = 0;
    double speed_ = 0; ///< cycles a second, by itself
    bool in_step_ = false;
};

} // namespace

double seconds_to_mark(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                       std::uint16_t mark) {
    const Carrier carrier(data, block, instance, [&](const ClipEvents& moments) {
        return std::any_of(moments.marks.begin(), moments.marks.end(),
                           [&](const PlacedMark& m) { return m.mark == mark; });
    });
    double least = never;
    if (carrier.moments() == nullptr) { return least; }
    for (const PlacedMark& placed : carrier.moments()->marks) {
        if (placed.mark == mark) { least = std::min(least, carrier.seconds_to(placed.at, placed.at)); }
    }
    return least;
}

double seconds_to_span(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                       std::uint16_t span) {
    const Carrier carrier(data, block, instance, [&](const ClipEvents& moments) {
        return std::any_of(moments.spans.begin(), moments.spans.end(),
                           [&](const PlacedSpan& s) { return s.span == span; });
    });
    double least = never;
    if (carrier.moments() == nullptr) { return least; }
    for (const PlacedSpan& placed : carrier.moments()->spans) {
        if (placed.span != span) { continue; }
        const double position = carrier.position();
        if (position >= placed.from - same_place && position < placed.to - same_place) { return 0; }
        least = std::min(least, carrier.seconds_to(placed.from, placed.to));
    }
    return least;
}

} // namespace gait::detail
