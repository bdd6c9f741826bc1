/// What the rotations of a window are blended from, written down layer upon layer and then done in one pass.
#pragma once

#include "character/layout.hpp"
#include "character/sampled_clip.hpp"
#include "math/pose_kernels.hpp"

#include <array>

namespace gait::detail {

/// Where a window's rows go: `first` is the window's own first lane of row 0.
struct PoseRows {
    float* first = nullptr;
    std::size_t stride = 0;
};

/// A clip at an instant, and what it counts.
struct Sample {
    const ClipFrames* clip;
    std::uint32_t frame;               ///< it lies between this and the next
    float first_weight, second_weight; ///< of both
};

class WindowProgram {
public:
    /// `out`: the window's rows, unless it is not run.
    explicit WindowProgram(Window window, PoseRows out = {}) : window_(window), out_(out) { start_over(); }
    WindowProgram(const WindowProgram&) = delete;
    WindowProgram& operator=(const WindowProgram&) = delete;

    /// Begins the next layer, on some lanes of the window. The first one is the lowest unless it covers: it takes the
    /// place of whatever the rows hold.
    void begin(Window part) {
        if (layer_count_ > 0) { make_room_for_layer(); }
        part_ = part;
        sampled_ = false;
        layer_ = &layers_[layer_count_++];
        layer_->sources = next_source_;
        layer_->turns = next_turn_;
        layer_->weights = nullptr;
        layer_->first = part.first - window_.first;
        layer_->lanes = part.lanes;
    }
    /// The lanes of the layer that was begun.
    [[nodiscard]] const Window& part() const { return part_; }
    /// Lays that layer over those below; `weights` [lanes of the part]. `far_sides` becomes 1 where some joint lies on
    /// the far side then.
    void cover(const float* weights, kernels::Hemispheres hemispheres, std::uint8_t& far_sides) {
        layer_->weights = weights;
        layer_->hemispheres = hemispheres;
        layer_->far_sides = &far_sides;
    }

    /// Room for a number a lane. Before the layer's first `make_room` there is room for four, which stay until the
    /// layer is blended; after each for three, which the next sample may use.
    [[nodiscard]] float* lane_numbers() { return numbers_[number_count_++].data(); }
    /// To be called before such a sample.
    void make_room() {
        if (is_full() || number_count_ + 3 > numbers_.size()) { spill(); }
        keep_numbers();
    }

    /// Adds a clip's quaternions; `factors` [lanes of the part] are null where there are none.
    void add(const Sample& sample, const float* factors) {
        if (next_source_ == &sources_[most_sources]) [[unlikely]] { spill(); }
        fill(*next_source_++, sample, factors);
    }
    /// Adds a clip's differences.
    void add_turn(const Sample& sample, const float* factors) {
        if (next_turn_ == &turns_[most_turns]) [[unlikely]] { spill(); }
        fill(*next_turn_++, sample, factors);
    }
    /// Four rows, `window_lanes` apart, that are added to the layer's quaternions as they are.
    [[nodiscard]] float* more_quaternions();

    /// Blends what is written down into the window's rows.
    void run();
    /// What is written down of the one layer that was begun, instead.
    [[nodiscard]] const kernels::PoseLayer& only_layer() {
        end_layer();
        return *layer_;
    }

private:
    static constexpr std::size_t most_layers_at_once = 8, most_sources = 48, most_turns = 8;

    void fill(kernels::BlendSource& source, const Sample& sample, const float* factors) const {
        const ClipFrames& clip = *sample.clip;
        source.from = clip.rotations + 4 * (std::size_t(sample.frame) * clip.stride) + part_.first;
        source.to = source.from + clip.next;
        source.stride = clip.stride;
        source.first_weight = sample.first_weight;
        source.second_weight = sample.second_weight;
        source.factors = factors;
    }
    /// Ends the layer that was begun, and blends all there are if another one might not find room.
    void make_room_for_layer() {
        const bool had_more = more_ || more_turns_; // of which there is room for one layer's
        end_layer();
        if (had_more || layer_count_ == layers_.size() || next_source_ > &sources_[most_sources / 2] ||
            next_turn_ > &turns_[most_turns / 2] || number_count_ > numbers_.size() / 2) {
            run_layers();
        }
    }
    void end_layer() {
        if (more_ || more_turns_) { add_more(); }
        layer_->sources_end = next_source_;
        layer_->turns_end = next_turn_;
    }
    [[nodiscard]] bool is_full() const {
        return next_source_ == &sources_[most_sources] || next_turn_ == &turns_[most_turns];
    }
    void start_over() {
        layer_count_ = number_count_ = 0;
        next_source_ = sources_.data();
        next_turn_ = turns_.data();
    }
    void keep_numbers() {
        if (!sampled_) { kept_numbers_ = number_count_; }
        sampled_ = true;
    }
    void add_more();
    void run_layers();
    void spill();

    Window window_, part_;
    PoseRows out_;
    std::size_t layer_count_ = 0, number_count_ = 0;
    std::size_t kept_numbers_ = 0;        ///< those that stay with the layer that was begun
    kernels::PoseLayer* layer_ = nullptr; ///< that one
    kernels::BlendSource *next_source_ = nullptr, *next_turn_ = nullptr;
    bool sampled_ = false, more_ = false, more_turns_ = false;
    // NOLINTBEGIN: only as many as are counted hold anything, and the last two where the layer has more
    std::array<kernels::PoseLayer, most_layers_at_once> layers_;
    std::array<kernels::BlendSource, most_sources + 1> sources_;
    std::array<kernels::BlendSource, most_turns + 1> turns_;
    alignas(cache_line) std::array<std::array<float, window_lanes>, 16> numbers_;
    alignas(cache_line) std::array<float, 4 * window_lanes> more_rows_, more_turn_rows_;
    // NOLINTEND
};

} // namespace gait::detail
