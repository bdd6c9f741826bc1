/// What the rotations of a window are blended from, written down layer upon layer and then done in one pass.
#pragma once

#include "clip/sampled_clip.hpp"
#include "math/pose_kernels.hpp"
#include "perform/layout.hpp"

#include <array>

namespace gait {

/// Where a window's rows go: `first` is the window's own first lane of row 0.
struct PoseRows {
    float* first = nullptr;
    std::size_t stride = 0;
};

/// A clip at an instant, and what it counts.
struct Sample {
    const SampledClip* clip;
    std::uint32_t frame;               ///< it lies between this and the next
    float first_weight, second_weight; ///< of both
    float weight;
    double position; ///< 0 to 1
    bool turned;     ///< quaternions that change their sign with the loop have changed it
};

class WindowProgram {
public:
    /// `out`: the window's rows.
    WindowProgram(Window window, PoseRows out) : window_(window), out_(out) {}
    WindowProgram(const WindowProgram&) = delete;
    WindowProgram& operator=(const WindowProgram&) = delete;

    /// Begins the next layer, on some lanes of the window. The first one is the lowest unless it covers: it takes the
    /// place of whatever the rows hold.
    void begin(Window part);
    /// The lanes of the layer that was begun.
    [[nodiscard]] Window part() const { return part_; }
    /// Lays that layer over those below; `weights` [lanes of the part].
    void cover(const float* weights, kernels::Hemispheres hemispheres) {
        kernels::PoseLayer& layer = layers_[layer_count_ - 1];
        layer.weights = weights;
        layer.hemispheres = hemispheres;
    }

    /// Room for a number a lane. Before the layer's first sample there is room for four, which stay until the layer is
    /// blended; after `make_room` for two, which the sample may use.
    [[nodiscard]] float* lane_numbers() { return numbers_[number_count_++].data(); }
    /// To be called before each sample.
    void make_room() {
        if (!sampled_) { kept_numbers_ = number_count_; }
        sampled_ = true;
        if (source_count_ == most_sources || turn_count_ == most_turns || number_count_ + 2 > numbers_.size()) {
            spill();
        }
    }

    /// Adds a clip's quaternions; `factors` [lanes of the part] are null where there are none.
    void add(const Sample& sample, const float* factors) { fill(sources_[source_count_++], sample, factors); }
    /// Adds a clip's differences.
    void add_turn(const Sample& sample, const float* factors) { fill(turns_[turn_count_++], sample, factors); }
    /// Four rows, `window_lanes` apart, that are added to the layer's quaternions as they are.
    [[nodiscard]] float* more_quaternions();

    /// Blends what is written down into the window's rows.
    void run();

private:
    static constexpr std::size_t most_layers_at_once = 8, most_sources = 48, most_turns = 8;

    void fill(kernels::BlendSource& source, const Sample& sample, const float* factors) const {
        const SampledClip& clip = *sample.clip;
        source.from = clip.frame(sample.frame) + part_.first;
        source.to = source.from + (sample.frame < clip.intervals ? 4 * clip.stride : 0);
        source.stride = clip.stride;
        source.first_weight = sample.first_weight;
        source.second_weight = sample.second_weight;
        source.factors = factors;
    }
    void end_layer();
    void spill();

    Window window_, part_;
    PoseRows out_;
    std::size_t layer_count_ = 0, source_count_ = 0, turn_count_ = 0, number_count_ = 0;
    std::size_t first_source_ = 0, first_turn_ = 0; ///< of the layer that was begun
    std::size_t kept_numbers_ = 0;                  ///< those that stay with it
    bool sampled_ = false, more_ = false, more_turns_ = false;
    // NOLINTBEGIN: only as many as are counted hold anything, and the last two where the layer has more
    std::array<kernels::PoseLayer, most_layers_at_once> layers_;
    std::array<kernels::BlendSource, most_sources + 1> sources_;
    std::array<kernels::BlendSource, most_turns + 1> turns_;
    alignas(cache_line) std::array<std::array<float, window_lanes>, 16> numbers_;
    alignas(cache_line) std::array<float, 4 * window_lanes> more_rows_, more_turn_rows_;
    // NOLINTEND
};

} // namespace gait
