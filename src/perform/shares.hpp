/// How much each motion of a layer counts, and how much of the body they cover.
#pragma once

#include "character/character_data.hpp"
#include "character/coverage.hpp"

#include <algorithm>
#include <array>

namespace gait::detail {

/// What to evaluate.
struct Evaluation {
    std::size_t first_instance = 0;             ///< the lowest instance counts in full; those below it are left out
    std::size_t last_instance = most_instances; ///< one past the highest
    double shift = 0;                           ///< seconds from now, back or ahead
    bool with_offset = true;
    /// The part of the layer that motions cover which were folded into its offset, where it is not what the layer knows
    /// now. It counts as the rest pose, on which the offset lies.
    const Coverage* folded = nullptr;
    /// Seconds that the inputs by which the highest motion's clips were weighed are ahead: they are those of the step's
    /// end.
    double weighed_ahead = 0;
    /// [clip that plays] What those clips count then, where that is not what they were given.
    const float* highest_weights = nullptr;
};

/// All of a layer, as it is now. Copied from here it costs less than when it is put together first.
inline constexpr Evaluation everything_now{};

/// The same, `shift` seconds from now.
[[nodiscard]] inline Evaluation shifted(Evaluation what, double shift) {
    what.shift = shift;
    return what;
}

/// Each instance's share of the pose.
using InstanceShares = std::array<float, most_instances>;

/// `instance_shares` where some fade over others.
void fill_faded_shares(const LayerHeader& layer, const Evaluation& what, InstanceShares& shares);

/// Each instance's share of the pose, given that the lowest counts in full; they sum to 1.
inline void fill_shares(const LayerHeader& layer, const Evaluation& what, InstanceShares& shares) {
    shares = {};
    if (layer.instance_count == 1 && what.first_instance == 0 && what.last_instance > 0) {
        shares[0] = 1;
    } else {
        fill_faded_shares(layer, what, shares);
    }
}
[[nodiscard]] inline InstanceShares instance_shares(const LayerHeader& layer, const Evaluation& what) {
    InstanceShares shares;
    fill_shares(layer, what, shares);
    return shares;
}

/// The shares of the motions that play something.
struct PoseShares {
    PoseShares(const CharacterData& data, const PerformerBlock& block, const Evaluation& what) {
        fill_shares(block.layer(), what, share);
        if (!data.layers[block.layer_index()].covers_evenly()) { leave_out_nothing(data, block, what); }
    }

    InstanceShares share;   ///< of the layer's pose; they sum to 1
    Coverage covered{1, 0}; ///< the part of the layer that plays something
    Coverage folded;        ///< and what was folded, beside that
    bool plain = true;      ///< all motions count inside the mask alone, and nothing that was folded does
    float scale = 1;        ///< one over all of it, by which the shares were multiplied

private:
    /// Where some motions play nothing, or count on all joints.
    void leave_out_nothing(const CharacterData& data, const PerformerBlock& block, const Evaluation& what);
};

/// How much more of the layer plays than its motions say, `shift` seconds from now: what motions covered that were
/// folded into its offset, going on at the speed at which it changed then.
[[nodiscard]] Coverage covered_by_offset(const LayerHeader& layer, double shift);

/// What is left of what was folded into the layer's offset, 1 to 0.
[[nodiscard]] float offset_left(const LayerHeader& layer);

/// What is left of the values that were folded away, 1 to 0. They stand below the motions above them.
[[nodiscard]] float value_offset_left(const LayerHeader& layer);

} // namespace gait::detail
