/// From playheads and fades to a pose: one accumulation over every clip that has weight, then the layer's offset.
#pragma once

#include "perform/blend_batch.hpp"
#include "perform/playheads.hpp"
#include "perform/shares.hpp"

#include <algorithm>
#include <array>

namespace gait::detail {

/// Scratch rows for one window.
struct alignas(cache_line) WindowPose {
    std::array<float, 10 * window_lanes> rows;
};

/// The rotation of a joint of a window.
[[nodiscard]] inline Quat quat_at(const WindowPose& pose, std::size_t lane) {
    return {pose.rows[lane], pose.rows[window_lanes + lane], pose.rows[2 * window_lanes + lane],
            pose.rows[3 * window_lanes + lane]};
}

/// Translations and scales of a window, beside those of `CharacterData::moved` that are in it.
struct MovedValues {
    std::array<std::array<float, 4>, 2 * window_lanes> at; // NOLINT: only those are filled; the fourth is padding
};
/// Puts them where they belong in the window's rows.
void show_moved(const CharacterData& data, Window window, const MovedValues& values, PoseRows out);

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

/// Where motions count on unlike parts of the body, the sum of their weights differs from lane to lane.
struct UnlikeCover {
    const float* mask; ///< the layer's; null where all count alike
    float* inverse;    ///< one over that sum
    float* mask_over;  ///< and the mask over it
};

/// The motion that is all there is of a layer, in full: nothing fades, and it is inside the mask alone. Null where
/// there is more to say.
[[nodiscard]] inline const Instance* only_motion(const CharacterData& data, const LayerHeader& layer) {
    const bool one = layer.instance_count == 1 && layer.offset_active == 0;
    return one && data.states[layer.instances[0].state].facts.plain ? layer.instances.data() : nullptr;
}
/// Writes the rotations of that one into the layer that `program` has begun, and where `moved` is not null says what is
/// moved on its lanes.
void write_only(const CharacterData& data, const PerformerBlock& block, const Instance& only, WindowProgram& program,
                MovedValues* moved);

/// A layer's pose, with what all its windows share.
class LayerPose {
public:
    LayerPose(const CharacterData& data, const PerformerBlock& block, const Evaluation& what = everything_now)
        : data_(data), block_(block), shares_(data, block, what), phase_(phase_of(block.layer())), shift_(what.shift),
          first_instance_(std::uint8_t(what.first_instance)),
          last_instance_(std::uint8_t(std::min<std::size_t>(block.layer().instance_count, what.last_instance))),
          offset_(what.with_offset && block.layer().offset_active != 0), highest_weights_(what.highest_weights) {
        if (shift_ != 0) { phase_ = later_phase(data, block_, what); }
    }

    [[nodiscard]] const PerformerBlock& block() const { return block_; }
    [[nodiscard]] const PoseShares& shares() const { return shares_; }
    /// Evaluates a window: rotations, and those translations and scales that some clip moves. The others are left as
    /// they are (see `fill_rest`).
    void evaluate(Window window, PoseRows out) const { evaluate(window, out, true); }
    /// The same, but its quaternions need not be unit ones.
    void evaluate_sums(Window window, PoseRows out) const { evaluate(window, out, false); }
    /// Writes what the layer blends into the layer that `program` has begun, without the layer's offset; see
    /// `write_only`.
    void write(WindowProgram& program, MovedValues* moved) const;
    /// Whether an offset lies on what `write` gives.
    [[nodiscard]] bool has_offset() const { return offset_; }

private:
    void evaluate(Window window, PoseRows out, bool to_unit) const;
    /// On the lanes of the layer that `program` has begun.
    [[nodiscard]] UnlikeCover cover_of(WindowProgram& program, Coverage rest) const;

    const CharacterData& data_;
    PerformerBlock block_;
    PoseShares shares_;
    ClipPlace phase_; ///< the layer's shared one, then
    double shift_;    ///< seconds from now
    std::uint8_t first_instance_, last_instance_;
    bool offset_; ///< there is one
    const float* highest_weights_;
};

/// Whether nothing that plays can be opposed to anything else that does.
[[nodiscard]] bool keep_side(const CharacterData& data, const PerformerBlock& block);
/// Chooses, joint by joint, the sign with which it joins those below it.
void choose_signs(const CharacterData& data, const PerformerBlock& block);

} // namespace gait::detail
