#include "gait/smoothness.hpp"

#include "check/braking.hpp"
#include "check/turns.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace gait {
using namespace detail;
namespace {

/// A jolt below this, in degrees a second, is nothing anybody sees: ratios are taken over at least as much.
constexpr double least_allowance = 60;
/// Jolts and allowances within this of each other belong together, seconds.
constexpr double moment = 0.05;

/// The fade's weight `back` seconds before the sample.
double weight_at(const MotionSample& motion, double back) {
    if (!(motion.fade_seconds > 0)) { return 1; }
    return eased(motion.ease, (motion.fade_elapsed - back) / motion.fade_seconds);
}

const MotionSample* find(const SnapFrame& frame, std::uint32_t id) {
    for (const MotionSample& m : frame.motions) {
        if (m.id == id) { return &m; }
    }
    return nullptr;
}

/// The greatest acceleration of what decays where it is known which way it moves, but for `unsure` of its speed: what
/// heads home fast arrives earlier (see `decayed`), and brakes all the way, so that its place asks for nothing more.
double decay_acceleration(const Vector& place, const Vector& velocity, double unsure, double seconds) {
    const double home = -place.dot(velocity), off = place.norm(), speed = velocity.norm() + unsure;
    const double earlier = home > 0 ? std::clamp(5 * off * off / home, seconds / 4, seconds) : seconds;
    if (earlier == seconds) { return quintic_acceleration(off, speed, seconds); }
    return std::max(20 * off / (earlier * earlier), 8 * speed / earlier);
}

} // namespace

/// A joint's rotation in each of three frames, as far as it is known there.
struct SnapMeter::Trace {
    std::array<std::optional<Quaternion>, 3> at;
};

namespace {

template <typename Trace> double jolt_of(const Trace& trace, double first_dt, double second_dt) {
    if (!trace.at[0] || !trace.at[1] || !trace.at[2]) { return 0; }
    return (turn(*trace.at[1], *trace.at[2]) / second_dt - turn(*trace.at[0], *trace.at[1]) / first_dt).norm();
}

/// The way from one rotation to another, as far as it was gone.
struct Arc {
    Quaternion place;
    double degrees; ///< all of it
};
/// A blend that began by the shorter way keeps to its side as the two turn past half a turn from each other, so the way
/// is the longer one where what shows is nearer to that.
Arc arc_between(const Quaternion& from, const Quaternion& to, double part, const Quaternion& shown) {
    const Vector whole = turn(from, to);
    const double degrees = whole.norm();
    Arc shorter{from.slerp(part, to), degrees};
    if (degrees < 120) { return shorter; }
    const Vector axis = whole / degrees;
    const double back = (degrees - 360) * part / degrees_per_radian;
    Arc longer{Quaternion(Eigen::AngleAxisd(back, axis)) * from, 360 - degrees};
    return turn(longer.place, shown).norm() < turn(shorter.place, shown).norm() ? longer : shorter;
}

} // namespace

void SnapMeter::add(SnapFrame frame) {
    if (!frames_.empty() && frame.time < frames_.back().time) {
        frames_.clear();
        offset_before_ = -1;
        ++begun_;
    }
    if (!frames_.empty() && frame.time == frames_.back().time) {
        frames_.back() = std::move(frame);
        return;
    }
    frames_.push_back(std::move(frame));
    if (frames_.size() > 3) { frames_.erase(frames_.begin()); }
    if (frames_.size() == 3) { measure(); }
}

void SnapMeter::pause() {
    frames_.clear();
    offset_before_ = -1;
    captured_before_ = false;
}

/// A fade's weight over the three frames.
struct SnapMeter::Fading {
    std::array<double, 3> weight{1, 1, 1};
    double rate = 0, change_of_rate = 0;
    bool cut = false;
    bool fading = false;
};

SnapMeter::Fading SnapMeter::fading_of(const MotionSample& motion, std::size_t joint) const {
    const double first_dt = frames_[1].time - frames_[0].time, second_dt = frames_[2].time - frames_[1].time;
    const std::array<double, 3> back{second_dt + first_dt, second_dt, 0};
    Fading fade;
    bool new_here = true;
    for (std::size_t f = 3; f-- > 0;) {
        const MotionSample* sample = find(frames_[f], motion.id);
        if (!motion.weights.empty()) {
            // A weight is what it is in each frame; a layer that does not count has none.
            fade.weight[f] = sample != nullptr && joint < sample->weights.size() ? double(sample->weights[joint]) : 0;
            fade.cut = fade.cut || (sample != nullptr && !(sample->fade_seconds > 0));
        } else if (sample != nullptr) {
            // From its last known elapsed time, whether or not it was there already.
            for (std::size_t g = 0; g < 3; ++g) { fade.weight[g] = weight_at(*sample, back[g] - back[f]); }
            fade.cut = !(sample->fade_seconds > 0);
            new_here = find(frames_[0], motion.id) == nullptr;
            break;
        }
    }
    const double before = (fade.weight[1] - fade.weight[0]) / first_dt,
                 after = (fade.weight[2] - fade.weight[1]) / second_dt;
    fade.rate = std::max(std::fabs(before), std::fabs(after));
    fade.change_of_rate = std::fabs(after - before) / ((first_dt + second_dt) / 2);
    fade.fading = fade.rate > 0 || (motion.weights.empty() && fade.cut && new_here);
    return fade;
}

/// The three newest frames, and how every motion in them fades: what a jolt in the middle one is held against.
class SnapMeter::Window {
public:
    explicit Window(const SnapMeter& meter)
        : meter_(meter), first(meter.frames_[0]), middle(meter.frames_[1]), last(meter.frames_[2]),
          first_dt(middle.time - first.time), second_dt(last.time - middle.time) {
        collect_motions();
        fades_.resize(motions_.size());
        for (std::size_t m = 1; m < motions_.size(); ++m) {
            fades_[m] = meter.fading_of(*motions_[m], 0);
            for (std::size_t j = 1; j < motions_[m]->weights.size() && !fades_[m].fading; ++j) {
                fades_[m] = meter.fading_of(*motions_[m], j);
            }
        }
    }

    /// A joint as it is shown, and its jolt in degrees a second.
    [[nodiscard]] Trace shown(std::size_t joint) const {
        Trace trace;
        for (std::size_t f = 0; f < 3; ++f) { trace.at[f] = exact(meter_.frames_[f].pose[joint].rotation); }
        return trace;
    }
    [[nodiscard]] double jolt(const Trace& trace) const { return jolt_of(trace, first_dt, second_dt); }

    [[nodiscard]] bool any_fading() const {
        return std::any_of(fades_.begin(), fades_.end(), [](const Fading& f) { return f.fading; });
    }
    [[nodiscard]] bool any_offset() const {
        return first.offset_seconds > 0 || middle.offset_seconds > 0 || last.offset_seconds > 0;
    }
    [[nodiscard]] std::size_t joints() const {
        return std::min({first.pose.size(), middle.pose.size(), last.pose.size()});
    }
    /// Whether motions have weights of their own from joint to joint: they are layers.
    [[nodiscard]] bool has_weights() const { return !motions_.back()->weights.empty(); }

    /// Where the motions have a joint, each faded over the blend of those below it by its declared ease, and the jolt
    /// that this needs.
    struct Reference {
        Trace blend;
        double jolt = 0;
        bool weight_moves = false; ///< of some motion above the lowest
    };
    [[nodiscard]] Reference reference(std::size_t joint) const {
        Reference reference;
        for (std::size_t m = 0; m < motions_.size(); ++m) {
            const Trace own = trace_of(*motions_[m], &MotionSample::pose, joint);
            if (m == 0) {
                reference = {own, jolt(own), false};
            } else {
                lay_over(reference, trace_of(*motions_[m], &MotionSample::over, joint));
                const Fading fade = motions_[m]->weights.empty() ? fades_[m] : meter_.fading_of(*motions_[m], joint);
                fade_over(reference, own, fade, shown(joint));
            }
        }
        return reference;
    }

    /// The newest motion that fades, or the newest of all where only an offset decays: its fade is the one to blame.
    [[nodiscard]] const MotionSample& newest() const {
        std::size_t newest = motions_.size() - 1;
        while (any_fading() && newest > 0 && !fades_[newest].fading) { --newest; }
        const MotionSample* now = find(last, motions_[newest]->id);
        return now != nullptr ? *now : *motions_[newest];
    }

private:
    /// Every motion of the three frames, in order of entry. The lowest needs no fade.
    void collect_motions() {
        for (const SnapFrame* frame : {&first, &middle, &last}) {
            for (const MotionSample& m : frame->motions) {
                const bool known =
                    std::any_of(motions_.begin(), motions_.end(), [&](const auto* k) { return k->id == m.id; });
                if (!known) { motions_.push_back(&m); }
            }
        }
        std::sort(motions_.begin(), motions_.end(), [](const auto* x, const auto* y) { return x->id < y->id; });
    }

    /// Of one of the motion's poses.
    [[nodiscard]] Trace trace_of(const MotionSample& motion, std::vector<Transform> MotionSample::*pose,
                                 std::size_t joint) const {
        Trace trace;
        for (std::size_t f = 0; f < 3; ++f) {
            const MotionSample* sample = find(meter_.frames_[f], motion.id);
            if (sample == nullptr || joint >= (sample->*pose).size()) { continue; }
            trace.at[f] = exact((sample->*pose)[joint].rotation);
        }
        return trace;
    }

    /// What a motion is laid over, where that is not simply what is below it.
    void lay_over(Reference& below, const Trace& over) const {
        for (std::size_t f = 0; f < 3; ++f) {
            if (over.at[f]) { below.blend.at[f] = over.at[f]; }
        }
        below.jolt = std::max(below.jolt, jolt(over));
    }

    /// A motion fades over what is below it: `2 |w'| dv + |w''| da` a second is what that needs. `shown`: of both.
    void fade_over(Reference& below, const Trace& own, const Fading& fade, const Trace& shown) const {
        below.weight_moves = below.weight_moves || fade.fading;
        double angle = 0, velocity = 0;
        for (std::size_t f = 0; f < 3; ++f) {
            const auto &a = below.blend.at[f], &b = own.at[f];
            if (a && b) { angle = std::max(angle, arc_between(*a, *b, fade.weight[f], *shown.at[f]).degrees); }
            if (f == 0 || !a || !b || !below.blend.at[f - 1] || !own.at[f - 1]) { continue; }
            const double step = f == 1 ? first_dt : second_dt;
            velocity = std::max(velocity, (turn(*own.at[f - 1], *b) - turn(*below.blend.at[f - 1], *a)).norm() / step);
        }
        const double least = std::min({fade.weight[0], fade.weight[1], fade.weight[2]});
        const double greatest = std::max({fade.weight[0], fade.weight[1], fade.weight[2]});
        below.jolt = (1 - least) * below.jolt + greatest * jolt(own);
        if (!fade.cut) {
            const double dt = (first_dt + second_dt) / 2;
            below.jolt += dt * (2 * fade.rate * velocity + fade.change_of_rate * angle);
        }
        for (std::size_t f = 0; f < 3; ++f) {
            // Before it was entered it is nowhere; after it was faded over, where what is over it is.
            if (!own.at[f]) { continue; }
            auto& blend = below.blend.at[f];
            blend = blend ? arc_between(*blend, *own.at[f], fade.weight[f], *shown.at[f]).place : *own.at[f];
        }
    }

    const SnapMeter& meter_;
    std::vector<const MotionSample*> motions_;
    std::vector<Fading> fades_; ///< a motion each

public:
    const SnapFrame &first, &middle, &last;
    double first_dt, second_dt; ///< seconds between them
};

void SnapMeter::allow_for_offset(const Window& window, std::size_t joint, const Trace& shown, const Trace& blend,
                                 bool captured, double& left) {
    // Velocities are means over a frame; as it ends they are off by half of what they change in one.
    const double seconds = window.last.offset_seconds;
    if (captured) {
        const Vector start = blend.at[1] && blend.at[2] ? turn(*blend.at[2], *shown.at[2]) : Vector::Zero();
        const Vector earlier = blend.at[1] ? turn(*blend.at[1], *shown.at[1]) : Vector::Zero();
        // How fast the difference moves as it is caught: what was shown against what comes, which shows its own
        // velocity only a frame later.
        offset_place_[joint] = to_vec3(start);
        shown_velocity_[joint] = to_vec3(turn(*shown.at[0], *shown.at[1]) / window.first_dt);
        double by_instant = 0; // what it needs as known to the instant
        if (window.last.left && joint < window.last.left->velocity.size()) {
            // Between the frames and that instant both went on by themselves.
            const LeftMotions& was = *window.last.left;
            own_before_[joint] =
                std::max(own_before_[joint], double(length(was.velocity[joint] - shown_velocity_[joint])));
            left = std::max(left, own_before_[joint]);
            const MotionSample* const came = find(window.last, was.came);
            if (came != nullptr && joint < was.pose.size() && window.last.offset_elapsed > 0) {
                const Vector gone = turn(exact(was.pose[joint].rotation), exact(came->pose[joint].rotation));
                left += (gone / window.last.offset_elapsed - exact(was.came_velocity[joint])).norm();
                const Vector apart = exact(was.velocity[joint] - was.came_velocity[joint]);
                offset_place_[joint] = to_vec3(start - apart * window.last.offset_elapsed); // where it was then
                by_instant = decay_acceleration(exact(offset_place_[joint]), apart, left / 2, seconds);
            }
        }
        const double speed = window.middle.offset_seconds > 0 ? (start - earlier).norm() / window.second_dt
                                                              : exact(shown_velocity_[joint]).norm();
        offset_allowance_[joint] = std::max(by_instant, quintic_acceleration(start.norm(), speed + left / 2, seconds));
    } else if (captured_before_ && blend.at[1] && blend.at[2]) {
        const Vector coming = turn(*blend.at[1], *blend.at[2]) / window.second_dt;
        const Vector apart = exact(shown_velocity_[joint]) - coming;
        offset_allowance_[joint] = std::max(offset_allowance_[joint],
                                            decay_acceleration(exact(offset_place_[joint]), apart, left / 2, seconds));
    }
}

void SnapMeter::measure() {
    const Window window(*this);
    const bool fading = window.any_fading(), offset = window.any_offset();
    const bool captured =
        window.last.offset_seconds > 0 && (offset_before_ < 0 || window.last.offset_elapsed < offset_before_);
    offset_before_ = window.last.offset_seconds > 0 ? window.last.offset_elapsed : -1;
    const std::size_t joints = window.joints();
    offset_allowance_.resize(joints, 0);
    offset_place_.resize(joints);
    shown_velocity_.resize(joints);
    own_before_.resize(joints, 0);
    last_jolt_ = 0;
    Measured measured;
    for (std::size_t j = 0; j < joints; ++j) {
        const Trace shown = window.shown(j);
        const double jolt = window.jolt(shown);
        last_jolt_ = std::max(last_jolt_, jolt);
        // What is left at an offset's capture was on a way of its own, of which three frames are no more to be had.
        double left = captured || captured_before_ ? own_before_[j] : 0;
        if (!captured) { own_before_[j] = jolt; }
        if (!fading && !offset) { continue; }
        auto [blend, needed, weight_moves] = window.reference(j);
        allow_for_offset(window, j, shown, blend, captured, left);
        const double dt = (window.first_dt + window.second_dt) / 2;
        if (!captured) { own_before_[j] = std::min(jolt, needed); }
        needed += left;
        if (offset) { needed += dt * offset_allowance_[j]; }
        for (const SnapFrame* frame : {&window.first, &window.middle, &window.last}) {
            if (j < frame->decaying.size()) { needed += dt / 3 * double(frame->decaying[j]); }
        }
        // Where no weight changes, no fade of a layer is to blame for the jolt.
        const bool counts = weight_moves || offset || !window.has_weights();
        measured.jolts.push_back(counts ? jolt : 0);
        measured.allowances.push_back(needed);
    }
    captured_before_ = captured;
    if (fading || offset) {
        const MotionSample& newest = window.newest();
        measured.time = window.middle.time;
        measured.motion = begun_ << 32U | (newest.weights.empty() ? newest.id : newest.attributed_to);
        measured.transition = newest.transition;
        recent_.push_back(std::move(measured));
    }
    judge_until(window.middle.time);
    if (captured && window.last.left && !window.last.left->pose.empty()) {
        // In the next three frames what came is known from the first on.
        MotionSample came;
        came.id = window.last.left->came;
        came.pose = window.last.left->pose;
        frames_[1].motions.push_back(std::move(came));
    }
}

void SnapMeter::judge_until(double time) {
    for (Measured& m : recent_) {
        if (m.judged || m.time > time - moment) { continue; }
        judge(m, worst_);
        m.judged = true;
    }
    while (!recent_.empty() && recent_.front().time < time - 2 * moment) { recent_.pop_front(); }
}

void SnapMeter::judge(const Measured& measured, Worst& worst) const {
    Snap& snap = worst[measured.motion];
    for (std::size_t j = 0; j < measured.jolts.size(); ++j) {
        double allowed = least_allowance;
        for (const Measured& m : recent_) {
            if (std::fabs(m.time - measured.time) <= moment && j < m.allowances.size()) {
                allowed = std::max(allowed, m.allowances[j]);
            }
        }
        const double ratio = measured.jolts[j] / allowed;
        if (snap.joint < 0 || ratio > snap.ratio) {
            snap = {ratio,
                    measured.jolts[j],
                    allowed,
                    int(j),
                    measured.time,
                    measured.transition,
                    std::uint32_t(measured.motion)};
        }
    }
}

SnapMeter::Worst SnapMeter::judge_all() const {
    Worst worst = worst_;
    for (const Measured& m : recent_) {
        if (!m.judged) { judge(m, worst); }
    }
    return worst;
}

std::vector<Snap> SnapMeter::transitions() const {
    std::vector<Snap> list;
    for (const auto& [id, snap] : judge_all()) { list.push_back(snap); }
    return list;
}

Snap SnapMeter::worst() const {
    Snap worst;
    for (const Snap& snap : transitions()) {
        if (worst.joint < 0 || snap.ratio > worst.ratio) { worst = snap; }
    }
    return worst;
}

} // namespace gait
