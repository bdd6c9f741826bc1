#include "acts.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace lamplighter {
namespace {

using Eigen::Quaterniond;

/// A foot on the ground of the quay: where its ankle is, ahead of where the clip began.
using Foot = FootPlace;

/// One foot leaves a place and comes down at another.
struct Step {
    double lift, land;
};

/// Goes from one motion of a foot to another between two instants, over the ground.
template <typename From, typename To> Foot swung(double t, Step step, double height, From from, To to) {
    constexpr double h = 1e-4;
    const Foot a = from(step.lift), a2 = from(step.lift - h), b = to(step.land), b2 = to(step.land + h);
    const double span = step.land - step.lift, u = (t - step.lift) / span;
    Foot foot;
    const auto follow = [&](double Foot::*part, double soft) {
        return hermite(u, a.*part, soft * (a.*part - a2.*part) / h, b.*part, soft * (b2.*part - b.*part) / h, span);
    };
    foot.forward = follow(&Foot::forward, 1);
    foot.side = follow(&Foot::side, 1);
    foot.rolled = follow(&Foot::rolled, 1);
    foot.pitch = follow(&Foot::pitch, 0.4);
    foot.up = follow(&Foot::up, 1) + height * u * u * (1 - u) * (1 - u) * (1 - u) / (0.4 * 0.4 * 0.6 * 0.6 * 0.6);
    foot.toes = u < 0.3 ? a.toes * (1 - smooth(u / 0.3)) : 0;
    return foot;
}

/// The whole of a body between two of its poses, legs left to be placed.
SkeletonPose between(const SkeletonPose& a, const SkeletonPose& b, double u) {
    SkeletonPose pose = a;
    for (std::size_t j = 0; j < a.rotations.size(); ++j) {
        pose.rotations[j] = a.rotations[j].slerp(u, b.rotations[j]);
    }
    pose.hips = a.hips + (b.hips - a.hips) * u;
    return pose;
}

/// What both ways share: she stands, and she goes at constant speed.
class Change {
public:
    Change(const Skeleton& skeleton, const Gait& gait, std::size_t first)
        : skeleton_(skeleton), model_(skeleton, gait), first_(first) {}

protected:
    /// A foot that stands, its middle at `ahead`.
    [[nodiscard]] Foot standing_foot(std::size_t side, double ahead) const {
        Foot foot;
        foot.forward = ahead + (side == 0 ? stand_left : stand_right);
        foot.up = ankle_height;
        // The gait's feet are closer together, and point less outward.
        foot.side = (side == 0 ? 1 : -1) * (stand_width - model_.gait().step_width) / 2;
        foot.yaw = (side == 0 ? 1 : -1) * (stand_toe_out - 5);
        return foot;
    }
    /// A foot of the gait when the body is at `ahead`.
    [[nodiscard]] Foot going_foot(std::size_t side, double phase, double ahead) const {
        Foot foot = model_.foot(phase, side);
        foot.forward += ahead;
        return foot;
    }
    void place(SkeletonPose& pose, const std::array<Foot, 2>& feet) const {
        // Down, where a leg would not reach.
        constexpr double longest = 0.992 * (thigh + shin);
        for (int i = 0; i < 160; ++i) {
            if (place_legs(skeleton_, pose, feet, model_.gait().step_width, 5, Eigen::Vector3d(0, 0, 1)) <= longest) {
                break;
            }
            pose.hips.y() -= 0.002;
        }
        place_coat(skeleton_, pose, 0, 0);
    }

    const Skeleton& skeleton_;
    GaitModel model_;
    std::size_t first_; ///< the foot that steps first: 0 left, 1 right
};

/// From standing into the gait: the first foot steps out, the other follows and comes down as the clip ends.
class Start : public Change {
public:
    Start(const Skeleton& skeleton, const Gait& gait, std::size_t first) : Change(skeleton, gait, first) {
        const double step = gait.seconds / 2;
        first_lift_ = 0.12;
        first_land_ = first_lift_ + 0.30;
        end_ = first_land_ + step;
        begin_ = 0.03;
        way_ = gait.speed * (end_ - begin_) / 2;
    }
    [[nodiscard]] double seconds() const { return end_; }

    [[nodiscard]] SkeletonPose pose(double t) const {
        const Gait& g = model_.gait();
        const double w = smooth(t / end_);
        SkeletonPose pose = between(standing(skeleton_, 0), model_.pose(phase(t)), w);
        pose.hips.z() += body(t);
        pose.hips.y() -= 0.02 * std::sin(pi * std::clamp(t / end_, 0.0, 1.0));
        std::array<Foot, 2> feet;
        const std::size_t other = 1 - first_;
        const double other_lift = end_ - (1 - g.duty) * g.seconds * (g.duty < 0.5 ? 0.75 : 1);
        feet[first_] = t < first_land_
                           ? (t < first_lift_ ? pushing(first_, t, first_lift_)
                                              : swung(
                                                    t, {first_lift_, first_land_}, 0.5 * g.lift + 0.03,
                                                    [&](double at) { return pushing(first_, at, first_lift_); },
                                                    [&](double at) { return arriving(first_, at); }))
                           : arriving(first_, t);
        feet[other] = t < other_lift ? pushing(other, t, other_lift)
                                     : swung(
                                           t, {other_lift, end_}, 0.7 * g.lift + 0.02,
                                           [&](double at) { return pushing(other, at, other_lift); },
                                           [&](double at) { return arriving(other, at); });
        place(pose, feet);
        return pose;
    }

private:
    [[nodiscard]] double phase(double t) const {
        return (first_ == 0 ? 0.5 : 0.0) + (t - end_) / model_.gait().seconds;
    }
    /// The body gathers speed evenly and has the gait's at the end.
    [[nodiscard]] double body(double t) const {
        const double since = std::max(0.0, t - begin_);
        return way_ * since * since / ((end_ - begin_) * (end_ - begin_));
    }
    /// As if she had come at full speed all along.
    [[nodiscard]] Foot arriving(std::size_t side, double t) const {
        return going_foot(side, phase(t), way_ - model_.gait().speed * (end_ - t));
    }
    /// A standing foot whose heel rises before it leaves.
    [[nodiscard]] Foot pushing(std::size_t side, double t, double lift) const {
        Foot foot = standing_foot(side, 0);
        const double u = std::clamp((t - lift + 0.2) / 0.2, 0.0, 1.0), pitch = -0.5 * model_.gait().toe_off * u * u;
        const double a = pitch * pi / 180, raised = ankle_height - ball_height;
        foot.pitch = pitch;
        foot.rolled = ball_before_ankle * (1 - std::cos(a)) - raised * std::sin(a);
        foot.up = ball_height + raised * std::cos(a) - ball_before_ankle * std::sin(a);
        foot.toes = -pitch;
        return foot;
    }
    double first_lift_, first_land_, begin_, end_, way_;
};

/// Out of the gait: the first foot has just come down, the body slows, and both feet come to stand beside each other.
class Stop : public Change {
public:
    Stop(const Skeleton& skeleton, const Gait& gait, std::size_t first) : Change(skeleton, gait, first) {
        steps_ = gait.speed > 3 ? 4 : 2;
        slowing_ = gait.speed > 3 ? 1.0 : 0.85;
        way_ = gait.speed * slowing_ / 2;
        end_ = slowing_ + 0.3;
    }
    [[nodiscard]] double seconds() const { return end_; }

    [[nodiscard]] SkeletonPose pose(double t) const {
        const Gait& g = model_.gait();
        SkeletonPose pose = between(model_.pose(phase(t)), standing(skeleton_, 0), smooth(t / end_));
        pose.hips.z() += body(t);
        pose.hips.y() -= 0.03 * std::sin(pi * std::clamp(t / end_, 0.0, 1.0));
        // Leaning back against the way one comes from.
        const double back = -0.35 * g.speed * std::sin(pi * std::clamp(t / slowing_, 0.0, 1.0));
        pose.rotations[0] = pose.rotations[0] * turned({1, 0, 0}, back);
        std::array<Foot, 2> feet;
        for (std::size_t side : {std::size_t(0), std::size_t(1)}) { feet[side] = foot(side, t); }
        place(pose, feet);
        return pose;
    }

private:
    [[nodiscard]] double phase(double t) const { return (first_ == 0 ? 0.0 : 0.5) + t / model_.gait().seconds; }
    [[nodiscard]] double body(double t) const {
        const double left = std::max(0.0, slowing_ - t);
        return way_ * (1 - left * left / (slowing_ * slowing_));
    }
    [[nodiscard]] Foot going(std::size_t side, double t) const {
        return going_foot(side, phase(t), model_.gait().speed * t);
    }
    /// Where the n-th step of the slowing body comes down: the last two beside each other.
    [[nodiscard]] double place_of(int step) const {
        if (step >= steps_ - 2) { return way_; }
        return body(when(step).land + 0.17); // under the body in the middle of its stance
    }
    [[nodiscard]] Step when(int step) const {
        const double span = (end_ - 0.12) / double(steps_);
        // The other foot steps first: it was in the air, or about to be.
        const double lift = step == 0 ? std::min(leaves(1 - first_), 0.12) : 0.12 + span * step * 0.95 - 0.02;
        return {lift, step == 0 ? 0.12 + span * 0.8 : lift + span * 0.85};
    }
    /// The end of the stance that a foot is in as the clip begins.
    [[nodiscard]] double leaves(std::size_t side) const {
        const Gait& g = model_.gait();
        const double own = side == first_ ? 0 : 0.5;
        return std::max(0.0, (g.duty - own) * g.seconds);
    }
    [[nodiscard]] Foot landed(std::size_t side, int step, double t) const {
        Foot foot = standing_foot(side, place_of(step));
        const double since = std::clamp((t - when(step).land) / 0.1, 0.0, 1.0), pitch = 10 * (1 - since) * (1 - since);
        const double a = pitch * pi / 180;
        foot.pitch = pitch;
        foot.rolled = -heel_behind_ankle * (1 - std::cos(a)) - ankle_height * std::sin(a);
        foot.up = ankle_height * std::cos(a) + heel_behind_ankle * std::sin(a);
        return foot;
    }
    [[nodiscard]] Foot foot(std::size_t side, double t) const {
        int last = -1; // the step that brought it where it stands
        for (int step = side == first_ ? 1 : 0; step < steps_; step += 2) {
            const auto before = [&](double at) { return last < 0 ? going(side, at) : landed(side, last, at); };
            const auto after = [&](double at) { return landed(side, step, at); };
            const Step now = when(step);
            if (t < now.lift) { return before(t); }
            if (t < now.land) { return swung(t, now, 0.06, before, after); }
            last = step;
        }
        return landed(side, last, t);
    }
    int steps_;
    double slowing_, way_, end_;
};

} // namespace

std::vector<Act> starts_and_stops(const Skeleton& skeleton) {
    std::vector<Act> all;
    for (const Gait& gait : gaits) {
        if (gait.name == "trot") { continue; }
        for (const std::size_t first : {std::size_t(0), std::size_t(1)}) {
            const std::string tail = std::string("_") + (first == 0 ? "left" : "right");
            const Start start(skeleton, gait, first);
            all.push_back({std::string(gait.name) + "_start" + tail, start.seconds(), false,
                           [start](double t) { return start.pose(t); }});
            const Stop stop(skeleton, gait, first);
            all.push_back({std::string(gait.name) + "_stop" + tail, stop.seconds(), false,
                           [stop](double t) { return stop.pose(t); }});
        }
    }
    return all;
}

} // namespace lamplighter
