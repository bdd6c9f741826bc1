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

/// Whether a layer left motions for another between the two, with an inertial offset in their place.
bool catches_offset(const Performer& before, const Performer& after, std::size_t layer) {
    return after.offset_seconds(layer) > 0 &&
           (!(before.offset_seconds(layer) > 0) || after.offset_elapsed(layer) < before.offset_elapsed(layer));
}
bool catches_offset(const Performer& before, const Performer& after) {
    for (std::size_t l = 0; l < after.character().layers().size(); ++l) {
        if (catches_offset(before, after, l)) { return true; }
    }
    return false;
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
    const auto note_left_at_beginning = [&](const Performer& now) {
        if (!(previous_dt_ > instant) || !catches_offset(before, now)) { return; }
        sample_ = previous_;
        go_on(sample_, previous_dt_ - instant);
        note_left(sample_, before, now);
    };
    note_left_at_beginning(later_);
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
    note_left_at_beginning(after);
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
        if (!catches_offset(left, after, l)) { continue; }
        const double since = after.offset_elapsed(l);
        // Seen from nearer by it is known already.
        if (left_[l] && left_[l]->at > after.time() - since - 2 * instant) { continue; }
        const auto velocity = [&](double seconds) {
            std::vector<Vec3> all;
            for (std::size_t j = 0; j < pose_a_.size(); ++j) {
                all.push_back(to_vec3(turn(exact(pose_a_[j].rotation), exact(pose_b_[j].rotation)) / seconds));
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
