/// \file
/// The body of a plain game: it goes where a performer's parameters say, as far as the clips do not carry it.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/performer.hpp"
#include "gait/travel.hpp"

namespace gait {

/// Which parameters move the body, and how. A handle of nothing moves it not at all.
struct PlainBody {
    NumberParameter speed;   ///< metres a second over the ground
    NumberParameter heading; ///< an angle, from where the body faces; of nothing: straight ahead
    NumberParameter turn;    ///< -1 to 1: how much of `turn_rate` the body turns to the right
    double turn_rate = 90;   ///< degrees a second

    /// How the body moves in the next `seconds`: by the travel of the performer's clips, and for the rest of its motion
    /// (see `Travel::share`) by these parameters, smoothed as the performer smooths them.
    [[nodiscard]] GAIT_API Travel move(const Performer& performer, double seconds) const;
};

} // namespace gait
