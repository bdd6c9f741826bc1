#include "gait_model.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace lamplighter {
namespace {

using Eigen::Quaterniond;
using Eigen::Vector3d;

const Vector3d right_axis(1, 0, 0), up_axis(0, 1, 0), forward_axis(0, 0, 1);

double radians(double degrees) { return degrees * pi / 180; }
double wrapped(double phase) { return phase - std::floor(phase); }
double wave(double phase) { return std::cos(2 * pi * phase); }
/// Nearly max(x, 0), without a corner.
double soft_positive(double x, double softness) { return softness * std::log1p(std::exp(x / softness)); }

/// What the foot rolls over: the heel, then the joint of the toes, which lie flat while the heel rises.
struct Pivot {
    double forward, up; ///< of the ankle at rest, and above the ground
};
constexpr Pivot heel_pivot{-heel_behind_ankle, 0}, toe_pivot{ball_before_ankle, ball_height};

/// The ankle as seen from the ground under `pivot`, for a foot pitched by `pitch` degrees about it.
std::pair<double, double> ankle_over(Pivot pivot, double pitch) {
    const double a = radians(pitch), forward = -pivot.forward, up = ankle_height - pivot.up;
    return {forward * std::cos(a) - up * std::sin(a), pivot.up + forward * std::sin(a) + up * std::cos(a)};
}

/// Where the heel strikes, forward of the hips.
double strike_place(const Gait& gait) {
    const double foot = heel_behind_ankle + ball_before_ankle;
    const double first = ankle_over(heel_pivot, gait.strike).first;
    const double last = ankle_over(toe_pivot, -gait.toe_off).first;
    const double way = gait.stride() * gait.duty - foot + first - last;
    return gait.ahead * way - first;
}

FootPlace stance(const Gait& gait, double phase) {
    constexpr double sole_down = 0.16; // of the stance
    const double heel_up = gait.heel_up;
    const double s = phase / gait.duty;
    FootPlace foot;
    if (s < sole_down) {
        const double u = s / sole_down;
        foot.pitch = gait.strike * (1 - u) * (1 - u) * (1 + u); // falls at once, lands softly
    } else if (s > heel_up) {
        const double u = (s - heel_up) / (1 - heel_up);
        foot.pitch = -gait.toe_off * (0.6 * u * u + 0.4 * u * u * u);
    }
    const bool on_heel = foot.pitch > 0;
    const double heel = strike_place(gait) - gait.speed * gait.seconds * phase;
    const Pivot& pivot = on_heel ? heel_pivot : toe_pivot;
    const auto [forward, up] = ankle_over(pivot, foot.pitch);
    foot.forward = heel + heel_behind_ankle;
    foot.rolled = forward - ankle_over(pivot, 0).first;
    foot.up = up;
    foot.toes = std::max(0.0, -foot.pitch);
    return foot;
}

FootPlace swing(const Gait& gait, double phase) {
    constexpr double h = 1e-5;
    const FootPlace off = stance(gait, gait.duty), before_off = stance(gait, gait.duty - h);
    const FootPlace strike = stance(gait, 0), after_strike = stance(gait, h);
    const double span = 1 - gait.duty, u = (phase - gait.duty) / span;
    const auto follow = [&](double FootPlace::*part, double arrival) {
        return hermite(u, off.*part, (off.*part - before_off.*part) / h, strike.*part,
                       arrival * (after_strike.*part - strike.*part) / h, span);
    };
    FootPlace foot;
    foot.forward = follow(&FootPlace::forward, gait.drawn_back);
    foot.rolled = follow(&FootPlace::rolled, gait.drawn_back);
    const double lift = u * u * (1 - u) * (1 - u) * (1 - u) / (0.4 * 0.4 * 0.6 * 0.6 * 0.6); // 1 at u = 0.4
    foot.up = follow(&FootPlace::up, 1) + gait.lift * lift;
    // The foot hangs, then is drawn up for the strike.
    foot.pitch = hermite(u, off.pitch, (off.pitch - before_off.pitch) / h * 0.4, strike.pitch,
                         (after_strike.pitch - strike.pitch) / h, span);
    // The toes spring back.
    constexpr double sprung = 0.3;
    if (u < sprung) {
        foot.toes = hermite(u / sprung, off.toes, (off.toes - before_off.toes) / h, 0, 0, span * sprung);
    }
    return foot;
}

/// Two bones from `hip` to `ankle`, the knee toward `ahead`. Fills the two rotations in the character's space.
void solve_leg(const Vector3d& hip, const Vector3d& ankle, const Vector3d& ahead, Quaterniond& upper,
               Quaterniond& lower) {
    const Vector3d line = ankle - hip;
    const double distance = std::min(line.norm(), 0.9999 * (thigh + shin));
    const Vector3d down = line.normalized();
    const double along = (thigh * thigh - shin * shin + distance * distance) / (2 * distance);
    const double out = std::sqrt(std::max(0.0, thigh * thigh - along * along));
    const Vector3d side = (ahead - ahead.dot(down) * down).normalized();
    const Vector3d knee = hip + along * down + out * side;
    const Vector3d hinge = down.cross(side).normalized() * -1.0; // +X for a leg straight down with the knee ahead
    const auto frame = [&](const Vector3d& bone) {
        Eigen::Matrix3d m;
        m.col(0) = hinge;
        m.col(1) = -bone.normalized();
        m.col(2) = m.col(0).cross(m.col(1));
        return Quaterniond(m);
    };
    upper = frame(knee - hip);
    lower = frame(hip + distance * down - knee);
}

} // namespace

double smooth(double u) {
    u = std::clamp(u, 0.0, 1.0);
    return u * u * u * (u * (6 * u - 15) + 10);
}

double hermite(double u, double p0, double v0, double p1, double v1, double span) {
    const double u2 = u * u, u3 = u2 * u;
    return (2 * u3 - 3 * u2 + 1) * p0 + (u3 - 2 * u2 + u) * span * v0 + (-2 * u3 + 3 * u2) * p1 + (u3 - u2) * span * v1;
}

double place_legs(const Skeleton& skeleton, SkeletonPose& pose, const std::array<FootPlace, 2>& feet, double width,
                  double toe_out, const Vector3d& along) {
    double reach = 0;
    const Quaterniond pelvis = pose.rotations[0];
    const std::array<std::string, 2> sides{"left", "right"};
    for (std::size_t s = 0; s < 2; ++s) {
        const double sign = s == 0 ? 1 : -1;
        const auto joint = [&](const char* part) { return std::size_t(skeleton.index(sides[s] + "_" + part)); };
        const Vector3d hip = pose.hips + pelvis * skeleton.offset(int(joint("upper_leg")));
        // The foot may point outward, and must not slide sideways as it rolls over its heel or its toes.
        const Quaterniond heading = turned(up_axis, sign * toe_out + feet[s].yaw);
        const Vector3d flat = Vector3d(sign * width / 2 + feet[s].side, feet[s].up, 0) + feet[s].forward * along;
        const Vector3d ankle = flat + feet[s].rolled * (heading * forward_axis);
        reach = std::max(reach, (ankle - hip).norm());
        Quaterniond upper, lower;
        solve_leg(hip, ankle, heading * forward_axis, upper, lower);
        const Quaterniond foot = heading * turned(right_axis, -feet[s].pitch);
        pose.rotations[joint("upper_leg")] = pelvis.conjugate() * upper;
        pose.rotations[joint("lower_leg")] = upper.conjugate() * lower;
        pose.rotations[joint("foot")] = lower.conjugate() * foot;
        pose.rotations[joint("toes")] = turned(right_axis, -feet[s].toes);
    }
    return reach;
}

void place_arm(const Skeleton& skeleton, SkeletonPose& pose, bool left, const ArmPlace& arm) {
    const double sign = left ? 1 : -1;
    const auto at = [&](const char* part) -> Quaterniond& {
        return pose.rotations[std::size_t(skeleton.index(std::string(left ? "left_" : "right_") + part))];
    };
    Vector3d along = left_arm_direction();
    along.x() *= sign;
    const double hang = 90 - 50; // degrees between the arm at rest and straight down
    at("shoulder") = turned(forward_axis, sign * arm.shrug);
    at("upper_arm") = turned(right_axis, -arm.forward) * turned(forward_axis, -sign * (hang - arm.out)) *
                      turned(along, sign * arm.inward);
    const Vector3d hinge = along.cross(forward_axis);
    at("lower_arm") = turned(hinge, arm.bend);
    const Vector3d finger_hinge = -sign * forward_axis;
    for (const char* part : {"fingers_1", "fingers_2", "index_1", "index_2"}) {
        at(part) = turned(finger_hinge, arm.curl * (part[0] == 'i' ? 0.8 : 1));
    }
    at("thumb_1") = turned(finger_hinge, arm.curl * 0.6);
    at("thumb_2") = turned(finger_hinge, arm.curl * 0.5);
    at("hand") = turned(finger_hinge, 6);
}

void place_coat(const Skeleton& skeleton, SkeletonPose& pose, double flutter_left, double flutter_right) {
    for (const std::string side : {"left", "right"}) {
        const Quaterniond& leg = pose.rotations[std::size_t(skeleton.index(side + "_upper_leg"))];
        const Vector3d down = leg * Vector3d(0, -1, 0);
        const double ahead = std::atan2(down.z(), -down.y()) * 180 / pi;
        const double flutter = side == "left" ? flutter_left : flutter_right;
        const double front = soft_positive(ahead - 4, 6), back = soft_positive(-ahead - 4, 6);
        const auto at = [&](const char* part) -> Quaterniond& {
            return pose.rotations[std::size_t(skeleton.index(side + part))];
        };
        at("_coat_front_1") = turned(right_axis, -0.8 * front);
        at("_coat_front_2") = turned(right_axis, 0.35 * front - flutter);
        at("_coat_back_1") = turned(right_axis, 0.8 * back);
        at("_coat_back_2") = turned(right_axis, 0.1 * back + flutter);
    }
}

void place_trunk(const Skeleton& skeleton, SkeletonPose& pose, double chest_turn, double lean, double chest_list,
                 double head_turn, double head_nod) {
    const Quaterniond pelvis = pose.rotations[0];
    const Quaterniond chest = turned(up_axis, chest_turn) * turned(forward_axis, chest_list) * turned(right_axis, lean);
    const Quaterniond bend = pelvis.conjugate() * chest;
    const Quaterniond third = Quaterniond::Identity().slerp(1.0 / 3, bend);
    for (const char* part : {"spine_1", "spine_2"}) { pose.rotations[std::size_t(skeleton.index(part))] = third; }
    pose.rotations[std::size_t(skeleton.index("chest"))] = (third * third).conjugate() * bend;
    const Quaterniond head = turned(up_axis, head_turn) * turned(right_axis, head_nod);
    const Quaterniond turn = chest.conjugate() * head;
    const Quaterniond half = Quaterniond::Identity().slerp(0.5, turn);
    pose.rotations[std::size_t(skeleton.index("neck"))] = half;
    pose.rotations[std::size_t(skeleton.index("head"))] = half.conjugate() * turn;
}

Gait turned_gait(const Gait& gait, double toward) {
    const double ahead = std::cos(radians(toward)), across = std::abs(std::sin(radians(toward)));
    Gait g = gait;
    // Sideways and backward one goes slower, on flatter feet, with the feet apart so that the legs do not cross.
    const double slower = 1 - 0.45 * across * across - (ahead < 0 ? 0.28 * -ahead : 0);
    g.speed = gait.speed * slower;
    g.seconds = gait.seconds * (1 - 0.12 * across);
    const double roll = std::abs(ahead);
    g.strike = gait.strike * (ahead > 0 ? roll : 0.1 * roll);
    g.toe_off = gait.toe_off * (ahead > 0 ? 0.25 + 0.75 * roll : 0.12 + 0.3 * roll);
    g.step_width = gait.step_width + across * (0.05 + 0.3 * g.speed * g.seconds);
    g.pelvis_turn = gait.pelvis_turn * roll;
    g.chest_turn = gait.chest_turn * roll;
    g.lean = gait.lean * (ahead > 0 ? ahead : 0.4 * ahead);
    g.arm_swing = gait.arm_swing * (0.3 + 0.6 * roll);
    g.ahead = gait.ahead + 0.04 * (1 - roll);
    return g;
}

FootPlace foot_at(const Gait& gait, double phase) {
    phase = wrapped(phase);
    return phase <= gait.duty ? stance(gait, phase) : swing(gait, phase);
}

GaitModel::GaitModel(const Skeleton& skeleton, const Gait& gait, double toward, double crouch)
    : skeleton_(skeleton), gait_(turned_gait(gait, toward)), toward_(toward),
      backward_(std::cos(radians(toward)) < -0.01) {
    const double way = radians(backward_ ? toward + 180 : toward);
    along_ = {-std::sin(way), 0, std::cos(way)};
    // As tall as she can go without a knee locking: a leg near its full length snaps.
    constexpr double longest = 0.994 * (thigh + shin);
    double height = 0.96 - crouch;
    for (;; height -= 0.001) {
        double reach = 0;
        for (int i = 0; i < 200; ++i) { (void)pose_at_height(i / 200.0, height, &reach); }
        if (reach <= longest) { break; }
    }
    hip_height_ = height;
}

SkeletonPose GaitModel::pose(double phase) const { return pose_at_height(phase, hip_height_, nullptr); }

FootPlace GaitModel::foot(double phase, std::size_t side) const {
    const double own = phase + (side == 0 ? 0 : 0.5);
    // Going backward is going forward with time turned round.
    return foot_at(gait_, backward_ ? gait_.duty - own : own);
}

SkeletonPose GaitModel::pose_at_height(double phase, double hip_height, double* reach) const {
    const Gait& g = gait_;
    SkeletonPose pose = rest(skeleton_);
    const double mid_stance = g.duty / 2;
    pose.hips = {g.sway * wave(phase - mid_stance), hip_height - g.bob * wave(2 * (phase - g.lowest)),
                 0.006 * wave(2 * (phase - 0.2))};
    // Going aslant the hips turn a little the way of the feet, the chest does not.
    const double into = 20 * std::sin(2 * radians(toward_));
    // The side whose foot strikes is forward; the side whose leg swings sinks.
    const double list = g.pelvis_list * wave(phase - 0.55 * g.duty);
    pose.rotations[0] = turned(up_axis, -into - g.pelvis_turn * wave(phase - 0.02)) * turned(forward_axis, list) *
                        turned(right_axis, 0.4 * g.lean);
    std::array<FootPlace, 2> feet{foot(phase, 0), foot(phase, 1)};
    for (FootPlace& place : feet) { place.yaw = -into; }
    const double reached = place_legs(skeleton_, pose, feet, g.step_width, 5, along_);
    if (reach != nullptr) { *reach = std::max(*reach, reached); }
    const double chest_turn = g.chest_turn * wave(phase - 0.06);
    const double lean = g.lean + 0.8 * wave(2 * (phase - g.lowest - 0.1));
    // The head keeps facing forward, not quite perfectly.
    place_trunk(skeleton_, pose, chest_turn, lean, -0.35 * list, 0.15 * chest_turn, 0.25 * lean);
    for (const bool left : {true, false}) {
        const double own = phase + (left ? 0.5 : 0.0) - 0.04; // the arm goes with the other leg, a little late
        ArmPlace arm;
        arm.forward = g.arm_rest + g.arm_swing * wave(own);
        arm.bend = g.elbow + g.elbow_swing * wave(own - 0.06);
        arm.inward = g.arm_inward + 0.25 * g.arm_inward * wave(own);
        arm.out = 7 + 0.06 * g.elbow;
        arm.curl = g.curl;
        arm.shrug = 0.05 * g.elbow * 0.5;
        place_arm(skeleton_, pose, left, arm);
    }
    const double flutter = 1.2 + g.speed;
    place_coat(skeleton_, pose, flutter * wave(phase - 0.3), flutter * wave(phase + 0.2));
    return pose;
}

SkeletonPose standing(const Skeleton& skeleton, double phase) {
    SkeletonPose pose = rest(skeleton);
    const double shift = wave(phase), breath = wave(2 * phase + 0.1), look = wave(phase + 0.3);
    pose.hips = {0.022 * shift, 0.926 - 0.003 * shift * shift + 0.001 * breath, 0.004 * wave(phase + 0.2)};
    pose.rotations[0] = turned(up_axis, 1.5 * look) * turned(forward_axis, 1.6 * shift) * turned(right_axis, 1);
    FootPlace left, right;
    left.forward = stand_left;
    right.forward = stand_right;
    left.up = right.up = ankle_height;
    place_legs(skeleton, pose, {left, right}, stand_width, stand_toe_out, forward_axis);
    const double lean = 1.2 - 0.9 * breath;
    place_trunk(skeleton, pose, 4 * look, lean, -1.2 * shift, 0.15 * 4 * look, 0.25 * lean);
    pose.rotations[std::size_t(skeleton.index("head"))] = pose.rotations[std::size_t(skeleton.index("head"))] *
                                                          turned(up_axis, 7 * look) * turned(right_axis, 2 * breath);
    for (const bool is_left : {true, false}) {
        ArmPlace arm;
        arm.forward = 1 + 1.2 * breath + (is_left ? 1.5 : -1.5) * shift;
        arm.bend = 13 + 2 * look;
        arm.inward = 10;
        arm.out = 9 + 0.8 * breath;
        arm.shrug = 1.2 * breath + 1;
        place_arm(skeleton, pose, is_left, arm);
    }
    place_coat(skeleton, pose, 0.8 * shift, -0.8 * shift);
    return pose;
}

} // namespace lamplighter
