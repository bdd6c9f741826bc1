#include "files/clips_home.hpp"

#include "rig/body_parts.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

namespace gait::detail {
namespace {

constexpr int instants = 9; ///< of a clip, at which it is looked at

/// The hip joints, left and right: the highest of each leg below the hips.
std::optional<std::pair<int, int>> hip_joints(const Rig& rig, const BodyParts& parts) {
    if (parts.feet.size() != 2) { return std::nullopt; }
    std::pair<int, int> found{-1, -1};
    for (const auto& [foot, joint] : {std::pair{&parts.feet[0], &found.first}, {&parts.feet[1], &found.second}}) {
        for (int j = foot->ankle; j >= 0 && j != parts.hips; j = rig.joints[std::size_t(j)].parent) { *joint = j; }
    }
    if (found.first < 0 || found.second < 0 || found.first == found.second) { return std::nullopt; }
    return found;
}

/// Which way the body faces, radians about +Y; nothing where it does not stand.
std::optional<double> facing(const std::vector<Transform>& model, const std::pair<int, int>& hips) {
    const Vec3 left = model[std::size_t(hips.first)].translation - model[std::size_t(hips.second)].translation;
    const double level = std::hypot(double(left.x), double(left.z));
    if (!(level > 0.5 * double(length(left))) || !(level > 1e-6)) { return std::nullopt; }
    return std::atan2(-double(left.z), double(left.x));
}

double median(std::vector<double> values) {
    std::sort(values.begin(), values.end());
    return values[values.size() / 2];
}

/// What of a clip the file's other clips are held against.
struct Look {
    std::optional<double> faces; ///< radians, where it is the same all along
    double lowest = 0;           ///< of its ankles above where they rest, metres
};

Look look_at(const ClipSource& clip, const Rig& rig, const BodyParts& parts, const std::pair<int, int>& hips) {
    const auto rest = rest_pose(rig);
    const auto rest_model = model_space(rig, rest);
    Look look;
    double x = 0, z = 0, count = 0;
    for (int i = 0; i < instants; ++i) {
        const auto model = model_space(rig, pose_at(clip, rest, clip.seconds * i / (instants - 1)));
        if (const auto yaw = facing(model, hips)) {
            x += std::sin(*yaw);
            z += std::cos(*yaw);
            count += 1;
        }
        for (const Foot& foot : parts.feet) {
            const auto ankle = std::size_t(foot.ankle);
            const double above = double(model[ankle].translation.y) - double(rest_model[ankle].translation.y);
            look.lowest = i == 0 && foot.ankle == parts.feet.front().ankle ? above : std::min(look.lowest, above);
        }
    }
    constexpr double same = 0.9; // of the mean of unit vectors: within some 25 degrees
    if (count > instants / 2 && std::hypot(x, z) > same * count) { look.faces = std::atan2(x, z); }
    return look;
}

/// Turns the roots of a clip about the origin, and lifts them.
void carry(ClipSource& clip, const Rig& rig, Quat turn, float lift) {
    for (std::size_t j = 0; j < clip.joints.size(); ++j) {
        const auto own = rig.find(clip.joints[j]);
        if (!own || rig.joints[std::size_t(*own)].parent >= 0) { continue; }
        JointTracks& tracks = clip.tracks[j];
        const Transform& rest = rig.joints[std::size_t(*own)].rest;
        // What had no track of its own was at rest, which is elsewhere now.
        if (tracks.rotation.empty()) { tracks.rotation = {Interpolation::linear, {0}, {rest.rotation}}; }
        if (tracks.translation.empty()) { tracks.translation = {Interpolation::linear, {0}, {rest.translation}}; }
        turn_root(tracks, turn, lift);
    }
    // Roots that the clip does not know at all.
    for (const Joint& joint : rig.joints) {
        const bool known = std::find(clip.joints.begin(), clip.joints.end(), joint.name) != clip.joints.end();
        if (joint.parent >= 0 || known) { continue; }
        clip.joints.push_back(joint.name);
        JointTracks& tracks = clip.tracks.emplace_back();
        tracks.rotation = {Interpolation::linear, {0}, {turn * joint.rest.rotation}};
        const Vec3 at = rotate(turn, joint.rest.translation);
        tracks.translation = {Interpolation::linear, {0}, {{at.x, at.y + lift, at.z}}};
    }
}

} // namespace

void turn_root(JointTracks& tracks, Quat turn, float lift) {
    for (Quat& q : tracks.rotation.values) { q = turn * q; }
    const bool spline = tracks.translation.interpolation == Interpolation::cubic_spline;
    for (std::size_t k = 0; k < tracks.translation.values.size(); ++k) {
        Vec3& at = tracks.translation.values[k];
        at = rotate(turn, at);
        if (!spline || k % 3 == 1) { at.y += lift; } // a tangent is no place
    }
}

std::string bring_clips_home(ImportedFile& file, const BodyReading& how) {
    const BodyParts parts = body_parts(file.rig);
    const auto hips = hip_joints(file.rig, parts);
    if (!hips || parts.hips < 0 || file.clips.empty()) { return {}; }
    const auto rest = model_space(file.rig, rest_pose(file.rig));
    const auto ahead = facing(rest, *hips);
    if (!ahead) { return {}; }
    std::vector<double> lowest;
    double x = 0, z = 0, count = 0;
    for (const ClipSource& clip : file.clips) {
        const Look look = look_at(clip, file.rig, parts, *hips);
        lowest.push_back(look.lowest);
        if (!look.faces) { continue; }
        x += std::sin(*look.faces - *ahead);
        z += std::cos(*look.faces - *ahead);
        count += 1;
    }
    constexpr double agree = 0.8, averted = 60 / degrees_per_radian; // of unit vectors; radians
    const double away = std::atan2(x, z);
    const bool turns = how.faces.empty() && count > 0 && std::hypot(x, z) > agree * count && std::fabs(away) > averted;
    // To the quarter turn that an exporter makes; what a body stands askew is its own.
    const double quarters = turns ? std::round(away / (pi / 2)) * pi / 2 : 0;
    const double height = double(rest[std::size_t(parts.hips)].translation.y);
    const double sunk = median(lowest);
    const bool is_sunk = sunk < -0.15 * std::fabs(height);
    if (!turns && !is_sunk) { return {}; }
    const Quat turn = axis_angle({0, 1, 0}, -quarters * degrees_per_radian);
    for (ClipSource& clip : file.clips) { carry(clip, file.rig, turn, is_sunk ? float(-sunk) : 0); }
    std::string words = "its clips ";
    if (turns) {
        words += fmt::format("face {:.0f} degrees away from its rest pose and were turned back",
                             std::fabs(quarters) * degrees_per_radian);
    }
    if (is_sunk) {
        words += fmt::format("{}stand {:.2f} m below its ground and were lifted", turns ? ", " : "", -sunk);
    }
    return words;
}

} // namespace gait::detail
