#include "gait/cut.hpp"

#include "clip/close_loop.hpp"
#include "clip/joint_cloud.hpp"
#include "clip/pose_track.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace gait {
using namespace detail;
namespace {

constexpr double shortest = 0.35, longest = 4; ///< seconds of a cut
constexpr double window = 0.08;                ///< seconds to both sides in which poses are compared
constexpr double finest = 60;                  ///< frames a second
constexpr double most_frames = 20'000;
constexpr float greatest_part = 0.2F; ///< of the clip's own motion: farther apart two poses are not the same
constexpr float least_motion = 0.5F;  ///< of the clip's own, that a cut must hold: what stands comes round as well
constexpr double greatest_gap = 45;   ///< degrees at one joint: more would bend the loop out of its shape
constexpr double alike = 0.12;        ///< of a length: cuts whose lengths differ less are the same

/// How unlike each frame is to those that come up to `longest` after it.
class Likeness {
public:
    Likeness(const PoseTrack& track, const Rig& rig, double rate)
        : frames_(std::size_t(std::lround(track.seconds() * rate)) + 1),
          spans_(std::min(frames_, std::size_t(longest * rate) + 1)),
          reach_(std::max(1, int(std::lround(window * rate)))) {
        const JointClouds clouds(rig);
        for (std::size_t i = 0; i < frames_; ++i) {
            const double at = track.times.front() + std::min(track.seconds(), double(i) / rate);
            clouds_.push_back(clouds.of(pose_at(track, at)));
        }
        apart_.assign(frames_ * spans_, 0);
        for (std::size_t i = 0; i < frames_; ++i) {
            for (std::size_t span = 1; span < spans_ && i + span < frames_; ++span) {
                apart_[i * spans_ + span] = float(squared_distance(clouds_[i], clouds_[i + span]));
            }
        }
        JointCloud middle(clouds_.front().size());
        for (const auto& cloud : clouds_) {
            for (std::size_t j = 0; j < middle.size(); ++j) { middle[j] = middle[j] + cloud[j] * (1 / float(frames_)); }
        }
        for (const auto& cloud : clouds_) { motion_ += float(2 * squared_distance(cloud, middle) / double(frames_)); }
    }

    [[nodiscard]] std::size_t frames() const { return frames_; }
    [[nodiscard]] std::size_t spans() const { return spans_; }
    /// Mean squared metres between any two frames.
    [[nodiscard]] float motion() const { return motion_; }
    /// Between two frames alone.
    [[nodiscard]] float between(std::size_t frame, std::size_t span) const { return apart_[frame * spans_ + span]; }
    /// Over the window about both, its middle counting most.
    [[nodiscard]] float over_window(std::size_t frame, std::size_t span) const {
        float sum = 0, weights = 0;
        for (int k = -reach_; k <= reach_; ++k) {
            const auto at = std::ptrdiff_t(frame) + k;
            if (at < 0 || std::size_t(at) + span >= frames_) { continue; }
            const float weight = 1 - float(std::abs(k)) / float(reach_ + 1);
            sum += weight * between(std::size_t(at), span);
            weights += weight;
        }
        return sum / weights;
    }

private:
    std::size_t frames_, spans_;
    int reach_;
    std::vector<JointCloud> clouds_;
    std::vector<float> apart_; ///< [frame][span]
    float motion_ = 0;
};

struct Candidate {
    std::size_t frame = 0, span = 0;
    float apart = 0;
};

/// What comes round and holds motion, the best of each length.
std::vector<Candidate> candidates_of(const Likeness& likeness, double rate) {
    std::vector<Candidate> best(likeness.spans()); // a span each
    const auto least = std::size_t(std::ceil(shortest * rate));
    for (std::size_t i = 0; i < likeness.frames(); ++i) {
        float moved = 0;
        for (std::size_t span = 1; span < likeness.spans() && i + span < likeness.frames(); ++span) {
            moved = std::max(moved, likeness.between(i, span));
            if (span < least || moved < least_motion * likeness.motion()) { continue; }
            const float apart = likeness.over_window(i, span);
            if (apart > greatest_part * likeness.motion()) { continue; }
            if (best[span].span == 0 || apart < best[span].apart) { best[span] = {i, span, apart}; }
        }
    }
    std::erase_if(best, [](const Candidate& candidate) { return candidate.span == 0; });
    std::sort(best.begin(), best.end(), [](const Candidate& a, const Candidate& b) { return a.apart < b.apart; });
    return best;
}

} // namespace

std::vector<ClipCut> find_cuts(const ClipSource& clip, const Rig& rig, const std::vector<std::string>& feet,
                               std::size_t most) {
    std::vector<ClipCut> cuts;
    const PoseTrack track = to_poses(clip, rig);
    if (rig.joints.empty() || !(track.seconds() > shortest)) { return cuts; }
    const double frame = frame_seconds(clip);
    const double rate = std::min({finest, frame > 0 ? 1 / frame : finest, most_frames / track.seconds()});
    const Likeness likeness(track, rig, rate);
    const ClipMeasure whole = measure_clip(clip, rig, feet);
    const bool steps = whole.steps_a_minute > 0;
    for (const Candidate& candidate : candidates_of(likeness, rate)) {
        if (cuts.size() == most) { break; }
        ClipCut cut;
        cut.from = double(candidate.frame) / rate;
        cut.to = std::min(clip.seconds, double(candidate.frame + candidate.span) / rate);
        const bool known = std::any_of(cuts.begin(), cuts.end(), [&](const ClipCut& other) {
            const double a = cut.to - cut.from, b = other.to - other.from;
            return std::abs(a - b) < alike * std::max(a, b);
        });
        if (known) { continue; }
        std::array<int, 2> strikes{};
        for (const FootMeasure& foot : whole.feet) {
            for (const Contact& contact : foot.contacts) {
                strikes[foot.side == "left" ? 0 : 1] += contact.strike >= cut.from && contact.strike < cut.to ? 1 : 0;
            }
        }
        // Of a walk's halves the left one only looks like the right one.
        if (steps && (strikes[0] != strikes[1] || strikes[0] == 0)) { continue; }
        cut.strides = strikes[0];
        cut.measure = measure_clip(cut_clip(clip, rig, cut.from, cut.to), rig, feet);
        if (cut.measure.gap.degrees <= greatest_gap) { cuts.push_back(std::move(cut)); }
    }
    return cuts;
}

ClipSource cut_clip(const ClipSource& clip, const Rig& rig, double from, double to) {
    const PoseTrack track = to_poses(clip, rig);
    const double first = std::clamp(from, 0.0, clip.seconds), last = std::clamp(to, first, clip.seconds);
    PoseTrack kept;
    constexpr double instant = 1e-9; // seconds
    kept.times.push_back(first);
    for (const double at : track.times) {
        if (at > first + instant && at < last - instant) { kept.times.push_back(at); }
    }
    if (last > first) { kept.times.push_back(last); }
    for (double& at : kept.times) {
        kept.poses.push_back(pose_at(track, at));
        at -= first;
    }
    ClipSource cut = to_source(kept, rig, clip);
    for (NumberTrack& number : cut.numbers) {
        Track<float> own;
        if (number.values.interpolation == Interpolation::step) { own.interpolation = Interpolation::step; }
        const auto add = [&](double at) {
            own.times.push_back(at - first);
            own.values.push_back(number_at(number, at));
        };
        add(first);
        for (const double at : number.values.times) {
            if (at > first + instant && at < last - instant) { add(at); }
        }
        if (last > first) { add(last); }
        number.values = std::move(own);
    }
    return cut;
}

} // namespace gait
