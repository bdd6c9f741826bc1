#include "clip/close_loop.hpp"
#include "clip/pose_track.hpp"
#include "compile/prepared_clip.hpp"
#include "rig/body_parts.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

using Pose = std::vector<Transform>;

constexpr double path_smoothing =
    0.08;                        ///< seconds: the sway of a step stays in the pose, a start and a stop go to the game
constexpr double path_rate = 60; ///< samples a second of a path
constexpr double shortest_clip = 1.0 / 240; ///< seconds that a cut must leave

// ---- cut, reverse, mirror ----

PoseTrack cut(const PoseTrack& track, double from, double to) {
    PoseTrack result;
    result.times.push_back(from);
    result.poses.push_back(pose_at(track, from));
    for (std::size_t i = 0; i < track.times.size(); ++i) {
        if (track.times[i] > from + 1e-6 && track.times[i] < to - 1e-6) {
            result.times.push_back(track.times[i]);
            result.poses.push_back(track.poses[i]);
        }
    }
    result.times.push_back(to);
    result.poses.push_back(pose_at(track, to));
    return result;
}

void cut_numbers(std::vector<NumberTrack>& numbers, double from, double to) {
    for (NumberTrack& track : numbers) {
        NumberTrack kept{track.name, {}};
        kept.values.interpolation =
            track.values.interpolation == Interpolation::step ? Interpolation::step : Interpolation::linear;
        std::vector<double> times{from};
        for (const double at : track.values.times) {
            if (at > from && at < to) { times.push_back(at); }
        }
        times.push_back(to);
        for (const double at : times) {
            kept.values.times.push_back(at - from);
            kept.values.values.push_back(number_at(track, at));
        }
        track = std::move(kept);
    }
}

void reverse(PoseTrack& track, std::vector<NumberTrack>& numbers) {
    const double end = track.times.back() + track.times.front();
    std::reverse(track.poses.begin(), track.poses.end());
    std::reverse(track.times.begin(), track.times.end());
    for (double& at : track.times) { at = end - at; }
    for (NumberTrack& number : numbers) {
        // A spline's tangents change places and signs; sampling it between its keys comes to the same and is simpler.
        Track<float> turned;
        for (std::size_t k = number.values.times.size(); k-- > 0;) {
            turned.times.push_back(track.seconds() - number.values.times[k]);
            turned.values.push_back(number_at(number, number.values.times[k]));
        }
        number.values = std::move(turned);
    }
}

Vec3 mirrored(Vec3 v) { return {-v.x, v.y, v.z}; }
Quat mirrored(Quat q) { return {q.x, -q.y, -q.z, q.w}; }

/// Reflects every pose across the plane between left and right, through model space: whatever the joints' own axes are.
void mirror(PoseTrack& track, const Rig& rig, const std::vector<std::pair<int, int>>& pairs) {
    std::vector<std::size_t> other(rig.joints.size());
    for (std::size_t j = 0; j < other.size(); ++j) { other[j] = j; }
    for (const auto& [left, right] : pairs) {
        other[std::size_t(left)] = std::size_t(right);
        other[std::size_t(right)] = std::size_t(left);
    }
    const Pose rest = rest_pose(rig);
    const auto rest_model = model_space(rig, rest);
    for (Pose& pose : track.poses) {
        const auto model = model_space(rig, pose);
        Pose turned = rest;
        std::vector<Transform> done(rig.joints.size());
        for (std::size_t j = 0; j < rig.joints.size(); ++j) {
            const std::size_t from = other[j];
            const int parent = rig.joints[j].parent;
            const Transform above = parent < 0 ? Transform{} : done[std::size_t(parent)];
            const Quat turn = mirrored(model[from].rotation * conjugate(rest_model[from].rotation));
            turned[j].rotation = normalized(conjugate(above.rotation) * turn * rest_model[j].rotation);
            // Where a joint stands off its rest is mirrored too; its bone keeps its length.
            const int from_parent = rig.joints[from].parent;
            const Quat from_above = from_parent < 0 ? Quat{} : model[std::size_t(from_parent)].rotation;
            const Vec3 off = rotate(from_above, pose[from].translation - rest[from].translation);
            turned[j].translation = rest[j].translation + rotate(conjugate(above.rotation), mirrored(off));
            turned[j].scale = pose[from].scale;
            done[j] = above * turned[j];
        }
        pose = std::move(turned);
    }
}

// ---- travel ----

/// The body's heading by how the joint is turned from rest: about +Y, radians. The axis that lies flatter tells: ahead,
/// or sideways where the body rolls over and ahead would flip.
double heading_of(Quat turn, double before) {
    const Vec3 ahead = rotate(turn, {0, 0, 1}), left = rotate(turn, {1, 0, 0});
    const double by_ahead = std::atan2(double(ahead.x), double(ahead.z));
    const double by_left = std::atan2(-double(left.z), double(left.x));
    const bool left_is_flatter = std::abs(left.y) <= std::abs(ahead.y);
    const auto near = [&](double angle) { return before + std::remainder(angle - before, 2 * pi); };
    const double first = near(left_is_flatter ? by_left : by_ahead);
    const double second = near(left_is_flatter ? by_ahead : by_left);
    return std::abs(first - before) > pi / 2 && std::abs(second - before) < std::abs(first - before) ? second : first;
}

std::size_t path_intervals(double seconds) { return std::size_t(std::max(2.0, std::ceil(seconds * path_rate))); }

/// Where the joint is at even instants, seen as a body: its place and its heading.
std::vector<BodyStep> body_path(const PoseTrack& track, const Rig& rig, std::size_t joint, std::size_t intervals) {
    const Quat rest = model_space(rig, rest_pose(rig))[joint].rotation;
    std::vector<BodyStep> path;
    double yaw = 0;
    for (std::size_t i = 0; i <= intervals; ++i) {
        const double at = track.times.front() + track.seconds() * double(i) / double(intervals);
        const Transform model = model_space(rig, pose_at(track, at))[joint];
        yaw = heading_of(model.rotation * conjugate(rest), yaw);
        path.push_back({double(model.translation.x), double(model.translation.y), double(model.translation.z), yaw});
    }
    return path;
}

/// A moving mean with a Gaussian's weights. The ends are mirrored through themselves, so that they stay where they are
/// and a steady motion stays steady.
std::vector<BodyStep> smoothed(const std::vector<BodyStep>& path, double samples) {
    const auto reach = int(std::ceil(3 * samples));
    const auto last = int(path.size()) - 1;
    const auto at = [&](int i, double BodyStep::*part) {
        if (i < 0) { return 2 * path.front().*part - path[std::size_t(std::min(-i, last))].*part; }
        if (i > last) { return 2 * path.back().*part - path[std::size_t(std::max(2 * last - i, 0))].*part; }
        return path[std::size_t(i)].*part;
    };
    std::vector<BodyStep> result = path;
    for (double BodyStep::*part : {&BodyStep::x, &BodyStep::y, &BodyStep::z, &BodyStep::yaw}) {
        for (int i = 0; i <= last; ++i) {
            double sum = 0, weights = 0;
            for (int d = -reach; d <= reach; ++d) {
                const double weight = std::exp(-0.5 * d * d / (samples * samples));
                sum += weight * at(i + d, part);
                weights += weight;
            }
            result[std::size_t(i)].*part = sum / weights;
        }
    }
    return result;
}

/// Only what the definition takes of a motion; forward and sideways are those of the body's own frame.
BodyStep taken(const BodyStep& motion, const TravelDefinition& what) {
    return {what.sideways ? motion.x : 0, what.vertical ? motion.y : 0, what.forward ? motion.z : 0,
            what.turn ? motion.yaw : 0};
}

/// Takes `where` (a place for each of the track's instants) out of the roots' transforms.
void take_out(PoseTrack& track, const Rig& rig, const std::vector<BodyStep>& where) {
    for (std::size_t i = 0; i < track.poses.size(); ++i) {
        const BodyStep back = inverse(where[i]);
        const Transform undo = transform_of(back);
        for (std::size_t j = 0; j < rig.joints.size(); ++j) {
            if (rig.joints[j].parent < 0) { track.poses[i][j] = undo * track.poses[i][j]; }
        }
    }
}

/// The mean place and heading of the body over a loop once its steady motion is taken out.
BodyStep mean_place(const std::vector<BodyStep>& path, const BodyStep& twist) {
    BodyStep mean;
    const std::size_t count = path.size() - 1; // the end is the start again
    for (std::size_t i = 0; i < count; ++i) {
        const BodyStep left = inverse(exponential(scaled(twist, double(i) / double(count)))) * path[i];
        mean.x += left.x / double(count);
        mean.z += left.z / double(count);
        mean.yaw += left.yaw / double(count);
    }
    return mean;
}

double smooth_step(double from, double to, double value) {
    const double t = std::clamp((value - from) / (to - from), 0.0, 1.0);
    return t * t * (3 - 2 * t);
}

/// Where the origin of a clip belongs whose body stands at `body`: under it, but for what sway and lunges bring it from
/// over its feet, which stays in the pose; and facing as it does where that is elsewhere, which the turn of its hips is
/// not. How much stays falls evenly with how far it is, and how far it is averted, so that nothing is a border.
/// `steady`: it is the mean of a loop, in which hips that turn with the steps have no part.
BodyStep home_of(const BodyStep& body, Vec3 rest, const TravelDefinition& what, bool steady) {
    // Hardly any sway or lunge brings a body so far from over its feet: a seventh of the joint's height.
    const double far = 0.15 * std::max(0.2, double(rest.y));
    const double off = std::hypot(body.x - double(rest.x), body.z - double(rest.z)) / far;
    const double elsewhere = 1 - std::exp(-std::pow(off, 4));
    const double averted = std::abs(body.yaw) * degrees_per_radian;
    // Near home hips may be turned far; of what stands somewhere in a recording the heading means as little as the
    // place.
    const double turned =
        std::max(smooth_step(60, 75, averted), elsewhere * (steady ? 1 : smooth_step(15, 45, averted)));
    BodyStep home;
    if (what.turn) { home.yaw = turned * body.yaw; }
    const BodyStep origin = BodyStep{body.x, 0, body.z, home.yaw} * BodyStep{-double(rest.x), 0, -double(rest.z), 0};
    const double moved = std::max(elsewhere, what.turn ? smooth_step(60, 75, averted) : 0);
    home.x = what.sideways ? moved * origin.x : 0;
    home.z = what.forward ? moved * origin.z : 0;
    return home;
}

TravelPath take_travel(PoseTrack& track, const Rig& rig, std::size_t joint, const TravelDefinition& what, bool loops) {
    TravelPath travel;
    const double seconds = track.seconds();
    if (!(seconds > 0)) { return travel; }
    travel.travels = true;
    const std::size_t intervals = path_intervals(seconds);
    const std::vector<BodyStep> path = body_path(track, rig, joint, intervals);
    const Vec3 rest = model_space(rig, rest_pose(rig))[joint].translation;
    std::vector<BodyStep> where;
    if (loops) {
        // A loop gives the game a steady motion: what carries its first frame to its last.
        const BodyStep twist = taken(logarithm(path.back() * inverse(path.front())), what);
        const BodyStep home = home_of(mean_place(path, twist), rest, what, true);
        travel.cycle = logarithm(inverse(home) * exponential(twist) * home);
        for (const double at : track.times) {
            where.push_back(exponential(scaled(twist, (at - track.times.front()) / seconds)) * home);
        }
    } else {
        const std::vector<BodyStep> body = smoothed(path, path_smoothing * double(intervals) / seconds);
        const BodyStep home = home_of(body.front(), rest, what, false);
        // What lies between the origin and the body at the start stays between them.
        const BodyStep from_home = inverse(home) * body.front();
        std::vector<BodyStep> way;
        for (const BodyStep& step : body) {
            const double yaw = what.turn ? home.yaw + step.yaw - body.front().yaw : 0;
            const BodyStep origin =
                BodyStep{step.x, step.y - body.front().y, step.z, yaw} * BodyStep{-from_home.x, 0, -from_home.z, 0};
            way.push_back(
                {what.sideways ? origin.x : 0, what.vertical ? origin.y : 0, what.forward ? origin.z : 0, yaw});
        }
        for (const BodyStep& step : way) { travel.path.push_back(inverse(way.front()) * step); }
        for (const double at : track.times) { where.push_back(place_at(way, (at - track.times.front()) / seconds)); }
    }
    take_out(track, rig, where);
    return what.in_place ? TravelPath{} : travel;
}

// ---- all of it ----

class Preparation {
public:
    Preparation(const ClipSource& source, const Rig& rig, const ClipDefinition& settings,
                const std::vector<std::pair<int, int>>& pairs, DiagnosticSink& sink)
        : source_(source), rig_(rig), settings_(settings), pairs_(pairs), sink_(sink),
          path_("clips." + settings.name.value), seconds_(source.seconds) {
        result_.numbers = source.numbers;
    }

    PreparedClip run() {
        std::size_t joint = 0;
        const bool travels = find_travel_joint(joint);
        const auto window = cut_window();
        if (window) { seconds_ = window->second - window->first; }
        const bool works = !rig_.joints.empty() && source_.seconds > 0;
        reworked_ = window || settings_.reverse || settings_.mirror || travels;
        if (works && (reworked_ || (settings_.loop && is_open(loop_gap(source_, rig_))))) {
            rework(window, travels ? std::optional(joint) : std::nullopt);
        } else {
            result_.poses = PosedClip(source_, rig_);
        }
        if (settings_.rate.value != 1 && settings_.rate.value > 0) {
            result_.poses.quicken(settings_.rate.value);
            for (NumberTrack& track : result_.numbers) { quicken(track, settings_.rate.value); }
        }
        place_marks();
        return std::move(result_);
    }

private:
    bool find_travel_joint(std::size_t& joint) {
        if (!settings_.travel) { return false; }
        const Text& name = settings_.travel->joint;
        if (const auto found = rig_.find(name.value)) {
            joint = std::size_t(*found);
            return true;
        }
        std::vector<std::string> known;
        for (const Joint& j : rig_.joints) { known.push_back(j.name); }
        sink_.unknown(name.place, "joint", name.value, known, path_);
        return false;
    }

    std::optional<std::pair<double, double>> cut_window() {
        if (!settings_.cut) { return std::nullopt; }
        const auto& [from, to] = *settings_.cut;
        constexpr double slack = 0.001; // a length as it was printed
        const double end = source_.seconds;
        if (!(from.value >= 0) || !(to.value - from.value >= shortest_clip) || !(to.value <= end + slack)) {
            sink_.error(
                from.place, "wrong-range",
                fmt::format("'cut' keeps from one second to a later one of the {:.3f} that clip '{}' lasts; found "
                            "[{}, {}]",
                            end, settings_.name.value, from.value, to.value),
                path_);
            return std::nullopt;
        }
        return std::pair(from.value, std::min(to.value, end));
    }

    void mirror_all(PoseTrack& track) {
        if (pairs_.empty()) {
            sink_.error(
                settings_.name.place, "no-mirror",
                fmt::format("clip '{}' cannot be mirrored: no two joints of the rig are named as left and right; "
                            "add 'mirror: {{LEFT: RIGHT}}' to the document",
                            settings_.name.value),
                path_);
            return;
        }
        mirror(track, rig_, pairs_);
    }

    /// Adds the frame that a loop's export left out.
    void complete_loop(PoseTrack& track, const std::optional<std::size_t>& travels_by) {
        const double added = left_out(track, rig_, frame_seconds(source_));
        if (!(added > 0)) { return; }
        BodyStep on;
        if (travels_by) {
            const auto path = body_path(track, rig_, *travels_by, path_intervals(track.seconds()));
            const BodyStep twist = taken(logarithm(path.back() * inverse(path.front())), *settings_.travel);
            on = exponential(scaled(twist, (track.seconds() + added) / track.seconds()));
        }
        add_closing_frame(track, rig_, added, transform_of(on));
        for (NumberTrack& number : result_.numbers) { close_number(number, seconds_ + added); }
        seconds_ += added;
        result_.closing.added = added;
    }

    static void close_number(NumberTrack& number, double at) {
        Track<float>& track = number.values;
        if (track.times.empty() || track.interpolation == Interpolation::cubic_spline) { return; }
        const float first = track.values.front();
        track.times.push_back(at);
        track.values.push_back(first);
    }

    /// Which joints jump from key to key, as far as their keys are still as they came.
    [[nodiscard]] std::vector<bool> stepped_joints(const ClipSource& keys) const {
        std::vector<bool> stepped(rig_.joints.size(), false);
        if (reworked_) { return stepped; }
        for (std::size_t j = 0; j < stepped.size(); ++j) { stepped[j] = has_steps(keys.tracks[j]); }
        return stepped;
    }

    [[nodiscard]] static bool is_open(const LoopGap& gap) {
        constexpr double degrees = 0.01, millimetres = 0.01;
        return gap.degrees > degrees || gap.millimetres > millimetres;
    }
    [[nodiscard]] LoopGap gap_of(const PoseTrack& track) const {
        return gap_between(rig_, track.poses.front(), track.poses.back());
    }

    /// Works on whole poses. `travel_joint`: whose way is taken out, if one's is.
    void rework(const std::optional<std::pair<double, double>>& window,
                const std::optional<std::size_t>& travel_joint) {
        const ClipSource keys = arranged(source_, rig_);
        PoseTrack track = to_poses(keys, rest_pose(rig_));
        if (window) {
            track = cut(track, window->first, window->second);
            cut_numbers(result_.numbers, window->first, window->second);
        }
        if (settings_.reverse) { reverse(track, result_.numbers); }
        if (settings_.mirror) { mirror_all(track); }
        const bool closes = settings_.loop && settings_.close;
        if (closes && (travel_joint || is_open(gap_of(track)))) { complete_loop(track, travel_joint); }
        if (travel_joint) {
            result_.travel = take_travel(track, rig_, *travel_joint, *settings_.travel, settings_.loop);
        }
        if (settings_.loop) { result_.closing.gap = gap_of(track); }
        if (closes && is_open(gap_of(track))) {
            result_.closing.gap = close_gap(track, rig_, stepped_joints(keys), result_.closing.added);
        }
        result_.poses = reworked_ ? PosedClip(std::move(track), rig_) : PosedClip(std::move(track), rig_, keys);
    }

    /// Seconds of the prepared clip for seconds from the cut's beginning.
    [[nodiscard]] double placed(double at) const {
        return (settings_.reverse ? seconds_ - at : at) / (settings_.rate.value > 0 ? settings_.rate.value : 1);
    }

    [[nodiscard]] std::string side_swapped(const std::string& name) const {
        if (!settings_.mirror) { return name; }
        const Side side = sided_name(name).side;
        if (side == Side::middle) { return name; }
        for (const auto& [from, to] : {std::pair{"left", "right"}, std::pair{"right", "left"}}) {
            const auto at = name.find(from);
            if (at != std::string::npos) {
                return name.substr(0, at) + to + name.substr(at + std::string(from).size());
            }
        }
        return name;
    }

    [[nodiscard]] bool lies_within(const Number& at, const std::string& what) {
        constexpr double slack = 0.001;
        if (at.value >= 0 && at.value <= seconds_ + slack) { return true; }
        sink_.error(at.place, "wrong-range",
                    fmt::format("{} stands at {} s, and clip '{}' lasts {:.3f} s", what, at.value, settings_.name.value,
                                seconds_),
                    path_);
        return false;
    }

    void place_marks() {
        for (const MarkDefinition& mark : settings_.marks) {
            if (!lies_within(mark.at, fmt::format("mark '{}'", mark.name.value))) { continue; }
            result_.marks.push_back({side_swapped(mark.name.value), placed(std::min(mark.at.value, seconds_))});
        }
        for (const SpanDefinition& span : settings_.spans) {
            const std::string what = fmt::format("span '{}'", span.name.value);
            if (!lies_within(span.from, what) || !lies_within(span.to, what)) { continue; }
            if (!(span.from.value < span.to.value)) {
                sink_.error(span.from.place, "wrong-range",
                            fmt::format("span '{}' is empty; write its beginning first", span.name.value), path_);
                continue;
            }
            const double a = placed(span.from.value), b = placed(std::min(span.to.value, seconds_));
            result_.spans.push_back({side_swapped(span.name.value), std::min(a, b), std::max(a, b)});
        }
        std::stable_sort(result_.marks.begin(), result_.marks.end(),
                         [](const ClipMark& a, const ClipMark& b) { return a.at < b.at; });
    }

    const ClipSource& source_;
    const Rig& rig_;
    const ClipDefinition& settings_;
    const std::vector<std::pair<int, int>>& pairs_;
    DiagnosticSink& sink_;
    std::string path_;
    double seconds_;        ///< after the cut, at the clip's own rate
    bool reworked_ = false; ///< its poses are no longer those of its keys
    PreparedClip result_;
};

} // namespace

std::vector<std::pair<int, int>> mirror_pairs(const Document& document, const Rig& rig, DiagnosticSink& sink) {
    std::vector<std::pair<int, int>> pairs = mirror_pairs(rig);
    for (const auto& [left, right] : document.mirror) {
        const auto a = rig.find(left.value), b = rig.find(right.value);
        for (const auto& [name, found] : {std::pair(&left, a), std::pair(&right, b)}) {
            if (found) { continue; }
            std::vector<std::string> known;
            for (const Joint& joint : rig.joints) { known.push_back(joint.name); }
            sink.unknown(name->place, "joint", name->value, known, "mirror");
        }
        if (!a || !b) { continue; }
        // What the document says of a joint stands over what its name says.
        std::erase_if(pairs, [&](const auto& pair) {
            return pair.first == *a || pair.first == *b || pair.second == *a || pair.second == *b;
        });
        pairs.emplace_back(*a, *b);
    }
    return pairs;
}

PreparedClip prepare_clip(const ClipSource& source, const Rig& rig, const ClipDefinition& settings,
                          const std::vector<std::pair<int, int>>& pairs, DiagnosticSink& sink) {
    return Preparation(source, rig, settings, pairs, sink).run();
}

} // namespace gait::detail
