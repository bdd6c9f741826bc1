#include "begin/pose_families.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace gait::detail {
namespace {

/// Metres by which a part of the body is to the right and up against another pose, on average.
std::pair<double, double> moved(const Places& pose, const Places& from, const std::vector<bool>& part) {
    double right = 0, up = 0;
    int count = 0;
    for (std::size_t j = 0; j < pose.size(); ++j) {
        if (!part[j]) { continue; }
        right -= double(pose[j].x - from[j].x); // the left is +X
        up += double(pose[j].y - from[j].y);
        ++count;
    }
    return {right / std::max(1, count), up / std::max(1, count)};
}

/// What points: the arms where they are what moves, else all that is neither arm nor leg, the head above all.
std::vector<bool> pointing_part(const std::vector<const Placed*>& poses, const Places& from, const BodyPlan& plan) {
    std::vector<bool> trunk = plan.in_upper;
    for (std::size_t j = 0; j < trunk.size(); ++j) { trunk[j] = trunk[j] && !plan.in_arms[j]; }
    double arms = 0, rest = 0;
    for (const Placed* pose : poses) {
        arms = std::max(arms, apart(pose->seen.first(), from, plan.in_arms, plan));
        rest = std::max(rest, apart(pose->seen.first(), from, trunk, plan));
    }
    constexpr double much_more = 2; // arms hang from the trunk, and go where it goes
    return arms > much_more * rest ? plan.in_arms : trunk;
}

/// -1, 0 or 1: on which side of the middle, as far as the farthest goes.
double side(double value, double farthest) {
    return farthest > 0 && std::fabs(value) > 0.4 * farthest ? (value > 0 ? 1 : -1) : 0;
}

} // namespace

std::vector<PoseFamily> find_pose_families(const Cast& cast, const Rig&, const BodyPlan& plan) {
    std::vector<PoseFamily> families;
    if (cast.standing() == nullptr) { return families; }
    const Placed& standing = *cast.standing();
    std::map<std::string, std::vector<const Placed*>> by_stem;
    std::vector<std::string> order;
    constexpr double legs_alike = 0.08;
    for (const Placed* pose : cast.all(ClipRole::pose)) {
        if (pose->legs_most > legs_alike) { continue; }
        const std::string stem = pose->seen.name.substr(0, pose->seen.name.find('_'));
        if (by_stem[stem].empty()) { order.push_back(stem); }
        by_stem[stem].push_back(pose);
    }
    for (const std::string& stem : order) {
        const auto& poses = by_stem[stem];
        if (poses.size() < 2) { continue; }
        const auto upper = [&](const Placed& a, const Placed& b) {
            return apart(a.seen.first(), b.seen.first(), plan.in_upper, plan);
        };
        // The one in the middle is nearest to all others; of two it is the standing clip.
        const auto spread = [&](const Placed* middle) {
            double sum = 0;
            for (const Placed* other : poses) { sum += upper(*middle, *other); }
            return sum;
        };
        const Placed* middle = *std::min_element(
            poses.begin(), poses.end(), [&](const Placed* a, const Placed* b) { return spread(a) < spread(b); });
        PoseFamily family;
        family.with_standing = poses.size() == 2;
        family.against = family.with_standing ? &standing : middle;
        // Of two the middle lies between them: somebody who stands sways.
        Places from = family.against->seen.first();
        if (family.with_standing) {
            for (std::size_t j = 0; j < from.size(); ++j) {
                from[j] = (poses[0]->seen.first()[j] + poses[1]->seen.first()[j]) * 0.5F;
            }
        }
        const std::vector<bool> part = pointing_part(poses, from, plan);
        double most_right = 0, most_up = 0;
        for (const Placed* pose : poses) {
            const auto [right, up] = moved(pose->seen.first(), from, part);
            most_right = std::max(most_right, std::fabs(right));
            most_up = std::max(most_up, std::fabs(up));
        }
        std::set<std::pair<double, double>> places;
        bool doubled = false;
        const bool tall = poses.size() >= 3 && most_up > 0.4 * most_right;
        const bool wide = most_right > 0.4 * most_up;
        for (const Placed* pose : poses) {
            const auto [right, up] = moved(pose->seen.first(), from, part);
            FamilyPoint point{pose, wide ? side(right, most_right) : 0, tall ? side(up, most_up) : 0};
            if (pose == middle && !family.with_standing) { point.across = point.up = 0; }
            doubled = doubled || !places.insert({point.across, point.up}).second;
            family.points.push_back(point);
        }
        const bool none_aside = family.with_standing && places.contains({0, 0});
        if (doubled || none_aside || (!wide && !tall)) { continue; }
        family.name = (stem.ends_with("e") ? stem.substr(0, stem.size() - 1) : stem) + "ing";
        if (wide) { family.across = stem + "_aside"; }
        if (tall) { family.up = stem + "_up"; }
        family.said = fmt::format("{} poses, {}, laid on top", poses.size(),
                                  wide && tall ? "to either side, up and down"
                                  : wide       ? "to either side"
                                               : "up and down");
        double nearest = 0.06;
        for (const Placed* hold : cast.all(ClipRole::hold)) {
            const double off = upper(*hold, *family.against);
            if (!family.with_standing && off < nearest) { nearest = off, family.hold = hold; }
        }
        families.push_back(std::move(family));
    }
    return families;
}

} // namespace gait::detail
