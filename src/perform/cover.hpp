/// How much a layer counts, and where.
#pragma once

#include "perform/evaluate.hpp"

#include <algorithm>
#include <array>

namespace gait::detail {

/// How a layer counts now.
struct Cover {
    float weight;     ///< of the layer
    Coverage covered; ///< the part of it that plays something
    bool adds;
    [[nodiscard]] bool shows() const { return weight > 0 && (adds || covered.total() > 0); }
};

/// That of a layer that plays inside the mask alone, and nothing beside it.
inline Cover whole_cover(const CompiledLayer& own, const LayerHeader& layer) {
    return {float(std::clamp(layer.weight.value, 0.0, 1.0)), {1, 0}, own.mode == LayerMode::add};
}

inline Cover cover_of(const CompiledLayer& own, const LayerPose& pose) {
    Cover cover = whole_cover(own, pose.block().layer());
    const PoseShares& shares = pose.shares();
    // What was folded may take from the cover.
    const bool all_of_it = shares.plain && shares.covered.masked == 1 && shares.folded.masked == 0;
    if (cover.adds || all_of_it) { return cover; } // NOLINT: they have initial values
    cover.covered = (shares.covered + shares.folded).fitted();
    return cover;
}

/// What a layer counts, a lane each; `room` is for as many numbers. The mask itself where the layer counts in full.
inline const float* lane_weights(const CharacterData& data, const CompiledLayer& own, const Cover& cover, Window window,
                                 float* room) {
    const float* mask = own.mask == no_index ? nullptr : data.masks[own.mask].data() + window.first;
    if (mask != nullptr && cover.weight >= 1 && cover.covered.masked >= 1) { return mask; }
    for (std::size_t lane = 0; lane < window.lanes; ++lane) {
        const float part = cover.covered.on(mask == nullptr ? 1.0F : mask[lane]);
        // All of two parts may miss 1 by a rounding.
        room[lane] = cover.weight * (part > 1 - 1e-6F ? 1.0F : part);
    }
    return room;
}

/// The same, with its own room.
class Weights {
public:
    Weights(const CharacterData& data, const CompiledLayer& own, const Cover& cover, Window window)
        : lanes_(lane_weights(data, own, cover, window, own_.data())) {}
    Weights(const Weights&) = delete;
    Weights& operator=(const Weights&) = delete;

    [[nodiscard]] const float* data() const { return lanes_; }
    float operator[](std::size_t lane) const { return lanes_[lane]; }

private:
    alignas(cache_line) std::array<float, window_lanes> own_; // NOLINT: filled where it is used
    const float* lanes_;
};

/// Translations and scales; all but those of `moved` are at rest in every layer. `own`: those of the layer.
inline void mix_moved(const CharacterData& data, const float* weights, Window window, PoseRows out,
                      const MovedValues& own) {
    const auto moved = data.moved_in(window);
    for (std::size_t m = 0; m < moved.size(); ++m) {
        const std::size_t lane = moved[m].joint - window.first;
        const float weight = weights[lane];
        if (!(weight > 0)) { continue; }
        float* below = out.first + moved[m].row * out.stride + lane;
        for (std::size_t axis = 0; axis < 3; ++axis, below += out.stride) {
            *below = weight >= 1 ? own.at[m][axis] : *below + weight * (own.at[m][axis] - *below);
        }
    }
}

/// The lanes that are in both.
inline Window common(Window a, Window b) {
    const std::size_t first = std::max(a.first, b.first), end = std::min(a.end(), b.end());
    return {first, end > first ? end - first : 0};
}

inline PoseRows rows_at(const CharacterData& data, const PerformerBlock& block, Window window) {
    return {block.pose() + window.first, data.layout.lanes};
}

/// A layer of a performer whose pose is made.
struct PosedLayer {
    const CharacterData& data;
    PerformerBlock block; ///< seen as the layer's own
    Window lanes;         ///< of its reach that are asked for
};

} // namespace gait::detail
