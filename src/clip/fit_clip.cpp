#include "clip/pose_track.hpp"
#include "gait/fit.hpp"
#include "rig/body_parts.hpp"

#include <algorithm>
#include <map>

namespace gait {
using namespace detail;
namespace {

constexpr double same_degrees = 0.5;
constexpr float same_metres = 0.002F;

std::string stripped(const std::string& name, const FitDefinition& how) {
    const std::string& prefix = how.strip.value;
    return !prefix.empty() && name.starts_with(prefix) ? name.substr(prefix.size()) : name;
}

/// The name by which `to` would know a joint called `theirs`.
std::string our_name(const std::string& theirs, const FitDefinition& how) {
    for (const auto& [from, to] : how.joints) {
        if (from.value == theirs) { return to.value; }
    }
    std::string bare = stripped(theirs, how);
    for (const auto& [from, to] : how.joints) {
        if (from.value == bare) { return to.value; }
    }
    return bare;
}

Quat euler(const std::array<double, 3>& degrees) {
    return axis_angle({0, 0, 1}, degrees[2]) * axis_angle({0, 1, 0}, degrees[1]) * axis_angle({1, 0, 0}, degrees[0]);
}

/// The height of the ankles at rest, or of the lowest joint where there are no feet; metres.
float foot_height(const BodyParts& parts, const std::vector<Transform>& model) {
    float sum = 0;
    for (const Foot& foot : parts.feet) { sum += model[std::size_t(foot.ankle)].translation.y; }
    if (!parts.feet.empty()) { return sum / float(parts.feet.size()); }
    float lowest = 0;
    for (const Transform& joint : model) { lowest = std::min(lowest, joint.translation.y); }
    return lowest;
}

bool is_above(const Rig& rig, int ancestor, int joint) {
    for (int j = joint; j >= 0; j = rig.joints[std::size_t(j)].parent) {
        if (j == ancestor) { return true; }
    }
    return false;
}

class Fitting {
public:
    Fitting(const Rig& from, const Rig& to, const FitDefinition& how) : from_(from), to_(to) {
        ours_.resize(from.joints.size(), -1);
        theirs_.resize(to.joints.size(), -1);
        for (std::size_t j = 0; j < from.joints.size(); ++j) {
            if (const auto found = to.find(our_name(from.joints[j].name, how))) { match(j, *found); }
        }
        match_by_words(how);
        their_rest_ = model_space(from, turned_rest(how));
        our_rest_ = model_space(to, rest_pose(to));
        find_hips();
    }

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
        for (std::size_t j = 0; j < to_.joints.size(); ++j) {
            const int parent = to_.joints[j].parent;
            const Transform above = parent < 0 ? Transform{} : model[std::size_t(parent)];
            if (theirs_[j] >= 0) {
                const auto t = std::size_t(theirs_[j]);
                const Quat turn = their_model[t].rotation * conjugate(their_rest_[t].rotation);
                pose[j].rotation = normalized(conjugate(above.rotation) * turn * our_rest_[j].rotation);
                if (carries_body(int(j))) {
                    const Vec3 place = carried_place(j, their_model[t].translation);
                    const Vec3 off = rotate(conjugate(above.rotation), place - above.translation);
                    pose[j].translation = {off.x / above.scale.x, off.y / above.scale.y, off.z / above.scale.z};
                }
            }
            model[j] = above * pose[j];
        }
        return pose;
    }

private:
    void match(std::size_t their_joint, int our_joint) {
        if (ours_[their_joint] >= 0 || theirs_[std::size_t(our_joint)] >= 0) { return; }
        ours_[their_joint] = our_joint;
        theirs_[std::size_t(our_joint)] = int(their_joint);
    }

    /// `UpperLeg_l` is `upper_leg_left`: where the same side and the same words stand in one name of each rig.
    void match_by_words(const FitDefinition& how) {
        using Words = std::pair<Side, std::string>;
        const auto words = [&](const std::string& name) {
            const SidedName sided = sided_name(stripped(name, how));
            return Words{sided.side, sided.stem};
        };
        std::map<Words, std::vector<int>> known;
        std::map<Words, int> counts;
        for (std::size_t j = 0; j < to_.joints.size(); ++j) {
            if (theirs_[j] < 0) { known[words(to_.joints[j].name)].push_back(int(j)); }
        }
        for (std::size_t j = 0; j < from_.joints.size(); ++j) {
            if (ours_[j] < 0) { ++counts[words(our_name(from_.joints[j].name, how))]; }
        }
        for (std::size_t j = 0; j < from_.joints.size(); ++j) {
            if (ours_[j] >= 0) { continue; }
            const Words own = words(our_name(from_.joints[j].name, how));
            const auto found = known.find(own);
            if (found != known.end() && found->second.size() == 1 && counts[own] == 1) {
                match(j, found->second.front());
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
        const BodyParts our_parts = body_parts(to_), their_parts = body_parts(from_);
        hips_ = our_parts.hips;
        if (hips_ >= 0 && theirs_[std::size_t(hips_)] < 0) { hips_ = -1; }
        for (std::size_t j = 0; hips_ < 0 && j < to_.joints.size(); ++j) {
            if (theirs_[j] >= 0) { hips_ = int(j); }
        }
        if (hips_ < 0) { return; }
        our_feet_ = foot_height(our_parts, our_rest_);
        their_feet_ = foot_height(their_parts, their_rest_);
        const float ours = our_rest_[std::size_t(hips_)].translation.y - our_feet_;
        const float theirs = their_rest_[std::size_t(theirs_[std::size_t(hips_)])].translation.y - their_feet_;
        ratio_ = ours > 0.01F && theirs > 0.01F ? ours / theirs : 1;
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
    std::vector<int> ours_, theirs_;               ///< the other rig's joint for each of one; -1 for none
    std::vector<Transform> their_rest_, our_rest_; ///< model space
    int hips_ = -1;
    float our_feet_ = 0, their_feet_ = 0, ratio_ = 1;
};

bool moves(const JointTracks& tracks) {
    return !tracks.rotation.empty() || !tracks.translation.empty() || !tracks.scale.empty();
}

} // namespace

FittedClip fit_clip(const ClipSource& clip, const Rig& from, const Rig& to, const FitDefinition& how) {
    const Fitting fitting(from, to, how);
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
