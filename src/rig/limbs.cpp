#include "rig/limbs.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

bool is_above(const Rig& rig, int top, int joint) {
    for (int j = joint; j >= 0; j = rig.joints[std::size_t(j)].parent) {
        if (j == top) { return true; }
    }
    return false;
}

/// The joints from below `top` down to `joint`, that one with them; from the root where `top` is -1.
std::vector<int> way_down(const Rig& rig, int top, int joint) {
    std::vector<int> way;
    for (int j = joint; j >= 0 && j != top; j = rig.joints[std::size_t(j)].parent) { way.push_back(j); }
    std::reverse(way.begin(), way.end());
    return way;
}

int common_ancestor(const Rig& rig, int a, int b) {
    while (a >= 0 && !is_above(rig, a, b)) { a = rig.joints[std::size_t(a)].parent; }
    return a;
}

class Reading {
public:
    explicit Reading(const Rig& rig)
        : rig_(rig), rest_(model_space(rig, rest_pose(rig))), parts_(body_parts(rig)),
          in_leg_(rig.joints.size(), false) {}

    Limbs run() {
        limbs_.hips = parts_.hips;
        if (limbs_.hips < 0) { return limbs_; }
        legs();
        arms();
        trunk();
        return limbs_;
    }

private:
    [[nodiscard]] Vec3 at(int joint) const { return rest_[std::size_t(joint)].translation; }
    [[nodiscard]] float between(int a, int b) const { return length(at(a) - at(b)); }
    [[nodiscard]] bool named(int joint, const char* word) const {
        return sided_name(rig_.joints[std::size_t(joint)].name).stem.find(word) != std::string::npos;
    }

    void legs() {
        for (const Foot& foot : parts_.feet) {
            if (foot.side == Side::middle || foot.ankle < 0) { continue; }
            const LegJoints joints = leg_joints(rig_, rest_, foot, parts_.hips);
            if (joints.hip < 0) { continue; }
            limbs_.legs[foot.side == Side::left ? 0 : 1] = {joints.hip, joints.knee, foot.ankle,
                                                            foot.toes == foot.ankle ? -1 : foot.toes};
            // All that hangs where the leg does, too: a hem of a coat is no arm.
            const int top = way_down(rig_, parts_.hips, joints.hip).front();
            for (std::size_t j = 0; j < rig_.joints.size(); ++j) {
                if (is_above(rig_, top, int(j))) { in_leg_[j] = true; }
            }
        }
    }

    /// The longest chain to either side that is on no leg ends an arm, wherever it hangs or reaches at rest; one that
    /// is called so, above all.
    void arms() {
        const float ground = limbs_.legs[0].foot >= 0 ? at(limbs_.legs[0].foot).y : 0;
        const float height = std::max(0.05F, at(limbs_.hips).y - ground);
        std::array<int, 2> tips{-1, -1};
        std::array<float, 2> longest{0.2F * height, 0.2F * height};
        for (std::size_t j = 0; j < rig_.joints.size(); ++j) {
            // What hangs on nothing is a handle.
            if (in_leg_[j] || rig_.joints[j].parent < 0) { continue; }
            // Its way from where it leaves the middle of the body.
            float reach = 0, side = 0;
            bool called = false;
            for (int joint = int(j); joint >= 0 && std::fabs(at(joint).x) > 0.02F * height;
                 joint = rig_.joints[std::size_t(joint)].parent) {
                const int above = rig_.joints[std::size_t(joint)].parent;
                if (above >= 0) { reach += between(joint, above); }
                side = at(joint).x;
                called = called || named(joint, "hand") || named(joint, "wrist") || named(joint, "arm");
            }
            if (called) { reach *= 2; }
            const std::size_t which = side > 0 ? 0 : 1;
            if (reach > longest[which]) { longest[which] = reach, tips[which] = int(j); }
        }
        if (tips[0] < 0 || tips[1] < 0) { return; }
        branch_ = common_ancestor(rig_, tips[0], tips[1]);
        if (branch_ < 0 || is_above(rig_, branch_, limbs_.hips)) {
            return;
        } // they hang on the hips or on what bears them
        for (std::size_t side = 0; side < 2; ++side) { limbs_.arms[side] = arm(way_down(rig_, branch_, tips[side])); }
    }

    /// Upper arm and forearm are the last two long pieces of the way from the trunk to the finger tips.
    [[nodiscard]] Arm arm(const std::vector<int>& way) const {
        Arm arm;
        float all = 0;
        for (std::size_t i = 0; i + 1 < way.size(); ++i) { all += between(way[i], way[i + 1]); }
        const float is_long = 0.2F * all;
        std::size_t hand = way.size();
        for (std::size_t i = 1; i < way.size(); ++i) {
            const bool called = named(way[i], "hand") || named(way[i], "wrist");
            if (between(way[i - 1], way[i]) >= is_long) { hand = i; }
            if (called && hand == i) { break; }
        }
        if (hand >= way.size() || hand < 2) { return arm; }
        arm.hand = way[hand];
        // Joints that only twist lie between.
        std::size_t lower = hand - 1;
        const float reach = between(way[lower], way[hand]);
        std::size_t upper = lower;
        while (upper > 0 && between(way[upper], way[lower]) < 0.4F * reach) { --upper; }
        if (upper == lower || between(way[upper], way[lower]) < 0.4F * reach) { return arm; }
        arm.lower = way[lower];
        arm.upper = way[upper];
        arm.shoulder = upper > 0 ? way[upper - 1] : -1;
        return arm;
    }

    /// The trunk is what bears the arms and is no leg's; the head is called so, or lies highest over it.
    void trunk() {
        if (branch_ < 0 || limbs_.arms[0].upper < 0) { return; }
        // From the first joint that bears no leg.
        for (const int joint : way_down(rig_, -1, branch_)) {
            if (!is_above(rig_, joint, limbs_.hips)) { limbs_.spine.push_back(joint); }
        }
        int head = -1;
        for (std::size_t j = 0; j < rig_.joints.size(); ++j) {
            const SidedName name = sided_name(rig_.joints[j].name);
            const bool called = name.side == Side::middle && (name.stem == "head" || name.stem.ends_with("_head"));
            if (called && is_above(rig_, branch_, int(j)) && head < 0) { head = int(j); }
        }
        for (std::size_t j = 0; j < rig_.joints.size() && head < 0; ++j) {
            const bool in_arm =
                is_above(rig_, limbs_.arms[0].upper, int(j)) || is_above(rig_, limbs_.arms[1].upper, int(j));
            const bool middle = std::fabs(at(int(j)).x) < 0.02F;
            if (in_arm || !middle || int(j) == branch_ || !is_above(rig_, branch_, int(j))) { continue; }
            // The last before the end, where there are several.
            const auto way = way_down(rig_, branch_, int(j));
            if (at(int(j)).y > at(branch_).y) { head = way.size() > 1 ? way[1] : way[0]; }
        }
        if (head < 0) { return; }
        limbs_.head = head;
        limbs_.neck = way_down(rig_, branch_, head);
        limbs_.neck.pop_back();
    }

    const Rig& rig_;
    std::vector<Transform> rest_;
    BodyParts parts_;
    std::vector<bool> in_leg_;
    int branch_ = -1; ///< the joint that bears both arms
    Limbs limbs_;
};

} // namespace

LegJoints leg_joints(const Rig& rig, const std::vector<Transform>& rest, const Foot& foot, int hips) {
    std::vector<int> chain; // from the ankle up to, and without, the hips or the rig's root
    for (int joint = rig.joints[std::size_t(foot.ankle)].parent; joint >= 0 && joint != hips;
         joint = rig.joints[std::size_t(joint)].parent) {
        chain.push_back(joint);
    }
    LegJoints leg;
    if (chain.size() < 2) { return leg; }
    const auto at = [&](int joint) { return rest[std::size_t(joint)].translation; };
    // Joints that only group what is below them lie in the middle of the hips.
    constexpr float aside = 0.3F; // of the ankle's way from the middle
    const auto side_of = [&](int joint) { return at(joint).x * (at(foot.ankle).x > 0 ? 1.0F : -1.0F); };
    auto highest = chain.rbegin();
    while (highest + 2 < chain.rend() && side_of(*highest) < aside * side_of(foot.ankle)) { ++highest; }
    leg.hip = *highest;
    const auto from_ankle = [&](int joint) { return length(at(joint) - at(foot.ankle)); };
    constexpr float same_place = 0.02F; // of the leg's length
    for (auto joint = highest; joint + 1 < chain.rend(); ++joint) {
        if (length(at(*joint) - at(*highest)) > same_place * from_ankle(*highest)) { break; }
        leg.hip = *joint;
    }
    const float middle = from_ankle(leg.hip) / 2;
    leg.knee = chain.front();
    for (std::size_t i = 0; i + 1 < chain.size() && chain[i] != leg.hip; ++i) {
        if (std::abs(from_ankle(chain[i]) - middle) < std::abs(from_ankle(leg.knee) - middle)) { leg.knee = chain[i]; }
    }
    return leg;
}

Limbs limbs_of(const Rig& rig) { return Reading(rig).run(); }

} // namespace gait::detail
