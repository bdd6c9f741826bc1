/// \file
/// A blend space as people look at it: where its motions stand and what counts where.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/performer.hpp"

#include <array>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gait {

/// A place on a blend space's parameters: on two, the first and the second; on one, the first.
using SpacePlace = std::array<double, 2>;

/// A motion of a blend space.
struct SpacePoint {
    SpacePlace at{};                ///< in the parameters' units
    SpacePlace drawn{};             ///< on the map; see `BlendSpaceView::velocities`
    std::vector<std::string> clips; ///< what plays there
};

/// The first blend space of a state's motion.
struct BlendSpaceView {
    std::vector<std::string> parameters; ///< one or two names
    std::vector<std::string> units;      ///< beside them; empty where the document does not say
    bool velocities = false;             ///< a plane of velocities, drawn in metres a second: to the right, and ahead
    bool bands = false;                  ///< gradient bands weigh it, not cells
    std::vector<SpacePoint> points;
    std::vector<std::vector<std::size_t>> cells; ///< points at the corners
    std::vector<std::array<std::size_t, 2>> rim; ///< the hull's sides: beyond, the nearest place on them counts
    SpacePlace low{}, high{};                    ///< the points' bounds as drawn
};

/// Nothing when the state plays no blend space, or is not there.
[[nodiscard]] GAIT_API std::optional<BlendSpaceView> blend_space(const Character& character, StateHandle state);

/// What each of `view.points` counts at a place as drawn; they sum to 1.
[[nodiscard]] GAIT_API std::vector<double> shares_at(const Character& character, StateHandle state, SpacePlace drawn);

/// Whether a place as drawn lies between the points.
[[nodiscard]] GAIT_API bool inside_hull(const Character& character, StateHandle state, SpacePlace drawn);

/// Where a performer's blend space is asked for now.
struct BlendCursor {
    std::uint16_t state = 0; ///< index into `Character::states()`
    SpacePlace drawn{};      ///< on the map
    bool velocity = false;   ///< it is a velocity, and these are known
    double speed = 0;        ///< metres a second
    double heading = 0;      ///< degrees
};

/// The place in the first blend space of what is active; nothing when that plays none.
[[nodiscard]] GAIT_API std::optional<BlendCursor> blend_cursor(const Performer& performer);

/// The velocity that a speed and a heading ask for, as the blend spaces that both steer see it: smoothed together, in
/// the body's own frame, metres a second; it goes on whatever plays. Nothing when both steer no space.
[[nodiscard]] GAIT_API std::optional<Vec3> steered_velocity(const Performer& performer, NumberParameter speed,
                                                            NumberParameter heading);

} // namespace gait
