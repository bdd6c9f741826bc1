#include "gait/smoothness.hpp"

#include "character/character_data.hpp"

#include <Eigen/Geometry>

#include <algorithm>
#include <cmath>

namespace gait {
using namespace detail;
namespace {

constexpr double instant = 1e-5; ///< seconds between the two poses of a seam
/// A jolt below this, in degrees a second, is nothing anybody sees, and no more than where the samples of a clip meet:
/// ratios are taken over at least as much.
constexpr double least_allowance = 5;
/// Jolts and allowances within this of each other belong together, seconds.
constexpr double moment = 0.05;

using Vector = Eigen::Vector3d;

Eigen::Quaterniond exact(Quat q) {
    return Eigen::Quaterniond(double(q.w), double(q.x), double(q.y), double(q.z)).normalized();
}

/// The rotation vector from `a` to `b`, degrees.
Vector turn(const Eigen::Quaterniond& a, const Eigen::Quaterniond& b) {
    Eigen::Quaterniond q = b * a.conjugate();
    if (q.w() < 0) { q.coeffs() *= -1; }
    const double sine = q.vec().norm();
    if (sine < 1e-12) { return 2 * degrees_per_radian * q.vec(); }
    return 2 * std::atan2(sine, q.w()) / sine * degrees_per_radian * q.vec();
}

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

/// A joint's rotation in each of three frames, as far as it is known there.
struct Trace {
    std::array<std::optional<Eigen::Quaterniond>, 3> at;
};

double jolt_of(const Trace& trace, double first_dt, double second_dt) {
    if (!trace.at[0] || !trace.at[1] || !trace.at[2]) { return 0; }
    return (turn(*trace.at[1], *trace.at[2]) / second_dt - turn(*trace.at[0], *trace.at[1]) / first_dt).norm();
}

/// The greatest acceleration of the quintic that decays from there: 20 x / T^2 for the place, 8 v / T for the speed.
double quintic_acceleration(double place, double speed, double seconds) {
    return 20 * place / (seconds * seconds) + 8 * speed / seconds;
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

void SnapMeter::measure() {
    const SnapFrame &a = frames_[0], &b = frames_[1], &c = frames_[2];
    const double first_dt = b.time - a.time, second_dt = c.time - b.time, dt = (first_dt + second_dt) / 2;

    // Every motion of the three frames, in order of entry. The lowest needs no fade.
    std::vector<const MotionSample*> motions;
    for (const SnapFrame* frame : {&a, &b, &c}) {
        for (const MotionSample& m : frame->motions) {
            const bool known =
                std::any_of(motions.begin(), motions.end(), [&](const MotionSample* k) { return k->id == m.id; });
            if (!known) { motions.push_back(&m); }
        }
    }
    std::sort(motions.begin(), motions.end(), [](const auto* x, const auto* y) { return x->id < y->id; });

    std::vector<Fading> fades(motions.size());
    for (std::size_t m = 1; m < motions.size(); ++m) {
        fades[m] = fading_of(*motions[m], 0);
        for (std::size_t j = 1; j < motions[m]->weights.size() && !fades[m].fading; ++j) {
            fades[m] = fading_of(*motions[m], j);
        }
    }
    const bool any_fading = std::any_of(fades.begin(), fades.end(), [](const Fading& f) { return f.fading; });
    const bool offset = a.offset_seconds > 0 || b.offset_seconds > 0 || c.offset_seconds > 0;

    const std::size_t joints = std::min({a.pose.size(), b.pose.size(), c.pose.size()});
    const bool captured = c.offset_seconds > 0 && (offset_before_ < 0 || c.offset_elapsed < offset_before_);
    offset_before_ = c.offset_seconds > 0 ? c.offset_elapsed : -1;
    offset_allowance_.resize(joints, 0);
    offset_place_.resize(joints, 0);
    shown_velocity_.resize(joints);
    last_jolt_ = 0;
    Measured measured;
    for (std::size_t j = 0; j < joints; ++j) {
        Trace shown;
        for (std::size_t f = 0; f < 3; ++f) { shown.at[f] = exact(frames_[f].pose[j].rotation); }
        const double jolt = jolt_of(shown, first_dt, second_dt);
        last_jolt_ = std::max(last_jolt_, jolt);
        if (!any_fading && !offset) { continue; }

        // The reference: each motion faded over the blend of those below it, by its declared ease.
        Trace below;
        double needed = 0;
        bool moved = false; // by a weight of its own, where there are such
        for (std::size_t m = 0; m < motions.size(); ++m) {
            Trace own;
            for (std::size_t f = 0; f < 3; ++f) {
                const MotionSample* sample = find(frames_[f], motions[m]->id);
                if (sample != nullptr && j < sample->pose.size()) { own.at[f] = exact(sample->pose[j].rotation); }
            }
            const double own_jolt = jolt_of(own, first_dt, second_dt);
            if (m == 0) {
                below = own;
                needed = own_jolt;
                continue;
            }
            const Fading fade = motions[m]->weights.empty() ? fades[m] : fading_of(*motions[m], j);
            moved = moved || fade.fading;
            double angle = 0, velocity = 0;
            for (std::size_t f = 0; f < 3; ++f) {
                if (own.at[f] && below.at[f]) { angle = std::max(angle, turn(*below.at[f], *own.at[f]).norm()); }
                if (f == 0 || !own.at[f] || !own.at[f - 1] || !below.at[f] || !below.at[f - 1]) { continue; }
                const double step = f == 1 ? first_dt : second_dt;
                velocity = std::max(
                    velocity, (turn(*own.at[f - 1], *own.at[f]) - turn(*below.at[f - 1], *below.at[f])).norm() / step);
            }
            const double least = std::min({fade.weight[0], fade.weight[1], fade.weight[2]});
            const double greatest = std::max({fade.weight[0], fade.weight[1], fade.weight[2]});
            needed = (1 - least) * needed + greatest * own_jolt;
            if (!fade.cut) { needed += dt * (2 * fade.rate * velocity + fade.change_of_rate * angle); }
            for (std::size_t f = 0; f < 3; ++f) {
                if (!own.at[f]) {
                    // Before it was entered, nothing; after it was faded over, what it was faded over by.
                    continue;
                }
                below.at[f] = below.at[f] ? below.at[f]->slerp(fade.weight[f], *own.at[f]) : own.at[f];
            }
        }
        if (captured) {
            const Vector start = below.at[1] && below.at[2] ? turn(*below.at[2], *shown.at[2]) : Vector::Zero();
            const Vector earlier = below.at[1] ? turn(*below.at[1], *shown.at[1]) : Vector::Zero();
            const double seconds = c.offset_seconds;
            // How fast the difference moves as it is caught: what was shown against what comes, which shows its own
            // velocity only a frame later.
            offset_place_[j] = start.norm();
            shown_velocity_[j] = vec3_of(turn(*shown.at[0], *shown.at[1]) / first_dt);
            const double speed =
                b.offset_seconds > 0 ? (start - earlier).norm() / second_dt : exact_of(shown_velocity_[j]).norm();
            offset_allowance_[j] = quintic_acceleration(offset_place_[j], speed, seconds);
        } else if (captured_before_ && below.at[1] && below.at[2]) {
            const Vector coming = turn(*below.at[1], *below.at[2]) / second_dt;
            offset_allowance_[j] =
                std::max(offset_allowance_[j],
                         quintic_acceleration(offset_place_[j], (exact_of(shown_velocity_[j]) - coming).norm(),
                                              c.offset_seconds));
        }
        if (offset) { needed += dt * offset_allowance_[j]; }

        // Where no weight moves, what is laid over what is nobody's doing.
        const bool counts = moved || offset || motions.back()->weights.empty();
        measured.jolts.push_back(counts ? jolt : 0);
        measured.allowances.push_back(needed);
    }
    captured_before_ = captured;
    if (any_fading || offset) {
        // The newest fade is the one to blame, or the newest motion where only an offset decays.
        std::size_t newest = motions.size() - 1;
        while (any_fading && newest > 0 && !fades[newest].fading) { --newest; }
        measured.time = b.time;
        const MotionSample* last = find(c, motions[newest]->id);
        const MotionSample& attributed_to = last != nullptr ? *last : *motions[newest];
        measured.motion =
            begun_ << 32U | (attributed_to.weights.empty() ? attributed_to.id : attributed_to.attributed_to);
        measured.transition = attributed_to.transition;
        recent_.push_back(std::move(measured));
    }
    for (Measured& m : recent_) {
        if (m.judged || m.time > b.time - moment) { continue; }
        judge(m, worst_);
        m.judged = true;
    }
    while (!recent_.empty() && recent_.front().time < b.time - 2 * moment) { recent_.pop_front(); }
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
    const std::vector<float>& mask = performer.character().layers()[layer].mask_weights;
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

/// Lays a layer's pose over what is below. What comes back is that pose as turns that joints would have where it counts
/// in full; `below` is what shows then.
std::vector<Transform> lay_over(const Rig& rig, const LayerInfo& layer, const std::vector<Transform>& own,
                                const std::vector<float>& weights, std::vector<Transform>& below) {
    std::vector<Transform> target = own;
    const std::vector<Quat> wanted = turns_in_model(rig, own);
    std::vector<Quat> shown;
    for (std::size_t j = 0; j < own.size(); ++j) {
        const int parent = rig.joints[j].parent;
        const Quat above = parent < 0 ? Quat{} : shown[std::size_t(parent)];
        if (layer.mode == LayerMode::add) {
            target[j].rotation = own[j].rotation * below[j].rotation;
        } else if (layer.space == LayerSpace::model) {
            target[j].rotation = conjugate(above) * wanted[j];
        }
        below[j].rotation = slerp(below[j].rotation, target[j].rotation, double(weights[j]));
        shown.push_back(above * below[j].rotation);
    }
    return target;
}

} // namespace

SnapFrame laid_over_frame(const Performer& performer, const std::vector<bool>& cut) {
    const Character& character = performer.character();
    const std::size_t joints = character.joint_count();
    SnapFrame frame;
    frame.time = performer.time();
    frame.pose.resize(joints);
    performer.pose(frame.pose);
    std::vector<Transform> below(joints), own(joints);
    performer.layer_pose(0, below);
    frame.motions.push_back({0, below});
    for (std::size_t l = 1; l < character.layers().size(); ++l) {
        std::vector<float> weights(joints);
        performer.layer_weights(l, weights);
        if (std::all_of(weights.begin(), weights.end(), [](float weight) { return !(weight > 0); })) { continue; }
        performer.layer_pose(l, own);
        MotionSample sample;
        sample.id = std::uint32_t(l);
        sample.pose = lay_over(character.rig(), character.layers()[l], own, weights, below);
        sample.fade_seconds = l < cut.size() && cut[l] ? 0 : 1;
        const InstanceView newest = performer.instance(performer.instance_count(l) - 1, l);
        sample.transition = newest.transition;
        sample.attributed_to = newest.serial;
        sample.weights = std::move(weights);
        frame.motions.push_back(std::move(sample));
    }
    return frame;
}

SmoothnessWatch::SmoothnessWatch(const Performer& performer)
    : snaps_(performer.character().layers().size()), earlier_(performer), later_(performer),
      pose_a_(performer.character().joint_count()), pose_b_(performer.character().joint_count()) {
    for (std::size_t l = 0; l < snaps_.size(); ++l) { snaps_[l].add(snap_frame(performer, l)); }
    laid_over_.add(laid_over_frame(performer, {}));
}

namespace {

/// Whether what a layer shows is its own motions by their fades: with nothing among them they give way to one another
/// sooner than that, while the layer as a whole shows less.
bool shows_its_fades(const Performer& performer, std::size_t layer) {
    if (performer.character().layers()[layer].mode == LayerMode::add) { return performer.layer_weight(layer) > 0; }
    std::size_t playing = 0, empty = 0;
    for (std::size_t i = 0; i < performer.instance_count(layer); ++i) {
        ++(performer.character().states()[performer.instance(i, layer).state].nothing ? empty : playing);
    }
    return performer.layer_weight(layer) > 0 && (empty == 0 || playing < 2);
}

/// Whether a layer's weight was changed without a fade between two frames.
std::vector<bool> cuts_between(const Performer& before, const Performer& after) {
    const auto weight = [](const Performer& performer, std::size_t layer) {
        const CharacterData& data = performer.character().data();
        return PerformerBlock(const_cast<std::byte*>(performer.bytes().data()), data.layout, layer)
            .layer()
            .weight.value;
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
    // The youngest motion of all layers is the one to blame.
    std::uint32_t newest = 0;
    for (std::size_t l = 0; l < later.character().layers().size(); ++l) {
        const InstanceView view = later.instance(later.instance_count(l) - 1, l);
        if (l > 0 && view.serial < newest) { continue; }
        newest = view.serial;
        seam.transition = view.transition;
    }
    seam.millimetres = std::max(seam.millimetres, worst_seam_.millimetres);
    if (worst_seam_.joint < 0 || seam.degrees > worst_seam_.degrees) {
        worst_seam_ = seam;
    } else {
        worst_seam_.millimetres = seam.millimetres;
    }
}

void SmoothnessWatch::step(const Performer& before, double dt, const Performer& after) {
    // At the step's beginning, where inputs and transitions take hold.
    later_ = before;
    later_.advance(std::min(instant, dt));
    // Held feet are taken out: what the body's own motion does to them is not the clips'.
    earlier_ = before;
    earlier_.unbend_legs();
    record(earlier_, later_);
    // At the instants inside it.
    constexpr int most_instants = 16;
    later_ = before;
    double passed = 0;
    for (int i = 0; i < most_instants; ++i) {
        const double next = later_.seconds_to_next_instant();
        if (!(passed + next < dt)) { break; }
        later_.advance(std::max(0.0, next - instant / 2));
        earlier_ = later_;
        later_.advance(instant);
        record(earlier_, later_);
        passed += std::max(0.0, next - instant / 2) + instant;
    }
    laid_over_.add(laid_over_frame(after, cuts_between(before, after)));
    for (std::size_t l = 0; l < snaps_.size(); ++l) {
        // What shows nothing moves nobody.
        if (l == 0 || shows_its_fades(after, l)) {
            snaps_[l].add(snap_frame(after, l));
        } else {
            snaps_[l].pause();
        }
    }
}

} // namespace gait
