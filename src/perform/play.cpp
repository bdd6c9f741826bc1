#include "perform/play.hpp"

#include "perform/begin_fade.hpp"
#include "perform/clip_events.hpp"
#include "perform/evaluate.hpp"
#include "perform/playheads.hpp"
#include "perform/shared_phase.hpp"
#include "perform/weights.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

std::uint8_t free_slot(const LayerHeader& layer) {
    unsigned used = 0;
    for (std::size_t i = 0; i < layer.instance_count; ++i) { used |= 1U << layer.instances[i].slot; }
    std::uint8_t slot = 0;
    while (((used >> slot) & 1U) != 0) { ++slot; }
    return slot;
}

/// Where the motion that is being left stands, for one that goes on from there.
struct Reference {
    bool known = false;
    std::uint16_t clip = 0;
    double position = 0;
    bool loops = false;
    bool synced = false;
};

Reference reference_of(const Frame& frame) {
    if (frame.layer.instance_count == 0) { return {}; }
    const Instance& instance = frame.active();
    const Playhead* heaviest = heaviest_clip(frame.data, frame.block, instance);
    if (heaviest == nullptr) { return {}; }
    const Leaf& leaf = leaves_of(frame.data, instance)[heaviest->leaf];
    return {true, leaf.clip, place_of(frame.data, frame.layer, instance, leaf, *heaviest).position, leaf.loops,
            follows_phase(instance, leaf)};
}

/// The place in `clip` that is as far from a footfall as the reference is from its nearest one of the same foot.
double footfall_place(const CharacterData& data, const Reference& from, std::uint16_t clip, bool loops) {
    const auto& out = data.clip_events[from.clip].footfalls;
    const auto& in = data.clip_events[clip].footfalls;
    const Footfall* nearest = nullptr;
    double offset = 0;
    for (const Footfall& footfall : out) {
        double away = from.position - footfall.at;
        if (from.loops) { away -= std::round(away); }
        if (nearest == nullptr || std::fabs(away) < std::fabs(offset)) {
            nearest = &footfall;
            offset = away;
        }
    }
    if (nearest == nullptr) { return 0; }
    for (const Footfall& footfall : in) {
        if (footfall.foot != nearest->foot) { continue; }
        const double place =
            footfall.at + offset * data.clips[from.clip].seconds / std::max(1e-9, data.clips[clip].seconds);
        return loops ? place - std::floor(place) : std::clamp(place, 0.0, 1.0);
    }
    return 0;
}

double place_to_enter(const Frame& frame, const Entrance& entrance, const Reference& from, const Leaf& leaf) {
    switch (entrance.at) {
    case EnterAt::fraction:
        return leaf.loops && entrance.fraction >= 1 ? 0 : entrance.fraction;
    case EnterAt::mark:
        for (const PlacedMark& mark : frame.data.clip_events[leaf.clip].marks) {
            if (mark.mark == entrance.mark) { return leaf.loops && mark.at >= 1 ? 0 : mark.at; }
        }
        return 0;
    case EnterAt::phase:
        return from.known ? from.position : 0;
    case EnterAt::footfall:
        return from.known ? footfall_place(frame.data, from, leaf.clip, leaf.loops) : 0;
    case EnterAt::beginning:
        break;
    }
    return 0;
}

/// Sets the playheads of the newest motion, whose weights are known; and the shared phase, unless another layer leads
/// it.
void place_playheads(Frame& frame, const Entrance& entrance, const Reference& from, bool led) {
    const Instance& fresh = frame.active();
    const auto leaves = leaves_of(frame.data, fresh);
    bool phase_placed = led;
    for (Playhead& playhead : frame.block.playing(fresh)) {
        const Leaf& leaf = leaves[playhead.leaf];
        const double place = place_to_enter(frame, entrance, from, leaf);
        if (!leaf.synced) {
            if (entrance.at != EnterAt::beginning) { playhead.position = place; }
        } else if (!phase_placed) {
            SharedPhase(frame).put(leaf, place);
            phase_placed = true;
        }
    }
}

/// Adds an instance for the active leaf of the tree.
Instance& add_instance(Frame& frame, std::uint16_t node, const Entrance& entrance) {
    PerformerHeader& header = frame.header;
    LayerHeader& layer = frame.layer;
    Instance& fresh = layer.instances[layer.instance_count];
    const std::uint8_t slot = free_slot(layer);
    fresh = Instance{};
    fresh.serial = header.next_serial++;
    fresh.state = node;
    fresh.entered_by = entrance.by;
    fresh.fade = entrance.fade;
    fresh.ease = entrance.ease;
    fresh.slot = slot;
    fresh.settling = entrance.settle ? 1 : 0;
    ++layer.instance_count;
    frame.block.resize_playing(fresh, 0);
    frame.block.velocity_correction(fresh) = {};
    return fresh;
}

/// What a motion that is entered has to do with the phase that its layer shares.
enum class PhasePart : std::uint8_t {
    none,  ///< it does not keep step
    joins, ///< it takes up the phase under way
    begins ///< the phase begins with it, or is put where it is entered; what plays already leaves it
};

/// What entering a motion comes to, beside its fade.
struct StartPlan {
    PhasePart phase = PhasePart::none;
    bool releases_others = false; ///< those that play leave the phase first
    bool is_led = false;          ///< another layer says where the phase is
    bool is_placed = false;       ///< its clips begin where the entrance says
};

StartPlan plan_start(Frame& frame, std::uint16_t node, const Entrance& entrance, const Reference& from,
                     FadeStyle style) {
    const SharedPhase phase(frame);
    const bool synced = frame.data.states[node].facts.synced, elsewhere = entrance.at != EnterAt::beginning;
    // Where the motion being left keeps step too, its phase is the place that is asked for.
    const bool asks_for_phase = entrance.at == EnterAt::phase || entrance.at == EnterAt::footfall;
    const bool place_is_known = asks_for_phase && from.synced;
    StartPlan plan;
    plan.is_led = phase.leader() != nullptr;
    plan.releases_others = synced && elsewhere && !plan.is_led && !place_is_known;
    if (synced) {
        const bool others_leave = plan.releases_others || style == FadeStyle::frozen;
        plan.phase = phase.is_used() && !others_leave ? PhasePart::joins : PhasePart::begins;
    }
    plan.is_placed = synced ? plan.phase == PhasePart::begins : elsewhere;
    return plan;
}

} // namespace

void play(Frame& frame, std::uint16_t node, const Entrance& entrance) {
    SharedPhase phase(frame);
    phase.take_back();
    const Reference from = reference_of(frame);
    const FadeStyle style = possible_style(frame, node, entrance);
    make_room(frame, entrance.fade);
    const StartPlan plan = plan_start(frame, node, entrance, from, style);
    if (plan.releases_others) { phase.release_all(); }
    leave_behind(frame, style);
    const double left_ahead = frame.weighed_ahead();
    add_instance(frame, node, entrance);
    begin_terms(frame);
    weigh_active(frame);
    frame.weighed = true;
    if (plan.phase == PhasePart::begins) { phase.begin(); }
    if (plan.is_placed) { place_playheads(frame, entrance, from, plan.is_led); }
    frame.block.mark_signs(frame.active(), false);
    if (style != FadeStyle::inertial) { choose_signs(frame.data, frame.block); }
    begin_fade(frame, style, left_ahead);
    if (frame.in_step) { begin_active(frame); }
}

void begin_active(Frame& frame) {
    Instance& active = frame.active();
    if (active.begun != 0) { return; }
    active.begun = 1;
    for (const Playhead& playhead : frame.block.playing(active)) {
        begin_clip_events(frame, frame.layer.instance_count - 1U, playhead);
    }
}

void drop_faded(Frame& frame) {
    for (std::size_t i = frame.layer.instance_count; i-- > 1;) {
        if (frame.layer.instances[i].elapsed >= frame.layer.instances[i].fade - instant) {
            return drop_oldest(frame, i);
        }
    }
}

} // namespace gait::detail
