/// Smoothing that is exact at any step, and the quintic along which an offset decays.
#pragma once

#include "gait/math.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {

/// A value that follows a target.
struct Follower {
    double value = 0;
    double velocity = 0;
};

/// A shorter lag is none, seconds: its frequency, squared, would leave what doubles hold.
inline constexpr double least_lag = 1e-9;

/// A critically damped spring that lags `lag` seconds behind a steady ramp (angular frequency 2 / lag), over `dt`
/// seconds, for any number of followers. The closed form of the differential equation: two half steps equal one whole.
class Spring {
public:
    Spring(double lag, double dt) : frequency_(2 / lag), dt_(dt), decay_(exponential(-frequency_ * dt)) {}
    [[nodiscard]] Follower follow(Follower follower, double target) const {
        const double offset = follower.value - target;
        const double drive = follower.velocity + frequency_ * offset;
        return {target + (offset + drive * dt_) * decay_, (follower.velocity - frequency_ * drive * dt_) * decay_};
    }

private:
    double frequency_, dt_, decay_;
};

/// Moves `follower` toward `target` by such a spring; at once where it has no lag.
[[nodiscard]] inline Follower follow(Follower follower, double target, double lag, double dt) {
    if (!(lag > least_lag)) { return {target, 0}; }
    return Spring(lag, dt).follow(follower, target);
}

/// A spring alone never arrives, and on the numbers that it leaves for ever smaller processors take ten times as long:
/// nearer than `close` to a target that stands still, and slower than `slow`, it is there.
inline void arrive(Follower& follower, double target, double close, double slow) {
    if (std::fabs(follower.value - target) < close && std::fabs(follower.velocity) < slow) { follower = {target, 0}; }
}

/// The same toward a target that begins at `target` and moves by `ramp` a second.
[[nodiscard]] inline Follower follow_ramp(Follower follower, double target, double ramp, double lag, double dt) {
    if (!(lag > least_lag)) { return {target + ramp * dt, 0}; }
    // Against the place where it would follow for ever, `lag` behind the ramp, it is a spring toward rest.
    const double behind = target - ramp * lag;
    const Follower rest = follow({follower.value - behind, follower.velocity - ramp}, 0, lag, dt);
    return {behind + ramp * dt + rest.value, rest.velocity + ramp};
}

/// From this part of its duration on nothing is left of an offset: a hundred-billionth of what it was.
inline constexpr double gone_at = 1 - 1e-4;

/// One component of an inertial offset: where it was and how fast it moved when it was captured.
struct OffsetCurve {
    float start = 0;    ///< radians or metres
    float velocity = 0; ///< a second
};

/// The offset `elapsed` seconds after its capture, decaying to zero in `duration` seconds with zero velocity and
/// acceleration at the end (Bollo 2018). A component that already heads home fast arrives earlier, so that it does not
/// overshoot, but never in less than a quarter of the duration, so that its velocity does not break.
[[nodiscard]] inline double decayed(OffsetCurve curve, double duration, double elapsed) {
    double x0 = curve.start, v0 = curve.velocity;
    const double sign = x0 < 0 ? -1 : 1;
    x0 *= sign;
    v0 *= sign;
    double t1 = duration;
    if (v0 < 0) { t1 = std::min(t1, std::max(-5 * x0 / v0, duration / 4)); }
    if (!(t1 > 0) || elapsed >= gone_at * t1) { return 0; }
    // The quintic over u = elapsed / t1, with zero value, velocity, acceleration and jerk at u = 1.
    const double v = v0 * t1, a = -8 * v - 20 * x0, u = elapsed / t1;
    const double fifth = -(a + 6 * v + 12 * x0) / 2;
    const double fourth = (3 * a + 16 * v + 30 * x0) / 2;
    const double third = -(3 * a + 12 * v + 20 * x0) / 2;
    return sign * (((((fifth * u + fourth) * u + third) * u + a / 2) * u + v) * u + x0);
}

/// The same of a vector: along where it was, and along what of its velocity goes aside, each by itself. So neither
/// breaks, and nothing hangs on the axes in which it is written.
[[nodiscard]] inline Vec3 decayed(Vec3 start, Vec3 velocity, double duration, double elapsed) {
    const float off = length(start);
    const Vec3 along = off > 1e-9F ? start * (1 / off) : Vec3{};
    const float away = dot(velocity, along);
    const Vec3 rest = velocity - along * away;
    const float aside = length(rest);
    Vec3 left = along * float(decayed(OffsetCurve{off, away}, duration, elapsed));
    if (aside > 1e-9F) {
        left = left + rest * float(decayed(OffsetCurve{0, aside}, duration, elapsed) / double(aside));
    }
    return left;
}

/// The same for many that were caught at once: where nothing heads home so fast that it arrives earlier, all go by two
/// weights, one of where they were and one of how they moved.
class SharedDecay {
public:
    SharedDecay(double duration, double elapsed) : duration_(duration), elapsed_(elapsed) {
        if (!(elapsed < gone_at * duration)) { return; }
        const double u = elapsed / duration;
        start_ = float((((4 * u - 15) * u + 20) * u - 10) * u * u + 1);
        velocity_ = float(duration * ((((u - 4) * u + 6) * u - 4) * u + 1) * u);
    }
    [[nodiscard]] float start() const { return start_; }
    [[nodiscard]] float velocity() const { return velocity_; }
    [[nodiscard]] bool arrives_earlier(Vec3 start, Vec3 velocity) const {
        return 5 * dot(start, start) + dot(start, velocity) * float(duration_) < 0;
    }
    [[nodiscard]] Vec3 of(Vec3 start, Vec3 velocity) const {
        if (arrives_earlier(start, velocity)) [[unlikely]] { return decayed(start, velocity, duration_, elapsed_); }
        return start * start_ + velocity * velocity_;
    }

private:
    double duration_, elapsed_;
    float start_ = 0, velocity_ = 0;
};

} // namespace gait::detail
