#include "clip/additive_clip.hpp"

#include <algorithm>
#include <cmath>

namespace gait {
namespace {

std::size_t key_at(const StepTrack& steps, double seconds) {
    const auto after = std::upper_bound(steps.times.begin(), steps.times.end(), float(seconds));
    return after == steps.times.begin() ? 0 : std::size_t(after - steps.times.begin()) - 1;
}

double frame_seconds(const SampledClip& clip, std::uint32_t frame) {
    return clip.intervals == 0 ? 0 : clip.seconds * frame / clip.intervals;
}

Quat rotation_at(const SampledClip& clip, std::uint32_t frame, std::size_t joint) {
    for (const StepTrack& steps : clip.steps) {
        if (steps.joint != joint || steps.target != StepTrack::Target::rotation) { continue; }
        const auto& value = steps.values[key_at(steps, frame_seconds(clip, frame))];
        return {value[0], value[1], value[2], value[3]};
    }
    const float* row = clip.frame(frame) + joint;
    return normalized({row[0], row[clip.stride], row[2 * clip.stride], row[3 * clip.stride]});
}

/// A joint's translation or scale, as a difference to rest.
std::array<float, 3> offset_at(const SampledClip& clip, StepTrack::Target target, std::uint32_t frame,
                               std::uint16_t joint) {
    for (const StepTrack& steps : clip.steps) {
        if (steps.joint != joint || steps.target != target) { continue; }
        const auto& value = steps.values[key_at(steps, frame_seconds(clip, frame))];
        return {value[0], value[1], value[2]};
    }
    const bool moves = target == StepTrack::Target::translation;
    for (const SparseRows* rows : {moves ? &clip.still_translations : &clip.still_scales,
                                   moves ? &clip.moving_translations : &clip.moving_scales}) {
        const auto found = std::lower_bound(rows->joints.begin(), rows->joints.end(), joint);
        if (found == rows->joints.end() || *found != joint) { continue; }
        const std::size_t count = rows->joints.size(), column = std::size_t(found - rows->joints.begin());
        const float* values = rows->values.data() + (rows->constant() ? 0 : std::size_t(frame) * 3 * count);
        return {values[column], values[count + column], values[2 * count + column]};
    }
    return {};
}

/// Every joint that either clip moves or scales.
std::vector<std::uint16_t> joints_of(const SampledClip& clip, const SampledClip& reference, StepTrack::Target target) {
    std::vector<std::uint16_t> joints;
    const bool moves = target == StepTrack::Target::translation;
    for (const SampledClip* c : {&clip, &reference}) {
        for (const SparseRows* rows :
             {moves ? &c->still_translations : &c->still_scales, moves ? &c->moving_translations : &c->moving_scales}) {
            joints.insert(joints.end(), rows->joints.begin(), rows->joints.end());
        }
        for (const StepTrack& steps : c->steps) {
            if (steps.target == target) { joints.push_back(steps.joint); }
        }
    }
    std::sort(joints.begin(), joints.end());
    joints.erase(std::unique(joints.begin(), joints.end()), joints.end());
    return joints;
}

SparseRows differences(const SampledClip& clip, const SampledClip& reference, StepTrack::Target target) {
    SparseRows rows;
    rows.joints = joints_of(clip, reference, target);
    rows.frames = clip.intervals + 1;
    for (std::uint32_t frame = 0; frame < rows.frames; ++frame) {
        for (std::size_t axis = 0; axis < 3; ++axis) {
            for (const std::uint16_t joint : rows.joints) {
                rows.values.push_back(offset_at(clip, target, frame, joint)[axis] -
                                      offset_at(reference, target, 0, joint)[axis]);
            }
        }
    }
    return rows;
}

} // namespace

SampledClip difference_of(const SampledClip& clip, const SampledClip& reference, std::size_t joints) {
    SampledClip difference;
    difference.name = clip.name;
    difference.seconds = clip.seconds;
    difference.loops = clip.loops;
    difference.intervals = clip.intervals;
    difference.stride = clip.stride;
    difference.rotations.assign(std::size_t(clip.intervals + 1) * 4 * clip.stride, 0.0F);
    for (std::size_t joint = 0; joint < joints; ++joint) {
        const Quat start = rotation_at(reference, 0, joint);
        Quat before; // the identity: the short way round at first, and from there without a break
        for (std::uint32_t frame = 0; frame <= clip.intervals; ++frame) {
            Quat turn = rotation_at(clip, frame, joint) * conjugate(start);
            if (dot(turn, before) < 0) { turn = -turn; }
            before = turn;
            const double sine = std::sqrt(double(turn.x) * turn.x + double(turn.y) * turn.y + double(turn.z) * turn.z);
            const double scale = sine < 1e-9 ? 2.0 : 2 * std::atan2(sine, double(turn.w)) / sine;
            float* row = difference.rotations.data() + std::size_t(frame) * 4 * clip.stride + joint;
            row[0] = float(scale * turn.x);
            row[clip.stride] = float(scale * turn.y);
            row[2 * clip.stride] = float(scale * turn.z);
        }
    }
    difference.moving_translations = differences(clip, reference, StepTrack::Target::translation);
    difference.moving_scales = differences(clip, reference, StepTrack::Target::scale);
    return difference;
}

} // namespace gait
