#include "perform/blend_batch.hpp"

#include <algorithm>

namespace gait::detail {

static_assert(window_lanes <= kernels::most_composed);

namespace {

/// Adds up sources into four rows, which are cleared first unless they hold something already.
void sum_up(const kernels::BlendSource* sources, std::size_t count, std::size_t lanes, float* rows, bool& holds) {
    if (!holds) {
        for (std::size_t row = 0; row < 4; ++row) { std::fill_n(rows + row * window_lanes, lanes, 0.0F); }
    }
    holds = true;
    if (count > 0) { kernels::accumulate({rows, window_lanes}, sources, count, lanes); }
}

kernels::BlendSource as_it_is(const float* rows) { return {rows, rows, window_lanes, 1, 0, nullptr}; }

} // namespace

float* WindowProgram::more_quaternions() {
    sum_up(nullptr, 0, part_.lanes, more_rows_.data(), more_);
    return more_rows_.data();
}

void WindowProgram::add_more() {
    if (more_) { *next_source_++ = as_it_is(more_rows_.data()); }
    if (more_turns_) { *next_turn_++ = as_it_is(more_turn_rows_.data()); }
    more_ = more_turns_ = false;
}

void WindowProgram::spill() {
    keep_numbers();
    const auto sources = std::size_t(next_source_ - layer_->sources), turns = std::size_t(next_turn_ - layer_->turns);
    if (sources > 0) { sum_up(layer_->sources, sources, part_.lanes, more_rows_.data(), more_); }
    if (turns > 0) { sum_up(layer_->turns, turns, part_.lanes, more_turn_rows_.data(), more_turns_); }
    next_source_ -= sources;
    next_turn_ -= turns;
    number_count_ = kept_numbers_;
}

void WindowProgram::run_layers() {
    kernels::compose({out_.first, out_.stride}, layers_.data(), layer_count_);
    start_over();
}

void WindowProgram::run() {
    if (layer_count_ == 0) { return; }
    end_layer();
    run_layers();
}

} // namespace gait::detail
