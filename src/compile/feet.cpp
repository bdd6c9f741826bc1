#include "compile/feet.hpp"

#include "rig/foot_points.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::detail {
namespace {

/// The joints from the ankle up to, and without, the hips or the rig's root.
std::vector<std::size_t> chain_above(const Rig& rig, int ankle, int hips) {
    std::vector<std::size_t> chain;
    for (int joint = rig.joints[std::size_t(ankle)].parent; joint >= 0 && joint != hips;
         joint = rig.joints[std::size_t(joint)].parent) {
        chain.push_back(std::size_t(joint));
    }
    return chain;
}

/// The hip is the highest joint of the leg on its own side of the body, of several at its place the lowest, which
/// turns; the knee is the one that lies nearest the middle between it and the ankle.
CompiledLeg leg_of(const std::vector<Transform>& rest, const std::vector<std::size_t>& chain, const Foot& foot) {
    CompiledLeg leg;
    leg.ankle = std::uint16_t(foot.ankle);
    leg.toes = std::uint16_t(foot.toes);
    // Joints that only group what is below them lie in the middle of the hips.
    constexpr float aside = 0.3F; // of the ankle's way from the middle
    const auto side_of = [&](std::size_t joint) {
        return rest[joint].translation.x * (rest[leg.ankle].translation.x > 0 ? 1.0F : -1.0F);
    };
    auto highest = chain.rbegin();
    while (highest + 2 < chain.rend() && side_of(*highest) < aside * side_of(leg.ankle)) { ++highest; }
    leg.hip = std::uint16_t(*highest);
    const auto from_ankle = [&](std::size_t joint) {
        return length(rest[joint].translation - rest[leg.ankle].translation);
    };
    constexpr float same_place = 0.02F; // of the leg's length
    for (auto joint = highest; joint + 1 < chain.rend(); ++joint) {
        const float off = length(rest[*joint].translation - rest[*highest].translation);
        if (off > same_place * from_ankle(*highest)) { break; }
        leg.hip = std::uint16_t(*joint);
    }
    const float middle = from_ankle(leg.hip) / 2;
    leg.knee = std::uint16_t(chain.front());
    for (std::size_t i = 0; i + 1 < chain.size() && chain[i] != leg.hip; ++i) {
        if (std::abs(from_ankle(chain[i]) - middle) < std::abs(from_ankle(leg.knee) - middle)) {
            leg.knee = std::uint16_t(chain[i]);
        }
    }
    // The body faces +Z: a knee goes forward as the leg is bent, about the axis to the left.
    leg.knee_axis = rotate(conjugate(rest[leg.hip].rotation), {1, 0, 0});
    return leg;
}

} // namespace

void compile_feet(CompileContext& context) {
    const FeetDefinition& definition = context.document.feet;
    if (definition.planted.empty()) { return; }
    CompiledFeet& feet = context.data->feet;
    feet.planted = context.weight(definition.planted, {}, "feet.planted");
    feet.most = context.within(definition.most, 0.01, 10, 0.35, "'most' is 0.01 to 10 metres", "feet.most");
    feet.release =
        context.within(definition.release, 0.01, 10, 0.25, "'release' is 0.01 to 10 seconds", "feet.release");
    if (!context.assets.rig) { return; }
    const Rig& rig = *context.assets.rig;
    std::vector<std::string> names, joints;
    for (const Joint& joint : rig.joints) { joints.push_back(joint.name); }
    for (const Text& ankle : definition.ankles) {
        if (!rig.find(ankle.value)) { context.sink.unknown(ankle.place, "joint", ankle.value, joints, "feet.ankles"); }
        names.push_back(ankle.value);
    }
    const FootPoints points(rig, names);
    const auto rest = model_space(rig, rest_pose(rig));
    const int hips = body_parts(rig).hips;
    for (std::size_t f = 0; f < points.feet().size(); ++f) {
        const auto chain = chain_above(rig, points.feet()[f].ankle, hips);
        if (chain.size() < 2) { continue; }
        CompiledLeg leg = leg_of(rest, chain, points.feet()[f]);
        leg.heel = points.sole(f).heel;
        leg.ball = points.sole(f).ball;
        leg.ground = points.ground();
        leg.ball_height = points.sole(f).ball_height;
        feet.legs.push_back(leg);
    }
    if (feet.legs.size() != points.feet().size() || feet.legs.empty()) {
        feet.legs.clear();
        context.sink.error(definition.place, "no-feet",
                           "the rig shows no feet with a knee and a hip above them; name their joints: 'ankles: [LEFT, "
                           "RIGHT]'",
                           "feet");
    }
}

void note_hips(CharacterData& data) {
    const auto carries_all = [&](int joint) {
        return std::all_of(data.feet.legs.begin(), data.feet.legs.end(), [&](const CompiledLeg& leg) {
            int above = data.parents[leg.hip];
            while (above >= 0 && above != joint) { above = data.parents[std::size_t(above)]; }
            return above == joint;
        });
    };
    if (data.feet.legs.empty()) { return; }
    int hips = data.parents[data.feet.legs.front().hip];
    while (hips >= 0 && !carries_all(hips)) { hips = data.parents[std::size_t(hips)]; }
    constexpr std::uint16_t translation = 4; // its first row
    const bool moves = std::any_of(data.moved.begin(), data.moved.end(), [&](const MovedJoint& moved) {
        return int(moved.joint) == hips && moved.row == translation;
    });
    data.feet.hips = moves ? hips : -1;
}

} // namespace gait::detail
