#include "begin/arms.hpp"

#include <algorithm>

namespace gait::detail {
namespace {

constexpr double meets = 0.08; ///< `apart`: of an end and a beginning that follow one another

/// What two names have in common, at their beginnings and ends: `lift_low` and `hold_low` have `low`.
std::string in_common(const std::vector<const Placed*>& clips) {
    const auto words = [](const std::string& name) {
        std::vector<std::string> list(1);
        for (const char c : name) {
            if (c == '_') {
                list.emplace_back();
            } else {
                list.back() += c;
            }
        }
        return list;
    };
    std::string common;
    for (const std::string& word : words(clips.front()->seen.name)) {
        const bool everywhere = std::all_of(clips.begin(), clips.end(), [&](const Placed* clip) {
            const auto own = words(clip->seen.name);
            return std::find(own.begin(), own.end(), word) != own.end();
        });
        if (everywhere) { common += (common.empty() ? "" : "_") + word; }
    }
    return common.empty() || (common[0] >= '0' && common[0] <= '9') ? clips.front()->seen.name : common;
}

/// How far the joints of `part` move at most from their mean over a clip, as `apart` counts.
double stirs(const Evidence& seen, const std::vector<bool>& part, const BodyPlan& plan) {
    double most = 0;
    for (const Places& pose : seen.poses) { most = std::max(most, apart(pose, seen.first(), part, plan)); }
    return most;
}

} // namespace

std::string Arms::only_arm(const Placed& clip) const {
    if (shoulders[0] < 0 || shoulders[1] < 0) { return {}; }
    std::vector<bool> rest = plan->in_upper;
    for (std::size_t j = 0; j < rest.size(); ++j) { rest[j] = rest[j] && !arm[0][j] && !arm[1][j]; }
    const double left = stirs(clip.seen, arm[0], *plan), right = stirs(clip.seen, arm[1], *plan);
    const double trunk = stirs(clip.seen, rest, *plan);
    constexpr double little = 0.1; // of what the arm does
    if (trunk > 0.02 || std::max(left, right) < 0.05) { return {}; }
    return left < little * right ? "right" : right < little * left ? "left" : "";
}

Arms find_arms(const Cast& cast, const Rig& rig, const BodyPlan& plan) {
    Arms arms;
    arms.plan = &plan;
    for (std::size_t side = 0; side < 2; ++side) {
        arms.arm[side].assign(rig.joints.size(), false);
        for (int j = plan.hands[side]; j >= 0 && plan.in_arms[std::size_t(j)]; j = rig.joints[std::size_t(j)].parent) {
            arms.shoulders[side] = j;
        }
        if (arms.shoulders[side] < 0) { continue; }
        arms.arm[side][std::size_t(arms.shoulders[side])] = true;
        for (std::size_t j = std::size_t(arms.shoulders[side]) + 1; j < rig.joints.size(); ++j) {
            const int parent = rig.joints[j].parent;
            if (parent >= 0 && arms.arm[side][std::size_t(parent)]) { arms.arm[side][j] = true; }
        }
    }
    const auto upper = [&](const Places& a, const Places& b) { return apart(a, b, plan.in_upper, plan); };
    std::vector<const Placed*> raises = cast.all(ClipRole::raise), lowers = cast.all(ClipRole::lower);
    const auto take = [](std::vector<const Placed*>& from, const auto& off, std::vector<const Placed*>& into) {
        const auto best = std::min_element(from.begin(), from.end(),
                                           [&](const Placed* a, const Placed* b) { return off(*a) < off(*b); });
        if (best == from.end() || off(**best) > meets) { return; }
        into.push_back(*best);
        from.erase(best);
    };
    for (const Placed* hold : cast.all(ClipRole::hold)) {
        ArmChain chain;
        chain.hold = hold;
        take(
            raises, [&](const Placed& raise) { return upper(raise.seen.last(), hold->seen.first()); }, chain.raises);
        take(
            lowers, [&](const Placed& lower) { return upper(lower.seen.first(), hold->seen.last()); }, chain.lowers);
        arms.chains.push_back(std::move(chain));
    }
    for (const Placed* raise : raises) {
        ArmChain chain;
        chain.raises = {raise};
        take(
            lowers, [&](const Placed& lower) { return upper(raise->seen.last(), lower.seen.first()); }, chain.lowers);
        arms.chains.push_back(std::move(chain));
    }
    for (const Placed* lower : lowers) {
        ArmChain chain;
        chain.lowers = {lower};
        arms.chains.push_back(std::move(chain));
    }
    for (ArmChain& chain : arms.chains) {
        std::vector<const Placed*> clips = chain.raises;
        if (chain.hold != nullptr) { clips.push_back(chain.hold); }
        clips.insert(clips.end(), chain.lowers.begin(), chain.lowers.end());
        chain.name = in_common(clips);
    }
    return arms;
}

} // namespace gait::detail
