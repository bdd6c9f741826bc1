#include "clip/additive_clip.hpp"

#include "math/negligible.hpp"
#include "math/rotations.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace gait::detail {
namespace {

/// Samples a second of a clip with steps: one of its steps is a ramp of so short a time in what is added.
constexpr double rate_of_steps = 120;

/// An instant of a clip, between two of its frames.
struct Instant {
    double seconds = 0;
    std::uint32_t frame = 0;
    float fraction = 0;
};

Instant instant_of(const SampledClip& clip, double part) {
    const double place = part * clip.intervals;
    const auto frame = std::min(std::uint32_t(place), clip.intervals);
    return {clip.seconds * part, frame, float(place - frame)};
}

const std::array<float, 4>& step_at(const StepTrack& steps, const Instant& at) {
    // A sum of parts may stop just short of a key.
    const auto after = std::upper_bound(steps.times.begin(), steps.times.end(), float(at.seconds + 1e-6));
    return steps.values[after == steps.times.begin() ? 0 : std::size_t(after - steps.times.begin()) - 1];
}

Quat rotation_at(const SampledClip& clip, const Instant& at, std::size_t joint) {
    for (const StepTrack& steps : clip.steps) {
        if (steps.joint != joint || steps.target != StepTrack::Target::rotation) { continue; }
        const auto& value = step_at(steps, at);
        return {value[0], value[1], value[2], value[3]};
    }
    const auto frame = [&](std::uint32_t index) {
        const float* row = clip.frame(index) + joint;
        return Quat{row[0], row[clip.stride], row[2 * clip.stride], row[3 * clip.stride]};
    };
    const Quat from = frame(at.frame);
    if (!(at.fraction > 0)) { return normalized(from); }
    const Quat to = frame(at.frame + 1); // sign-continuous along the clip
    return weighted_sum(from, 1 - at.fraction, to, at.fraction);
}

/// A joint's translation or scale, as a difference to rest.
std::array<float, 3> offset_at(const SampledClip& clip, StepTrack::Target target, const Instant& at,
                               std::uint16_t joint) {
    for (const StepTrack& steps : clip.steps) {
        if (steps.joint != joint || steps.target != target) { continue; }
        const auto& value = step_at(steps, at);
        return {value[0], value[1], value[2]};
    }
    const bool moves = target == StepTrack::Target::translation;
    for (const SparseRows* rows : {moves ? &clip.still_translations : &clip.still_scales,
                                   moves ? &clip.moving_translations : &clip.moving_scales}) {
        const auto found = std::lower_bound(rows->joints.begin(), rows->joints.end(), joint);
        if (found == rows->joints.end() || *found != joint) { continue; }
        const std::size_t width = 4 * rows->joints.size(), column = 4 * std::size_t(found - rows->joints.begin());
        const bool between = !rows->constant() && at.fraction > 0;
        const float* from = rows->values.data() + (rows->constant() ? 0 : std::size_t(at.frame) * width) + column;
        const float* to = between ? from + width : from;
        std::array<float, 3> value{};
        for (std::size_t axis = 0; axis < 3; ++axis) {
            value[axis] = from[axis] + at.fraction * (to[axis] - from[axis]);
        }
        return value;
    }
    return {};
}

/// Every joint that either clip moves or scales.
KeptList<std::uint16_t> joints_of(const SampledClip& clip, const SampledClip& reference, StepTrack::Target target) {
    KeptList<std::uint16_t> joints;
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

SparseRows differences(const SampledClip& clip, const SampledClip& reference, StepTrack::Target target,
                       const std::vector<Instant>& instants) {
    SparseRows rows;
    rows.joints = joints_of(clip, reference, target);
    rows.frames = std::uint32_t(instants.size());
    for (const Instant& at : instants) {
        for (const std::uint16_t joint : rows.joints) {
            const auto value = offset_at(clip, target, at, joint), start = offset_at(reference, target, {}, joint);
            for (std::size_t axis = 0; axis < 3; ++axis) { rows.values.push_back(value[axis] - start[axis]); }
            rows.values.push_back(0);
        }
    }
    return rows;
}

/// Its frames, and where it has steps as many between them as these need.
std::vector<Instant> instants_of(const SampledClip& clip) {
    std::uint32_t intervals = clip.intervals;
    if (!clip.steps.empty()) {
        const std::uint32_t whole = std::max(clip.intervals, 1U);
        intervals = whole * std::max(1U, std::uint32_t(std::ceil(clip.seconds * rate_of_steps / whole)));
    }
    std::vector<Instant> instants;
    for (std::uint32_t i = 0; i <= intervals; ++i) {
        instants.push_back(instant_of(clip, intervals == 0 ? 0 : double(i) / intervals));
    }
    return instants;
}

} // namespace

SampledClip difference_of(const SampledClip& clip, const SampledClip& reference, std::size_t joints) {
    SampledClip difference;
    difference.name = clip.name;
    difference.seconds = clip.seconds;
    difference.loops = clip.loops;
    const std::vector<Instant> instants = instants_of(clip);
    difference.intervals = std::uint32_t(instants.size() - 1);
    difference.stride = clip.stride;
    difference.rotations.assign(instants.size() * 4 * clip.stride, 0.0F);
    for (std::size_t joint = 0; joint < joints; ++joint) {
        const Quat start = rotation_at(reference, {}, joint);
        Quat before; // the identity: the short way round at first, and from there without a break
        for (std::size_t frame = 0; frame < instants.size(); ++frame) {
            const Quat turn = on_side_of(before, rotation_at(clip, instants[frame], joint) * conjugate(start));
            before = turn;
            const Vec3 vector = rotation_vector<double>(turn);
            float* row = difference.rotations.own() + frame * 4 * clip.stride + joint;
            constexpr float least = 1e-9F; // radians: what turning there and back leaves of 0
            row[0] = unless_below(least, vector.x);
            row[clip.stride] = unless_below(least, vector.y);
            row[2 * clip.stride] = unless_below(least, vector.z);
        }
    }
    difference.moving_translations = differences(clip, reference, StepTrack::Target::translation, instants);
    difference.moving_scales = differences(clip, reference, StepTrack::Target::scale, instants);
    return difference;
}

} // namespace gait::detail
