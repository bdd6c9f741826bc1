/// From playheads and fades to a pose: one accumulation over every clip that has weight, then the layer's offset.
#pragma once

#include "perform/shares.hpp"

#include <algorithm>
#include <array>

namespace gait {

/// Scratch rows for one window.
struct alignas(cache_line) WindowPose {
    std::array<float, 10 * window_lanes> rows;
};

/// The rotation of a joint of a window.
[[nodiscard]] inline Quat quat_at(const WindowPose& pose, std::size_t lane) {
    return {pose.rows[lane], pose.rows[window_lanes + lane], pose.rows[2 * window_lanes + lane],
            pose.rows[3 * window_lanes + lane]};
}

/// Where a window's rows go: `first` is the window's own first lane of row 0.
struct PoseRows {
    float* first = nullptr;
    std::size_t stride = 0;
};

/// Fills translations and scales with the rest pose.
void fill_rest(const CharacterData& data, Window window, PoseRows out);

/// Calls `visit(window)` for each window of some lanes.
template <typename Visit> void each_window(Window lanes, Visit visit) {
    for (std::size_t first = lanes.first; first < lanes.end();) {
        const std::size_t next = std::min(lanes.end(), first / window_lanes * window_lanes + window_lanes);
        visit(Window{first, next - first});
        first = next;
    }
}
/// And of all the character's joints.
template <typename Visit> void each_window(const CharacterData& data, Visit visit) {
    each_window(Window{0, data.layout.lanes}, visit);
}

/// A layer's pose, with what all its windows share.
class LayerPose {
public:
    LayerPose(const CharacterData& data, const PerformerBlock& block, const Evaluation& what = {});

    [[nodiscard]] const PoseShares& shares() const { return shares_; }
    /// Evaluates a window: rotations, and those translations and scales that some clip moves. The others are left as
    /// they are (see `fill_rest`).
    void evaluate(Window window, PoseRows out) const;

private:
    const CharacterData& data_;
    PerformerBlock block_;
    Evaluation what_;
    PoseShares shares_;
    double strides_ = 0; ///< of the shared phase, then
};

/// Chooses, joint by joint, the sign with which the newest instance joins those below it.
void choose_signs(const CharacterData& data, const PerformerBlock& block);

} // namespace gait
