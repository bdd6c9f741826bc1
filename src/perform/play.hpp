/// The motions that play in a layer: how one is laid over what plays, and when those below it are forgotten.
#pragma once

#include "perform/frame.hpp"

namespace gait::detail {

/// How a state, and its motion with it, is entered.
struct Entrance {
    std::uint16_t by = no_index; ///< the transition that did it, for the record
    double fade = 0;             ///< seconds
    Ease ease = Ease::smooth;
    FadeStyle style = FadeStyle::cross;
    EnterAt at = EnterAt::beginning;
    double fraction = 0;
    std::uint16_t mark = no_index;
    bool settle = false;
};

/// Plays the motion of `node` over what plays.
void play(Frame& frame, std::uint16_t node, const Entrance& entrance);

/// Says what the clips of the active motion begin with, once: a motion entered between two steps waits for the next.
void begin_active(Frame& frame);

/// Forgets the motions that have been faded over.
void drop_faded(Frame& frame);

} // namespace gait::detail
