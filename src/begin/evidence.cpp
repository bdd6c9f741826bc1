#include "begin/evidence.hpp"

#include "clip/pose_track.hpp"
#include "rig/foot_points.hpp"
#include "rig/limbs.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace gait::detail {
namespace {

void mark_below(const Rig& rig, int top, std::vector<bool>& part) {
    part[std::size_t(top)] = true;
    for (std::size_t j = std::size_t(top) + 1; j < rig.joints.size(); ++j) {
        const int parent = rig.joints[j].parent;
        if (parent >= 0 && part[std::size_t(parent)]) { part[j] = true; }
    }
}

} // namespace

BodyPlan::BodyPlan(const Rig& rig)
    : in_legs(rig.joints.size(), false), in_upper(rig.joints.size(), false), in_arms(rig.joints.size(), false) {
    const Limbs limbs = limbs_of(rig);
    const auto rest = model_space(rig, rest_pose(rig));
    hips = limbs.hips;
    if (hips < 0) {
        in_upper.assign(rig.joints.size(), true);
        return;
    }
    hip_height = std::max(0.05, double(rest[std::size_t(hips)].translation.y - FootPoints(rig).ground()));
    for (const Leg& leg : limbs.legs) {
        if (leg.upper < 0) { continue; }
        int top = leg.upper;
        for (int up = rig.joints[std::size_t(top)].parent; up >= 0 && up != hips;
             up = rig.joints[std::size_t(up)].parent) {
            top = up;
        }
        mark_below(rig, top, in_legs);
    }
    for (std::size_t j = 0; j < in_upper.size(); ++j) { in_upper[j] = !in_legs[j]; }
    for (int up = hips; up >= 0; up = rig.joints[std::size_t(up)].parent) { in_upper[std::size_t(up)] = false; }
    if (!limbs.spine.empty()) {
        spine = limbs.spine.front();
        spine_joints = int(std::min<std::size_t>(3, limbs.spine.size()));
    }
    for (std::size_t side = 0; side < 2; ++side) {
        const Arm& arm = limbs.arms[side];
        hands[side] = arm.hand;
        if (arm.upper >= 0) { mark_below(rig, arm.shoulder >= 0 ? arm.shoulder : arm.upper, in_arms); }
    }
}

double apart(const Places& a, const Places& b, const std::vector<bool>& part, const BodyPlan& plan) {
    double sum = 0;
    int count = 0;
    for (std::size_t j = 0; j < a.size(); ++j) {
        if (!part[j]) { continue; }
        const double off = double(length(a[j] - b[j]));
        sum += off * off;
        ++count;
    }
    return count > 0 ? std::sqrt(sum / count) / plan.hip_height : 0;
}

double Evidence::feet_down() const {
    double least = measure.feet.empty() ? 0 : 1;
    for (const FootMeasure& foot : measure.feet) { least = std::min(least, foot.down); }
    return least;
}

double Evidence::mean_hips() const {
    return std::accumulate(hips.begin(), hips.end(), 0.0) / double(std::max<std::size_t>(1, hips.size()));
}

double turn_between(const Evidence& from, bool from_end, const Evidence& to) {
    double most = 0;
    for (std::size_t a = from_end ? from.turns.size() - 1 : 0; a < from.turns.size(); ++a) {
        for (std::size_t j = 0; j < from.turns[a].size(); ++j) {
            most = std::max(most, degrees_between(from.turns[a][j], to.turns.front()[j]));
        }
    }
    return most;
}

Evidence look_at(const BeginningClip& clip, std::string name, const Rig& rig, const BodyPlan& plan) {
    Evidence seen;
    seen.clip = &clip;
    seen.name = std::move(name);
    seen.seconds = clip.source.seconds;
    seen.measure = measure_clip(clip.source, rig);
    const ClipSource arranged_clip = arranged(clip.source, rig);
    const FootPoints points(rig);
    const auto rest = rest_pose(rig);
    const auto hips = std::size_t(std::max(0, plan.hips));
    constexpr double instants_a_second = 20;
    const auto count = std::size_t(std::clamp(seen.seconds * instants_a_second, 2.0, 400.0)) + 1;
    Vec3 at_first;
    std::array<Vec3, 2> hands_before{};
    for (std::size_t i = 0; i < count; ++i) {
        const double part = double(i) / double(count - 1);
        const auto model = model_space(rig, pose_at(arranged_clip, rest, part * seen.seconds));
        double lowest = points.feet().empty() ? 0 : 1e9;
        for (std::size_t f = 0; f < points.feet().size(); ++f) {
            for (const Vec3& point : points.at(f, model)) { lowest = std::min(lowest, double(point.y)); }
        }
        const Vec3 at = model[hips].translation;
        if (i == 0) { at_first = at; }
        seen.hips_move = std::max(seen.hips_move, double(length(at - at_first)));
        seen.lowest.push_back(lowest);
        seen.hips.push_back(double(at.y - points.ground()));
        // A clip that turns ends facing elsewhere; its poses are compared as if it did not.
        const Quat back = axis_angle({0, 1, 0}, seen.measure.way.heading * part);
        Places places;
        places.reserve(model.size());
        for (const Transform& joint : model) {
            places.push_back(rotate(back, joint.translation - Vec3{at.x, 0, at.z}));
        }
        for (std::size_t side = 0; side < 2; ++side) {
            if (plan.hands[side] < 0) { continue; }
            const Vec3 hand = places[std::size_t(plan.hands[side])];
            if (i > 0) {
                const double speed = double(length(hand - hands_before[side])) * double(count - 1) / seen.seconds;
                seen.hands_speed = std::max(seen.hands_speed, seen.seconds > 0 ? speed : 0);
            }
            hands_before[side] = hand;
        }
        seen.poses.push_back(std::move(places));
        const std::size_t every = std::max<std::size_t>(1, (count - 1) / 8);
        if (i % every == 0 || i + 1 == count) {
            std::vector<Quat> turns;
            for (const Transform& joint : model) { turns.push_back(back * joint.rotation); }
            seen.turns.push_back(std::move(turns));
        }
        seen.legs_move = std::max(seen.legs_move, apart(seen.poses.back(), seen.first(), plan.in_legs, plan));
        seen.upper_moves = std::max(seen.upper_moves, apart(seen.poses.back(), seen.first(), plan.in_upper, plan));
    }
    constexpr double moment = 0.05; // seconds
    const auto speed_between = [&](double from, double to) {
        if (!(to > from)) { return 0.0; }
        const Vec3 way = model_space(rig, pose_at(arranged_clip, rest, to))[hips].translation -
                         model_space(rig, pose_at(arranged_clip, rest, from))[hips].translation;
        return std::hypot(double(way.x), double(way.z)) / (to - from);
    };
    seen.speed_first = speed_between(0, std::min(moment, seen.seconds));
    seen.speed_last = speed_between(std::max(0.0, seen.seconds - moment), seen.seconds);
    return seen;
}

} // namespace gait::detail
