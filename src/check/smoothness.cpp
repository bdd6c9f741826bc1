#include "gait/smoothness.hpp"

#include "character/character_data.hpp"
#include "check/turns.hpp"
#include "perform/block_of.hpp"
#include "perform/shares.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace gait {
using namespace detail;
namespace {

constexpr double instant = 1e-5; ///< seconds between the two poses of a seam
/// A jolt below this, in degrees a second, is nothing anybody sees: ratios are taken over at least as much.
constexpr double least_allowance = 60;
/// Jolts and allowances within this of each other belong together, seconds.
constexpr double moment = 0.05;

Vec3 vec3_of(const Vector& v) { return {float(v.x()), float(v.y()), float(v.z())}; }
Vector exact_of(Vec3 v) { return {double(v.x), double(v.y), double(v.z)}; }

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

/// The greatest acceleration of the quintic that decays from there: 20 x / T^2 for the place, 8 v / T for the speed.
double quintic_acceleration(double place, double speed, double seconds) {
    return 20 * place / (seconds * seconds) + 8 * speed / seconds;
}

/// The same where it is known which way it moves, but for `unsure` of its speed: what heads home fast arrives earlier
/// (see `decayed`), and brakes all the way, so that its place asks for nothing more.
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

Seam seam_between(const Rig& rig, std::span<const Transform> earlier, std::span<const Transform> later) {
    Seam seam;
    for (std::size_t j = 0; j < std::min({rig.joints.size(), earlier.size(), later.size()}); ++j) {
        const double degrees = degrees_between(earlier[j].rotation, later[j].rotation);
        if (seam.joint < 0 || degrees > seam.degrees) {
            seam.degrees = degrees;
            seam.joint = int(j);
        }
        if (rig.joints[j].parent < 0) {
            seam.millimetres =
                std::max(seam.millimetres, 1000 * double(length(later[j].translation - earlier[j].translation)));
        }
    }
    return seam;
}

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
        offset_place_[joint] = vec3_of(start);
        shown_velocity_[joint] = vec3_of(turn(*shown.at[0], *shown.at[1]) / window.first_dt);
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
                left += (gone / window.last.offset_elapsed - exact_of(was.came_velocity[joint])).norm();
                const Vector apart = exact_of(was.velocity[joint] - was.came_velocity[joint]);
                offset_place_[joint] = vec3_of(start - apart * window.last.offset_elapsed); // where it was then
                by_instant = decay_acceleration(exact_of(offset_place_[joint]), apart, left / 2, seconds);
            }
        }
        const double speed = window.middle.offset_seconds > 0 ? (start - earlier).norm() / window.second_dt
                                                              : exact_of(shown_velocity_[joint]).norm();
        offset_allowance_[joint] = std::max(by_instant, quintic_acceleration(start.norm(), speed + left / 2, seconds));
    } else if (captured_before_ && blend.at[1] && blend.at[2]) {
        const Vector coming = turn(*blend.at[1], *blend.at[2]) / window.second_dt;
        const Vector apart = exact_of(shown_velocity_[joint]) - coming;
        offset_allowance_[joint] = std::max(
            offset_allowance_[joint], decay_acceleration(exact_of(offset_place_[joint]), apart, left / 2, seconds));
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

SnapFrame snap_frame(const Performer& performer, std::size_t layer) {
    const std::size_t joints = performer.character().joint_count();
    SnapFrame frame;
    frame.time = performer.time();
    frame.pose.resize(joints);
    performer.layer_pose(layer, frame.pose);
    // Of a layer that adds nothing is a difference of nothing.
    const bool adds = performer.character().layers()[layer].mode == LayerMode::add;
    for (std::size_t i = 0; i < performer.instance_count(layer); ++i) {
        const InstanceView view = performer.instance(i, layer);
        const bool plays_nothing = performer.character().states()[view.state].nothing;
        if (plays_nothing && !adds) { continue; } // it moves no joint
        MotionSample sample{view.serial,       std::vector<Transform>(joints),
                            view.fade_seconds, view.fade_elapsed,
                            view.ease,         view.transition};
        if (!plays_nothing) { performer.instance_pose(i, sample.pose, layer); }
        frame.motions.push_back(std::move(sample));
    }
    // Where a layer does not count nobody sees how it moves; and where it counts in part beside a motion that counts in
    // full, one gives way to the other sooner than the fade says.
    const KeptList<float>& mask = performer.character().layers()[layer].mask_weights;
    const bool unlike = performer.character().data().layers[layer].has_whole_body;
    for (std::size_t j = 0; j < mask.size(); ++j) {
        if (unlike ? mask[j] >= 1 : mask[j] > 0) { continue; }
        frame.pose[j] = {};
        for (MotionSample& motion : frame.motions) { motion.pose[j] = {}; }
    }
    frame.offset_seconds = performer.offset_seconds(layer);
    frame.offset_elapsed = performer.offset_elapsed(layer);
    return frame;
}

namespace {

/// The turns of all joints against the body as a whole, given those against their parents.
std::vector<Quat> turns_in_model(const Rig& rig, const std::vector<Transform>& local) {
    std::vector<Quat> model;
    for (std::size_t j = 0; j < local.size(); ++j) {
        const int parent = rig.joints[j].parent;
        model.push_back(parent < 0 ? local[j].rotation : model[std::size_t(parent)] * local[j].rotation);
    }
    return model;
}

/// Lays a layer's pose over what is below: `sample.pose` becomes the turns that joints would have where it counts in
/// full, and in model space `sample.over` those where it does not; `below` is what shows then. Everything as
/// `lay_over` does it. `known`: the turns of all joints against the body, where no other layer lies over this one.
void blend_reference(const Rig& rig, const LayerInfo& layer, const std::vector<Quat>* known, MotionSample& sample,
                     std::vector<Transform>& below) {
    const std::vector<float>& weights = sample.weights;
    std::vector<Transform>& target = sample.pose;
    const std::vector<Quat> wanted = turns_in_model(rig, target), alone = turns_in_model(rig, below);
    std::vector<Quat> shown;
    std::vector<float> greatest;
    if (layer.space == LayerSpace::model) { sample.over = below; }
    for (std::size_t j = 0; j < target.size(); ++j) {
        const int parent = rig.joints[j].parent;
        const Quat above = parent < 0 ? Quat{} : (known != nullptr ? *known : shown)[std::size_t(parent)];
        const float carried_by = parent < 0 ? 0 : greatest[std::size_t(parent)];
        const float counts = layer.mask_weights.empty() ? 1 : layer.mask_weights[j];
        if (layer.mode == LayerMode::add) {
            target[j].rotation = target[j].rotation * below[j].rotation;
        } else if (layer.space == LayerSpace::model) {
            target[j].rotation = conjugate(above) * wanted[j];
            if (parent >= 0 && (counts > 0 || counts >= carried_by)) {
                const Quat carry = above * conjugate(alone[std::size_t(parent)]);
                const double part = counts < carried_by ? double(1 - counts / carried_by) : 0;
                below[j].rotation = conjugate(above) * (slerp({}, carry, part) * alone[j]);
            }
            sample.over[j] = below[j];
        }
        below[j].rotation = slerp(below[j].rotation, target[j].rotation, double(weights[j]));
        shown.push_back(above * below[j].rotation);
        greatest.push_back(std::max(counts, carried_by));
    }
}

} // namespace

SnapFrame laid_over_frame(const Performer& performer, const std::vector<bool>& cut) {
    const Character& character = performer.character();
    const std::size_t joints = character.joint_count();
    SnapFrame frame;
    frame.time = performer.time();
    frame.pose.resize(joints);
    performer.pose(frame.pose);
    std::vector<Transform> below(joints);
    performer.layer_pose(0, below);
    frame.motions.push_back({0, below});
    for (std::size_t l = 1; l < character.layers().size(); ++l) {
        MotionSample sample;
        sample.weights.resize(joints);
        performer.layer_weights(l, sample.weights);
        if (std::all_of(sample.weights.begin(), sample.weights.end(), [](float w) { return !(w > 0); })) { continue; }
        sample.pose.resize(joints);
        performer.layer_pose(l, sample.pose);
        sample.id = std::uint32_t(l);
        sample.fade_seconds = l < cut.size() && cut[l] ? 0 : 1;
        const InstanceView newest = performer.instance(performer.instance_count(l) - 1, l);
        sample.transition = newest.transition;
        sample.attributed_to = newest.serial;
        frame.motions.push_back(std::move(sample));
    }
    const std::vector<Quat> shown = turns_in_model(character.rig(), frame.pose);
    for (std::size_t m = 1; m < frame.motions.size(); ++m) {
        const LayerInfo& layer = character.layers()[frame.motions[m].id];
        blend_reference(character.rig(), layer, m + 1 == frame.motions.size() ? &shown : nullptr, frame.motions[m],
                        below);
    }
    // Changes of side that still decay.
    for (std::size_t l = 1; l < character.layers().size(); ++l) {
        const PerformerBlock block = block_of(performer, l);
        if (block.layer().turns_sides == 0) { continue; }
        frame.decaying.resize(joints, 0);
        for (const SideTurn& side : block.side_turns()) {
            const auto& v = side.vector;
            if (side.is_over() || side.joint >= joints) { continue; }
            const double place = std::hypot(v[0], v[1], v[2]) * double(SideTurn::unit) * degrees_per_radian;
            const auto rate = double(side.rate);
            // See `decayed`.
            const double seconds =
                rate < 0 ? std::clamp(-5 / rate, SideTurn::seconds / 4, SideTurn::seconds) : SideTurn::seconds;
            frame.decaying[side.joint] += float(quintic_acceleration(place, place * std::fabs(rate), seconds));
        }
    }
    return frame;
}

SmoothnessWatch::SmoothnessWatch(const Performer& performer)
    : snaps_(performer.character().layers().size()), pop_(performer), earlier_(performer), later_(performer),
      sample_(performer), last_(performer), bare_(performer), previous_(performer), left_(snaps_.size()),
      pose_a_(performer.character().joint_count()), pose_b_(performer.character().joint_count()) {
    begin_anew(performer);
}

void SmoothnessWatch::begin_anew(const Performer& performer) {
    for (SnapMeter& meter : snaps_) { meter.pause(); }
    laid_over_.pause();
    pop_.pause();
    way_.reset();
    last_ = performer;
    previous_dt_ = 0;
    for (auto& left : left_) { left.reset(); }
    expected_time_ = performer.time();
    next_sample_ = std::int64_t(std::floor(performer.time() * PopMeter::rate + 1e-6));
    if (std::fabs(double(next_sample_) / PopMeter::rate - performer.time()) < 1e-9) { look_at(performer); }
    ++next_sample_;
}

namespace {

/// Whether what a layer shows is its own motions by their fades: with nothing among them they give way to one another
/// sooner than that, while the layer as a whole shows less; and as one of them goes and the next comes what the layer
/// hardly shows is either.
bool shows_its_fades(const Performer& performer, std::size_t layer) {
    if (performer.character().layers()[layer].mode == LayerMode::add) { return performer.layer_weight(layer) > 0; }
    std::size_t playing = 0, empty = 0;
    for (std::size_t i = 0; i < performer.instance_count(layer); ++i) {
        ++(performer.character().states()[performer.instance(i, layer).state].nothing ? empty : playing);
    }
    constexpr double hardly = 0.1;
    const double weight = performer.layer_weight(layer);
    return empty == 0 ? weight > 0 : playing < 2 && weight > hardly;
}

/// Whether a layer's weight was changed without a fade between two frames.
std::vector<bool> cuts_between(const Performer& before, const Performer& after) {
    const auto weight = [](const Performer& performer, std::size_t layer) {
        return block_of(performer, layer).layer().weight.value;
    };
    std::vector<bool> cut;
    for (std::size_t l = 0; l < after.character().layers().size(); ++l) {
        const InstanceView was = before.instance(before.instance_count(l) - 1, l),
                           is = after.instance(after.instance_count(l) - 1, l);
        const bool weight_cut =
            !(after.character().data().layers[l].weight.fade > 0) && weight(before, l) != weight(after, l);
        cut.push_back(weight_cut || (is.serial != was.serial && !(is.fade_seconds > 0)));
    }
    return cut;
}

} // namespace

std::vector<Snap> SmoothnessWatch::transitions() const {
    std::vector<Snap> all;
    for (const SnapMeter& meter : snaps_) {
        const auto own = meter.transitions();
        all.insert(all.end(), own.begin(), own.end());
    }
    for (const Snap& snap : laid_over_.transitions()) {
        const auto same = std::find_if(all.begin(), all.end(), [&](const Snap& s) { return s.motion == snap.motion; });
        if (same == all.end()) {
            all.push_back(snap);
        } else if (snap.ratio > same->ratio) {
            *same = snap;
        }
    }
    return all;
}

Snap SmoothnessWatch::worst_snap() const {
    Snap worst;
    for (const Snap& snap : transitions()) {
        if (snap.joint >= 0 && (worst.joint < 0 || snap.ratio > worst.ratio)) { worst = snap; }
    }
    return worst;
}

void SmoothnessWatch::record(const Performer& earlier, const Performer& later) {
    earlier.pose(pose_a_);
    later.pose(pose_b_);
    Seam seam = seam_between(earlier.character().rig(), pose_a_, pose_b_);
    seam.time = later.time();
    last_seam_degrees_ = std::max(last_seam_degrees_, seam.degrees);
    // The youngest motion of all layers is the one to blame.
    std::uint32_t newest = 0;
    for (std::size_t l = 0; l < later.character().layers().size(); ++l) {
        const InstanceView view = later.instance(later.instance_count(l) - 1, l);
        if (l > 0 && view.serial < newest) { continue; }
        newest = view.serial;
        seam.transition = view.transition;
    }
    seam.millimetres = std::max(seam.millimetres, worst_seam_.millimetres);
    seam.speed = worst_seam_.speed;
    seam.speed_time = worst_seam_.speed_time;
    if (worst_seam_.joint < 0 || seam.degrees > worst_seam_.degrees) {
        worst_seam_ = seam;
    } else {
        worst_seam_.millimetres = seam.millimetres;
    }
}

void SmoothnessWatch::step(const Performer& before, double dt, const Performer& after, const BodyMover& body) {
    // A reset, or another performer's block: what was before it is no neighbour.
    if (before.time() != expected_time_) { begin_anew(before); }
    expected_time_ = after.time();
    last_seam_degrees_ = 0;
    const auto go_on = [&](Performer& performer, double seconds) {
        performer.advance(seconds);
        if (body) { performer.plant_feet(body(performer, seconds)); }
    };
    // At the step's beginning, where inputs and transitions take hold.
    later_ = before;
    go_on(later_, std::min(instant, dt));
    earlier_ = before;
    record(earlier_, later_);
    const auto shortly_before = [&]() -> const Performer& {
        sample_ = previous_;
        go_on(sample_, previous_dt_ - instant);
        return sample_;
    };
    const bool has_previous = previous_dt_ > instant;
    if (has_previous) { note_left(shortly_before(), earlier_, later_); }
    // At the instants inside it, and at its end: what is due there happens in this step.
    constexpr int most_instants = 16;
    later_ = before;
    double passed = 0;
    for (int i = 0; i < most_instants; ++i) {
        const double next = later_.seconds_to_next_instant();
        if (!(passed + next < dt + instant / 4)) { break; }
        const double before_it = std::max(0.0, next - instant / 2), short_of_it = std::max(0.0, before_it - instant);
        go_on(later_, short_of_it);
        sample_ = later_;
        go_on(later_, before_it - short_of_it);
        earlier_ = later_;
        go_on(later_, instant);
        record(earlier_, later_);
        note_left(sample_, earlier_, later_);
        passed += std::max(0.0, next - instant / 2) + instant;
    }
    // Inputs are those of the step's end, so that some things happen at its beginning that no shorter one shows.
    if (has_previous) { note_left(shortly_before(), before, after); }
    measure_way(before, dt, body);
    previous_ = before;
    previous_dt_ = dt;
    // Jolts are those of sixty frames a second, however many more are played; of fewer, what is shown is all there is.
    constexpr double same = 1e-9, interval = 1 / PopMeter::rate;
    const auto last = std::int64_t(std::floor((after.time() + same) / interval));
    if (dt > interval + same) {
        look_at(after);
        next_sample_ = last + 1;
    }
    for (; next_sample_ <= last; ++next_sample_) {
        const double ahead = double(next_sample_) * interval - before.time();
        if (ahead >= dt - same) {
            look_at(after);
            continue;
        }
        sample_ = before;
        go_on(sample_, std::max(0.0, ahead));
        look_at(sample_);
    }
}

void SmoothnessWatch::note_left(const Performer& earlier, const Performer& left, const Performer& after) {
    const double dt = left.time() - earlier.time();
    if (!(dt > instant / 2)) { return; }
    for (std::size_t l = 0; l < left_.size(); ++l) {
        const double since = after.offset_elapsed(l);
        const bool caught =
            after.offset_seconds(l) > 0 && (!(left.offset_seconds(l) > 0) || since < left.offset_elapsed(l));
        // Seen from nearer by it is known already.
        if (!caught || (left_[l] && left_[l]->at > after.time() - since - 2 * instant)) { continue; }
        const auto velocity = [&](double seconds) {
            std::vector<Vec3> all;
            for (std::size_t j = 0; j < pose_a_.size(); ++j) {
                all.push_back(vec3_of(turn(exact(pose_a_[j].rotation), exact(pose_b_[j].rotation)) / seconds));
            }
            return all;
        };
        LeftMotions noted;
        noted.at = after.time() - since;
        earlier.layer_pose(l, pose_a_);
        left.layer_pose(l, pose_b_);
        noted.velocity = velocity(dt);
        // What came, as it was then.
        const std::size_t newest = after.instance_count(l) - 1;
        noted.came = after.instance(newest, l).serial;
        const auto own_pose = [&](double shift, std::vector<Transform>& pose) {
            BlockAccess::evaluate(after, l, {newest, newest + 1, shift, false}, pose);
        };
        own_pose(-since, pose_a_);
        own_pose(instant - since, pose_b_);
        noted.pose = pose_a_;
        noted.came_velocity = velocity(instant);
        left_[l] = std::move(noted);
    }
}

void SmoothnessWatch::measure_way(const Performer& before, double dt, const BodyMover& body) {
    if (!(dt > 2 * instant)) { return; }
    const auto way = [&] {
        sample_.advance(instant);
        const Travel moved = body ? body(sample_, instant) : sample_.travel();
        return Way{moved.move * float(1 / instant), double(moved.turn) / instant};
    };
    sample_ = before;
    const Way begins = way();
    if (way_) {
        const double faster = double(length(begins.velocity - way_->velocity));
        const double turns = std::fabs(begins.turn_rate - way_->turn_rate);
        if (faster > worst_seam_.speed) {
            worst_seam_.speed = faster;
            worst_seam_.speed_time = before.time();
        }
        if (turns > worst_seam_.turn_rate) {
            worst_seam_.turn_rate = turns;
            worst_seam_.turn_time = before.time();
        }
    }
    sample_.advance(dt - 2 * instant);
    way_ = way();
}

void SmoothnessWatch::look_at(const Performer& performer) {
    pop_.add(performer);
    // The legs as the clips have them: what the ground does to them no fade is to blame for.
    bare_ = performer;
    bare_.unbend_legs();
    laid_over_.add(laid_over_frame(bare_, cuts_between(last_, bare_)));
    for (std::size_t l = 0; l < snaps_.size(); ++l) {
        // A layer that shows nothing moves no joint.
        if (l == 0 || shows_its_fades(bare_, l)) {
            SnapFrame frame = snap_frame(bare_, l);
            frame.left = std::exchange(left_[l], std::nullopt);
            snaps_[l].add(std::move(frame));
        } else {
            snaps_[l].pause();
        }
    }
    last_ = performer;
}

} // namespace gait
