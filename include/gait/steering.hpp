/// \file
/// From what a game knows (a stick, a camera, a velocity) to what a document asks for: ground speed, heading, fall
/// speed; and the turning of the body toward where it goes. No engine is needed: headings are degrees over the ground,
/// 0 along +Z, positive to the right (toward -X).
#pragma once

#include "gait/api.hpp"
#include "gait/math.hpp"

#include <optional>

namespace gait {

/// How a body moves, as it sees it itself.
struct BodyMotion {
    float speed = 0;      ///< metres a second over the ground
    float heading = 0;    ///< degrees from where it faces, in (-180, 180]; the last one asked for while it stands
    float fall_speed = 0; ///< metres a second downward; 0 while it rises: rising is not running
};

/// A stick or four keys: 1 is all the way. Longer than 1 it counts as 1, as two keys at once do.
struct Stick {
    float right = 0, ahead = 0;
};

/// An angle in (-180, 180], degrees; 0 for what is no number.
[[nodiscard]] GAIT_API float wrapped_heading(double degrees);

/// The heading of a direction over the ground; nothing when it has none, or is not finite.
[[nodiscard]] GAIT_API std::optional<float> heading_of(Vec3 direction);
/// The direction of a heading, one metre long.
[[nodiscard]] GAIT_API Vec3 direction_of(double heading);
/// From one place to face another; nothing when they are the same.
[[nodiscard]] GAIT_API std::optional<float> heading_to(Vec3 from, Vec3 to);

/// The world's heading that a stick asks for, seen from a camera that looks along `camera_heading`; nothing inside the
/// dead zone.
[[nodiscard]] GAIT_API std::optional<float> heading_of(Stick stick, double camera_heading, float dead_zone = 0.1F);
/// How far the stick is out beyond its dead zone, 0 to 1.
[[nodiscard]] GAIT_API float strength_of(Stick stick, float dead_zone = 0.1F);

/// What a stick asks of a body that faces `body_heading` and may go at `top_speed` metres a second. The heading is
/// `before.heading` while the stick is let go, so that nothing turns round as it stops.
[[nodiscard]] GAIT_API BodyMotion motion_of(Stick stick, double camera_heading, double body_heading, float top_speed,
                                            const BodyMotion& before = {}, float dead_zone = 0.1F);
/// What a body that faces `body_heading` does as it moves through the world by `velocity`, metres a second: what it did
/// before when that is not finite.
[[nodiscard]] GAIT_API BodyMotion motion_of(Vec3 velocity, double body_heading, const BodyMotion& before = {});

/// The facing of a body, turned toward where it shall look: a critically damped spring the short way round, exact at
/// any frame rate, its speed bounded.
class GAIT_API Facing {
public:
    /// Facing `heading`. `lag` is the seconds it stays behind a steady turn, held between 0 and 60; `at_most` degrees a
    /// second, between 0.001 and a million.
    explicit Facing(double heading = 0, double lag = 0.12, double at_most = 540);

    /// Turns for `seconds` toward the world's heading `wanted`; nothing: it comes to rest where it faces, its turn
    /// running out. At most an hour at once. What is not finite, here and below, changes nothing.
    void turn(std::optional<float> wanted, double seconds);
    /// Faces where the game put it; what it followed is forgotten.
    void set(double heading);
    /// Turns by so many degrees at once, keeping what it follows ahead by as much.
    void add(double degrees);

    [[nodiscard]] double heading() const { return heading_; } ///< degrees, in (-180, 180]
    [[nodiscard]] double turn_rate() const { return rate_; }  ///< degrees a second, positive to the right
    [[nodiscard]] float error(double wanted) const;           ///< degrees it still has to turn, the short way

private:
    double heading_ = 0, rate_ = 0, followed_ = 0;
    bool let_go_ = true; ///< nothing is wanted, and where it comes to rest is settled
    double lag_, at_most_;
};

} // namespace gait
