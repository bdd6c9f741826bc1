#include "perform/playheads.hpp"

#include "perform/evaluate.hpp"
#include "perform/frame.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace gait {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();

/// Cycles that are left of a clip played once, over its speed.
double time_left(double position, double speed) {
    if (speed > 0) { return (1 - position) / speed; }
    return speed < 0 ? position / -speed : infinity;
}

/// Seconds from `position` to `place`, going on at `speed` cycles a second.
double time_to(double position, double place, double speed, bool loops) {
    if (speed == 0) { return infinity; }
    double ahead = speed > 0 ? place - position : position - place;
    if (ahead <= same_place) {
        if (!loops) { return infinity; }
        ahead += 1;
    }
    return ahead / std::fabs(speed);
}

} // namespace

double seconds_left(const CharacterData& data, const PerformerBlock& block, const Instance& instance) {
    const auto leaves = data.motions.leaves_of(data.motions.motions[data.states[instance.state].motion]);
    const Playhead* playheads = block.playheads(instance);
    double left = 0;
    for (std::size_t l = 0; l < leaves.size(); ++l) {
        if (!(playheads[l].weight > 0)) { continue; }
        if (leaves[l].loops) { return infinity; }
        if (leaves[l].rate > 0) {
            left = std::max(left, time_left(playheads[l].position, own_speed(instance, leaves[l], playheads[l])));
        }
    }
    return left;
}

StateReadings read_motion(const CharacterData& data, const PerformerBlock& block, const Instance& instance) {
    const PerformerHeader& header = block.header();
    const auto leaves = data.motions.leaves_of(data.motions.motions[data.states[instance.state].motion]);
    const int heaviest = std::max(0, heaviest_leaf(data, block, instance, [](const Leaf&) { return true; }));
    const Leaf& leaf = leaves[std::size_t(heaviest)];
    const Playhead& playhead = block.playheads(instance)[heaviest];
    const double left = seconds_left(data, block, instance);
    const auto loops = std::int32_t(follows_phase(instance, leaf) ? header.phase_loops : playhead.loops);
    return {float(instance.elapsed), float(left), float(position_of(header, instance, leaf, playhead)),
            float(std::abs(loops)), left <= instant};
}

double speed_of(const CharacterData& data, const PerformerBlock& block, const Instance& instance, std::size_t leaf) {
    const auto leaves = data.motions.leaves_of(data.motions.motions[data.states[instance.state].motion]);
    return follows_phase(instance, leaves[leaf]) ? shared_cadence(data, block, 0)
                                                 : own_speed(instance, leaves[leaf], block.playheads(instance)[leaf]);
}

namespace {

/// The heaviest clip of an instance that has a moment of some kind: where it is and how fast it goes.
struct Carrier {
    const ClipMoments* moments = nullptr; ///< null when no clip has one
    double position = 0;
    double speed = 0; ///< cycles a second
    bool loops = false;
};

template <typename Has>
Carrier carrier_of(const CharacterData& data, const PerformerBlock& block, const Instance& instance, Has has) {
    const int heaviest =
        heaviest_leaf(data, block, instance, [&](const Leaf& leaf) { return has(data.moments[leaf.clip]); });
    if (heaviest < 0) { return {}; }
    const auto index = std::size_t(heaviest);
    const Leaf& leaf = data.motions.leaves_of(data.motions.motions[data.states[instance.state].motion])[index];
    return {&data.moments[leaf.clip], position_of(block.header(), instance, leaf, block.playheads(instance)[index]),
            speed_of(data, block, instance, index), leaf.loops};
}

} // namespace

double seconds_to_mark(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                       std::uint16_t mark) {
    const Carrier carrier = carrier_of(data, block, instance, [&](const ClipMoments& moments) {
        return std::any_of(moments.marks.begin(), moments.marks.end(),
                           [&](const PlacedMark& m) { return m.mark == mark; });
    });
    double least = infinity;
    if (carrier.moments == nullptr) { return least; }
    for (const PlacedMark& placed : carrier.moments->marks) {
        if (placed.mark != mark) { continue; }
        least = std::min(least, time_to(carrier.position, placed.at, carrier.speed, carrier.loops));
    }
    return least;
}

double seconds_to_span(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                       std::uint16_t span) {
    const Carrier carrier = carrier_of(data, block, instance, [&](const ClipMoments& moments) {
        return std::any_of(moments.spans.begin(), moments.spans.end(),
                           [&](const PlacedSpan& s) { return s.span == span; });
    });
    double least = infinity;
    if (carrier.moments == nullptr) { return least; }
    for (const PlacedSpan& placed : carrier.moments->spans) {
        if (placed.span != span) { continue; }
        if (carrier.position >= placed.from - same_place && carrier.position < placed.to - same_place) { return 0; }
        least = std::min(least, time_to(carrier.position, carrier.speed < 0 ? placed.to : placed.from, carrier.speed,
                                        carrier.loops));
    }
    return least;
}

} // namespace gait
