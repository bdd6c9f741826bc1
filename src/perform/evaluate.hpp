/// From playheads and fades to a pose: one accumulation over every clip that has weight, then the layer's offset.
#pragma once

#include "perform/character_data.hpp"
#include "perform/phase_clock.hpp"

#include <array>

namespace gait {

/// Scratch rows for one window.
struct alignas(cache_line) WindowPose {
    std::array<float, 10 * window_lanes> rows;
};

/// What to evaluate.
struct Evaluation {
    std::size_t first_instance = 0;             ///< the lowest instance counts in full; those below it are left out
    std::size_t last_instance = most_instances; ///< one past the highest
    double shift = 0;                           ///< seconds from now; only small steps back make sense
    bool with_offset = true;
    /// What motions that were folded covered, where it is not what the layer knows now: see `Folded`.
    const struct Folded* folded = nullptr;
};

/// The parts of a layer that are still covered by motions that were folded into its offset: they count as the rest
/// pose, on which the offset lies.
struct Folded {
    float masked = 0;     ///< inside the mask
    float whole_body = 0; ///< on all joints
};

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

/// Each instance's share of the pose, given that the lowest counts in full; they sum to 1.
[[nodiscard]] std::array<float, most_instances> instance_shares(const LayerHeader& layer, const Evaluation& what);

/// The shares of the motions that play something.
struct PoseShares {
    std::array<float, most_instances> share{}; ///< of the layer's pose; they sum to 1
    float masked = 1;                          ///< the part of the layer that plays something inside its mask
    float whole_body = 0;                      ///< and the part that counts on all joints
    Folded folded;                             ///< and what was folded, beside both
    float scale = 1;                           ///< one over all of it, by which the shares were multiplied
};
[[nodiscard]] PoseShares pose_shares(const CharacterData& data, const PerformerBlock& block, const Evaluation& what);

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

/// What is left of what was folded into the layer's offset, 1 to 0.
[[nodiscard]] float offset_left(const LayerHeader& layer);

/// How the body moves over the next `dt` seconds as the playing clips have it: a twist over that time, weighted as the
/// pose is, in the clips' own size; and the weight of the instances whose clips may move it. `phase` is what of the
/// shared phase goes by in that time.
struct WeighedTravel {
    BodyStep twist;
    double share = 0;
    double claim = 0; ///< the part of the body's way that is the layer's to say, 0 to 1: of the lowest all
};
[[nodiscard]] WeighedTravel weigh_travel(const CharacterData& data, const PerformerBlock& block, const Evaluation& what,
                                         double dt, PhaseStep phase);

/// What an earlier motion's velocity adds over the next `dt` seconds, as the inertial offset decays.
[[nodiscard]] BodyStep offset_travel(const LayerHeader& layer, double dt);

/// Catches the difference between the motions `before` and those `after`, and the speed of that difference, as the
/// layer's inertial offset, to decay over `seconds`: of the pose, the travel and the values.
void capture_offset(const CharacterData& data, const PerformerBlock& block, const Evaluation& before,
                    const Evaluation& after, double seconds);

/// A value that states give, by `instance_shares` and what folded motions left behind.
[[nodiscard]] float value_now(const CharacterData& data, const PerformerBlock& block, std::size_t value);

/// Chooses, joint by joint, the sign with which the newest instance joins those below it.
void choose_signs(const CharacterData& data, const PerformerBlock& block);

} // namespace gait
