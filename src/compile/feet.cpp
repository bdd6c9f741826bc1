#include "compile/feet.hpp"

#include "rig/foot_points.hpp"
#include "rig/limbs.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::detail {

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
        const Foot& foot = points.feet()[f];
        const LegJoints found = leg_joints(rig, rest, foot, hips);
        if (found.hip < 0) { continue; }
        CompiledLeg leg;
        leg.hip = std::uint16_t(found.hip);
        leg.knee = std::uint16_t(found.knee);
        leg.ankle = std::uint16_t(foot.ankle);
        leg.toes = std::uint16_t(foot.toes);
        // The body faces +Z: a knee goes forward as the leg is bent, about the axis to the left.
        leg.knee_axis = rotate(conjugate(rest[leg.hip].rotation), {1, 0, 0});
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

void note_hips(CharacterData& data, const Rig& rig) {
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
    // A trunk that hangs beside the hips goes down with them, or they would be torn from it.
    const Limbs limbs = limbs_of(rig);
    const auto bears = [&](int joint, int below) {
        while (below >= 0 && below != joint) { below = data.parents[std::size_t(below)]; }
        return below == joint;
    };
    while (hips >= 0 && !limbs.spine.empty() && !bears(hips, limbs.spine.front())) {
        hips = data.parents[std::size_t(hips)];
    }
    constexpr std::uint16_t translation = 4; // its first row
    const bool moves = std::any_of(data.moved.begin(), data.moved.end(), [&](const MovedJoint& moved) {
        return int(moved.joint) == hips && moved.row == translation;
    });
    data.feet.hips = moves ? hips : -1;
}

} // namespace gait::detail
