#include "perform/weights.hpp"

#include "gait/eases.hpp"
#include "math/springs.hpp"
#include "perform/clip_events.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

/// The part of a group's clips that walk, by weight, whose travel moves the body.
double travelling_part(const CharacterData& data, std::span<const Leaf> leaves, std::span<const Playhead> playing,
                       std::uint16_t group) {
    double walking = 0, travelling = 0;
    for (const Playhead& playhead : playing) {
        const Leaf& leaf = leaves[playhead.leaf];
        const bool walks = (leaf.speed_right != 0 || leaf.speed_ahead != 0);
        if (leaf.pace_group != group || !walks) { continue; }
        walking += double(playhead.weight);
        if (data.clips[leaf.clip].travel.travels) { travelling += double(playhead.weight); }
    }
    return walking > 0 ? travelling / walking : 0;
}

/// The rates at which the clips of an instance play.
void set_paces(Frame& frame, const Instance& instance, const Carried& carried) {
    const auto leaves = leaves_of(frame.data, instance);
    const std::span<Playhead> playing = frame.block.playing(instance);
    for (Playhead& playhead : playing) {
        playhead.pace = 1;
        if (leaves[playhead.leaf].pace.empty()) { continue; }
        const float pace = evaluate(frame.data.instructions(leaves[playhead.leaf].pace), inputs_of(frame));
        playhead.pace = std::isfinite(pace) ? std::clamp(pace, -greatest_pace, greatest_pace) : 0;
    }
    VelocityCorrection& correction = frame.block.velocity_correction(instance);
    correction = {};
    std::uint16_t done = 0; // groups are counted as they come, so those of a motion rise along its leaves
    for (const Playhead& first : playing) {
        if (leaves[first.leaf].pace_group <= done) { continue; }
        done = leaves[first.leaf].pace_group;
        const PaceGroup& group = frame.data.motions.pace_groups[done - 1U];
        const auto known = std::find_if(carried.groups.begin(), carried.groups.begin() + std::ptrdiff_t(carried.count),
                                        [&](const Carried::Group& g) { return g.pace_group == done; });
        const PlanePoint own = known != carried.groups.begin() + std::ptrdiff_t(carried.count)
                                   ? PlanePoint{known->right, known->ahead}
                                   : carried_by(leaves, playing, done);
        const PlanePoint asked = group.cursor == no_index
                                     ? PlanePoint{0, double(frame.block.smoothed()[group.parameter])}
                                     : frame.block.cursors()[group.cursor];
        // Standing still, any pace would do; this much of each keeps it at 1 there.
        constexpr double still = 0.01; // metres a second
        const double pace =
            (length_of(asked.x, asked.y) + still) / (length_of(own.x, own.y) * frame.header.scale + still);
        const auto factor = float(std::clamp(pace, group.slowest, group.fastest));
        for (Playhead& playhead : playing) {
            const Leaf& leaf = leaves[playhead.leaf];
            if (leaf.pace_group == done && (leaf.speed_right != 0 || leaf.speed_ahead != 0)) {
                playhead.pace *= factor;
            }
        }
        if (known == carried.groups.begin() + std::ptrdiff_t(carried.count)) { continue; }
        // The travel of its clips is their mean; what the blend really gives beside it is added.
        const PlanePoint mean = carried_by(leaves, playing, done);
        const double part = travelling_part(frame.data, leaves, playing, done);
        correction.right += float(part * (known->right * double(factor) - mean.x));
        correction.ahead += float(part * (known->ahead * double(factor) - mean.y));
    }
}

/// A weight goes on toward what is wanted. It has all but arrived after `fade` seconds: a critically damped spring
/// needs some three times its lag. False when it stands.
bool follow_weight(TermState& state, double wanted, double fade, double dt) {
    if (state.value == wanted && state.velocity == 0) { return false; }
    Follower now = follow({state.value, state.velocity}, wanted, fade / 3, dt);
    arrive(now, wanted, least_weight, least_weight);
    state = {now.value, now.velocity};
    return true;
}

/// The clips of an instance that play on keep their places, those that lose their weight end, and those that get some
/// are new. False when no clip was.
bool keep_playing(Frame& frame, std::size_t index, const LeafWeights& weighed) {
    const Instance& instance = frame.layer.instances[index];
    std::span<Playhead> playing = frame.block.playing(instance);
    if (playing.size() == weighed.size()) {
        // Most often all play on.
        auto playhead = playing.begin();
        for (const LeafWeight* leaf = weighed.begin(); leaf != weighed.end() && playhead->leaf == leaf->leaf; ++leaf) {
            playhead->weight = leaf->weight;
            ++playhead;
        }
        if (playhead == playing.end()) { return false; }
    }
    std::size_t kept = 0;
    for (const Playhead& playhead : playing) {
        const bool stays = std::any_of(weighed.begin(), weighed.end(),
                                       [&](const LeafWeight& leaf) { return leaf.leaf == playhead.leaf; });
        if (!stays) { end_clip_events(frame, index, playhead); }
        if (stays) { playing[kept++] = playhead; }
    }
    // Both are in order, so that from the last one down each goes to its place without a second list.
    playing = frame.block.resize_playing(instance, weighed.size());
    for (std::size_t place = weighed.size(); place-- > 0;) {
        const LeafWeight& leaf = weighed.begin()[place];
        if (kept > 0 && playing[kept - 1].leaf == leaf.leaf) {
            playing[place] = playing[--kept];
        } else {
            playing[place] = Playhead{};
            playing[place].leaf = leaf.leaf;
            playing[place].begins = 1;
        }
        playing[place].weight = leaf.weight;
    }
    return true;
}

} // namespace

double wanted_weight(const Frame& frame, const Term& term) {
    if (term.weight.empty()) { return 1; }
    const float wanted = evaluate(frame.data.instructions(term.weight), inputs_of(frame));
    return std::isfinite(wanted) ? std::clamp(double(wanted), 0.0, 1.0) : 0;
}

void begin_terms(Frame& frame) {
    const Instance& fresh = frame.active();
    const Motion& motion = frame.motion_of(fresh);
    for (std::uint32_t t = 0; t < motion.term_count; ++t) {
        const double value = wanted_weight(frame, frame.data.motions.terms[motion.first_term + t]);
        frame.block.term_states(fresh)[t] = {value, 0};
        frame.block.terms(fresh)[t] = float(value);
    }
}

void follow_weight(Frame& frame, double dt) {
    const Term& term = frame.compiled.weight;
    follow_weight(frame.layer.weight, wanted_weight(frame, term), term.fade, dt);
}

namespace {

/// Whether some weight of its mixes and additions changed.
bool follow_terms(Frame& frame, const Instance& instance, double dt) {
    const Motion& motion = frame.motion_of(instance);
    bool changed = false;
    for (std::uint32_t t = 0; t < motion.term_count; ++t) {
        const Term& term = frame.data.motions.terms[motion.first_term + t];
        TermState& state = frame.block.term_states(instance)[t];
        if (!follow_weight(state, wanted_weight(frame, term), term.fade, dt)) { continue; }
        frame.block.terms(instance)[t] = float(std::clamp(state.value, 0.0, 1.0));
        changed = true;
    }
    return changed;
}

void weigh(Frame& frame, std::size_t index) {
    const Instance& instance = frame.layer.instances[index];
    const Motion& motion = frame.motion_of(instance);
    LeafWeights weighed(frame.block.most_playing());
    const Carried carried =
        weigh(frame.data.motions, motion, {frame.block.smoothed(), frame.block.cursors(), frame.block.terms(instance)},
              weighed);
    const bool some_begin = keep_playing(frame, index, weighed);
    if (motion.paced) { set_paces(frame, instance, carried); }
    if (!some_begin) { return; }
    const auto leaves = frame.data.motions.leaves_of(motion);
    for (Playhead& playhead : frame.block.playing(instance)) {
        if (playhead.begins == 0) { continue; }
        playhead.begins = 0;
        if (!leaves[playhead.leaf].synced && playhead.pace < 0) { playhead.position = 1; }
        // A motion that is only just entered has no place yet: `begin_active` tells what it begins with.
        if (instance.elapsed > 0) { begin_clip_events(frame, index, playhead); }
    }
}

} // namespace

void follow_terms(Frame& frame, double dt) {
    // What was entered in this very instant has its weights already.
    if (!(frame.active().elapsed > 0)) { return; }
    if (follow_terms(frame, frame.active(), dt)) { frame.layer.weight_moved = 1; }
}

void weigh_active(Frame& frame) { weigh(frame, frame.layer.instance_count - 1U); }

void weigh_left(Frame& frame, bool inputs_moved, double dt) {
    // What of the active motion's hangs on the shares of others is not foreseen while those fade.
    for (std::size_t i = 0; i + 1 < frame.layer.instance_count; ++i) {
        const Instance& instance = frame.layer.instances[i];
        if (!frame.state_of(instance).live_inputs || instance.frozen != 0) { continue; }
        const bool weights_moved = follow_terms(frame, instance, dt);
        if (!weights_moved && !(inputs_moved && hangs_on_inputs(frame.motion_of(instance)))) { continue; }
        weigh(frame, i);
    }
}

} // namespace gait::detail
