#include "clip/close_loop.hpp"

#include "math/rotations.hpp"
#include "rig/body_parts.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

constexpr double shortest_frame = 1.0 / 250; ///< seconds: keys nearer than this are no frames

using Pose = std::vector<Transform>;

template <typename Value> void look_at(const Track<Value>& track, double& shortest) {
    for (std::size_t k = 1; k < track.times.size(); ++k) {
        const double span = track.times[k] - track.times[k - 1];
        if (span >= shortest_frame) { shortest = std::min(shortest, span); }
    }
}

/// The turn of a joint from one pose to another, radians about its own axes.
Vec3 turn_between(const Transform& from, const Transform& to) {
    Quat turn = conjugate(from.rotation) * to.rotation;
    if (turn.w < 0) { turn = -turn; }
    return rotation_vector<double>(turn);
}

/// How each joint turns (radians) and moves (metres) in a frame: before a loop's end and after its start.
struct Steps {
    std::vector<Vec3> turns_before, turns_after, moves_before, moves_after;
    [[nodiscard]] float turn(std::size_t joint) const {
        return std::max(length(turns_before[joint]), length(turns_after[joint]));
    }
    [[nodiscard]] float move(std::size_t joint) const {
        return std::max(length(moves_before[joint]), length(moves_after[joint]));
    }
};

Steps steps_of(const PoseTrack& track, double frame) {
    const Pose &first = track.poses.front(), &last = track.poses.back();
    const Pose before = pose_at(track, track.times.back() - frame), after = pose_at(track, track.times.front() + frame);
    Steps steps;
    for (std::size_t j = 0; j < first.size(); ++j) {
        steps.turns_before.push_back(turn_between(before[j], last[j]));
        steps.turns_after.push_back(turn_between(first[j], after[j]));
        steps.moves_before.push_back(last[j].translation - before[j].translation);
        steps.moves_after.push_back(after[j].translation - first[j].translation);
    }
    return steps;
}

/// What a step may be greater than its neighbours without showing.
constexpr float greatest_step = 1.25F;

/// Whether a joint moves the body as a whole, so that a way may stand between a loop's start and its end.
std::vector<bool> carriers(const Rig& rig) {
    std::vector<bool> carries(rig.joints.size(), false);
    for (int j = body_parts(rig).hips; j >= 0; j = rig.joints[std::size_t(j)].parent) {
        carries[std::size_t(j)] = true;
    }
    for (std::size_t j = 0; j < carries.size(); ++j) { carries[j] = carries[j] || rig.joints[j].parent < 0; }
    return carries;
}

} // namespace

double frame_seconds(const ClipSource& source) {
    double shortest = source.seconds;
    for (const JointTracks& tracks : source.tracks) {
        look_at(tracks.rotation, shortest);
        look_at(tracks.translation, shortest);
        look_at(tracks.scale, shortest);
    }
    return shortest < source.seconds ? shortest : 0;
}

double left_out(const PoseTrack& track, const Rig& rig, double frame) {
    // Of fewer frames nothing tells where they were heading.
    constexpr double least_frames = 3.5;
    if (!(frame > 0) || track.seconds() < least_frames * frame) { return 0; }
    const Steps steps = steps_of(track, frame);
    const std::vector<bool> carries = carriers(rig);
    double along = 0, gaps = 0, before = 0, after = 0, headings = 0;
    for (std::size_t j = 0; j < carries.size(); ++j) {
        if (carries[j]) { continue; }
        const Vec3 gap = turn_between(track.poses.back()[j], track.poses.front()[j]);
        const Vec3 heading = (steps.turns_before[j] + steps.turns_after[j]) * 0.5F;
        along += double(dot(gap, heading));
        gaps += double(dot(gap, gap));
        headings += double(dot(heading, heading));
        before += double(dot(steps.turns_before[j], steps.turns_before[j]));
        after += double(dot(steps.turns_after[j], steps.turns_after[j]));
    }
    constexpr double least = 1e-4; // radians: less is nothing
    if (gaps < least * least || headings < least * least) { return 0; }
    // Clean curves say it by their direction, and how far apart thinned keys are.
    const double frames = along / headings, missed = gaps - along * frames;
    constexpr double fewest = 0.4, most = 1.8, greatest_miss = 0.4;
    if (frames > fewest && frames < most && missed < greatest_miss * gaps) {
        return frames > 0.7 && frames < 1.4 ? frame : frame * frames;
    }
    // Jerky ones by the length of the step: as long as those beside it, and not back.
    constexpr double least_part = 0.3, back = -0.2;
    const double gap = std::sqrt(gaps), longest = std::sqrt(std::max(before, after));
    const bool is_a_step =
        gap > least_part * (std::sqrt(before) + std::sqrt(after)) / 2 && gap < double(greatest_step) * longest;
    return is_a_step && along > back * gap * std::sqrt(headings) ? frame : 0;
}

void add_closing_frame(PoseTrack& track, const Rig& rig, double seconds, const Transform& on) {
    Pose closing = track.poses.front();
    for (std::size_t j = 0; j < closing.size(); ++j) {
        if (rig.joints[j].parent < 0) { closing[j] = on * closing[j]; }
    }
    track.times.push_back(track.times.back() + seconds);
    track.poses.push_back(std::move(closing));
}

LoopGap close_gap(PoseTrack& track, const Rig& rig, const std::vector<bool>& stepped, double added) {
    constexpr float free_turn = 0.5F / float(degrees_per_radian), free_move = 0.002F; // radians, metres
    const Pose first = track.poses.front();
    Pose end = track.poses.back();
    std::vector<bool> comes(first.size(), false);
    if (added > 0) {
        PoseTrack before{track.times, track.poses};
        before.times.pop_back();
        before.poses.pop_back();
        const Pose& last = before.poses.back();
        const Steps steps = steps_of(before, std::min(added, before.seconds()));
        for (std::size_t j = 0; j < first.size(); ++j) {
            comes[j] = length(turn_between(last[j], first[j])) <= greatest_step * steps.turn(j) + free_turn &&
                       length(first[j].translation - last[j].translation) <= greatest_step * steps.move(j) + free_move;
            const Vec3 on = (steps.turns_before[j] + steps.turns_after[j]) * 0.5F;
            end[j] = last[j];
            end[j].rotation = normalized(last[j].rotation * axis_angle(on, double(length(on)) * degrees_per_radian));
            end[j].translation = last[j].translation + (steps.moves_before[j] + steps.moves_after[j]) * 0.5F;
        }
    }
    for (std::size_t j = 0; j < first.size(); ++j) {
        if (comes[j] || stepped[j]) { end[j] = first[j]; }
    }
    for (std::size_t i = 0; i < track.poses.size(); ++i) {
        const double part = (track.times[i] - track.times.front()) / track.seconds();
        for (std::size_t j = 0; j < first.size(); ++j) {
            Transform& joint = track.poses[i][j];
            const Quat missing = normalized(first[j].rotation * conjugate(end[j].rotation));
            joint.rotation = normalized(slerp({}, missing, part) * joint.rotation);
            joint.translation = joint.translation + (first[j].translation - end[j].translation) * float(part);
            joint.scale = joint.scale + (first[j].scale - end[j].scale) * float(part);
        }
    }
    for (std::size_t j = 0; j < first.size(); ++j) {
        if (!stepped[j]) { track.poses.back()[j] = first[j]; }
    }
    return gap_between(rig, first, end);
}

} // namespace gait::detail
