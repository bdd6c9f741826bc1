/// Where the clips of a motion are, how fast they go, and how long until something in them comes.
#pragma once

#include "character/character_data.hpp"
#include "perform/phase_clock.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

namespace gait::detail {

/// Seconds until what does not come.
inline constexpr double never = std::numeric_limits<double>::infinity();

/// Whether a clip of the instance follows the phase that the layer shares.
[[nodiscard]] inline bool follows_phase(const Instance& instance, const Leaf& leaf) {
    return leaf.synced && instance.timing == Timing::shared;
}

/// A place in a clip, and how often it came round before.
struct ClipPlace {
    double position = 0; ///< 0 to 1
    std::uint32_t loops = 0;
};

[[nodiscard]] inline ClipPlace split_place(double cycles) {
    if (!(std::fabs(cycles) < 0x1p62)) [[unlikely]] { return {}; } // numbers so large have no part left
    auto whole = std::int64_t(cycles);                             // toward zero, which is quicker than the floor
    if (cycles < double(whole)) { --whole; }
    return {cycles - double(whole), std::uint32_t(whole)};
}

/// The shared phase of a layer, in strides.
[[nodiscard]] inline ClipPlace phase_of(const LayerHeader& layer) { return {layer.phase, layer.phase_loops}; }
/// Whether a layer plays nothing, and nothing of what it played before is left.
[[nodiscard]] inline bool plays_nothing(const CharacterData& data, const LayerHeader& layer) {
    return layer.instance_count == 1 && layer.offset_active == 0 && data.states[layer.instances[0].state].facts.nothing;
}
/// Whether some motion of a layer follows its shared phase.
[[nodiscard]] inline bool plays_synced(const CharacterData& data, const LayerHeader& layer) {
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        if (instance.timing == Timing::shared && data.states[instance.state].facts.synced) { return true; }
    }
    return false;
}

/// The shared phase `what.shift` seconds later, as the instances of `what` go on by themselves. Where nothing keeps
/// step it stands still.
[[nodiscard]] inline ClipPlace later_phase(const CharacterData& data, const PerformerBlock& block, Evaluation what) {
    if (!plays_synced(data, block.layer())) { return phase_of(block.layer()); }
    const double seconds = std::exchange(what.shift, 0);
    return split_place(PhaseClock(data, block, what).after(strides_of(block.layer()), seconds));
}
/// Where a clip is that lies unevenly on it.
[[nodiscard]] inline ClipPlace warped(const PhaseWarp& warp, ClipPlace phase) {
    return split_place(warp.place(double(std::int32_t(phase.loops)) + phase.position));
}

/// Where a clip of the instance is.
[[nodiscard]] inline ClipPlace place_of(const CharacterData& data, const LayerHeader& layer, const Instance& instance,
                                        const Leaf& leaf, const Playhead& playhead) {
    if (!follows_phase(instance, leaf)) { return {playhead.position, playhead.loops}; }
    const ClipPlace phase = phase_of(layer);
    return leaf.warp == no_index ? phase : warped(data.motions.warp_of(leaf), phase);
}

/// Puts the shared phase at `strides`.
inline void set_strides(LayerHeader& layer, double strides) {
    const ClipPlace place = split_place(strides);
    layer.phase = place.position;
    layer.phase_loops = place.loops;
}

/// Cycles a second of a clip that goes by itself.
[[nodiscard]] inline double own_speed(const Instance& instance, const Leaf& leaf, const Playhead& playhead) {
    return instance.frozen != 0 ? 0.0 : leaf.rate * double(playhead.pace);
}

/// Seconds until the motion's clips with weight have all ended; infinite while one of them loops or stands still.
[[nodiscard]] double seconds_left(const CharacterData& data, const PerformerBlock& block, const Instance& instance);

/// The leaves of the motion that the instance plays.
[[nodiscard]] inline std::span<const Leaf> leaves_of(const CharacterData& data, const Instance& instance) {
    return data.motions.leaves_of(data.motions.motions[data.states[instance.state].motion]);
}

/// The clip of the instance with the greatest weight, among those for which `fits` holds; null for none.
template <typename Fits>
[[nodiscard]] const Playhead* heaviest_clip(const CharacterData& data, const PerformerBlock& block,
                                            const Instance& instance, Fits fits) {
    const auto leaves = leaves_of(data, instance);
    const Playhead* heaviest = nullptr;
    for (const Playhead& playhead : block.playing(instance)) {
        if (!fits(leaves[playhead.leaf])) { continue; }
        if (heaviest == nullptr || playhead.weight > heaviest->weight) { heaviest = &playhead; }
    }
    return heaviest;
}
[[nodiscard]] inline const Playhead* heaviest_clip(const CharacterData& data, const PerformerBlock& block,
                                                   const Instance& instance) {
    return heaviest_clip(data, block, instance, [](const Leaf&) { return true; });
}

/// What expressions may ask of the state at `level` of the layer's active path. What is left of it, and whether it has
/// ended, is its machine's to say where it holds one.
[[nodiscard]] StateReadings read_state(const CharacterData& data, const PerformerBlock& block, std::size_t level);

/// Cycles a second at which a clip of the instance moves now, on the average of a stride where it keeps step.
[[nodiscard]] GAIT_API double speed_of(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                                       const Playhead& playhead);

/// Seconds until the active motion passes `mark`; infinite when it does not.
[[nodiscard]] double seconds_to_mark(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                                     std::uint16_t mark);

/// Seconds until the instance is inside `span`: 0 when it is, infinite when it will not be.
[[nodiscard]] double seconds_to_span(const CharacterData& data, const PerformerBlock& block, const Instance& instance,
                                     std::uint16_t span);

/// Places closer than this are one, cycles.
inline constexpr double same_place = 1e-9;

} // namespace gait::detail
