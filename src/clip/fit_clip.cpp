#include "clip/pose_track.hpp"
#include "gait/fit.hpp"
#include "gait/measure.hpp"
#include "math/rotations.hpp"
#include "rig/foot_points.hpp"
#include "rig/limbs.hpp"

#include <algorithm>
#include <cmath>
#include <map>

namespace gait {
using namespace detail;
namespace {

constexpr double same_degrees = 0.5;
constexpr float same_metres = 0.002F;

std::string stripped(const std::string& name, const std::string& prefix) {
    return !prefix.empty() && name.starts_with(prefix) ? name.substr(prefix.size()) : name;
}

/// What all of a rig's names begin with, up to a sign that sets it off: `cap:hips` and `cap:head` begin with `cap:`.
std::string common_prefix(const Rig& rig) {
    if (rig.joints.size() < 2) { return {}; }
    std::string prefix = rig.joints.front().name;
    for (const Joint& joint : rig.joints) {
        std::size_t same = 0;
        while (same < prefix.size() && same < joint.name.size() && prefix[same] == joint.name[same]) { ++same; }
        prefix.resize(same);
    }
    const std::size_t sign = prefix.find_last_of(":|_ .-/");
    return sign == std::string::npos ? std::string() : prefix.substr(0, sign + 1);
}

/// What a rig's names begin with that is no part of them: as the fit says, else what all have in common.
std::string prefix_of(const Rig& rig, const FitDefinition& how) {
    return how.strip.empty() ? common_prefix(rig) : how.strip.value;
}

/// The name by which `to` would know a joint called `theirs`.
std::string our_name(const std::string& theirs, const std::string& prefix, const FitDefinition& how) {
    for (const auto& [from, to] : how.joints) {
        if (from.value == theirs) { return to.value; }
    }
    std::string bare = stripped(theirs, prefix);
    for (const auto& [from, to] : how.joints) {
        if (from.value == bare) { return to.value; }
    }
    return bare;
}

Quat euler(const std::array<double, 3>& degrees) {
    return axis_angle({0, 0, 1}, degrees[2]) * axis_angle({0, 1, 0}, degrees[1]) * axis_angle({1, 0, 0}, degrees[0]);
}

/// The length of a body's legs, metres; 0 where it shows none.
float leg_length(const Limbs& limbs, const std::vector<Transform>& rest) {
    float sum = 0;
    int count = 0;
    for (const Leg& leg : limbs.legs) {
        if (leg.upper < 0) { continue; }
        const auto at = [&](int joint) { return rest[std::size_t(joint)].translation; };
        sum += length(at(leg.lower) - at(leg.upper)) + length(at(leg.foot) - at(leg.lower));
        ++count;
    }
    return count > 0 ? sum / float(count) : 0;
}

/// The lower of two heights, without an edge where they change places; all metres.
float lower_of(float a, float b) {
    constexpr float soft = 0.01F;
    const float apart = a - b;
    return (a + b - std::sqrt(apart * apart + soft * soft) + soft) / 2;
}

bool is_above(const Rig& rig, int ancestor, int joint) {
    for (int j = joint; j >= 0; j = rig.joints[std::size_t(j)].parent) {
        if (j == ancestor) { return true; }
    }
    return false;
}

class Fitting {
public:
    Fitting(const Rig& from, const Rig& to, const FitDefinition& how)
        : from_(from), to_(to), prefix_(prefix_of(from, how)), our_prefix_(common_prefix(to)), their_points_(from),
          our_points_(to) {
        ours_.resize(from.joints.size(), -1);
        theirs_.resize(to.joints.size(), -1);
        by_.resize(to.joints.size(), JointMatching::name);
        their_limbs_ = limbs_of(from);
        our_limbs_ = limbs_of(to);
        for (std::size_t j = 0; j < from.joints.size(); ++j) {
            const std::string& name = from.joints[j].name;
            const std::string ours = our_name(name, prefix_, how);
            const bool stated = ours != stripped(name, prefix_);
            if (const auto found = to.find(ours)) {
                match(j, *found, stated ? JointMatching::stated : JointMatching::name);
            }
        }
        match_by_place();
        match_by_words(how);
        their_rest_ = model_space(from, turned_rest(how));
        our_rest_ = model_space(to, rest_pose(to));
        find_hips();
        level_limbs(how);
        broader_ = broader();
    }

    [[nodiscard]] JointMatching by(std::size_t our_joint) const { return by_[our_joint]; }
    /// How far their feet are off the ground while they are down in what is carried over, metres.
    void set_ground(float theirs) { their_ground_ = theirs; }

    [[nodiscard]] int ours(std::size_t their_joint) const { return ours_[their_joint]; }
    [[nodiscard]] int theirs(std::size_t our_joint) const { return theirs_[our_joint]; }

    /// Whether every matched joint rests alike, relative to its parent, and under the same parent.
    [[nodiscard]] bool rests_alike(const FitDefinition& how) const {
        if (!how.turn.empty()) { return false; }
        for (std::size_t j = 0; j < to_.joints.size(); ++j) {
            if (theirs_[j] < 0) { continue; }
            const Joint &a = to_.joints[j], &b = from_.joints[std::size_t(theirs_[j])];
            const bool same_parent = a.parent < 0 ? b.parent < 0 : b.parent == theirs_[std::size_t(a.parent)];
            if (!same_parent || degrees_between(a.rest.rotation, b.rest.rotation) > same_degrees ||
                length(a.rest.translation - b.rest.translation) > same_metres) {
                return false;
            }
        }
        return true;
    }

    /// One pose, carried over.
    [[nodiscard]] std::vector<Transform> carry(const std::vector<Transform>& their_pose) const {
        const auto their_model = model_space(from_, their_pose);
        std::vector<Transform> pose = rest_pose(to_), model(to_.joints.size());
        pose_from(their_model, 0, pose, model);
        if (hips_ >= 0 && stands_on_feet()) {
            const float wanted = (lowest_foot(their_points_, their_model) - their_ground_) * ratio_;
            pose_from(their_model, wanted - lowest_foot(our_points_, model), pose, model);
        }
        spread_arms(their_model, pose, model);
        return pose;
    }

private:
    /// Poses our joints as theirs are, the hips raised by `lift`.
    void pose_from(const std::vector<Transform>& their_model, float lift, std::vector<Transform>& pose,
                   std::vector<Transform>& model) const {
        for (std::size_t j = 0; j < to_.joints.size(); ++j) {
            const int parent = to_.joints[j].parent;
            const Transform above = parent < 0 ? Transform{} : model[std::size_t(parent)];
            if (theirs_[j] >= 0) {
                const auto t = std::size_t(theirs_[j]);
                const Quat turn = their_model[t].rotation * conjugate(levelled_[j] * their_rest_[t].rotation);
                pose[j].rotation = normalized(conjugate(above.rotation) * turn * our_rest_[j].rotation);
                if (carries_body(int(j))) {
                    Vec3 place = carried_place(j, their_model[t].translation);
                    if (int(j) == hips_) { place.y += lift; }
                    const Vec3 off = rotate(conjugate(above.rotation), place - above.translation);
                    pose[j].translation = {off.x / above.scale.x, off.y / above.scale.y, off.z / above.scale.z};
                }
            }
            // A trunk that does not hang on the hips is carried along by what bears both.
            if (int(j) == carrier_ && theirs_[j] < 0) {
                const Vec3 way = carried_place(std::size_t(hips_),
                                               their_model[std::size_t(theirs_[std::size_t(hips_)])].translation) -
                                 our_rest_[std::size_t(hips_)].translation + Vec3{0, lift, 0};
                const Vec3 own = rotate(conjugate(above.rotation), way);
                pose[j].translation = to_.joints[j].rest.translation +
                                      Vec3{own.x / above.scale.x, own.y / above.scale.y, own.z / above.scale.z};
            }
            model[j] = above * pose[j];
        }
    }

    /// Half the way from shoulder to shoulder, the middle between them, and which way is left.
    struct Shoulders {
        Vec3 middle, left;
        float half = 0;
    };
    static Shoulders shoulders_of(const Limbs& limbs, const std::vector<Transform>& model) {
        const Vec3 left = model[std::size_t(limbs.arms[0].upper)].translation;
        const Vec3 right = model[std::size_t(limbs.arms[1].upper)].translation;
        const float width = length(left - right);
        return {(left + right) * 0.5F, (left - right) * (1 / std::max(1e-4F, width)), width / 2};
    }
    static float arm_length(const Arm& arm, const std::vector<Transform>& model) {
        const auto at = [&](int joint) { return model[std::size_t(joint)].translation; };
        return length(at(arm.lower) - at(arm.upper)) + length(at(arm.hand) - at(arm.lower));
    }
    /// 0 for a body about as broad for its arms as theirs, 1 for one that is much broader: arms that hang along the one
    /// would pass the other.
    [[nodiscard]] float broader() const {
        for (const Limbs* limbs : {&our_limbs_, &their_limbs_}) {
            if (limbs->arms[0].upper < 0 || limbs->arms[1].upper < 0) { return 0; }
        }
        const float ours =
            shoulders_of(our_limbs_, our_rest_).half / std::max(1e-4F, arm_length(our_limbs_.arms[0], our_rest_));
        const float theirs = shoulders_of(their_limbs_, their_rest_).half /
                             std::max(1e-4F, arm_length(their_limbs_.arms[0], their_rest_));
        const float t = std::clamp((ours / std::max(1e-4F, theirs) - 1.15F) / 0.2F, 0.0F, 1.0F);
        return t * t * (3 - 2 * t);
    }
    /// On a broader body arms that are beside theirs are held out as far, counted in shoulders' widths.
    void spread_arms(const std::vector<Transform>& their_model, std::vector<Transform>& pose,
                     const std::vector<Transform>& model) const {
        if (!(broader_ > 0)) { return; }
        const Shoulders ours = shoulders_of(our_limbs_, model), theirs = shoulders_of(their_limbs_, their_model);
        for (std::size_t side = 0; side < 2; ++side) {
            const Arm &arm = our_limbs_.arms[side], &other = their_limbs_.arms[side];
            if (arm.hand < 0 || other.hand < 0 || theirs_[std::size_t(arm.upper)] < 0) { continue; }
            const float out = side == 0 ? 1.0F : -1.0F;
            const auto aside = [&](const Shoulders& of, Vec3 at) {
                return out * dot(at - of.middle, of.left) / std::max(1e-4F, of.half);
            };
            const Vec3 hand = model[std::size_t(arm.hand)].translation;
            const float wanted = aside(theirs, their_model[std::size_t(other.hand)].translation),
                        now = aside(ours, hand);
            // What reaches across the body means to.
            const float t = std::clamp((wanted - 0.4F) / 0.5F, 0.0F, 1.0F);
            const float lacking = broader_ * t * t * (3 - 2 * t) * std::max(0.0F, wanted - now) * ours.half;
            const Vec3 reach = hand - model[std::size_t(arm.upper)].translation;
            const Vec3 axis = cross(reach, ours.left * out);
            if (!(lacking > 1e-5F) || !(length(axis) > 1e-4F)) { continue; }
            const double degrees = double(lacking / std::max(1e-4F, length(reach))) * degrees_per_radian;
            const auto joint = std::size_t(arm.upper);
            const int parent = to_.joints[joint].parent;
            const Quat above = parent < 0 ? Quat{} : model[std::size_t(parent)].rotation;
            pose[joint].rotation =
                normalized(conjugate(above) * axis_angle(axis, std::min(degrees, 60.0)) * model[joint].rotation);
        }
    }

    void match(std::size_t their_joint, int our_joint, JointMatching by) {
        if (ours_[their_joint] >= 0 || theirs_[std::size_t(our_joint)] >= 0) { return; }
        ours_[their_joint] = our_joint;
        theirs_[std::size_t(our_joint)] = int(their_joint);
        by_[std::size_t(our_joint)] = by;
    }
    /// Who is called alike by side and words besides is no guess.
    void match_part(int their_joint, int our_joint) {
        if (their_joint < 0 || our_joint < 0) { return; }
        const SidedName theirs = sided_name(stripped(from_.joints[std::size_t(their_joint)].name, prefix_));
        const SidedName ours = sided_name(stripped(to_.joints[std::size_t(our_joint)].name, our_prefix_));
        const bool alike = theirs.side == ours.side && theirs.stem == ours.stem;
        match(std::size_t(their_joint), our_joint, alike ? JointMatching::words : JointMatching::place);
    }

    /// The same part of two bodies.
    void match_by_place() {
        if (their_limbs_.legs[0].upper < 0 || our_limbs_.legs[0].upper < 0) { return; } // no body that one knows
        match_part(their_limbs_.hips, our_limbs_.hips);
        for (std::size_t side = 0; side < 2; ++side) {
            const Leg &their_leg = their_limbs_.legs[side], &our_leg = our_limbs_.legs[side];
            match_part(their_leg.upper, our_leg.upper);
            match_part(their_leg.lower, our_leg.lower);
            match_part(their_leg.foot, our_leg.foot);
            match_part(their_leg.toes, our_leg.toes);
            const Arm &their_arm = their_limbs_.arms[side], &our_arm = our_limbs_.arms[side];
            match_part(their_arm.shoulder, our_arm.shoulder);
            match_part(their_arm.upper, our_arm.upper);
            match_part(their_arm.lower, our_arm.lower);
            match_part(their_arm.hand, our_arm.hand);
        }
        match_part(their_limbs_.head, our_limbs_.head);
        match_chain(their_limbs_.spine, our_limbs_.spine);
        match_chain(their_limbs_.neck, our_limbs_.neck);
    }
    /// Ends go with ends, the upper one above all; what lies between by how far up it is.
    void match_chain(const std::vector<int>& theirs, const std::vector<int>& ours) {
        if (theirs.empty() || ours.empty()) { return; }
        match_part(theirs.back(), ours.back());
        if (ours.size() < 2 || theirs.size() < 2) { return; }
        match_part(theirs.front(), ours.front());
        for (std::size_t k = 1; k + 1 < ours.size(); ++k) {
            const double part = double(k) / double(ours.size() - 1);
            const auto there = std::size_t(std::lround(part * double(theirs.size() - 1)));
            match_part(theirs[there], ours[k]);
        }
    }

    /// Whether a joint of a limb, or one above it in that limb, is turned by hand.
    [[nodiscard]] static bool turned_by_hand(const Rig& to, const FitDefinition& how, std::initializer_list<int> limb) {
        return std::any_of(how.turn.begin(), how.turn.end(), [&](const auto& turn) {
            const auto joint = to.find(turn.first.value);
            return joint && std::find(limb.begin(), limb.end(), *joint) != limb.end();
        });
    }

    /// Their arms and legs at rest are turned to point where ours do: the upper part, and the lower one with it and on.
    void level_limbs(const FitDefinition& how) {
        levelled_.assign(to_.joints.size(), Quat{});
        for (std::size_t side = 0; side < 2; ++side) {
            const Arm& arm = our_limbs_.arms[side];
            if (arm.upper >= 0 && !turned_by_hand(to_, how, {arm.shoulder, arm.upper, arm.lower, arm.hand})) {
                const Quat lower = level_pair(arm.upper, arm.lower, arm.hand);
                for (std::size_t j = 0; j < to_.joints.size(); ++j) {
                    if (arm.hand >= 0 && is_above(to_, arm.hand, int(j))) { levelled_[j] = lower; }
                }
            }
            const Leg& leg = our_limbs_.legs[side];
            if (leg.upper < 0 || turned_by_hand(to_, how, {leg.upper, leg.lower, leg.foot})) { continue; }
            level_pair(leg.upper, leg.lower, leg.foot);
            level_foot(leg);
        }
    }
    /// Which way a matched limb's piece points at rest, in either rig; empty where it is not matched.
    struct Ways {
        Vec3 theirs, ours;
        bool known = false;
    };
    [[nodiscard]] Ways ways(int from, int to) const {
        const int a = theirs_[std::size_t(from)], b = theirs_[std::size_t(to)];
        if (a < 0 || b < 0) { return {}; }
        const Vec3 theirs = their_rest_[std::size_t(b)].translation - their_rest_[std::size_t(a)].translation;
        const Vec3 ours = our_rest_[std::size_t(to)].translation - our_rest_[std::size_t(from)].translation;
        return {theirs, ours, length(theirs) > 1e-4F && length(ours) > 1e-4F};
    }
    Quat level_pair(int upper, int lower, int end) {
        const Ways first = ways(upper, lower), second = ways(lower, end);
        if (!first.known || !second.known) { return {}; }
        const Quat above = shortest_turn(first.theirs, first.ours);
        const Quat below = shortest_turn(rotate(above, second.theirs), second.ours) * above;
        levelled_[std::size_t(upper)] = above;
        levelled_[std::size_t(lower)] = below;
        return below;
    }
    /// A foot stands flat at rest, whatever the leg above it does there: it is turned about the vertical alone.
    void level_foot(const Leg& leg) {
        if (leg.toes < 0) { return; }
        Ways foot = ways(leg.foot, leg.toes);
        foot.theirs.y = foot.ours.y = 0;
        if (!foot.known || length(foot.theirs) < 1e-3F || length(foot.ours) < 1e-3F) { return; }
        const Quat turn = shortest_turn(foot.theirs, foot.ours);
        for (std::size_t j = 0; j < to_.joints.size(); ++j) {
            if (is_above(to_, leg.foot, int(j))) { levelled_[j] = turn; }
        }
    }

    [[nodiscard]] bool stands_on_feet() const {
        return their_points_.feet().size() == our_points_.feet().size() && !our_points_.feet().empty();
    }
    /// Metres of the lower foot over the ground that the body stands on at rest.
    static float lowest_foot(const FootPoints& points, const std::vector<Transform>& model) {
        float lowest = 1e9F;
        for (std::size_t f = 0; f < points.feet().size(); ++f) {
            const auto at = points.at(f, model);
            const float own = lower_of(at[0].y, at[1].y);
            lowest = f == 0 ? own : lower_of(lowest, own);
        }
        return lowest;
    }

    /// `UpperLeg_l` is `upper_leg_left`: where the same side and the same words stand in one name of each rig.
    void match_by_words(const FitDefinition& how) {
        using Words = std::pair<Side, std::string>;
        const auto words = [&](const std::string& name, bool name_of_ours) {
            const SidedName sided = sided_name(stripped(name, name_of_ours ? our_prefix_ : prefix_));
            return Words{sided.side, sided.stem};
        };
        std::map<Words, std::vector<int>> known;
        std::map<Words, int> counts;
        for (std::size_t j = 0; j < to_.joints.size(); ++j) {
            if (theirs_[j] < 0) { known[words(to_.joints[j].name, true)].push_back(int(j)); }
        }
        for (std::size_t j = 0; j < from_.joints.size(); ++j) {
            if (ours_[j] < 0) { ++counts[words(our_name(from_.joints[j].name, prefix_, how), false)]; }
        }
        for (std::size_t j = 0; j < from_.joints.size(); ++j) {
            if (ours_[j] >= 0) { continue; }
            const Words own = words(our_name(from_.joints[j].name, prefix_, how), false);
            const auto found = known.find(own);
            if (found != known.end() && found->second.size() == 1 && counts[own] == 1) {
                match(j, found->second.front(), JointMatching::words);
            }
        }
    }

    /// Their rest pose, turned to stand as ours does.
    [[nodiscard]] std::vector<Transform> turned_rest(const FitDefinition& how) const {
        auto rest = rest_pose(from_);
        for (const auto& [name, degrees] : how.turn) {
            const auto ours = to_.find(name.value);
            if (!ours || theirs_[std::size_t(*ours)] < 0) { continue; }
            const auto j = std::size_t(theirs_[std::size_t(*ours)]);
            const auto model = model_space(from_, rest);
            const int parent = from_.joints[j].parent;
            const Quat above = parent < 0 ? Quat{} : model[std::size_t(parent)].rotation;
            rest[j].rotation = normalized(conjugate(above) * euler(degrees) * model[j].rotation);
        }
        return rest;
    }

    void find_hips() {
        hips_ = our_limbs_.hips;
        if (hips_ >= 0 && theirs_[std::size_t(hips_)] < 0) { hips_ = -1; }
        for (std::size_t j = 0; hips_ < 0 && j < to_.joints.size(); ++j) {
            if (theirs_[j] >= 0) { hips_ = int(j); }
        }
        if (hips_ < 0) { return; }
        if (!our_limbs_.spine.empty() && !is_above(to_, hips_, our_limbs_.spine.front())) {
            for (carrier_ = hips_; carrier_ >= 0 && !is_above(to_, carrier_, our_limbs_.spine.front());) {
                carrier_ = to_.joints[std::size_t(carrier_)].parent;
            }
        }
        our_feet_ = our_points_.ground();
        their_feet_ = their_points_.ground();
        const float our_legs = leg_length(our_limbs_, our_rest_), their_legs = leg_length(their_limbs_, their_rest_);
        const float ours = our_rest_[std::size_t(hips_)].translation.y - our_feet_;
        const float theirs = their_rest_[std::size_t(theirs_[std::size_t(hips_)])].translation.y - their_feet_;
        ratio_ = our_legs > 0.01F && their_legs > 0.01F ? our_legs / their_legs
                 : ours > 0.01F && theirs > 0.01F       ? ours / theirs
                                                        : 1;
    }

    /// The hips, and whatever lies between them and the root.
    [[nodiscard]] bool carries_body(int joint) const { return hips_ >= 0 && is_above(to_, joint, hips_); }

    [[nodiscard]] Vec3 carried_place(std::size_t joint, Vec3 theirs) const {
        const Vec3 their_rest = their_rest_[std::size_t(theirs_[joint])].translation;
        Vec3 place = our_rest_[joint].translation + (theirs - their_rest) * ratio_;
        if (int(joint) == hips_) { place.y = our_feet_ + (theirs.y - their_feet_) * ratio_; }
        return place;
    }

    const Rig& from_;
    const Rig& to_;
    std::string prefix_, our_prefix_;              ///< of names
    std::vector<int> ours_, theirs_;               ///< the other rig's joint for each of one; -1 for none
    std::vector<Transform> their_rest_, our_rest_; ///< model space
    int hips_ = -1;
    int carrier_ = -1; ///< the joint that bears hips and trunk, where the trunk does not hang on the hips
    float our_feet_ = 0, their_feet_ = 0, ratio_ = 1;
    float their_ground_ = 0;
    float broader_ = 0;             ///< how much broader our body is for its arms, 0 to 1
    std::vector<JointMatching> by_; ///< [our joint]
    std::vector<Quat> levelled_;    ///< [our joint]: by which theirs is turned at rest, in model space
    Limbs their_limbs_, our_limbs_;
    FootPoints their_points_, our_points_;
};

bool moves(const JointTracks& tracks) {
    return !tracks.rotation.empty() || !tracks.translation.empty() || !tracks.scale.empty();
}

} // namespace

namespace {

/// How high feet stand over the ground of the rest pose while they are down: a recording's joints know nothing of
/// soles.
float ground_of(const ClipSource& clip, const Rig& from) {
    double sum = 0, all = 0;
    for (const FootMeasure& foot : measure_clip(clip, from).feet) {
        constexpr double stands = 0.15; // of the clip
        if (foot.down > stands) { sum += foot.down * foot.height, all += foot.down; }
    }
    return all > 0 ? float(sum / all) : 0;
}

std::vector<JointMatch> matches_of(const Fitting& fitting, const Rig& from, const Rig& to) {
    std::vector<JointMatch> matches;
    for (std::size_t j = 0; j < to.joints.size(); ++j) {
        if (fitting.theirs(j) < 0) { continue; }
        matches.push_back({from.joints[std::size_t(fitting.theirs(j))].name, to.joints[j].name, fitting.by(j)});
    }
    return matches;
}

} // namespace

std::string_view name_of(JointMatching matching) {
    switch (matching) {
    case JointMatching::stated:
        return "as the fit says";
    case JointMatching::name:
        return "by name";
    case JointMatching::place:
        return "by its place in the body";
    case JointMatching::words:
        break;
    }
    return "by side and words";
}

std::vector<JointMatch> match_joints(const Rig& from, const Rig& to, const FitDefinition& how) {
    return matches_of(Fitting(from, to, how), from, to);
}

FittedClip fit_clip(const ClipSource& clip, const Rig& from, const Rig& to, const FitDefinition& how) {
    Fitting fitting(from, to, how);
    FittedClip result;
    for (std::size_t i = 0; i < clip.joints.size(); ++i) {
        const auto joint = from.find(clip.joints[i]);
        if (joint && fitting.ours(std::size_t(*joint)) < 0 && moves(clip.tracks[i])) {
            result.foreign.push_back(clip.joints[i]);
        }
    }
    for (std::size_t j = 0; j < to.joints.size(); ++j) {
        if (fitting.theirs(j) < 0) { result.unmoved.push_back(to.joints[j].name); }
    }
    for (const JointMatch& match : matches_of(fitting, from, to)) {
        if (match.by == JointMatching::place) { result.guessed.push_back(match); }
    }
    if (fitting.rests_alike(how)) {
        result.as_it_was = true;
        result.clip = clip;
        for (std::string& name : result.clip.joints) {
            const auto joint = from.find(name);
            const int ours = joint ? fitting.ours(std::size_t(*joint)) : -1;
            if (ours >= 0) { name = to.joints[std::size_t(ours)].name; }
        }
        return result;
    }
    fitting.set_ground(ground_of(clip, from));
    PoseTrack track = to_poses(clip, from);
    for (auto& pose : track.poses) { pose = fitting.carry(pose); }
    result.clip = to_source(track, to, clip);
    return result;
}

std::vector<std::pair<std::string, std::string>> mirrored_joints(const Rig& rig) {
    std::vector<std::pair<std::string, std::string>> names;
    for (const auto& [left, right] : mirror_pairs(rig)) {
        names.emplace_back(rig.joints[std::size_t(left)].name, rig.joints[std::size_t(right)].name);
    }
    return names;
}

} // namespace gait
