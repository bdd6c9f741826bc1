#include "clip/sample_clip.hpp"

#include "math/negligible.hpp"
#include "math/rotations.hpp"

#include <Eigen/Eigenvalues>

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

using Pose = std::vector<Transform>;

constexpr double least_rate = 15;     ///< samples a second; below it the straight lines between samples begin to show
constexpr double greatest_rate = 240; ///< no clip needs more than this
constexpr std::size_t most_checks = 600; ///< instants at which the sampled clip is held against its source

Transform mixed(const Transform& a, const Transform& b, float t) {
    const Quat bq = on_side_of(a.rotation, b.rotation);
    const float s = 1 - t;
    return {weighted_sum(a.rotation, s, bq, t), a.translation * s + b.translation * t, a.scale * s + b.scale * t};
}

std::vector<Pose> sample_evenly(const PosedClip& clip, std::uint32_t intervals) {
    std::vector<Pose> frames(intervals + 1);
    for (std::uint32_t i = 0; i <= intervals; ++i) {
        frames[i] = clip.pose_at(intervals == 0 ? 0 : clip.seconds() * i / intervals);
    }
    return frames;
}

/// The instants to check: every key and the middle between two, thinned to a bounded number.
std::vector<double> check_instants(const PosedClip& clip) {
    const std::vector<double> times = clip.instants();
    std::vector<double> instants;
    const std::size_t every = times.size() * 2 / most_checks + 1;
    for (std::size_t i = 0; i < times.size(); i += every) {
        instants.push_back(times[i]);
        if (i + 1 < times.size()) { instants.push_back((times[i] + times[i + 1]) / 2); }
    }
    return instants;
}

bool is_step(const PosedClip& clip, std::size_t joint) {
    const JointTracks& t = clip.keys_of(joint);
    return t.rotation.interpolation == Interpolation::step || t.translation.interpolation == Interpolation::step ||
           t.scale.interpolation == Interpolation::step;
}

/// Whether the clip and its even samples stay within so many metres of each other, in model space.
bool are_within(double tolerance, const PosedClip& clip, const Rig& rig, const std::vector<Pose>& frames,
                const std::vector<double>& instants) {
    const std::size_t intervals = frames.size() - 1;
    // A joint without children still has a length of skin beyond it: count its turn and its size a hand's breadth out.
    constexpr double hand = 0.1; // metres
    const double most_chord = 2 * std::sin(std::min(tolerance / hand, pi) / 4);
    return std::all_of(instants.begin(), instants.end(), [&](double instant) {
        const Pose exact = clip.pose_at(instant);
        Pose sampled = exact; // stepped joints are kept as keys and have no error
        const double at = clip.seconds() > 0 ? instant / clip.seconds() * double(intervals) : 0;
        const std::size_t first = std::min(std::size_t(at), intervals > 0 ? intervals - 1 : 0);
        const std::size_t second = std::min(first + 1, intervals);
        for (std::size_t j = 0; j < sampled.size(); ++j) {
            if (!is_step(clip, j)) {
                sampled[j] = mixed(frames[first][j], frames[second][j], float(at - double(first)));
            }
        }
        const Pose a = model_space(rig, exact), b = model_space(rig, sampled);
        for (std::size_t j = 0; j < a.size(); ++j) {
            if (!(double(length(a[j].translation - b[j].translation)) <= tolerance) ||
                !(chord_between(a[j].rotation, b[j].rotation) <= most_chord) ||
                !(double(length(exact[j].scale - sampled[j].scale)) * hand <= tolerance)) {
                return false;
            }
        }
        return true;
    });
}

std::vector<Pose> sample_within(const PosedClip& clip, const Rig& rig, double tolerance) {
    if (!(clip.seconds() > 0)) { return {clip.pose_at(0)}; }
    const auto instants = check_instants(clip);
    std::vector<Pose> frames = sample_evenly(clip, 0);
    if (are_within(1e-6, clip, rig, frames, instants)) { return frames; } // it never moves
    const auto fit = double(most_joint_poses) / double(rig.joints.size());
    const auto most = std::uint32_t(std::clamp(clip.seconds() * greatest_rate, 1.0, fit));
    auto intervals = std::uint32_t(std::min(std::ceil(clip.seconds() * least_rate), fit));
    for (;;) {
        intervals = std::clamp(intervals, 1U, most);
        frames = sample_evenly(clip, intervals);
        if (intervals == most || are_within(tolerance, clip, rig, frames, instants)) { return frames; }
        // The keys' own grid is often exact where other rates are not: never step over it.
        const auto next = std::uint32_t(std::ceil(intervals * 1.2));
        const auto own = std::uint32_t(std::max<std::size_t>(clip.key_count(), 2) - 1);
        intervals = intervals < own && next > own ? own : next;
    }
}

/// Keeps the joints whose three components differ from the rest pose, split into those that stay and those that move.
void store_sparse(const std::vector<Pose>& frames, const Pose& rest, const std::vector<bool>& skip,
                  Vec3 Transform::*member, SparseRows& still, SparseRows& moving) {
    constexpr float negligible = 1e-6F;
    KeptList<std::uint16_t> still_joints, moving_joints;
    for (std::size_t j = 0; j < rest.size(); ++j) {
        if (skip[j]) { continue; }
        const Vec3 first = frames.front()[j].*member;
        const bool moves = std::any_of(frames.begin(), frames.end(), [&](const Pose& frame) {
            return length(frame[j].*member - first) > negligible;
        });
        if (moves) {
            moving_joints.push_back(std::uint16_t(j));
        } else if (length(first - rest[j].*member) > negligible) {
            still_joints.push_back(std::uint16_t(j));
        }
    }
    const auto fill = [&](SparseRows& rows, KeptList<std::uint16_t> joints, std::size_t frame_count) {
        rows.joints = std::move(joints);
        rows.frames = rows.joints.empty() ? 0 : std::uint32_t(frame_count);
        for (std::size_t f = 0; f < rows.frames; ++f) {
            for (const auto j : rows.joints) {
                const Vec3 off = frames[f][j].*member - rest[j].*member;
                rows.values.insert(rows.values.end(), {off.x, off.y, off.z, 0});
            }
        }
    };
    fill(still, still_joints, 1);
    fill(moving, moving_joints, frames.size());
}

template <typename Value>
void store_steps(SampledClip& clip, const Track<Value>& track, StepTrack::Target target, std::size_t joint, Vec3 rest) {
    if (track.empty() || track.interpolation != Interpolation::step) { return; }
    StepTrack steps;
    steps.joint = std::uint16_t(joint);
    steps.target = target;
    for (std::size_t k = 0; k < track.times.size(); ++k) {
        steps.times.push_back(float(track.times[k]));
        if constexpr (std::is_same_v<Value, Quat>) {
            const Quat q = normalized(track.values[k]);
            steps.values.push_back({q.x, q.y, q.z, q.w});
        } else {
            const Vec3 off = track.values[k] - rest;
            steps.values.push_back({off.x, off.y, off.z, 0});
        }
    }
    clip.steps.push_back(std::move(steps));
}

} // namespace

SampledClip sample_clip(const PosedClip& clip, const Rig& rig, bool loops, double tolerance) {
    const Pose rest = rest_pose(rig);
    const std::vector<Pose> frames = sample_within(clip, rig, tolerance);
    const std::size_t joints = rig.joints.size();

    SampledClip result;
    result.seconds = clip.seconds();
    result.loops = loops;
    result.intervals = std::uint32_t(frames.size() - 1);
    result.stride = round_up(joints, lane_padding);
    result.rotations.assign(frames.size() * 4 * result.stride, 0.0F);

    std::vector<bool> stepped_translation(joints, false), stepped_scale(joints, false);
    for (std::size_t j = 0; j < joints; ++j) {
        const JointTracks& tracks = clip.keys_of(j);
        store_steps(result, tracks.rotation, StepTrack::Target::rotation, j, {});
        store_steps(result, tracks.translation, StepTrack::Target::translation, j, rest[j].translation);
        store_steps(result, tracks.scale, StepTrack::Target::scale, j, rest[j].scale);
        stepped_translation[j] = !tracks.translation.empty() && tracks.translation.interpolation == Interpolation::step;
        stepped_scale[j] = !tracks.scale.empty() && tracks.scale.interpolation == Interpolation::step;
    }
    for (std::size_t j = 0; j < joints; ++j) {
        const auto& rotation = clip.keys_of(j).rotation;
        if (!rotation.empty() && rotation.interpolation == Interpolation::step) { continue; }
        Quat before = frames.front()[j].rotation;
        for (std::size_t f = 0; f < frames.size(); ++f) {
            Quat q = frames[f][j].rotation;
            if (dot(q, before) < 0) { q = -q; } // sign-continuous along the track
            before = q;
            float* rows = result.rotations.own() + f * 4 * result.stride + j;
            constexpr float least = 3e-7F; // a few times what floats near 1 differ by: what fitting leaves of 0
            rows[0] = unless_below(least, q.x);
            rows[result.stride] = unless_below(least, q.y);
            rows[2 * result.stride] = unless_below(least, q.z);
            rows[3 * result.stride] = unless_below(least, q.w);
        }
        if (dot(before, frames.front()[j].rotation) < 0) {
            result.odd_signs.resize(result.stride, 1.0F);
            result.odd_signs[j] = -1;
        }
    }
    store_sparse(frames, rest, stepped_translation, &Transform::translation, result.still_translations,
                 result.moving_translations);
    store_sparse(frames, rest, stepped_scale, &Transform::scale, result.still_scales, result.moving_scales);
    return result;
}

void align_signs(KeptList<SampledClip>& clips, std::size_t joint_count) {
    // Two quaternions, each within 45 degrees of an axis, are not opposed, nor are sums of such: these lie in the same
    // cone. A little is left for the rounding of small packs.
    constexpr double cosine_of_cone = 0.72;
    for (SampledClip& clip : clips) { clip.keeps_side = clip.odd_signs.empty(); }
    for (std::size_t j = 0; j < joint_count; ++j) {
        const auto sample = [&](const SampledClip& clip, std::uint32_t frame) {
            const float* rows = clip.frame(frame) + j;
            return Eigen::Vector4d(rows[0], rows[clip.stride], rows[2 * clip.stride], rows[3 * clip.stride]);
        };
        Eigen::Matrix4d spread = Eigen::Matrix4d::Zero();
        for (const SampledClip& clip : clips) {
            Eigen::Matrix4d own = Eigen::Matrix4d::Zero();
            for (std::uint32_t f = 0; f <= clip.intervals; ++f) {
                own += sample(clip, f) * sample(clip, f).transpose();
            }
            spread += own / double(clip.intervals + 1);
        }
        const Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d> solver(spread);
        Eigen::Vector4d axis = solver.eigenvectors().col(3);
        if (axis.w() < 0) { axis = -axis; } // the solver may give either
        for (SampledClip& clip : clips) {
            for (StepTrack& steps : clip.steps) {
                if (steps.joint != j || steps.target != StepTrack::Target::rotation) { continue; }
                for (auto& v : steps.values) {
                    const double side = axis.dot(Eigen::Vector4d(v[0], v[1], v[2], v[3]));
                    clip.keeps_side = clip.keeps_side && std::fabs(side) >= cosine_of_cone;
                    if (side >= 0) { continue; }
                    for (float& component : v) { component = -component; }
                }
            }
            double sides = 0, least = 1, most = -1;
            for (std::uint32_t f = 0; f <= clip.intervals; ++f) {
                const double side = axis.dot(sample(clip, f));
                sides += side;
                least = std::min(least, side);
                most = std::max(most, side);
            }
            const bool steps = least == 0 && most == 0; // no samples: they were looked at above
            clip.keeps_side = clip.keeps_side && (steps || least >= cosine_of_cone || most <= -cosine_of_cone);
            if (sides >= 0) { continue; }
            for (std::uint32_t f = 0; f <= clip.intervals; ++f) {
                float* rows = clip.rotations.own() + f * 4 * clip.stride + j;
                for (std::size_t row = 0; row < 4; ++row) { rows[row * clip.stride] *= -1; }
            }
        }
    }
}

} // namespace gait::detail
