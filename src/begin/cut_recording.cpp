#include "begin/evidence.hpp"
#include "clip/pose_track.hpp"
#include "gait/cut.hpp"
#include "rig/foot_points.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait {
using namespace detail;
namespace {

constexpr double a_recording = 6;     ///< seconds: less is a clip
constexpr double least_speed = 0.15;  ///< metres a second of somebody who goes
constexpr double rate = 30;           ///< instants a second
constexpr double goes = 0.3;          ///< metres a second
constexpr double turns = 35;          ///< degrees a second
constexpr double off_ground = 0.06;   ///< metres
constexpr double shortest_air = 0.12; ///< seconds
constexpr double shortest = 0.35;     ///< seconds of anything else
constexpr double longest_way = 1.4;   ///< seconds that lead into the air, or out of it
constexpr double a_step = 0.9;        ///< seconds
constexpr double least_turn = 45;     ///< degrees
constexpr double around = 0.2;        ///< seconds by which a thing begins before it is seen

enum class Doing { standing, moving, airborne };

struct Stretch {
    Doing doing = Doing::standing;
    std::size_t from = 0, to = 0; ///< instants; `to` is the first of the next
    [[nodiscard]] double seconds() const { return double(to - from) / rate; }
};

double median_of(std::vector<double> values) {
    if (values.empty()) { return 0; }
    const auto middle = values.begin() + std::ptrdiff_t(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// What the body does at each instant.
struct Reading {
    std::vector<Vec3> places;     ///< metres, of the hips
    std::vector<double> headings; ///< degrees to the right, without a jump
    std::vector<Doing> doing;

    Reading(const ClipSource& clip, const Rig& rig) {
        const ClipSource own = arranged(clip, rig);
        const FootPoints points(rig);
        const BodyParts parts = body_parts(rig);
        const auto rest = rest_pose(rig);
        const auto hips = std::size_t(std::max(0, parts.hips));
        const auto rest_turn = model_space(rig, rest)[hips].rotation;
        const auto count = std::size_t(clip.seconds * rate) + 1;
        std::vector<double> lowest(count), heights(count);
        places.resize(count);
        headings.resize(count);
        for (std::size_t i = 0; i < count; ++i) {
            const auto model = model_space(rig, pose_at(own, rest, double(i) / rate));
            places[i] = model[hips].translation;
            heights[i] = double(places[i].y);
            const Vec3 ahead = rotate(model[hips].rotation * conjugate(rest_turn), Vec3{0, 0, 1});
            const double heading = -std::atan2(double(ahead.x), double(ahead.z)) * degrees_per_radian;
            headings[i] = i == 0 ? heading : headings[i - 1] + std::remainder(heading - headings[i - 1], 360.0);
            lowest[i] = points.feet().empty() ? 0 : 1e9;
            for (std::size_t f = 0; f < points.feet().size(); ++f) {
                for (const Vec3& point : points.at(f, model)) { lowest[i] = std::min(lowest[i], double(point.y)); }
            }
        }
        const double ground = median_of(lowest); // where the lower foot mostly is
        constexpr std::size_t half = 6;          // of the window over which speeds are taken: 0.4 s
        doing.resize(count);
        std::vector<double> standing;
        for (std::size_t i = 0; i < count; ++i) {
            const std::size_t before = i < half ? 0 : i - half, after = std::min(count - 1, i + half);
            const double dt = double(after - before) / rate;
            const Vec3 way = places[after] - places[before];
            const double speed = dt > 0 ? std::hypot(double(way.x), double(way.z)) / dt : 0;
            const double turning = dt > 0 ? std::fabs(headings[after] - headings[before]) / dt : 0;
            doing[i] = lowest[i] - ground > off_ground   ? Doing::airborne
                       : speed > goes || turning > turns ? Doing::moving
                                                         : Doing::standing;
            if (doing[i] == Doing::standing) { standing.push_back(heights[i]); }
        }
        // Who bends or draws up does not stand, though nothing gets anywhere.
        const double upright = median_of(standing);
        for (std::size_t i = 0; i < count; ++i) {
            const bool bends = std::fabs(heights[i] - upright) > 0.05 * upright;
            if (doing[i] == Doing::standing && bends) { doing[i] = Doing::moving; }
        }
    }

    /// What is too short to be a thing by itself goes to what is before it.
    [[nodiscard]] std::vector<Stretch> stretches() const {
        std::vector<Stretch> list;
        for (std::size_t i = 0; i < doing.size(); ++i) {
            if (list.empty() || list.back().doing != doing[i]) { list.push_back({doing[i], i, i}); }
            list.back().to = i + 1;
        }
        const auto too_short = [](const Stretch& stretch) {
            return stretch.seconds() < (stretch.doing == Doing::airborne ? shortest_air : shortest);
        };
        for (auto found = std::find_if(list.begin(), list.end(), too_short); found != list.end() && list.size() > 1;
             found = std::find_if(list.begin(), list.end(), too_short)) {
            // Between two jumps there is always something, however short.
            const auto other = found != list.begin() ? found - 1 : found + 1;
            if (found->doing == Doing::standing && other->doing == Doing::airborne) {
                found->doing = Doing::moving;
                if (found->seconds() < shortest) { found->to = found->from + std::size_t(shortest * rate) + 1; }
                continue;
            }
            other->from = std::min(other->from, found->from);
            other->to = std::max(other->to, found->to);
            list.erase(found);
        }
        for (std::size_t s = 1; s < list.size();) {
            list[s].from = list[s - 1].to;
            if (list[s].doing == list[s - 1].doing || list[s].to <= list[s].from) {
                list[s - 1].to = std::max(list[s - 1].to, list[s].to);
                list.erase(list.begin() + std::ptrdiff_t(s));
            } else {
                ++s;
            }
        }
        return list;
    }
};

class Cutter {
public:
    Cutter(const BeginningClip& clip, const Rig& rig)
        : clip_(clip), rig_(rig), plan_(rig), reading_(clip.source, rig), stretches_(reading_.stretches()) {}

    std::vector<BeginningClip> run() {
        stand();
        // Between two stretches of standing something is done.
        for (std::size_t first = 0; first < stretches_.size();) {
            if (stretches_[first].doing == Doing::standing) {
                ++first;
                continue;
            }
            std::size_t last = first;
            while (last + 1 < stretches_.size() && stretches_[last + 1].doing != Doing::standing) { ++last; }
            look(first, last);
            first = last + 1;
        }
        return std::move(found_);
    }

private:
    void add(const char* what, double from, double to) {
        from = std::max(0.0, from);
        to = std::min(clip_.source.seconds, to);
        // Three of a kind show what there is; a minute of walking has many more.
        constexpr int most = 3;
        const auto same =
            std::count_if(found_.begin(), found_.end(), [&](const BeginningClip& c) { return c.found_as == what; });
        if (to - from < 0.15 || same >= most) { return; }
        found_from_ = from;
        found_to_ = to;
        BeginningClip cut = clip_;
        cut.cut = {std::round(from * 1000) / 1000, std::round(to * 1000) / 1000};
        cut.source = brought_home(cut_clip(clip_.source, rig_, cut.cut->first, cut.cut->second), what);
        cut.found_as = what;
        found_.push_back(std::move(cut));
    }

    /// The cut as it will be played: where it stands and faces in the recording means nothing.
    [[nodiscard]] ClipSource brought_home(ClipSource cut, const std::string& what) const {
        const auto first = std::size_t(std::lround(found_from_ * rate));
        const bool loops = what == "stride" || what == "stand";
        const auto last = loops ? std::size_t(std::lround(found_to_ * rate)) : first;
        double heading = 0;
        for (std::size_t i = first; i <= last; ++i) {
            heading += reading_.headings[std::min(i, reading_.headings.size() - 1)] / double(last - first + 1);
        }
        const Quat turn = axis_angle({0, 1, 0}, heading);
        const Vec3 place = reading_.places[std::min(first, reading_.places.size() - 1)];
        for (std::size_t t = 0; t < cut.joints.size(); ++t) {
            const auto joint = rig_.find(cut.joints[t]);
            if (!joint || rig_.joints[std::size_t(*joint)].parent >= 0) { continue; }
            for (Quat& q : cut.tracks[t].rotation.values) { q = turn * q; }
            for (Vec3& v : cut.tracks[t].translation.values) { v = rotate(turn, v - Vec3{place.x, 0, place.z}); }
        }
        return cut;
    }

    [[nodiscard]] double begins(std::size_t s) const { return double(stretches_[s].from) / rate; }
    [[nodiscard]] double ends(std::size_t s) const {
        return std::min(clip_.source.seconds, double(stretches_[s].to) / rate);
    }

    /// Metres by which two poses are apart at most.
    static double farthest(const Places& a, const Places& b) {
        double most = 0;
        for (std::size_t j = 0; j < a.size(); ++j) { most = std::max(most, double(length(a[j] - b[j]))); }
        return most;
    }

    /// Of all that stands the stretch whose end is most like its beginning; the longer of two alike.
    void stand() {
        constexpr double step = 0.1, least = 0.8, most = 5; // seconds
        double best = 1e9, from = 0, to = 0;
        for (std::size_t s = 0; s < stretches_.size(); ++s) {
            if (stretches_[s].doing != Doing::standing || ends(s) - begins(s) < least) { continue; }
            BeginningClip all = clip_;
            all.source = cut_clip(clip_.source, rig_, begins(s), ends(s));
            const Evidence seen = look_at(all, "", rig_, plan_);
            const auto count = seen.poses.size();
            const double each = seen.seconds / double(count - 1);
            const auto stride = std::max<std::size_t>(1, std::size_t(step / each));
            for (std::size_t a = 0; a < count; a += stride) {
                for (std::size_t b = a + std::size_t(least / each); b < count && double(b - a) * each < most;
                     b += stride) {
                    const double off = farthest(seen.poses[a], seen.poses[b]) - 0.01 * double(b - a) * each;
                    if (off < best) {
                        best = off, from = begins(s) + double(a) * each, to = begins(s) + double(b) * each;
                    }
                }
            }
        }
        if (to > from) { add("stand", from, to); }
    }

    /// What is done in the stretches `first` to `last`, none of which stands.
    void look(std::size_t first, std::size_t last) {
        const bool stood = first > 0, will_stand = last + 1 < stretches_.size();
        const double from = begins(first), to = ends(last);
        bool jumped = false;
        for (std::size_t s = first; s <= last; ++s) {
            if (stretches_[s].doing != Doing::airborne) { continue; }
            jumped = true;
            const double middle = (begins(s) + ends(s)) / 2;
            add("take_off", std::max(begins(s) - longest_way, s > first ? begins(s - 1) : from - around), middle);
            add("landing", middle, std::min(ends(s) + longest_way, s < last ? ends(s + 1) : to + around));
        }
        if (jumped) { return; }
        const Vec3 way = reading_.places[stretches_[last].to - 1] - reading_.places[stretches_[first].from];
        const double turned =
            std::fabs(reading_.headings[stretches_[last].to - 1] - reading_.headings[stretches_[first].from]);
        if (turned > least_turn && std::hypot(double(way.x), double(way.z)) < turned / 180) {
            return add("turn", from - around / 2, to + around / 2);
        }
        auto cuts = find_cuts(cut_clip(clip_.source, rig_, from, to), rig_);
        const auto strides = std::find_if(cuts.begin(), cuts.end(), [](const ClipCut& cut) { return cut.strides > 0; });
        if (strides != cuts.end()) { add("stride", from + strides->from, from + strides->to); }
        if (to - from < 2 * a_step) { return; }
        if (stood) { add("set_off", from - around, from + a_step); }
        if (will_stand) { add("stop", to - a_step, to + around); }
    }

    const BeginningClip& clip_;
    const Rig& rig_;
    BodyPlan plan_;
    Reading reading_;
    std::vector<Stretch> stretches_;
    std::vector<BeginningClip> found_;
    double found_from_ = 0, found_to_ = 0; ///< seconds of what is being added
};

/// Of somebody who goes on the spot for several strides, the stretch that comes round best.
std::vector<BeginningClip> one_gait(const BeginningClip& clip, const Rig& rig, const ClipMeasure& measure) {
    const bool many = std::all_of(measure.feet.begin(), measure.feet.end(),
                                  [](const FootMeasure& foot) { return foot.contacts.size() >= 3; });
    if (!many || measure.feet.empty()) { return {}; }
    for (const ClipCut& cut : find_cuts(clip.source, rig)) {
        if (cut.strides == 0 || !(cut.measure.speed > least_speed)) { continue; }
        BeginningClip found = clip;
        found.source = cut_clip(clip.source, rig, cut.from, cut.to);
        found.cut = {cut.from, cut.to};
        return {std::move(found)};
    }
    return {};
}

} // namespace

std::vector<BeginningClip> cut_recording(const BeginningClip& clip, const Rig& rig) {
    const ClipMeasure measure = measure_clip(clip.source, rig);
    if (!measure.loops && !measure.travels && measure.speed > least_speed) { return one_gait(clip, rig, measure); }
    if (clip.source.seconds < a_recording) { return {}; }
    const bool stays =
        std::all_of(measure.feet.begin(), measure.feet.end(), [](const FootMeasure& foot) { return foot.down > 0.97; });
    if (measure.loops || (stays && !measure.travels)) { return {}; }
    return Cutter(clip, rig).run();
}

} // namespace gait
