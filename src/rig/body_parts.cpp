#include "rig/body_parts.hpp"

#include <algorithm>
#include <cctype>
#include <map>

namespace gait::detail {
namespace {

bool is_lower(char c) { return std::islower(static_cast<unsigned char>(c)) != 0; }
bool is_upper(char c) { return std::isupper(static_cast<unsigned char>(c)) != 0; }
bool is_digit(char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; }
bool is_letter_or_digit(char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0; }

bool speaks_of(const std::string& stem, std::initializer_list<const char*> parts) {
    return std::any_of(parts.begin(), parts.end(),
                       [&](const char* part) { return stem.find(part) != std::string::npos; });
}

std::vector<int> children_of(const Rig& rig, int joint) {
    std::vector<int> children;
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        if (rig.joints[j].parent == joint) { children.push_back(int(j)); }
    }
    return children;
}

int depth_of(const Rig& rig, int joint) {
    int depth = 0;
    for (int j = rig.joints[std::size_t(joint)].parent; j >= 0; j = rig.joints[std::size_t(j)].parent) { ++depth; }
    return depth;
}

int find_hips(const Rig& rig) {
    int best = -1;
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const SidedName name = sided_name(rig.joints[j].name);
        if (name.side == Side::middle && speaks_of(name.stem, {"hip", "pelvis"}) &&
            (best < 0 || depth_of(rig, int(j)) < depth_of(rig, best))) {
            best = int(j);
        }
    }
    if (best >= 0) { return best; }
    // The first joint from the top on which the body branches: legs and trunk.
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        if (children_of(rig, int(j)).size() >= 3) { return int(j); }
    }
    return rig.joints.empty() ? -1 : 0;
}

Foot with_toes(const Rig& rig, const std::vector<Transform>& model, Side side, int ankle) {
    Foot foot{side, ankle, ankle};
    for (const int child : children_of(rig, ankle)) {
        if (foot.toes == ankle ||
            model[std::size_t(child)].translation.z > model[std::size_t(foot.toes)].translation.z) {
            foot.toes = child;
        }
    }
    return foot;
}

/// Whether a leg joins it to the hips, not a bone or none: a target or a handle for a foot hangs on neither.
bool hangs_on_a_leg(const Rig& rig, int joint, int hips) {
    int between = 0;
    for (int up = rig.joints[std::size_t(joint)].parent; up >= 0; up = rig.joints[std::size_t(up)].parent) {
        if (up == hips) { return between >= 2; }
        ++between;
    }
    return false;
}

/// By name: the joint nearest the hips on each side that is called a foot or an ankle and hangs on a leg; where none of
/// them does, nearest whatever it hangs on.
std::vector<Foot> feet_by_name(const Rig& rig, const std::vector<Transform>& model, int hips) {
    std::map<Side, int> on_legs, found;
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const SidedName name = sided_name(rig.joints[j].name);
        if (name.side == Side::middle || !speaks_of(name.stem, {"foot", "ankle"})) { continue; }
        const auto take_nearest = [&](std::map<Side, int>& feet) {
            const auto [known, is_new] = feet.emplace(name.side, int(j));
            if (!is_new && depth_of(rig, int(j)) < depth_of(rig, known->second)) { known->second = int(j); }
        };
        take_nearest(found);
        if (hangs_on_a_leg(rig, int(j), hips)) { take_nearest(on_legs); }
    }
    for (const auto& [side, joint] : on_legs) { found[side] = joint; }
    std::vector<Foot> feet;
    for (const auto& [side, joint] : found) { feet.push_back(with_toes(rig, model, side, joint)); }
    return feet;
}

/// By shape: from the lowest joint of the rest pose on either side up, while the chain stays below a quarter of the
/// hips.
std::vector<Foot> feet_by_shape(const Rig& rig, const std::vector<Transform>& model, int hips) {
    std::vector<Foot> feet;
    if (hips < 0) { return feet; }
    const float ground_limit = model[std::size_t(hips)].translation.y / 4;
    for (const Side side : {Side::left, Side::right}) {
        int lowest = -1;
        for (std::size_t j = 0; j < rig.joints.size(); ++j) {
            const Vec3 at = model[j].translation;
            const bool on_side = side == Side::left ? at.x > 0.01F : at.x < -0.01F;
            if (on_side && at.y < ground_limit && (lowest < 0 || at.y < model[std::size_t(lowest)].translation.y)) {
                lowest = int(j);
            }
        }
        if (lowest < 0) { continue; }
        int ankle = lowest;
        for (int up = rig.joints[std::size_t(ankle)].parent;
             up >= 0 && up != hips && model[std::size_t(up)].translation.y < ground_limit;
             up = rig.joints[std::size_t(up)].parent) {
            ankle = up;
        }
        feet.push_back(with_toes(rig, model, side, ankle));
    }
    return feet;
}

} // namespace

std::vector<std::string> words_of(const std::string& name) {
    std::vector<std::string> words;
    char before = ' ';
    for (const char c : name) {
        if (is_letter_or_digit(c)) {
            const bool begins = !is_letter_or_digit(before) || (is_upper(c) && is_lower(before)) ||
                                (is_digit(c) && is_letter_or_digit(before) && !is_digit(before));
            if (begins || words.empty()) { words.emplace_back(); }
            words.back() += char(std::tolower(static_cast<unsigned char>(c)));
        }
        before = c;
    }
    return words;
}

SidedName sided_name(const std::string& name) {
    SidedName result;
    for (const std::string& word : words_of(name)) {
        if (result.side == Side::middle && (word == "left" || word == "l")) {
            result.side = Side::left;
        } else if (result.side == Side::middle && (word == "right" || word == "r")) {
            result.side = Side::right;
        } else {
            result.stem += (result.stem.empty() ? "" : "_") + word;
        }
    }
    return result;
}

std::vector<std::pair<int, int>> mirror_pairs(const Rig& rig) {
    std::map<std::string, int> left, right;
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const SidedName name = sided_name(rig.joints[j].name);
        if (name.side == Side::left) { left.emplace(name.stem, int(j)); }
        if (name.side == Side::right) { right.emplace(name.stem, int(j)); }
    }
    std::vector<std::pair<int, int>> pairs;
    for (const auto& [stem, joint] : left) {
        if (const auto other = right.find(stem); other != right.end()) { pairs.emplace_back(joint, other->second); }
    }
    std::sort(pairs.begin(), pairs.end());
    return pairs;
}

BodyParts body_parts(const Rig& rig) {
    BodyParts parts;
    parts.hips = find_hips(rig);
    const auto model = model_space(rig, rest_pose(rig));
    parts.feet = feet_by_name(rig, model, parts.hips);
    if (parts.feet.size() < 2) { parts.feet = feet_by_shape(rig, model, parts.hips); }
    return parts;
}

} // namespace gait::detail
