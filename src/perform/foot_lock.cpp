#include "perform/foot_lock.hpp"

#include "math/compiler.hpp"
#include "math/inplace_array.hpp"
#include "math/rotations.hpp"
#include "math/springs.hpp"
#include "perform/playheads.hpp"
#include "perform/shares.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace gait::detail {
namespace {

constexpr double takes = 0.12;      ///< seconds over which the ground takes hold of a foot
constexpr double early = 0.10;      ///< of them, before the foot is down
constexpr double lets_go = 0.08;    ///< seconds over which it lets go of a foot that lifts off
constexpr double late = 0.05;       ///< of them, after the foot has lifted off: what is still low is held
constexpr float held_below = 0.02F; ///< metres: lower than this a foot that is down is held in full
constexpr float free_above = 0.08F; ///< and higher not at all
constexpr float sinks = 0.004F;     ///< metres within which a foot meets the ground softly
constexpr float grips = 0.06F;      ///< seconds that the ground takes at least to take hold of a foot, or to let it go
constexpr float sole = 0.005F;      ///< metres between heel and ball over which one hands over to the other
constexpr float softened = 0.955F;  ///< of a leg's length: from there on its knee is straightened softly
constexpr float straightest = 0.995F; ///< of its length: a leg all but straight would snap as it bends
constexpr float most_yaw = 0.8F;      ///< radians that a foot is held from where it points
constexpr double rolls = 0.07;        ///< seconds by which a foot's roll follows what its leg needs
constexpr float most_on_ball = 0.9F;  ///< radians that a foot rolls over its ball
constexpr float most_on_heel = 0.4F;  ///< and over its heel
constexpr float at_ease = 0.975F;     ///< of a leg's length: from there on the hips are lowered
constexpr float most_lowered = 0.12F; ///< of a leg's length, too
constexpr double lowers = 0.08;       ///< seconds by which the hips follow
constexpr float dragging = 0.012F;    ///< metres beyond its leg's reach: from there on a foot steps
constexpr float lift = 0.04F;         ///< metres that a foot is lifted to step back to where its clips have it
constexpr float strains = 0.8F;       ///< of the distance at which a foot steps: from there on its hold weakens
constexpr float farthest_off = 1.5F;  ///< of it, too: beyond, nothing is held
constexpr float at_rest = 0.05F;      ///< metres off at which it may stay
constexpr float at_rest_yaw = 0.3F;   ///< and radians
constexpr float still_speed = 0.05F;  ///< metres and radians a second: a foot that moves off more slowly stands
constexpr float rests_for = 0.3F;     ///< seconds for which it stands off before it steps back
constexpr float nothing = 1e-6F;      ///< metres or radians: what is less is none
constexpr float no_speed = 1e-4F;     ///< and a second

float smooth_step(float from, float to, float value) {
    const float t = std::clamp((value - from) / (to - from), 0.0F, 1.0F);
    return t * t * (3 - 2 * t);
}

/// A turn about +Y.
class Yaw {
public:
    Yaw() = default;
    explicit Yaw(float radians) {
        if (!(std::fabs(radians) > 1e-9F)) { return; }
        const auto [sine, cosine] = sine_cosine(0.5 * double(radians));
        half_sine_ = float(sine);
        half_cosine_ = float(cosine);
        sine_ = float(2 * sine * cosine);
        cosine_ = float(cosine * cosine - sine * sine);
    }
    /// A vector turned so.
    [[nodiscard]] Vec3 turn(Vec3 v) const { return {cosine_ * v.x + sine_ * v.z, v.y, -sine_ * v.x + cosine_ * v.z}; }
    [[nodiscard]] Quat rotation() const { return {0, half_sine_, 0, half_cosine_}; }

private:
    float half_sine_ = 0, half_cosine_ = 1, sine_ = 0, cosine_ = 1;
};

/// The yaw from one direction over the ground to another, radians.
float yaw_between(Vec3 from, Vec3 to) {
    const double across = double(from.z) * double(to.x) - double(from.x) * double(to.z),
                 along = double(from.x) * double(to.x) + double(from.z) * double(to.z);
    return float(arc_tangent(across, along));
}

/// How far it is across the ground.
float across_of(Vec3 v) { return std::sqrt(v.x * v.x + v.z * v.z); }

float wrapped_radians(float angle) {
    return std::fabs(angle) < float(pi) ? angle : std::remainder(angle, float(2 * pi));
}

/// The pose of the block, joint by joint.
class BlockPose {
public:
    BlockPose(const CharacterData& data, const PerformerBlock& block) : data_(data), rows_(block.pose()) {}

    [[nodiscard]] Transform local(std::size_t joint) const {
        const auto row = [&](std::size_t r) { return rows_[r * data_.layout.lanes + joint]; };
        Transform t{turn(joint), {row(4), row(5), row(6)}, {1, 1, 1}};
        if (data_.scales) { t.scale = {row(7), row(8), row(9)}; }
        return t;
    }
    /// Its own turn.
    [[nodiscard]] Quat turn(std::size_t joint) const {
        const std::size_t lanes = data_.layout.lanes;
        const float* const at = rows_ + joint;
        return {at[0], at[lanes], at[2 * lanes], at[3 * lanes]};
    }
    [[nodiscard]] Transform model(int joint) const {
        if (joint < 0) { return {}; }
        return below(std::size_t(joint), -1, {});
    }
    /// The same where the pose of a joint above it is known.
    [[nodiscard]] Transform below(std::size_t joint, int above, const Transform& of_above) const {
        Transform t = local(joint);
        int up = data_.parents[joint];
        for (; up >= 0 && up != above; up = data_.parents[std::size_t(up)]) { t = local(std::size_t(up)) * t; }
        return up < 0 ? t : of_above * t;
    }
    /// Gives a joint another turn of its own, near to being a unit one; it stays on its hemisphere.
    void turn_to(std::size_t joint, Quat own) { set_turn(joint, on_side_of(turn(joint), normalized(own))); }
    /// Gives it its own turn.
    void set_turn(std::size_t joint, Quat own) {
        const std::array<float, 4> values{own.x, own.y, own.z, own.w};
        for (std::size_t r = 0; r < 4; ++r) { rows_[r * data_.layout.lanes + joint] = values[r]; }
    }
    /// Moves it by `model` in model space.
    void move_by(std::size_t joint, Vec3 model) {
        const Transform above = this->model(parent(joint));
        const Vec3 own = rotate(conjugate(above.rotation), model);
        const Vec3 place = local(joint).translation;
        set_place(joint, place + Vec3{own.x / above.scale.x, own.y / above.scale.y, own.z / above.scale.z});
    }
    /// Gives it its own translation.
    void set_place(std::size_t joint, Vec3 own) {
        const std::array<float, 3> values{own.x, own.y, own.z};
        for (std::size_t axis = 0; axis < 3; ++axis) { rows_[(4 + axis) * data_.layout.lanes + joint] = values[axis]; }
    }
    [[nodiscard]] int parent(std::size_t joint) const { return data_.parents[joint]; }

private:
    const CharacterData& data_;
    float* rows_;
};

/// Legs that are looked at once a step; where there are more, the others are looked at again.
constexpr std::size_t kept_legs = 4;

/// The part of the playing clips, by weight, in which the feet of `count` legs from `first` on are down.
std::array<float, kept_legs> down_parts(const CharacterData& data, const PerformerBlock& block, std::size_t first,
                                        std::size_t count) {
    const LayerHeader& layer = block.layer();
    const auto shares = instance_shares(layer, {});
    std::array<double, kept_legs> down{};
    double all = 0;
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        const auto leaves = leaves_of(data, instance);
        for (const Playhead& playhead : block.playing(instance)) {
            const Leaf& leaf = leaves[playhead.leaf];
            const double weight = double(shares[i]) * double(playhead.weight);
            if (!(weight > 0) || !leaf.leads) { continue; }
            all += weight;
            const double position = place_of(data, layer, instance, leaf, playhead).position;
            const double before = early * leaf.rate, in = takes * leaf.rate;
            const double after = late * leaf.rate, out = lets_go * leaf.rate;
            std::array<double, kept_legs> own{};
            for (const FootDown& stretch : data.clip_events[leaf.clip].downs) {
                if (stretch.leg < first || stretch.leg >= first + count) { continue; }
                double& most = own[stretch.leg - first];
                // A foot that is down all along is never taken nor let go.
                if (leaf.loops && stretch.to - stretch.from >= 1) {
                    most = 1;
                    continue;
                }
                // How far inside the stretch, from this round's place and its neighbours'.
                for (const double round : {-1.0, 0.0, 1.0}) {
                    const double at = position + round;
                    if ((round != 0 && !leaf.loops) || at < stretch.from - before || at > stretch.to + after) {
                        continue;
                    }
                    const double come = in > 0 ? (at - stretch.from + before) / in : at >= stretch.from ? 1 : 0;
                    const double left = out > 0 ? (stretch.to - at + after) / out : at <= stretch.to ? 1 : 0;
                    most = std::max(most, double(smooth_step(0, 1, float(std::min(come, left)))));
                }
            }
            for (std::size_t leg = 0; leg < count; ++leg) { down[leg] += weight * own[leg]; }
        }
    }
    std::array<float, kept_legs> parts{};
    for (std::size_t leg = 0; leg < count; ++leg) { parts[leg] = all > 0 ? float(down[leg] / all) : 0; }
    return parts;
}

/// A leg in model space.
struct Leg {
    Transform hip, knee, ankle, toes;
    Quat over_hip, over_knee, over_ankle; ///< of the joints that hold them
    Vec3 heel, ball;                      ///< where they touch the ground
    float thigh = 0, shin = 0, span = 0;  ///< metres: their lengths, and from hip to ankle

    /// Moves all of it.
    void move_by(Vec3 way) {
        for (Transform* joint : {&hip, &knee, &ankle, &toes}) { joint->translation = joint->translation + way; }
        heel = heel + way;
        ball = ball + way;
    }
};

/// Looks at a leg. `over_hip`: what holds its hip.
GAIT_FLATTEN void look_at(const BlockPose& pose, const CompiledLeg& joints, const Transform& over_hip, Leg& leg) {
    Transform between; // what holds a joint, where that is not the leg's joint above it
    const auto over = [&](std::size_t joint, std::size_t above, const Transform& of_above) -> const Transform& {
        const int parent = pose.parent(joint);
        if (parent != int(above)) { between = pose.below(std::size_t(parent), int(above), of_above); }
        return parent != int(above) ? between : of_above;
    };
    leg.over_hip = over_hip.rotation;
    leg.hip = over_hip * pose.local(joints.hip);
    const Transform& over_knee = over(joints.knee, joints.hip, leg.hip);
    leg.over_knee = over_knee.rotation;
    leg.knee = over_knee * pose.local(joints.knee);
    const Transform& over_ankle = over(joints.ankle, joints.knee, leg.knee);
    leg.over_ankle = over_ankle.rotation;
    leg.ankle = over_ankle * pose.local(joints.ankle);
    leg.toes = joints.toes == joints.ankle ? leg.ankle : pose.below(joints.toes, int(joints.ankle), leg.ankle);
    leg.heel = leg.ankle.translation + rotate(leg.ankle.rotation, joints.heel);
    leg.ball = leg.toes.translation + rotate(leg.toes.rotation, joints.ball);
    leg.thigh = length(leg.knee.translation - leg.hip.translation);
    leg.shin = length(leg.ankle.translation - leg.knee.translation);
    leg.span = length(leg.ankle.translation - leg.hip.translation);
}

/// How a foot is laid: where its ankle is, and how it is turned from where its clips have it.
struct Footing {
    Vec3 ankle;
    Yaw yaw;
    Quat roll; ///< about the foot's own axis to the left: the heel goes up about the ball
    bool on_ball = false;
    bool dragged = false; ///< it is farther off than the leg reaches
};

/// A foot that the leg does not reach, laid flat, is rolled: over its ball when it stays behind, over its heel when it
/// is ahead, as far as feet go; and beyond that it is dragged over the ground.
class Reach {
public:
    Reach(const Leg& leg, const Yaw& yaw)
        : leg_(leg), yaw_(yaw), longest_(std::max(leg.span, straightest * (leg.thigh + leg.shin))) {}

    /// `roll` is the foot's, which follows what is needed as `rolling` does.
    [[nodiscard]] Footing footing(Vec3 ankle, FootRoll& roll, const Spring& rolling) {
        // Beyond where the clips have it a leg is straightened ever less, so that its knee does not snap.
        const float own = leg_.span, wanted = length(ankle - leg_.hip.translation), room = longest_ - own;
        reach_ = wanted <= own  ? wanted
                 : room > 1e-5F ? own + room * (1 - float(exponential(double((own - wanted) / room))))
                                : own;
        ankle_ = ankle;
        Footing footing{ankle, yaw_, {}};
        const bool within = wanted <= reach_ + 1e-6F;
        if (!within || roll.pitch != 0 || roll.speed != 0) {
            ahead_ = normalized_level(yaw_.turn(leg_.ball - leg_.heel));
            const float needed = within ? 0 : needed_pitch();
            Follower now = rolling.follow({double(roll.pitch), double(roll.speed)}, double(needed));
            if (needed == 0) { arrive(now, 0, nothing, no_speed); }
            roll = {float(now.value), float(now.velocity)};
            footing.roll = axis_angle(left(), double(roll.pitch) * degrees_per_radian);
            footing.on_ball = roll.pitch > 0;
            const Vec3 pivot = pivot_of(footing.on_ball);
            footing.ankle = pivot + rotate(footing.roll, ankle - pivot);
        }
        const Vec3 out = footing.ankle - leg_.hip.translation;
        if (length(out) <= reach_ + 1e-6F) { return footing; }
        const float across = std::sqrt(std::max(0.0F, reach_ * reach_ - out.y * out.y));
        const float shorter = std::max(0.0F, 1 - across / std::max(1e-6F, across_of(out)));
        footing.ankle = footing.ankle - Vec3{out.x * shorter, 0, out.z * shorter};
        footing.dragged = across_of(out) * shorter > dragging;
        return footing;
    }

private:
    [[nodiscard]] static Vec3 normalized_level(Vec3 v) {
        const float across = across_of(v);
        return across > 1e-6F ? Vec3{v.x / across, 0, v.z / across} : Vec3{1, 0, 0};
    }
    /// What the foot rolls over: its ball or its heel.
    [[nodiscard]] Vec3 pivot_of(bool on_ball) const {
        return ankle_ + yaw_.turn((on_ball ? leg_.ball : leg_.heel) - leg_.ankle.translation);
    }
    [[nodiscard]] Vec3 left() const { return {ahead_.z, 0, -ahead_.x}; }

    /// The least that a leg which does not reach needs the foot to be rolled by.
    [[nodiscard]] float needed_pitch() const {
        // Where the hip stands over the foot: nothing is won by rolling when it is beside it.
        const Vec3 over = normalized_level(leg_.hip.translation - ankle_);
        const float along = over.x * ahead_.x + over.z * ahead_.z;
        const Vec3 pivot = pivot_of(along > 0);
        // Rolled by `a` the ankle is off the hip by the root of |hip|^2 + |arm|^2 - 2 (aside + most cos(a - nearest)),
        // all of it from the pivot: so the least that reaches is as far short of `nearest` as that cosine says.
        const Vec3 arm = ankle_ - pivot, hip = leg_.hip.translation - pivot;
        const float aside = dot(arm, left()) * dot(hip, left()), level = dot(arm, hip) - aside,
                    rise = dot(left(), cross(arm, hip)), most = std::sqrt(level * level + rise * rise);
        const float wanted = (dot(hip, hip) + dot(arm, arm) - reach_ * reach_) / 2 - aside;
        const auto nearest = float(arc_tangent(double(rise), double(level))),
                   short_of_it = wanted < most ? float(quick_arc_cosine(double(std::max(-1.0F, wanted / most)))) : 0;
        const float exact = std::copysign(std::max(0.0F, std::fabs(nearest) - short_of_it), nearest);
        const float pitch = along > 0 ? std::clamp(exact, 0.0F, most_on_ball) : std::clamp(exact, -most_on_heel, 0.0F);
        return pitch * smooth_step(0.3F, 0.7F, std::fabs(along));
    }

    const Leg& leg_;
    Vec3 ankle_, ahead_; ///< where the ankle is wanted with the foot flat; which way the foot points
    Yaw yaw_;
    float longest_;   ///< metres from hip to ankle, at most
    float reach_ = 0; ///< for what is wanted
};

/// Bends the leg so that the foot is laid so.
GAIT_FLATTEN void bend_leg(BlockPose& pose, const CompiledLeg& joints, const Leg& leg, const Footing& footing) {
    const float a = leg.thigh, b = leg.shin;
    if (!(a > 1e-4F) || !(b > 1e-4F)) { return; }
    const Vec3 thigh = leg.hip.translation - leg.knee.translation, shin = leg.ankle.translation - leg.knee.translation;
    const float both = 1 / (a * b);
    const auto cosine_at = [&](float across) { return (a * a + b * b - across * across) * (both / 2); };
    const auto angle_at = [&](float across) { return float(quick_arc_cosine(double(cosine_at(across)))); };
    const Vec3 to = footing.ankle - leg.hip.translation;
    const float wanted = length(to), exact = angle_at(wanted);
    // The straighter a leg, the faster its knee turns as it is straightened on: near the end it does so ever less
    // instead.
    const auto soft_angle = [&] {
        const float all = a + b, easing = softened * all;
        if (wanted <= easing) { return exact; }
        const float bend = angle_at(easing), straight = angle_at(std::max(leg.span, straightest * all));
        if (!(straight > bend)) { return exact; }
        const float cosine = cosine_at(easing), sine = std::sqrt(std::max(1e-6F, 1 - cosine * cosine));
        const float slope = easing * both / sine, range = straight - bend;
        return bend + range * (1 - float(exponential(double(-slope * (wanted - easing) / range))));
    };
    const float far = smooth_step(0, 0.04F, length(footing.ankle - leg.ankle.translation));
    const float angle = exact + far * (soft_angle() - exact);
    Vec3 axis = cross(thigh, shin);
    // A leg all but straight shows no plane; there it bends as knees do.
    const Vec3 usual = rotate(leg.hip.rotation, joints.knee_axis) * -1.0F;
    const float shown = length(axis) * both;
    axis = axis * both + usual * std::max(0.0F, 0.02F - shown);
    const Quat knee = axis_angle(axis, double(angle - angle_at(leg.span)) * degrees_per_radian);
    const Vec3 from = leg.knee.translation + rotate(knee, shin) - leg.hip.translation;
    if (!(length(from) > 1e-4F) || !(wanted > 1e-4F)) { return; }
    const Quat hip = shortest_turn(from, to), above_ankle = hip * (knee * leg.over_ankle);
    const Quat yaw = footing.yaw.rotation(), foot = footing.roll * (yaw * leg.ankle.rotation);
    // The toes stay flat where the foot rolls over its ball.
    if (footing.on_ball && joints.toes != joints.ankle) {
        pose.turn_to(joints.toes, conjugate(foot) * (yaw * leg.toes.rotation));
    }
    pose.turn_to(joints.ankle, conjugate(above_ankle) * foot);
    pose.turn_to(joints.knee, conjugate(leg.over_knee) * (knee * leg.knee.rotation));
    pose.turn_to(joints.hip, conjugate(leg.over_hip) * (hip * leg.hip.rotation));
}

/// What a call knows of the step that led to it.
struct Ground {
    Vec3 moved;    ///< the body, over the ground
    Yaw back;      ///< by which it turned, the other way about
    double dt = 0; ///< seconds
    bool goes_on = false;
    float allowed = 0; ///< 0 to 1: how firmly feet may be held
    Spring home;       ///< as which a foot that nothing holds goes back to where its clips have it
};

/// Calls `set(component)` for each of x, z and yaw, and puts what it gives there.
template <typename Set> void each_component(FootOffset& offset, Set set) {
    for (float FootOffset::*component : {&FootOffset::x, &FootOffset::z, &FootOffset::yaw}) {
        offset.*component = set(component);
    }
}

/// How far off the foot has to be to stand on the ground where it stood.
FootOffset held_offset(const PlantedFoot& foot, const CompiledLeg& joints, const Leg& leg, const Ground& ground) {
    // Where heel and ball would have to be, seen from the body as it stands now.
    const Vec3 heel = ground.back.turn(foot.heel - ground.moved), ball = ground.back.turn(foot.ball - ground.moved);
    FootOffset off = foot.off;
    off.yaw += wrapped_radians(yaw_between(leg.ball - leg.heel, ball - heel) - foot.off.yaw);
    const float heel_up = leg.heel.y - joints.ground, ball_up = leg.ball.y - joints.ball_height;
    const float on_heel = 1 - smooth_step(-sole, sole, heel_up - ball_up);
    const Vec3 ankle = leg.ankle.translation + Vec3{foot.off.x, 0, foot.off.z};
    const Yaw yaw(off.yaw);
    const Vec3 move = (heel - ankle - yaw.turn(leg.heel - leg.ankle.translation)) * on_heel +
                      (ball - ankle - yaw.turn(leg.ball - leg.ankle.translation)) * (1 - on_heel);
    off.x += move.x;
    off.z += move.z;
    return off;
}

/// Takes the foot along with the ground as firmly as `held` says, and for the rest lets it go back to where its clips
/// have it, as a spring that goes on at the speed the foot had.
void follow_ground(PlantedFoot& foot, const CompiledFeet& feet, const FootOffset& on_ground, const Ground& ground,
                   float held) {
    if (!(ground.dt > 0)) { // the body is moved on in the same step
        each_component(foot.off, [&](float FootOffset::*component) {
            return foot.off.*component + held * (on_ground.*component - foot.off.*component);
        });
        return;
    }
    for (float FootOffset::*component : {&FootOffset::x, &FootOffset::z, &FootOffset::yaw}) {
        float &off = foot.off.*component, &speed = foot.speed.*component;
        Follower home = ground.home.follow({double(off), double(speed)}, 0);
        if (held == 0) { arrive(home, 0, nothing, no_speed); }
        const float along = on_ground.*component - off;
        off += held * along + (1 - held) * (float(home.value) - off);
        speed = held * along / float(ground.dt) + (1 - held) * float(home.velocity);
    }
    foot.off.yaw = std::clamp(foot.off.yaw, -most_yaw, most_yaw);
    // Farther no leg reaches: while the other foot steps this one may be dragged.
    const float away = foot.off.distance(), most = farthest_off * float(feet.most);
    if (away > most) {
        foot.off.x *= most / away;
        foot.off.z *= most / away;
    }
}

/// A foot that is held too far off, or stands off for long, is lifted and set down where its clips have it.
void begin_step(PlantedFoot& foot) {
    foot.stepping = 1;
    foot.stepped = 0;
    foot.lifted_at = foot.off;
    foot.lifted_speed = foot.speed;
}

/// Goes on with a step back and returns how high the foot is lifted, metres.
float step_back(PlantedFoot& foot, double seconds, double dt) {
    foot.stepped += float(dt);
    const double part = double(foot.stepped) / seconds;
    if (part >= 1) {
        foot.off = foot.speed = {};
        foot.stepping = 0;
        foot.grip = 0;
        return 0;
    }
    each_component(foot.off, [&](float FootOffset::*component) {
        const OffsetCurve curve{foot.lifted_at.*component, foot.lifted_speed.*component};
        return float(decayed(curve, seconds, double(foot.stepped)));
    });
    return lift * float(16 * part * part * (1 - part) * (1 - part));
}

/// Moves a foot on and returns how high it is lifted, metres.
GAIT_FLATTEN float move_foot(PlantedFoot& foot, const CompiledFeet& feet, const CompiledLeg& joints, const Leg& leg,
                             const Ground& ground, float down) {
    // What plays may change at once, and so may whether feet are to be held.
    const auto most = float(ground.dt) / grips;
    foot.contact = ground.goes_on ? foot.contact + std::clamp(down - foot.contact, -most, most) : down;
    if (foot.stepping != 0) { return step_back(foot, feet.release, ground.dt); }
    if (!ground.goes_on) {
        foot.off = foot.speed = {};
        foot.roll = {};
        foot.grip = 1;
    }
    foot.grip = std::min(1.0F, foot.grip + most);
    const float height = std::min(leg.heel.y - joints.ground, leg.ball.y - joints.ball_height);
    const float low = 1 - smooth_step(held_below, free_above, height);
    const float held = low * smooth_step(0, 1, foot.contact) * smooth_step(0, 1, foot.grip);
    const FootOffset on_ground = ground.goes_on ? held_offset(foot, joints, leg, ground) : foot.off;
    // What is too far off to be held much longer is let go of by and by, not as its leg runs out.
    const float strained =
        smooth_step(strains * float(feet.most), farthest_off * float(feet.most), foot.off.distance());
    const float firm = held * (1 - strained);
    follow_ground(foot, feet, on_ground, ground, firm);
    const bool off = foot.off.distance() > at_rest || std::fabs(foot.off.yaw) > at_rest_yaw;
    const bool still = foot.speed.distance() < still_speed && std::fabs(foot.speed.yaw) < still_speed;
    if (ground.dt > 0) { foot.rests = held > 0.99F && off && still ? foot.rests + float(ground.dt) : 0; }
    return 0;
}

/// Legs of a pose, which most often hang on one joint.
class LegsInPose {
public:
    explicit LegsInPose(const BlockPose& pose) : pose_(pose) {}

    void look(const CompiledLeg& joints, Leg& leg) {
        const int over = pose_.parent(joints.hip);
        if (over != over_) { over_hip_ = pose_.model(over); }
        over_ = over;
        look_at(pose_, joints, over_hip_, leg);
    }
    /// What they hang on has moved.
    void look_again() { over_ = no_joint; }

private:
    static constexpr int no_joint = -2;
    const BlockPose& pose_;
    Transform over_hip_;
    int over_ = no_joint; ///< the joint that it is of
};

/// A leg, and how its foot is turned about +Y from where its clips have it.
struct LaidLeg {
    Leg leg;
    Yaw yaw;
};

/// How far the hips of a leg would have to come down for its foot to be held where it is wanted, metres.
float drop_for(const Leg& leg, Vec3 ankle) {
    const float all = leg.thigh + leg.shin, reach = std::max(leg.span, at_ease * all);
    const Vec3 out = ankle - leg.hip.translation;
    if (!(length(out) > reach)) { return 0; }
    const float across = across_of(out);
    const float down = across < reach ? std::sqrt(reach * reach - across * across) : 0;
    return std::clamp(-out.y - down, 0.0F, most_lowered * all);
}

/// How far something at `height` is to be lifted out of the ground, metres: all but a little of it, softly.
float sunk_by(float height) {
    const float deep = std::max(0.0F, -height);
    return deep * deep / (deep + sinks);
}

/// Lowers the hips, softly, by what `wanted` says that the legs need, metres.
void lower_hips(const CharacterData& data, const PerformerBlock& block, BlockPose& pose, const Ground& ground,
                float wanted) {
    if (data.feet.hips < 0) { return; }
    LoweredHips& hips = block.header().hips;
    const auto joint = std::size_t(data.feet.hips);
    hips.as_played = pose.local(joint).translation;
    if (!ground.goes_on) { hips.drop = hips.speed = 0; }
    const double dt = ground.goes_on ? ground.dt : 0;
    Follower now = follow({double(hips.drop), double(hips.speed)}, double(wanted), lowers, dt);
    if (wanted == 0) { arrive(now, 0, nothing, no_speed); }
    hips.drop = std::max(0.0F, float(now.value));
    hips.speed = float(now.velocity);
    if (hips.drop > 0) { pose.move_by(joint, {0, -hips.drop, 0}); }
}

} // namespace

void plant_feet(const CharacterData& data, const PerformerBlock& block, const BodyStep& moved) {
    PerformerHeader& header = block.header();
    const CompiledFeet& feet = data.feet;
    const ExpressionInputs inputs{block.smoothed(), block.raw(), {}};
    const float weight = evaluate(data.instructions(feet.planted), inputs);
    const double dt = header.since_planted;
    // A critically damped spring has gone all but a twentieth of its way then: (1 + w t) exp(-w t) = 0.05.
    const Ground ground{{float(moved.x), 0, float(moved.z)},
                        Yaw(-float(moved.yaw)),
                        dt,
                        header.steps_since_planted <= 1,
                        std::isfinite(weight) ? std::clamp(weight, 0.0F, 1.0F) : 0,
                        Spring(2 * feet.release / 4.74, dt)};
    unbend_legs(data, block); // the body may be moved on twice in a step
    BlockPose pose(data, block);
    bool someone_steps = std::any_of(block.feet(), block.feet() + feet.legs.size(),
                                     [](const PlantedFoot& foot) { return foot.stepping != 0; });
    LegsInPose legs(pose);
    InplaceArray<LaidLeg, kept_legs + 1> kept; // and one for all beyond
    std::array<float, kept_legs> downs{};
    float drop = 0;
    for (std::size_t l = 0; l < feet.legs.size(); ++l) {
        const CompiledLeg& joints = feet.legs[l];
        PlantedFoot& foot = block.feet()[l];
        LaidLeg& laid = kept.make(std::min(l, kept_legs));
        legs.look(joints, laid.leg);
        const Leg& leg = laid.leg;
        if (l % kept_legs == 0) { downs = down_parts(data, block, l, std::min(kept_legs, feet.legs.size() - l)); }
        foot.as_played = {pose.turn(joints.hip), pose.turn(joints.knee), pose.turn(joints.ankle),
                          pose.turn(joints.toes)};
        const float down = ground.allowed * downs[l % kept_legs];
        // What two clips make between them may sink into the ground.
        const float lowest = std::min(leg.heel.y - joints.ground, leg.ball.y - joints.ball_height);
        const float stepped = move_foot(foot, feet, joints, leg, ground, down);
        foot.lifted = stepped + smooth_step(0, 1, foot.contact) * sunk_by(lowest);
        foot.wanted = leg.ankle.translation + Vec3{foot.off.x, foot.lifted, foot.off.z};
        laid.yaw = Yaw(foot.off.yaw);
        foot.heel = foot.wanted + laid.yaw.turn(leg.heel - leg.ankle.translation);
        foot.ball = foot.wanted + laid.yaw.turn(leg.ball - leg.ankle.translation);
        const float bears = foot.stepping != 0 ? 0 : smooth_step(0, 1, foot.contact) * smooth_step(0, 1, foot.grip);
        drop = std::max(drop, bears * drop_for(leg, foot.wanted));
    }
    lower_hips(data, block, pose, ground, drop);
    if (header.hips.drop > 0) {
        legs.look_again();
        for (std::size_t l = 0; l < std::min(kept_legs, feet.legs.size()); ++l) {
            kept[l].leg.move_by({0, -header.hips.drop, 0});
        }
    }
    const Spring rolling(rolls, ground.goes_on ? dt : 0);
    for (std::size_t l = 0; l < feet.legs.size(); ++l) {
        const CompiledLeg& joints = feet.legs[l];
        PlantedFoot& foot = block.feet()[l];
        LaidLeg& laid = kept[std::min(l, kept_legs)];
        if (l >= kept_legs) {
            legs.look(joints, laid.leg);
            laid.yaw = Yaw(foot.off.yaw);
        }
        const Footing footing = Reach(laid.leg, laid.yaw).footing(foot.wanted, foot.roll, rolling);
        // One foot at a time: the other bears the body.
        const bool too_far =
            foot.off.distance() > float(feet.most) || footing.dragged || std::fabs(foot.off.yaw) > 0.95F * most_yaw;
        if (foot.stepping == 0 && !someone_steps && (too_far || foot.rests > rests_for)) {
            begin_step(foot);
            someone_steps = true;
        }
        if (foot.off.distance() > nothing || std::fabs(foot.off.yaw) > nothing ||
            std::fabs(foot.roll.pitch) > nothing || foot.lifted > 0 || header.hips.drop > nothing) {
            bend_leg(pose, joints, laid.leg, footing);
        }
    }
    header.since_planted = 0;
    header.steps_since_planted = 0;
    header.bent = 1;
}

void unbend_legs(const CharacterData& data, const PerformerBlock& block) {
    if (block.header().bent == 0) { return; }
    block.header().bent = 0;
    BlockPose pose(data, block);
    for (std::size_t l = 0; l < data.feet.legs.size(); ++l) {
        const CompiledLeg& joints = data.feet.legs[l];
        const auto& turns = block.feet()[l].as_played;
        pose.set_turn(joints.hip, turns[0]);
        pose.set_turn(joints.knee, turns[1]);
        pose.set_turn(joints.ankle, turns[2]);
        pose.set_turn(joints.toes, turns[3]);
    }
    if (data.feet.hips >= 0) { pose.set_place(std::size_t(data.feet.hips), block.header().hips.as_played); }
}

} // namespace gait::detail
