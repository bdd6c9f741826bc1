/// How much each clip of a motion counts and how fast it goes, and how much a layer counts.
#pragma once

#include "perform/frame.hpp"

namespace gait::detail {

/// Gives the active motion the weights and rates of the present parameters. A clip that comes back from no weight
/// starts afresh.
void weigh_active(Frame& frame);
/// Computes them again after parameters or weights have changed, where the motion depends on any.
inline void weigh_again(Frame& frame) {
    if (!frame.compiled.has_live_weights || !hangs_on_inputs(frame.motion_of(frame.active()))) { return; }
    weigh_active(frame);
    // What was foreseen of its clips comes sooner or later now.
    if (any_active(frame, [](const CompiledState& state) { return state.facts.poll_uneven; })) {
        frame.layer.seconds_until_decision = 0;
    }
}
/// The same for the motions that are being left whose inputs stay live, which have gone on for `dt` seconds.
void weigh_left(Frame& frame, bool inputs_moved, double dt);

/// The weights of the mixes and additions of the active motion, only just entered, are what they are then.
void begin_terms(Frame& frame);

/// Lets the weights of the active motion's mixes and additions follow their expressions for `dt` seconds.
void follow_terms(Frame& frame, double dt);

/// Lets the layer's own weight follow its expression.
void follow_weight(Frame& frame, double dt);

/// The value of a weight's expression, clamped to 0 to 1; 1 where there is none.
[[nodiscard]] double wanted_weight(const Frame& frame, const Term& term);

} // namespace gait::detail
