#include "gait/steering.hpp"

#include "character/expression.hpp"
#include "math/springs.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace gait {
using namespace detail;
namespace {

double wrapped(double degrees) { return std::isfinite(degrees) ? wrapped_degrees(degrees) : 0; }

constexpr double default_lag = 0.12, default_turn = 540;   ///< where what is asked for is no number
constexpr double longest_lag = 60;                         ///< seconds
constexpr double slowest_turn = 0.001, fastest_turn = 1e6; ///< degrees a second
constexpr double longest_turn = 3600;                      ///< seconds at once

double held_lag(double lag) { return std::isnan(lag) ? default_lag : std::clamp(lag, 0.0, longest_lag); }
double held_turn(double at_most) {
    return std::isnan(at_most) ? default_turn : std::clamp(at_most, slowest_turn, fastest_turn);
}

} // namespace

float wrapped_heading(double degrees) { return float(wrapped(degrees)); }

std::optional<float> heading_of(Vec3 direction) {
    const double length = length_of(double(direction.x), double(direction.z));
    if (!(length > 1e-6) || !std::isfinite(length)) { return std::nullopt; }
    return wrapped_heading(-arc_tangent(double(direction.x), double(direction.z)) * degrees_per_radian);
}

Vec3 direction_of(double heading) {
    const double radians = wrapped(heading) / degrees_per_radian;
    return {float(-sine_cosine(radians).sine), 0, float(sine_cosine(radians).cosine)};
}

std::optional<float> heading_to(Vec3 from, Vec3 to) { return heading_of(to - from); }

float strength_of(Stick stick, float dead_zone) {
    const double way = length_of(double(stick.right), double(stick.ahead));
    const double out = std::min(1.0, way), dead = std::max(0.0, double(dead_zone));
    return std::isfinite(way) && out > dead ? float((out - dead) / (1 - dead)) : 0;
}

std::optional<float> heading_of(Stick stick, double camera_heading, float dead_zone) {
    if (!(strength_of(stick, dead_zone) > 0)) { return std::nullopt; }
    return wrapped_heading(camera_heading + arc_tangent(double(stick.right), double(stick.ahead)) * degrees_per_radian);
}

BodyMotion motion_of(Stick stick, double camera_heading, double body_heading, float top_speed, const BodyMotion& before,
                     float dead_zone) {
    BodyMotion motion;
    motion.speed = top_speed * strength_of(stick, dead_zone);
    const auto world = heading_of(stick, camera_heading, dead_zone);
    motion.heading = world ? wrapped_heading(double(*world) - body_heading) : before.heading;
    return motion;
}

BodyMotion motion_of(Vec3 velocity, double body_heading, const BodyMotion& before) {
    BodyMotion motion;
    if (!std::isfinite(velocity.x) || !std::isfinite(velocity.y) || !std::isfinite(velocity.z)) { return before; }
    constexpr double most = std::numeric_limits<float>::max();
    motion.speed = float(std::min(most, length_of(double(velocity.x), double(velocity.z))));
    // Slower than this the direction is noise.
    constexpr float still = 0.02F;
    const auto world = motion.speed > still ? heading_of(velocity) : std::nullopt;
    motion.heading = world ? wrapped_heading(double(*world) - body_heading) : before.heading;
    motion.fall_speed = std::max(0.0F, -velocity.y);
    return motion;
}

Facing::Facing(double heading, double lag, double at_most)
    : heading_(wrapped(heading)), followed_(heading_), lag_(held_lag(lag)), at_most_(held_turn(at_most)) {}

void Facing::turn(std::optional<float> wanted, double seconds) {
    if (!(seconds > 0 && std::isfinite(seconds)) || (wanted && !std::isfinite(*wanted))) { return; }
    seconds = std::min(seconds, longest_turn);
    // Let go, it comes to rest where its turn leaves a critically damped spring: half a lag ahead of now, chosen once.
    if (!wanted && !let_go_) { followed_ = heading_ + rate_ * lag_ / 2; }
    let_go_ = !wanted;
    const double to = wanted ? followed_ + wrapped(double(*wanted) - followed_) : followed_;
    const double way = to - followed_, runs = std::min(std::fabs(way) / at_most_, seconds);
    Follower now{heading_, rate_};
    if (runs > 0) {
        const double ramp = way < 0 ? -at_most_ : at_most_;
        now = follow_ramp(now, followed_, ramp, lag_, runs);
        followed_ = runs < seconds ? to : followed_ + ramp * runs;
    }
    now = follow(now, followed_, lag_, seconds - runs);
    // Carried round together, so that the numbers do not grow with every turn.
    const double round = wrapped(now.value) - now.value;
    heading_ = now.value + round;
    followed_ += round;
    rate_ = now.velocity;
}

void Facing::set(double heading) {
    if (!std::isfinite(heading)) { return; }
    heading_ = followed_ = wrapped(heading);
    rate_ = 0;
    let_go_ = true;
}

void Facing::add(double degrees) {
    if (!std::isfinite(degrees)) { return; }
    const double to = wrapped(heading_ + degrees);
    followed_ += to - heading_;
    heading_ = to;
}

float Facing::error(double wanted) const { return wrapped_heading(wanted - heading_); }

} // namespace gait
