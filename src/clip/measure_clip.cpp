#include "clip/close_loop.hpp"
#include "clip/measure_poses.hpp"
#include "gait/measure.hpp"
#include "math/body_step.hpp"
#include "rig/foot_points.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

namespace gait {
using namespace detail;
namespace {

constexpr double rate = 240;              ///< samples a second
constexpr double shortest_contact = 0.05; ///< seconds; shorter ones, and shorter gaps, are noise
constexpr double still_speed = 0.12;      ///< metres a second; a clip slower than that stands

/// The feet of a clip at even instants.
struct FootTrack {
    Foot foot;
    std::array<std::vector<Vec3>, 2> points; ///< heel and ball, metres in model space, height above the rest's ground
};

double median(std::vector<double> values) {
    if (values.empty()) { return 0; }
    const auto middle = values.begin() + std::ptrdiff_t(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

/// The middle of the shortest stretch that holds half of them: about where most lie.
double densest(std::vector<double> values) {
    if (values.empty()) { return 0; }
    std::sort(values.begin(), values.end());
    const std::size_t half = (values.size() + 1) / 2;
    std::size_t best = 0;
    for (std::size_t i = 0; i + half <= values.size(); ++i) {
        if (values[i + half - 1] - values[i] < values[best + half - 1] - values[best]) { best = i; }
    }
    return values[best + half / 2];
}

class Measuring {
public:
    Measuring(const PoseTrack& clip, const Rig& rig, const std::vector<std::string>& feet)
        : rig_(rig), poses_(clip), seconds_(clip.seconds()), foot_points_(rig, feet), feet_(foot_points_.feet()) {}

    ClipMeasure run() {
        if (seconds_ <= 0 || rig_.joints.empty()) {
            result_.loops = true;
            for (const Foot& foot : feet_) { result_.feet.push_back(describe(foot)); }
            return result_;
        }
        sample();
        measure_way();
        measure_gap();
        if (result_.loops && result_.travels) { stay_in_place(); }
        std::vector<std::vector<bool>> down;
        for (std::size_t f = 0; f < tracks_.size(); ++f) {
            smooth(tracks_[f]);
            down.push_back({});
        }
        ground_ = ground_level();
        noise_ = noise_level();
        constexpr double in_the_air = 0.06; // of the hips' height
        if (!body_.empty() && ground_ > in_the_air * double(body_.front().translation.y)) {
            for (const Foot& foot : feet_) { result_.feet.push_back(describe(foot)); }
            conclude();
            return result_;
        }
        // First by height alone, which tells how the ground moves; then by height and by moving with the ground.
        for (std::size_t f = 0; f < tracks_.size(); ++f) { down[f] = near_ground(tracks_[f]); }
        if (!result_.travels) { ground_velocity_ = ground_under(down, median); }
        for (std::size_t f = 0; f < tracks_.size(); ++f) { down[f] = cleaned(moving_with_ground(tracks_[f])); }
        if (!result_.travels) { ground_velocity_ = ground_under(down, median); }
        for (std::size_t f = 0; f < tracks_.size(); ++f) { result_.feet.push_back(contacts_of(tracks_[f], down[f])); }
        if (steps_again_and_again() && !comes_down_in_turn(result_.feet)) { tell_by_swings(); }
        conclude();
        return result_;
    }

private:
    [[nodiscard]] FootMeasure describe(const Foot& foot) const {
        FootMeasure measure;
        measure.side = foot.side == Side::left ? "left" : "right";
        measure.joint = rig_.joints[std::size_t(foot.ankle)].name;
        return measure;
    }

    /// Where heel and ball are at even instants.
    void sample() {
        count_ = std::max<std::size_t>(2, std::size_t(std::lround(seconds_ * rate)));
        step_ = seconds_ / double(count_);
        tracks_.resize(feet_.size());
        for (std::size_t f = 0; f < feet_.size(); ++f) { tracks_[f].foot = feet_[f]; }
        const int hips = body_parts(rig_).hips;
        for (std::size_t i = 0; i <= count_; ++i) {
            const auto model = model_space(rig_, pose_at(poses_, step_ * double(i)));
            for (std::size_t f = 0; f < feet_.size(); ++f) {
                const auto [heel, ball] = foot_points_.at(f, model);
                tracks_[f].points[0].push_back(heel);
                tracks_[f].points[1].push_back(ball);
            }
            body_.push_back(model[std::size_t(std::max(hips, 0))]);
        }
        first_pose_ = pose_at(poses_, 0);
        last_pose_ = pose_at(poses_, seconds_);
    }

    void measure_way() {
        const Vec3 moved = body_.back().translation - body_.front().translation;
        const auto heading = [](const Transform& body) {
            // Of the turn from the first frame on: which way ahead has gone, seen from above.
            const Vec3 ahead = rotate(body.rotation, {0, 0, 1});
            return std::atan2(double(ahead.x), double(ahead.z));
        };
        const Quat undo = conjugate(body_.front().rotation);
        double yaw = 0;
        for (const Transform& body : body_) {
            Transform turned = body;
            turned.rotation = body.rotation * undo;
            yaw += std::remainder(heading(turned) - yaw, 2 * pi);
        }
        const double distance = std::hypot(double(moved.x), double(moved.z));
        constexpr double least_way = 0.1, least_turn = 12; // metres, degrees
        result_.travels = distance > least_way || std::abs(yaw) * degrees_per_radian > least_turn;
        if (result_.travels) {
            result_.way = {double(moved.x), double(moved.y), double(moved.z), -yaw * degrees_per_radian};
        }
    }

    /// The gap between end and start, once the end is carried back by the way.
    void measure_gap() {
        auto last = last_pose_;
        if (result_.travels) {
            const Transform way = GroundPlace{0, 0, 0, result_.way.heading}.transform();
            const Transform back{conjugate(way.rotation), {}, {1, 1, 1}};
            for (std::size_t j = 0; j < rig_.joints.size(); ++j) {
                if (rig_.joints[j].parent >= 0) { continue; }
                Transform moved = last[j];
                const Vec3 origin = body_.back().translation;
                moved.translation = moved.translation - Vec3{origin.x, 0, origin.z};
                moved = back * moved;
                const Vec3 start = body_.front().translation;
                moved.translation = moved.translation + Vec3{start.x, 0, start.z};
                last[j] = moved;
            }
        }
        result_.gap = gap_between(rig_, first_pose_, last);
        result_.loops = result_.gap.meets();
    }

    /// A loop that goes straight on is seen from the body, as one in place: so its contacts last over its end.
    void stay_in_place() {
        constexpr double least_turn = 1; // degrees
        if (std::abs(result_.way.heading) > least_turn) { return; }
        in_place_ = true;
        const Vec3 step{float(result_.way.x / double(count_)), 0, float(result_.way.z / double(count_))};
        for (FootTrack& track : tracks_) {
            for (auto& points : track.points) {
                for (std::size_t i = 0; i < points.size(); ++i) { points[i] = points[i] - step * float(i); }
            }
        }
        ground_velocity_ = step * float(-1 / step_);
    }

    [[nodiscard]] bool wraps() const { return result_.loops && (!result_.travels || in_place_); }

    /// An index beyond the ends: round a loop, or the end itself.
    [[nodiscard]] std::size_t at(std::ptrdiff_t i) const {
        const auto count = std::ptrdiff_t(count_);
        return std::size_t(wraps() ? ((i % count) + count) % count : std::clamp<std::ptrdiff_t>(i, 0, count));
    }

    /// A mean over a fiftieth of a second either way: steps are slower than that, noise is not.
    void smooth(FootTrack& track) const {
        constexpr std::ptrdiff_t reach = 3;
        for (auto& points : track.points) {
            const auto before = points;
            for (std::size_t i = 0; i < points.size(); ++i) {
                // Straight through the ends of a clip that does not come round.
                std::ptrdiff_t r = reach;
                if (!wraps()) {
                    r = std::min<std::ptrdiff_t>({reach, std::ptrdiff_t(i), std::ptrdiff_t(points.size() - 1 - i)});
                }
                Vec3 sum;
                for (std::ptrdiff_t d = -r; d <= r; ++d) { sum = sum + before[at(std::ptrdiff_t(i) + d)]; }
                points[i] = sum * (1 / float(2 * r + 1));
            }
        }
    }

    [[nodiscard]] static std::size_t lower(const FootTrack& track, std::size_t i) {
        return track.points[0][i].y <= track.points[1][i].y ? 0 : 1;
    }
    [[nodiscard]] static double height(const FootTrack& track, std::size_t i) {
        return double(track.points[lower(track, i)][i].y);
    }
    [[nodiscard]] Vec3 velocity(const FootTrack& track, std::size_t point, std::size_t i) const {
        const std::size_t a = at(std::ptrdiff_t(i) - 1), b = at(std::ptrdiff_t(i) + 1);
        const double seconds = wraps() ? 2 * step_ : step_ * double(b - a);
        return (track.points[point][b] - track.points[point][a]) * float(1 / seconds);
    }

    /// The height at which feet stand: a low one, but not the lowest that noise makes.
    [[nodiscard]] double ground_level() const {
        std::vector<double> heights;
        for (const FootTrack& track : tracks_) {
            for (std::size_t i = 0; i < count_; ++i) { heights.push_back(height(track, i)); }
        }
        if (heights.empty()) { return 0; }
        const auto low = heights.begin() + std::ptrdiff_t(heights.size() / 12);
        std::nth_element(heights.begin(), low, heights.end());
        return *low;
    }

    /// How much heights jitter from sample to sample, metres.
    [[nodiscard]] double noise_level() const {
        std::vector<double> jitter;
        constexpr std::size_t apart = 6;
        for (const FootTrack& track : tracks_) {
            for (std::size_t i = apart; i + apart < count_; ++i) {
                const auto& p = track.points[lower(track, i)];
                jitter.push_back(std::abs(double(p[i - apart].y - 2 * p[i].y + p[i + apart].y)));
            }
        }
        return median(jitter) / 2;
    }

    [[nodiscard]] std::vector<bool> near_ground(const FootTrack& track) const {
        std::vector<bool> down(count_);
        for (std::size_t i = 0; i < count_; ++i) { down[i] = height(track, i) < ground_ + 0.012 + 1.5 * noise_; }
        return down;
    }

    [[nodiscard]] std::vector<bool> moving_with_ground(const FootTrack& track) const {
        const double speed = result_.travels ? std::hypot(result_.way.x, result_.way.z) / seconds_
                                             : std::hypot(double(ground_velocity_.x), double(ground_velocity_.z));
        const double allowed = 0.35 + 0.15 * speed + 25 * noise_;
        std::vector<bool> down(count_);
        for (std::size_t i = 0; i < count_; ++i) {
            if (height(track, i) > ground_ + 0.035 + 1.5 * noise_) { continue; }
            const Vec3 off = velocity(track, lower(track, i), i) - ground_velocity_;
            down[i] = std::hypot(double(off.x), double(off.z)) < allowed;
        }
        return down;
    }

    /// Closes short gaps, then forgets short contacts.
    [[nodiscard]] std::vector<bool> cleaned(std::vector<bool> down) const {
        const auto shortest = std::ptrdiff_t(std::ceil(shortest_contact / step_));
        for (const bool value : {false, true}) {
            const auto before = down;
            for (std::ptrdiff_t i = 0; i < std::ptrdiff_t(count_); ++i) {
                if (before[std::size_t(i)] != value) { continue; }
                std::ptrdiff_t first = i, last = i;
                while (last - first < shortest && inside(first - 1) && before[at(first - 1)] == value) { --first; }
                while (last - first < shortest && inside(last + 1) && before[at(last + 1)] == value) { ++last; }
                const bool at_an_end = !wraps() && (first == 0 || last == std::ptrdiff_t(count_) - 1);
                if (last - first + 1 < shortest && !at_an_end) { down[std::size_t(i)] = !value; }
            }
        }
        return down;
    }
    [[nodiscard]] bool inside(std::ptrdiff_t i) const { return wraps() || (i >= 0 && i < std::ptrdiff_t(count_)); }

    /// How the feet that are down move, by `middle` of what they do along each axis: the ground under a body in place.
    template <typename Middle>
    [[nodiscard]] Vec3 ground_under(const std::vector<std::vector<bool>>& down, Middle middle) const {
        std::vector<double> x, z;
        for (std::size_t f = 0; f < tracks_.size(); ++f) {
            for (std::size_t i = 0; i < count_; ++i) {
                if (!down[f][i]) { continue; }
                const Vec3 v = velocity(tracks_[f], lower(tracks_[f], i), i);
                x.push_back(double(v.x));
                z.push_back(double(v.z));
            }
        }
        return {float(middle(std::move(x))), 0, float(middle(std::move(z)))};
    }

    FootMeasure contacts_of(const FootTrack& track, const std::vector<bool>& down) {
        FootMeasure measure = describe(track.foot);
        std::vector<double> heights;
        std::size_t total = 0;
        for (std::size_t i = 0; i < count_; ++i) {
            if (!down[i]) { continue; }
            ++total;
            heights.push_back(height(track, i));
        }
        for (std::size_t i = 0; i <= count_; ++i) {
            const std::size_t j = at(std::ptrdiff_t(i));
            measure.heights.push_back(height(track, j));
            const Vec3 over = velocity(track, lower(track, j), j) - ground_velocity_;
            measure.speeds.push_back(std::hypot(double(over.x), double(over.z)));
        }
        measure.down = double(total) / double(count_);
        measure.height = median(heights);
        for (std::size_t i = 0; i < count_; ++i) {
            const bool begins = down[i] && (i == 0 && !wraps() ? true : !down[at(std::ptrdiff_t(i) - 1)]);
            if (begins) { measure.contacts.push_back(contact_from(track, down, i)); }
        }
        if (total == count_) { measure.contacts = {{0, seconds_, slide_over(track, 0, std::ptrdiff_t(count_) - 1)}}; }
        for (const Contact& contact : measure.contacts) { measure.slide = std::max(measure.slide, contact.slide); }
        return measure;
    }

    Contact contact_from(const FootTrack& track, const std::vector<bool>& down, std::size_t begin) {
        auto first = std::ptrdiff_t(begin), last = first;
        while (last - first + 1 < std::ptrdiff_t(count_) && inside(last + 1) && down[at(last + 1)]) { ++last; }
        std::vector<double> heights;
        for (std::ptrdiff_t i = first; i <= last; ++i) { heights.push_back(height(track, at(i))); }
        // The edges are where the height leaves that of the stance; speed alone tells them too early and too late.
        const double stance = median(heights), least = 0.0025 + noise_;
        const std::ptrdiff_t middle = (first + last) / 2, widest = std::ptrdiff_t(0.12 / step_);
        std::ptrdiff_t strike = middle, lift = middle;
        while (strike - 1 >= first - widest && inside(strike - 1) &&
               (height(track, at(strike - 1)) < stance + least || strike - 1 > first + widest)) {
            --strike;
        }
        while (lift + 1 <= last + widest && inside(lift + 1) &&
               (height(track, at(lift + 1)) < stance + least || lift + 1 < last - widest)) {
            ++lift;
        }
        Contact contact;
        contact.strike = wrapped(step_ * (double(strike) + touch(track, strike, -1, stance, least)));
        contact.lift_off = wrapped(step_ * (double(lift) - touch(track, lift, 1, stance, least)));
        contact.slide = slide_over(track, std::max(first, strike), std::min(last, lift));
        return contact;
    }

    /// How low and how high a foot goes, what is rare left out, metres.
    struct Swing {
        double low = 0, high = 0;
        [[nodiscard]] double range() const { return high - low; }
    };
    [[nodiscard]] Swing swing_of(const FootTrack& track) const {
        std::vector<double> heights;
        for (std::size_t i = 0; i < count_; ++i) { heights.push_back(height(track, i)); }
        std::sort(heights.begin(), heights.end());
        return {heights[heights.size() / 12], heights[heights.size() * 11 / 12]};
    }
    /// Whether it is lifted at all, and not only shaken.
    [[nodiscard]] bool swings(const Swing& swing) const {
        constexpr double least = 0.04; // of the hips' height
        return swing.range() > least * std::abs(double(body_.front().translation.y)) + 6 * noise_;
    }

    /// Where a foot is in the lower part of its own way up and down: in from a quarter, out again from nearly a half.
    /// No ground has to be known, and a foot that rocks, sinks or tiptoes is down once a step all the same.
    [[nodiscard]] std::vector<bool> low_part(const FootTrack& track, const Swing& swing) const {
        const double in = swing.low + 0.25 * swing.range(), out = swing.low + 0.45 * swing.range();
        std::vector<bool> down(count_);
        bool now = height(track, 0) < out;
        // A second round settles how a loop begins.
        for (std::size_t i = 0; i < (wraps() ? 2 : 1) * count_; ++i) {
            const double at = height(track, i % count_);
            now = at < (now ? out : in);
            down[i % count_] = now;
        }
        return down;
    }

    /// Where stretches begin in which a foot is down.
    [[nodiscard]] std::vector<std::size_t> beginnings(const std::vector<bool>& down) const {
        std::vector<std::size_t> found;
        for (std::size_t i = 0; i < count_; ++i) {
            if (down[i] && (i == 0 ? !wraps() || !down[count_ - 1] : !down[i - 1])) { found.push_back(i); }
        }
        return found;
    }

    /// Whether the feet that are lifted come down in turn: in a loop all of them alike, in what does not come round but
    /// for one step.
    [[nodiscard]] bool comes_down_in_turn(const std::vector<FootMeasure>& feet) const {
        std::vector<std::pair<double, std::size_t>> strikes;
        std::size_t fewest = count_, most = 0;
        for (std::size_t f = 0; f < feet.size(); ++f) {
            if (!swings(swing_of(tracks_[f]))) { continue; }
            fewest = std::min(fewest, feet[f].contacts.size());
            most = std::max(most, feet[f].contacts.size());
            for (const Contact& contact : feet[f].contacts) { strikes.emplace_back(contact.strike, f); }
        }
        if (most > fewest + (wraps() ? 0 : 1) || fewest == 0) { return false; }
        std::sort(strikes.begin(), strikes.end());
        const std::size_t feet_that_step = strikes.size() / std::max<std::size_t>(1, most);
        for (std::size_t i = 1; feet_that_step > 1 && i < strikes.size(); ++i) {
            if (strikes[i].second == strikes[i - 1].second) { return false; }
        }
        return true;
    }

    /// Whether it steps at all: in a loop, or again and again.
    [[nodiscard]] bool steps_again_and_again() const {
        constexpr std::size_t again = 3;
        std::size_t most = 0;
        for (const FootTrack& track : tracks_) {
            const Swing swing = swing_of(track);
            if (swings(swing)) { most = std::max(most, beginnings(low_part(track, swing)).size()); }
        }
        return most >= (wraps() ? 1 : again);
    }

    /// Feet whose touches are not clean, as of claws, of heels or of what was drawn by hand: how each goes up and down
    /// tells its steps, and how most of them move while they are low tells the ground.
    void tell_by_swings() {
        std::vector<std::vector<bool>> down;
        for (const FootTrack& track : tracks_) {
            const Swing swing = swing_of(track);
            down.push_back(swings(swing) ? low_part(track, swing) : std::vector<bool>(count_, true));
        }
        const Vec3 by_height = ground_velocity_;
        if (!result_.travels) { ground_velocity_ = ground_under(down, densest); }
        std::vector<FootMeasure> feet;
        for (std::size_t f = 0; f < tracks_.size(); ++f) { feet.push_back(swung_contacts_of(tracks_[f], down[f])); }
        if (comes_down_in_turn(feet)) {
            result_.feet = std::move(feet);
        } else {
            ground_velocity_ = by_height;
        }
    }

    /// The same with each stretch as it is.
    FootMeasure swung_contacts_of(const FootTrack& track, const std::vector<bool>& down) {
        FootMeasure measure = contacts_of(track, down);
        if (measure.down >= 1) { return measure; }
        measure.contacts.clear();
        measure.slide = 0;
        for (const std::size_t first : beginnings(down)) {
            auto last = std::ptrdiff_t(first);
            while (inside(last + 1) && down[at(last + 1)]) { ++last; }
            const Contact contact{wrapped(step_ * double(first)), wrapped(step_ * double(last + 1)),
                                  slide_over(track, std::ptrdiff_t(first), last)};
            measure.slide = std::max(measure.slide, contact.slide);
            measure.contacts.push_back(contact);
        }
        return measure;
    }

    [[nodiscard]] double wrapped(double seconds) const {
        if (!wraps()) { return std::clamp(seconds, 0.0, seconds_); }
        return seconds - seconds_ * std::floor(seconds / seconds_);
    }

    /// Samples from the last one below `stance + least` (looking in `direction`) back to the touch itself. A foot comes
    /// down and goes up along some power of time; three heights, each four times the one before, tell which.
    [[nodiscard]] double touch(const FootTrack& track, std::ptrdiff_t edge, std::ptrdiff_t direction, double stance,
                               double least) const {
        std::array<double, 3> out{};
        double level = least;
        std::ptrdiff_t i = edge;
        const std::ptrdiff_t farthest = std::ptrdiff_t(0.15 / step_);
        for (double& crossing : out) {
            while (std::abs(i - edge) < farthest && inside(i + direction) &&
                   height(track, at(i + direction)) < stance + level) {
                i += direction;
            }
            if (!inside(i + direction) || std::abs(i - edge) >= farthest) { return out[0] > 0 ? 0.7 * -out[0] : 0; }
            const double below = height(track, at(i)), above = height(track, at(i + direction));
            const double part = above > below ? std::clamp((stance + level - below) / (above - below), 0.0, 1.0) : 0;
            crossing = double(std::abs(i - edge)) + part;
            level *= 4;
        }
        if (!(out[1] > out[0])) { return -out[0]; }
        const double growth = std::clamp((out[2] - out[1]) / (out[1] - out[0]), 2.0, 4.0); // a parabola to a line
        return (out[1] - out[0]) / (growth - 1) - out[0];
    }

    /// How far the point that is down moves over the ground, as long as it is the same point.
    [[nodiscard]] double slide_over(const FootTrack& track, std::ptrdiff_t first, std::ptrdiff_t last) const {
        double worst = 0;
        Vec3 slid;
        std::size_t point = lower(track, at(first));
        for (std::ptrdiff_t i = first + 2; i + 2 < last; ++i) { // the very edges belong to the swing as well
            if (lower(track, at(i)) != point) {
                point = lower(track, at(i));
                slid = {};
            }
            slid = slid + (velocity(track, point, at(i)) - ground_velocity_) * float(step_);
            worst = std::max(worst, std::hypot(double(slid.x), double(slid.z)));
        }
        return worst;
    }

    void conclude() {
        Vec3 over_ground = ground_velocity_ * -1;
        if (result_.travels) {
            over_ground = Vec3{float(result_.way.x), 0, float(result_.way.z)} * float(1 / seconds_);
        }
        result_.speed = std::hypot(double(over_ground.x), double(over_ground.z));
        if (result_.speed < still_speed && !result_.travels) { result_.speed = 0; }
        if (result_.speed > 0) {
            result_.direction = -std::atan2(double(over_ground.x), double(over_ground.z)) * degrees_per_radian;
            if (result_.direction < -179.9) { result_.direction += 360; } // straight back is 180
        }
        std::size_t steps = 0, most = 0;
        for (FootMeasure& foot : result_.feet) {
            // A foot that never leaves the ground makes no step.
            const bool stays = foot.down > 0.999;
            steps += stays ? 0 : foot.contacts.size();
            most = std::max(most, stays ? 0 : foot.contacts.size());
        }
        result_.steps_a_minute = double(steps) / seconds_ * 60;
        if (most > 0) { result_.stride = result_.speed * seconds_ / double(most); }
    }

    const Rig& rig_;
    const PoseTrack& poses_;
    double seconds_;
    FootPoints foot_points_;
    std::vector<Foot> feet_;
    std::size_t count_ = 0; ///< samples of the clip; one more is stored, its end
    double step_ = 0;       ///< seconds
    std::vector<FootTrack> tracks_;
    std::vector<Transform> body_; ///< the hips in model space
    std::vector<Transform> first_pose_, last_pose_;
    double ground_ = 0, noise_ = 0;
    bool in_place_ = false; ///< a travelling loop whose way was taken out
    Vec3 ground_velocity_;
    ClipMeasure result_;
};

} // namespace

namespace detail {

ClipMeasure measure_poses(const PoseTrack& clip, const Rig& rig, const std::vector<std::string>& feet) {
    return Measuring(clip, rig, feet).run();
}

} // namespace detail

ClipMeasure measure_clip(const ClipSource& clip, const Rig& rig, const std::vector<std::string>& feet) {
    PoseTrack track = to_poses(clip, rig);
    const double added = left_out(track, rig, frame_seconds(clip));
    if (!(added > 0)) { return measure_poses(track, rig, feet); }
    const ClipMeasure as_it_is = measure_poses(track, rig, feet);
    // The way goes on as it went so far.
    const GroundPlace& way = as_it_is.way;
    const BodyStep gone{way.x, 0, way.z, -way.heading / degrees_per_radian};
    const double longer = (track.seconds() + added) / track.seconds();
    const BodyStep on = as_it_is.travels ? exponential(scaled(logarithm(gone), longer)) : BodyStep{};
    add_closing_frame(track, rig, added, transform_of(on));
    ClipMeasure complete = measure_poses(track, rig, feet);
    complete.left_out = added;
    complete.gap = as_it_is.gap;
    return complete;
}

} // namespace gait
