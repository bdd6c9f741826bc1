/// The first part of a step: inputs are smoothed, and what follows from them is computed.
#pragma once

#include "perform/frame.hpp"

namespace gait::detail {

/// A smoothed parameter stands where its input is.
void begin_smoothed(const CharacterData& data, const PerformerBlock& block, std::size_t slot);

/// Default values everywhere; what watches remembers how things stand.
void reset_inputs(Frame& frame);
/// What is computed from the inputs, afresh; what watches remembers how things stand.
void recompute_inputs(Frame& frame);

/// Smooths inputs over the next `dt` seconds and computes what follows from them.
void take_inputs(Frame& frame, double dt);

/// Sees how the layers stand, where expressions ask for it.
void look_at_layers(Frame& frame);

/// After the first decision of a step: an edge is seen there and nowhere else, so that it counts once at any frame
/// rate.
void forget_edges(Frame& frame);

/// Signals grow older by `dt`.
void age_signals(Frame& frame, double dt);
/// At a step's end: a signal that nothing keeps is dropped, even where no time has passed.
void drop_old_signals(Frame& frame);

/// A signal was sent.
void send_signal(Frame& frame, std::uint16_t signal);

} // namespace gait::detail
