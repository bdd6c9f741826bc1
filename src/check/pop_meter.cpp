#include "character/character_data.hpp"
#include "check/turns.hpp"
#include "gait/smoothness.hpp"
#include "math/springs.hpp"
#include "perform/block_of.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>

namespace gait {
namespace detail {

std::vector<Quaternion> body_turns(const SampledClip& clip, const CharacterData& data, double position) {
    const double at = std::clamp(position, 0.0, 1.0) * clip.intervals;
    const auto first = std::min(std::uint32_t(at), clip.intervals > 0 ? clip.intervals - 1 : 0);
    const std::uint32_t second = std::min(first + 1, clip.intervals);
    std::vector<Quaternion> turns;
    for (std::size_t j = 0; j < data.rig.joints.size(); ++j) {
        const auto read = [&](std::uint32_t frame) {
            const float* rows = clip.frame(frame) + j;
            return Quat{rows[0], rows[clip.stride], rows[2 * clip.stride], rows[3 * clip.stride]};
        };
        const Quat a = read(first), b = read(second);
        // A stepped joint has none: it counts as at rest.
        const bool known = dot(a, a) > 0.5F && dot(b, b) > 0.5F;
        const Quaternion own = known ? exact(a).slerp(at - first, exact(b)) : exact(data.rig.joints[j].rest.rotation);
        const int parent = data.parents[j];
        turns.push_back(parent < 0 ? own : turns[std::size_t(parent)] * own);
    }
    return turns;
}

} // namespace detail

using namespace detail;
namespace {

/// The greatest jolt of each joint in body space that a clip makes by itself at 60 frames a second, degrees a second.
std::vector<float> jolts_of(const SampledClip& clip, const CharacterData& data) {
    std::vector<float> greatest(data.rig.joints.size(), 0);
    if (!(clip.seconds > 0)) { return greatest; }
    // Whole frames in a loop, so that its end is looked at as well.
    const int frames = std::max(1, int(std::lround(clip.seconds * PopMeter::rate)));
    const double dt = clip.seconds / frames;
    std::vector<std::vector<Quaternion>> window;
    for (int f = 0; f <= frames + (clip.loops ? 2 : 0); ++f) {
        const double place = double(f) / frames;
        window.push_back(body_turns(clip, data, clip.loops ? place - std::floor(place) : place));
        if (window.size() > 3) { window.erase(window.begin()); }
        if (window.size() < 3) { continue; }
        for (std::size_t j = 0; j < greatest.size(); ++j) {
            const Vector jolt = (turn(window[1][j], window[2][j]) - turn(window[0][j], window[1][j])) / dt;
            greatest[j] = std::max(greatest[j], float(jolt.norm()));
        }
    }
    return greatest;
}

/// A pace beyond which what it does to a clip is no excuse.
constexpr double most_by_pace = 2;

/// How long a fade of `seconds` has to be that an ease brings in, for a jolt of `degrees` a second in one `frame` not
/// to be more than so many. What it needs goes with one over the square of its length; one of a frame or two is over
/// within the jolt, and turns by that alone: an ease over an angle A needs 6 A / T^2.
double ease_needed(double seconds, double frame, double degrees, double most) {
    return std::max(seconds * std::sqrt(degrees / most), std::sqrt(6 * degrees * frame * frame / most));
}

/// The same of an offset, which is quickest at its very beginning. What is off by an angle is so much nearer a frame
/// later; how fast it went is braked at a rate that goes with one over its length.
double offset_needed(double seconds, double frame, double degrees, double most) {
    const auto gone = [&](double all) { return 1 - double(SharedDecay(all, frame).start()); };
    const double wanted = gone(seconds) * most / degrees;
    double enough = seconds * degrees / most, too_short = seconds;
    while (gone(enough) > wanted) {
        too_short = enough;
        enough *= 2;
    }
    for (int round = 0; round < 30; ++round) {
        const double between = (too_short + enough) / 2;
        (gone(between) > wanted ? too_short : enough) = between;
    }
    return std::max(enough, seconds * degrees / most);
}

} // namespace

struct PopMeter::Frame {
    double time = 0;
    std::vector<Quaternion> turns; ///< in body space
    std::vector<float> usual;      ///< the greatest jolt of a clip that plays, a joint each
    std::uint16_t transition = no_index;
    double fade = 0;      ///< seconds, of that
    bool offsets = false; ///< it is an offset that decays
};

PopMeter::PopMeter(const Performer& performer) : character_(performer.shared_character()) {}

void PopMeter::pause() {
    frames_.clear();
    going_on_.clear();
}

const std::vector<float>& PopMeter::jolts_of_clip(std::uint16_t clip) {
    const auto [known, is_new] = of_clips_.try_emplace(clip);
    if (is_new) { known->second = jolts_of(character_->data().clips[clip], character_->data()); }
    return known->second;
}

void PopMeter::add(const Performer& performer) {
    const CharacterData& data = character_->data();
    auto frame = std::make_shared<Frame>();
    frame->time = performer.time();
    std::vector<Transform> pose(data.rig.joints.size());
    performer.model_pose(pose);
    for (const Transform& joint : pose) { frame->turns.push_back(exact(joint.rotation)); }
    frame->usual.assign(pose.size(), 0);
    going_on_.resize(data.layers.size());
    std::uint32_t newest = 0;
    for (std::size_t l = 0; l < data.layers.size(); ++l) {
        const LayerHeader& layer = block_of(performer, l).layer();
        // An offset goes on as fast as what it was caught from, whose clips play no longer.
        if (layer.offset_active == 0) { going_on_[l].clear(); }
        std::vector<float>& usual = going_on_[l];
        usual.resize(pose.size(), 0);
        for (std::size_t i = 0; i < performer.instance_count(l); ++i) {
            const InstanceView view = performer.instance(i, l);
            if (view.serial >= newest) {
                newest = view.serial;
                frame->transition = view.transition;
                // Of a fade that is over by then nothing is to blame.
                const bool fades = view.fade_elapsed < view.fade_seconds + 2 / rate;
                frame->offsets = !(view.fade_seconds > 0) && layer.offset_active != 0;
                frame->fade = frame->offsets ? double(layer.offset_seconds) : fades ? view.fade_seconds : 0;
            }
            const PerformerBlock block = block_of(performer, l);
            const Instance& instance = block.layer().instances[i];
            for (const Playhead& playhead : block.playing(instance)) {
                if (!(playhead.weight > 0)) { continue; }
                const std::uint16_t clip = leaves_of(data, instance)[playhead.leaf].clip;
                // Played twice as fast, a clip by itself jolts four times as hard.
                const double pace = std::fabs(speed_of(data, block, instance, playhead)) * data.clips[clip].seconds;
                const auto harder = float(std::clamp(pace * pace, 1.0, most_by_pace));
                const std::vector<float>& own = jolts_of_clip(clip);
                for (std::size_t j = 0; j < own.size(); ++j) { usual[j] = std::max(usual[j], harder * own[j]); }
            }
        }
        for (std::size_t j = 0; j < usual.size(); ++j) { frame->usual[j] = std::max(frame->usual[j], usual[j]); }
    }
    frames_.push_back(std::move(frame));
    if (frames_.size() > 3) { frames_.erase(frames_.begin()); }
    if (frames_.size() == 3) { measure(); }
}

void PopMeter::measure() {
    const Frame &first = *frames_[0], &middle = *frames_[1], &last = *frames_[2];
    const double first_dt = middle.time - first.time, second_dt = last.time - middle.time;
    if (!(first_dt > 0) || !(second_dt > 0)) { return; }
    constexpr double unseen = 300; // degrees a second
    // What changes over a longer frame changes by as much more.
    const double longer = std::max(1.0, (first_dt + second_dt) / 2 * rate);
    last_jolt_ = 0;
    last_ = {};
    for (std::size_t j = 0; j < middle.turns.size(); ++j) {
        const double jolt =
            (turn(middle.turns[j], last.turns[j]) / second_dt - turn(first.turns[j], middle.turns[j]) / first_dt)
                .norm();
        last_jolt_ = std::max(last_jolt_, jolt);
        const double usual =
            longer * std::max({double(first.usual[j]), double(middle.usual[j]), double(last.usual[j]), unseen});
        if (last_.joint >= 0 && jolt / usual <= last_.ratio) { continue; }
        last_ = {jolt / usual, jolt, usual, int(j), middle.time, last.transition, 0};
    }
    if (last_.joint < 0 || (worst_.joint >= 0 && last_.ratio <= worst_.ratio)) { return; }
    if (last_.ratio > pop_bound && last.fade > 0) {
        const double frame = (first_dt + second_dt) / 2;
        last_.fade_needed =
            (last.offsets ? offset_needed : ease_needed)(last.fade, frame, last_.jolt, pop_bound * last_.usual);
    }
    worst_ = last_;
}

} // namespace gait
