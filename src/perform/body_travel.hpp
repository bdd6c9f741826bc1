/// The way of the whole body that the playing clips of a layer have.
#pragma once

#include "perform/phase_clock.hpp"
#include "perform/shares.hpp"

namespace gait::detail {

/// The step over which a velocity is measured by difference, seconds.
inline constexpr double velocity_step = 1.0 / 2048;

/// Some time from now on, seconds.
struct TimeAhead {
    double begin = 0; ///< until it begins
    double dt = 0;    ///< that it lasts
};

/// How the body moves in a stretch of time as the playing clips have it: a twist over that time, weighted as the
/// pose is, in the clips' own size; and the weight of the instances whose clips may move it. `phase` is what of the
/// shared phase goes by in that time.
struct ClipTravel {
    BodyStep twist;
    double share = 0;
    double claim = 0; ///< the part of the body's way that is the layer's to say, 0 to 1: of the lowest all
};
[[nodiscard]] ClipTravel travel_of_clips(const CharacterData& data, const PerformerBlock& block, const Evaluation& what,
                                         TimeAhead time, PhaseStep phase);

/// What an earlier motion's velocity adds in that time, as the inertial offset decays, and how much more of the body's
/// motion is the clips' than the motions say: so what the game moves goes over into what clips move as the pose does.
[[nodiscard]] ClipTravel travel_of_offset(const LayerHeader& layer, TimeAhead time);

/// The velocity that these instances give the body now, a second, and their share.
[[nodiscard]] ClipTravel travel_velocity(const CharacterData& data, const PerformerBlock& block,
                                         const Evaluation& what);

} // namespace gait::detail
