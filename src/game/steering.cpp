#include "gait/steering.hpp"

#include "math/springs.hpp"

#include <algorithm>
#include <cmath>

namespace gait {
using namespace detail;
namespace {

double wrapped(double degrees) {
    const double round = std::remainder(degrees, 360.0);
    return round <= -180 ? round + 360 : round;
}

} // namespace

float wrapped_heading(double degrees) { return float(wrapped(degrees)); }

std::optional<float> heading_of(Vec3 direction) {
    if (!(std::hypot(direction.x, direction.z) > 1e-6F)) { return std::nullopt; }
    return wrapped_heading(-std::atan2(double(direction.x), double(direction.z)) * degrees_per_radian);
}

Vec3 direction_of(double heading) {
    const double radians = heading / degrees_per_radian;
    return {float(-std::sin(radians)), 0, float(std::cos(radians))};
}

std::optional<float> heading_to(Vec3 from, Vec3 to) { return heading_of(to - from); }

float strength_of(Stick stick, float dead_zone) {
    const float out = std::min(1.0F, std::hypot(stick.right, stick.ahead));
    return std::isfinite(out) && out > dead_zone ? (out - dead_zone) / (1 - dead_zone) : 0;
}

std::optional<float> heading_of(Stick stick, double camera_heading, float dead_zone) {
    if (!(strength_of(stick, dead_zone) > 0)) { return std::nullopt; }
    return wrapped_heading(camera_heading + std::atan2(double(stick.right), double(stick.ahead)) * degrees_per_radian);
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
    motion.speed = std::hypot(velocity.x, velocity.z);
    // Slower than this the direction is noise.
    constexpr float still = 0.02F;
    const auto world = motion.speed > still ? heading_of(velocity) : std::nullopt;
    motion.heading = world ? wrapped_heading(double(*world) - body_heading) : before.heading;
    motion.fall_speed = std::max(0.0F, -velocity.y);
    return motion;
}

Facing::Facing(double heading, double lag, double at_most)
    : heading_(wrapped(heading)), followed_(heading_), lag_(lag), at_most_(at_most) {}

void Facing::turn(std::optional<float> wanted, double seconds) {
    if (!(seconds > 0)) { return; }
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
    heading_ = followed_ = wrapped(heading);
    rate_ = 0;
    let_go_ = true;
}

void Facing::add(double degrees) {
    const double round = wrapped(heading_ + degrees) - heading_ - degrees;
    heading_ += degrees + round;
    followed_ += degrees + round;
}

float Facing::error(double wanted) const { return wrapped_heading(wanted - heading_); }

} // namespace gait
