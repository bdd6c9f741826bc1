/// \file
/// A blend space as people look at it: where its motions stand, what counts where, and how the body really moves there.
#pragma once

#include "gait/character.hpp"
#include "gait/document.hpp"
#include "gait/performer.hpp"

#include <array>
#include <optional>
#include <span>
#include <string>
#include <utility>
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

/// How a body moves when nothing changes any more.
struct SteadyMotion {
    double speed = 0;     ///< metres a second at which its feet carry it
    double direction = 0; ///< degrees, positive to the right
    double slide = 0;     ///< metres that a foot which is down moves over the ground, the body moved as it was asked to
    double cycle = 0;     ///< seconds of one cycle of its heaviest clip
    double steps_a_minute = 0;
    bool travels = false;        ///< its clips carry the body
    double travel_speed = 0;     ///< metres a second that they do
    double travel_direction = 0; ///< degrees
};

/// A ground velocity: metres a second toward a heading in degrees.
struct AskedMotion {
    double speed = 0;
    double direction = 0;
};

/// Plays `character` from its start with these values (angles and numbers by name) until all smoothing is over, then
/// measures one cycle of its heaviest clip with a body that moves as `asked`. Its start should have no way out: see
/// `lone_state`.
[[nodiscard]] GAIT_API SteadyMotion measure_steady(const Character& character,
                                                   const std::vector<std::pair<std::string, double>>& values,
                                                   AskedMotion asked);

/// The document with one state alone, without its transitions: what it plays can be looked at wherever the parameters
/// are. `name` as in `Character::states()`, with its layer's before it where several have such a state. Nothing when
/// there is no such state, or it stands inside something that takes arguments.
[[nodiscard]] GAIT_API std::optional<Document> lone_state(const Document& document, const std::string& name);

} // namespace gait
