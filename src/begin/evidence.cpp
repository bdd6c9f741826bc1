#include "begin/evidence.hpp"

#include "clip/pose_track.hpp"
#include "rig/foot_points.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace gait::detail {
namespace {

std::vector<int> children_of(const Rig& rig, int joint) {
    std::vector<int> children;
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        if (rig.joints[j].parent == joint) { children.push_back(int(j)); }
    }
    return children;
}

void mark_below(const Rig& rig, int top, std::vector<bool>& part) {
    part[std::size_t(top)] = true;
    for (std::size_t j = std::size_t(top) + 1; j < rig.joints.size(); ++j) {
        const int parent = rig.joints[j].parent;
        if (parent >= 0 && part[std::size_t(parent)]) { part[j] = true; }
    }
}

/// The joint below `top` that is farthest out to the side `sign` (+1 left), at rest; `top` where none is far out.
int farthest_out(const std::vector<Transform>& rest, const std::vector<bool>& part, float sign, float least) {
    int best = -1;
    float most = least;
    for (std::size_t j = 0; j < rest.size(); ++j) {
        const float out = sign * rest[j].translation.x;
        if (part[j] && out > most) { most = out, best = int(j); }
    }
    return best;
}

} // namespace

BodyPlan::BodyPlan(const Rig& rig)
    : in_legs(rig.joints.size(), false), in_upper(rig.joints.size(), false), in_arms(rig.joints.size(), false) {
    const BodyParts parts = body_parts(rig);
    const auto rest = model_space(rig, rest_pose(rig));
    const FootPoints points(rig);
    hips = parts.hips;
    if (hips < 0) {
        in_upper.assign(rig.joints.size(), true);
        return;
    }
    hip_height = std::max(0.05, double(rest[std::size_t(hips)].translation.y - points.ground()));
    for (const int child : children_of(rig, hips)) {
        std::vector<bool> below(rig.joints.size(), false);
        mark_below(rig, child, below);
        const bool leg = std::any_of(parts.feet.begin(), parts.feet.end(),
                                     [&](const Foot& foot) { return below[std::size_t(foot.ankle)]; });
        for (std::size_t j = 0; j < below.size(); ++j) {
            if (below[j]) { (leg ? in_legs : in_upper)[j] = true; }
        }
    }
    // The hands are what reaches farthest out to either side; what is nearer than a quarter of the hips' height is
    // none.
    hands = {farthest_out(rest, in_upper, 1, float(hip_height) / 4),
             farthest_out(rest, in_upper, -1, float(hip_height) / 4)};
    const auto holds = [&](int top, int joint) {
        for (int j = joint; j >= 0; j = rig.joints[std::size_t(j)].parent) {
            if (j == top) { return true; }
        }
        return false;
    };
    const auto carries = [&](int joint) {
        if (hands[0] >= 0 && hands[1] >= 0) { return holds(joint, hands[0]) && holds(joint, hands[1]); }
        // A body without arms: what goes up highest.
        int top = hips;
        for (std::size_t j = 0; j < rest.size(); ++j) {
            if (in_upper[j] && rest[j].translation.y > rest[std::size_t(top)].translation.y) { top = int(j); }
        }
        return top != hips && holds(joint, top);
    };
    for (const int child : children_of(rig, hips)) {
        if (in_upper[std::size_t(child)] && carries(child)) { spine = child; }
    }
    if (spine < 0) { return; }
    int joint = spine;
    for (; spine_joints < 3; ++spine_joints) {
        const auto children = children_of(rig, joint);
        const auto next = std::find_if(children.begin(), children.end(), carries);
        if (next == children.end()) { break; }
        joint = *next;
    }
    for (const int hand : hands) {
        if (hand < 0) { continue; }
        int top = hand;
        for (int j = hand; j >= 0 && !carries(j); j = rig.joints[std::size_t(j)].parent) { top = j; }
        mark_below(rig, top, in_arms);
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
