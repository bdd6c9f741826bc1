#include "perform/machine_step.hpp"

#include "math/springs.hpp"
#include "perform/evaluate.hpp"
#include "perform/moments.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <optional>

namespace gait {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
/// The least time an inertial offset gets to decay.
constexpr double least_offset_seconds = 0.05;
/// A fade longer than this is cut to it, seconds.
constexpr double longest_fade = 60;
/// A motion without any length counts as this long where a pick waits for its end, seconds.
constexpr double still_seconds = 1;

// ---- random numbers -------------------------------------------------------------------------------------------------

/// SplitMix64 (Steele, Lea and Flood 2014).
std::uint64_t mixed(std::uint64_t x) {
    x += 0x9E3779B97F4A7C15ULL;
    x = (x ^ (x >> 30U)) * 0xBF58476D1CE4E5B9ULL;
    x = (x ^ (x >> 27U)) * 0x94D049BB133111EBULL;
    return x ^ (x >> 31U);
}

std::uint64_t next_draw(PerformerHeader& header) { return mixed(header.seed ^ mixed(header.draws++)); }

/// 0 up to but not including 1.
double unit(std::uint64_t bits) { return double(bits >> 11U) * 0x1p-53; }

// ---- fading over ----------------------------------------------------------------------------------------------------

/// Forgets the oldest `count` instances; the rest move down and keep their slots.
void drop_oldest(Frame& frame, std::size_t count) {
    LayerHeader& layer = frame.layer;
    if (count == 0) { return; }
    for (std::size_t i = 0; i < count; ++i) { end_moments(frame, i); }
    layer.instance_count = std::uint8_t(layer.instance_count - count);
    std::memmove(layer.instances.data(), layer.instances.data() + count, layer.instance_count * sizeof(Instance));
}

std::uint8_t free_slot(const LayerHeader& layer) {
    unsigned used = 0;
    for (std::size_t i = 0; i < layer.instance_count; ++i) { used |= 1U << layer.instances[i].slot; }
    std::uint8_t slot = 0;
    while (((used >> slot) & 1U) != 0) { ++slot; }
    return slot;
}

/// The motions that play leave the shared phase, each from where it is.
void loosen_all(Frame& frame) {
    LayerHeader& layer = frame.layer;
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        Instance& instance = layer.instances[i];
        const auto leaves = leaves_of(frame.data, instance);
        for (Playhead& playhead : frame.block.playing(instance)) {
            if (!follows_phase(instance, leaves[playhead.leaf])) { continue; }
            const ClipPlace place = place_of(frame.data, layer, instance, leaves[playhead.leaf], playhead);
            playhead.position = place.position;
            playhead.loops = place.loops;
        }
        instance.timing = Timing::own;
    }
}

/// A motion that plays alone goes by the shared phase again, from where it is.
void join_phase(Frame& frame) {
    for (std::size_t i = 0; i < frame.layer.instance_count; ++i) {
        Instance& instance = frame.layer.instances[i];
        if (instance.timing != Timing::alone) { continue; }
        instance.timing = Timing::shared;
        const Playhead& playhead = frame.block.playing(instance).front();
        const PhaseWarp& warp = frame.data.motions.warp_of(leaves_of(frame.data, instance)[playhead.leaf]);
        set_strides(frame.layer, warp.strides_at(double(std::int32_t(playhead.loops)) + playhead.position));
    }
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
    const auto& out = data.moments[from.clip].footfalls;
    const auto& in = data.moments[clip].footfalls;
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
        for (const PlacedMark& mark : frame.data.moments[leaf.clip].marks) {
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
    LayerHeader& layer = frame.layer;
    const Instance& fresh = frame.active();
    const auto leaves = leaves_of(frame.data, fresh);
    bool phase_placed = led;
    for (Playhead& playhead : frame.block.playing(fresh)) {
        const Leaf& leaf = leaves[playhead.leaf];
        const double place = place_to_enter(frame, entrance, from, leaf);
        if (!leaf.synced) {
            if (entrance.at != EnterAt::beginning) { playhead.position = place; }
        } else if (!phase_placed) {
            set_strides(layer, frame.data.motions.warp_of(leaf).strides_at(place));
            phase_placed = true;
        }
    }
}

// ---- weights and rates ----------------------------------------------------------------------------------------------

ExpressionInputs inputs_of(const Frame& frame) { return {frame.block.smoothed(), frame.block.raw(), {}}; }

/// The weights of a motion that is entered are what they are then.
void begin_terms(Frame& frame) {
    const Instance& fresh = frame.active();
    const Motion& motion = frame.motion_of(fresh);
    for (std::uint32_t t = 0; t < motion.term_count; ++t) {
        const double value = wanted_weight(frame, frame.data.motions.terms[motion.first_term + t]);
        frame.block.term_states(fresh)[t] = {value, 0};
        frame.block.terms(fresh)[t] = float(value);
    }
}

/// The part of a group's clips that walk, by weight, whose travel moves the body.
double travelling_part(const CharacterData& data, std::span<const Leaf> leaves, std::span<const Playhead> playing,
                       std::uint16_t group) {
    double walking = 0, travelling = 0;
    for (const Playhead& playhead : playing) {
        const Leaf& leaf = leaves[playhead.leaf];
        const bool walks = std::hypot(leaf.speed_right, leaf.speed_ahead) > 0;
        if (leaf.pace_group != group || !walks) { continue; }
        walking += double(playhead.weight);
        if (data.clips[leaf.clip].travel.travels) { travelling += double(playhead.weight); }
    }
    return walking > 0 ? travelling / walking : 0;
}

/// The rates at which the clips of the active motion play.
void set_paces(Frame& frame, const Carried& carried) {
    const auto leaves = leaves_of(frame.data, frame.active());
    const std::span<Playhead> playing = frame.block.playing(frame.active());
    for (Playhead& playhead : playing) {
        playhead.pace = 1;
        if (leaves[playhead.leaf].pace.empty()) { continue; }
        const float pace = evaluate(frame.data.instructions(leaves[playhead.leaf].pace), inputs_of(frame));
        playhead.pace = std::isfinite(pace) ? std::clamp(pace, -greatest_pace, greatest_pace) : 0;
    }
    Bend& bend = frame.block.bend(frame.active());
    bend = {};
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
            (std::hypot(asked.x, asked.y) + still) / (std::hypot(own.x, own.y) * frame.header.scale + still);
        const auto factor = float(std::clamp(pace, group.slowest, group.fastest));
        for (Playhead& playhead : playing) {
            const Leaf& leaf = leaves[playhead.leaf];
            if (leaf.pace_group == done && std::hypot(leaf.speed_right, leaf.speed_ahead) > 0) {
                playhead.pace *= factor;
            }
        }
        if (known == carried.groups.begin() + std::ptrdiff_t(carried.count)) { continue; }
        // The travel of its clips is their mean; what the blend really gives beside it is added.
        const PlanePoint mean = carried_by(leaves, playing, done);
        const double part = travelling_part(frame.data, leaves, playing, done);
        bend.right += float(part * (known->right * double(factor) - mean.x));
        bend.ahead += float(part * (known->ahead * double(factor) - mean.y));
    }
}

// ---- entering a motion ----------------------------------------------------------------------------------------------

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
    frame.block.bend(fresh) = {};
    return fresh;
}

/// The layer with which this one keeps in step, where that keeps step now; null for none.
const LayerHeader* giver_of_step(const Frame& frame) {
    const std::uint16_t leader = frame.own().in_step_with;
    if (leader == nothing) { return nullptr; }
    const LayerHeader& layer = frame.block.of_layer(leader).layer();
    return plays_synced(frame.data, layer) ? &layer : nullptr;
}

/// Plays the motion of `node` over what plays.
void play(Frame& frame, std::uint16_t node, const Entrance& entrance) {
    LayerHeader& layer = frame.layer;
    join_phase(frame);
    const Reference from = reference_of(frame);
    // Where the part of the body that it covers changes, that part is faded, and an offset could not stand for it.
    const auto covers = [&](std::uint16_t state) {
        const CompiledState& which = frame.data.states[state];
        return std::pair(frame.data.motions.motions[which.motion].nothing, which.whole_body);
    };
    const bool same_cover = layer.instance_count > 0 && covers(frame.active().state) == covers(node);
    const bool inertial = entrance.style == FadeStyle::inertial && entrance.fade > 0 && same_cover;
    if (!(entrance.fade > 0)) {
        drop_oldest(frame, layer.instance_count);
        layer.offset_active = 0;
    } else if (layer.instance_count == most_instances) {
        const Instance& next = layer.instances[1];
        const double fade_left = next.fade - next.elapsed;
        const double offset_left = layer.offset_active != 0 ? double(layer.offset_seconds) - layer.offset_elapsed : 0;
        Evaluation all, rest;
        rest.first_instance = 1;
        rest.with_offset = false;
        capture_offset(frame.data, frame.block, all, rest, std::max({fade_left, offset_left, least_offset_seconds}));
        drop_oldest(frame, 1);
    }
    const Motion& motion = frame.data.motions.motions[frame.data.states[node].motion];
    const LayerHeader* leader = giver_of_step(frame);
    const bool sets_phase = motion.synced && entrance.at != EnterAt::beginning && leader == nullptr &&
                            !((entrance.at == EnterAt::phase || entrance.at == EnterAt::footfall) && from.synced);
    if (entrance.style == FadeStyle::frozen || sets_phase) { loosen_all(frame); }
    if (entrance.style == FadeStyle::frozen) {
        for (std::size_t i = 0; i < layer.instance_count; ++i) { layer.instances[i].frozen = 1; }
    }
    const bool synced_already = plays_synced(frame.data, layer);
    Instance& fresh = add_instance(frame, node, entrance);
    begin_terms(frame);
    weigh_active(frame);
    const bool starts_phase = motion.synced && !synced_already;
    if (starts_phase) {
        set_strides(layer, leader != nullptr ? strides_of(*leader) : 0);
        layer.keeping = leader != nullptr ? StepKeeping::led : StepKeeping::own;
        layer.step_speed = 0;
    }
    const bool elsewhere = entrance.at != EnterAt::beginning;
    if (starts_phase || sets_phase || (!motion.synced && elsewhere)) {
        place_playheads(frame, entrance, from, leader != nullptr);
    }
    choose_signs(frame.data, frame.block);
    if (inertial) {
        const std::size_t newest = layer.instance_count - 1U;
        fresh.inertial = 1;
        Evaluation before, after;
        before.last_instance = newest;
        after.first_instance = newest;
        after.with_offset = false;
        capture_offset(frame.data, frame.block, before, after, entrance.fade);
        drop_oldest(frame, newest);
    }
    if (frame.in_step) { begin_active(frame); }
}

// ---- the active path ------------------------------------------------------------------------------------------------

void start_entry(Frame& frame, const CompiledPick& pick, Deal& deal) {
    const CompiledPickEntry& entry = pick.entries[deal.current];
    const int more = entry.greatest_loops - entry.least_loops;
    deal.loops = std::uint32_t(entry.least_loops);
    if (more > 0) { deal.loops += std::uint32_t(next_draw(frame.header) % std::uint64_t(more + 1)); }
}

std::uint16_t draw_by_share(Frame& frame, const CompiledPick& pick, std::uint64_t left_out) {
    double total = 0;
    for (std::size_t e = 0; e < pick.count(); ++e) {
        if (((left_out >> e) & 1U) == 0) { total += pick.entries[e].share; }
    }
    double at = unit(next_draw(frame.header)) * total;
    std::uint16_t last = 0;
    for (std::size_t e = 0; e < pick.count(); ++e) {
        if (((left_out >> e) & 1U) != 0) { continue; }
        last = std::uint16_t(e);
        at -= pick.entries[e].share;
        if (at < 0) { break; }
    }
    return last;
}

std::uint16_t draw_entry(Frame& frame, const CompiledPick& pick, Deal& deal) {
    const std::size_t count = pick.count();
    std::uint16_t drawn = 0;
    switch (pick.order) {
    case PickOrder::in_turn:
        if (deal.last < count && double(deal.times) < pick.entries[deal.last].share) {
            drawn = deal.last;
            break;
        }
        deal.times = 0;
        drawn = deal.last < count ? std::uint16_t((deal.last + 1U) % count) : std::uint16_t{0};
        break;
    case PickOrder::random:
        drawn = draw_by_share(frame, pick, 0);
        break;
    case PickOrder::dealt: {
        const std::uint64_t whole = count == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << count) - 1;
        std::uint64_t left_out = deal.dealt;
        if (left_out == whole) {
            deal.dealt = 0;
            // The last of a deal is not the first of the next.
            left_out = count > 1 ? std::uint64_t{1} << deal.last : 0;
        }
        drawn = draw_by_share(frame, pick, left_out);
        deal.dealt |= std::uint64_t{1} << drawn;
        break;
    }
    }
    ++deal.times;
    deal.last = drawn;
    return drawn;
}

/// Draws what a pick plays after the present entry.
void draw_next(Frame& frame, const CompiledPick& pick, Deal& deal) {
    const bool was_between = pick.between && deal.current == pick.count();
    deal.next = pick.between && !was_between ? std::uint16_t(pick.count()) : draw_entry(frame, pick, deal);
}

std::uint16_t begin_pick(Frame& frame, const CompiledState& state) {
    const CompiledPick& pick = frame.data.picks[state.selector];
    Deal& deal = frame.block.deals()[state.selector];
    // What was drawn and did not come to play is not lost to the deal.
    deal.current = deal.next < pick.count() ? deal.next : draw_entry(frame, pick, deal);
    start_entry(frame, pick, deal);
    draw_next(frame, pick, deal);
    return pick.entries[deal.current].node;
}

std::uint16_t chosen(const Frame& frame, const CompiledChoose& choose) {
    const float* values = frame.block.smoothed();
    if (choose.by != nothing) {
        const auto value = std::size_t(std::max(0.0F, values[choose.by]));
        return choose.nodes[std::min(value, choose.nodes.size() - 1)];
    }
    for (std::size_t e = 0; e < choose.nodes.size(); ++e) {
        const CodeRange when = choose.when[e];
        if (when.empty() || evaluate(frame.data.instructions(when), {values, frame.block.raw(), {}}) != 0) {
            return choose.nodes[e];
        }
    }
    return choose.nodes.back();
}

/// The level of the active path at which plays what `node` would play, being the same named motion: that goes on, with
/// its playheads, draws and time, and only the state changes.
std::optional<std::size_t> plays_already(const Frame& frame, std::uint16_t node) {
    const auto& states = frame.data.states;
    const LayerHeader& layer = frame.layer;
    // What needs the whole body begins afresh; and what leads into itself wants to.
    if (states[node].passes_on == nothing || states[node].whole_body) { return std::nullopt; }
    for (std::size_t level = 0; level < layer.depth; ++level) {
        const std::uint16_t active = layer.path[level].node;
        const bool same = active != node && states[active].passes_on == states[node].passes_on;
        if (same && !states[active].whole_body) { return level; }
    }
    return std::nullopt;
}

/// The state of a machine that becomes active as it is entered.
std::uint16_t begins_with(const Frame& frame, const CompiledState& machine) {
    if (machine.starts_here) {
        // From where the body already is: in the state that plays what it is playing.
        const std::uint16_t node = frame.data.states[machine.start].parent;
        for (std::size_t inner = node + 1U; inner < frame.data.states.size(); ++inner) {
            const auto index = std::uint16_t(inner);
            if (frame.data.states[inner].parent == node && plays_already(frame, index)) { return index; }
        }
    }
    const std::uint16_t left_in = machine.resume == nothing ? nothing : frame.block.resumes()[machine.resume];
    return left_in == nothing ? machine.start : left_in;
}

/// The node inside `node` that becomes active with it; nothing inside a motion.
std::uint16_t inner_of(Frame& frame, std::uint16_t node) {
    const CompiledState& state = frame.data.states[node];
    switch (state.kind) {
    case NodeKind::machine:
        return begins_with(frame, state);
    case NodeKind::pick:
        return begin_pick(frame, state);
    case NodeKind::choose:
        return chosen(frame, frame.data.chooses[state.selector]);
    case NodeKind::motion:
        break;
    }
    return nothing;
}

bool is_on_path(const LayerHeader& layer, const CompiledState& state, std::uint16_t node) {
    return state.level < layer.depth && layer.path[state.level].node == node;
}

/// What an expression at `level` may read.
StateReadings readings_at(const Frame& frame, std::size_t level, const StateReadings& motion) {
    StateReadings readings = motion;
    readings.elapsed = float(frame.layer.path[level].elapsed);
    for (std::size_t inner = level + 1; inner < frame.layer.depth; ++inner) {
        if (!frame.data.states[frame.layer.path[inner].node].final) {
            readings.left = std::numeric_limits<float>::infinity();
            readings.ended = false;
        }
    }
    return readings;
}

double seconds_left_at(const Frame& frame, std::size_t level) {
    for (std::size_t inner = level + 1; inner < frame.layer.depth; ++inner) {
        if (!frame.data.states[frame.layer.path[inner].node].final) { return infinity; }
    }
    return seconds_left(frame.data, frame.block, frame.active());
}

double after_of(const Frame& frame, std::size_t level, const CompiledTransition& transition) {
    if (!(transition.after_more > 0)) { return transition.after; }
    const std::uint64_t drawn = mixed(frame.layer.path[level].draw + (std::uint64_t{transition.draws_as} << 32U));
    return transition.after + transition.after_more * unit(drawn);
}

double fade_of(const Frame& frame, const CompiledTransition& transition, const ExpressionInputs& inputs) {
    if (transition.fade_by.empty()) { return transition.fade; }
    const double fade = double(evaluate(frame.data.instructions(transition.fade_by), inputs));
    return std::isfinite(fade) ? std::clamp(fade, 0.0, longest_fade) : 0;
}

/// What an expression of a transition may read, its thresholds counting as passed at their instant: time goes on.
StateReadings readings_for(const Frame& frame, std::size_t level, const CompiledTransition& transition) {
    StateReadings readings = readings_at(frame, level, read_motion(frame.data, frame.block, frame.active()));
    for (std::uint32_t i = 0; i < transition.threshold_count; ++i) {
        const Threshold& threshold = frame.data.thresholds[transition.first_threshold + i];
        float& reading = threshold.reading == Reading::left ? readings.left : readings.elapsed;
        if (std::fabs(reading - threshold.value) > 1e-6F * (1 + std::fabs(threshold.value))) { continue; }
        const float beyond = threshold.reading == Reading::left ? -std::numeric_limits<float>::infinity()
                                                                : std::numeric_limits<float>::infinity();
        reading = std::nextafter(threshold.value, beyond);
    }
    return readings;
}

bool is_signalled(const Frame& frame, const CompiledTransition& transition) {
    if (transition.signal == nothing) { return true; }
    const SentSignal& sent = frame.block.signals()[transition.signal];
    const bool there = ((sent.pending >> frame.block.layer_index()) & 1U) != 0;
    return there && (sent.began_wait != 0 || !(sent.wait_left > instant));
}

bool has_passed(const Frame& frame, const CompiledTransition& transition) {
    const auto end = frame.passed.begin() + std::ptrdiff_t(frame.passed_count);
    return transition.mark == nothing || std::find(frame.passed.begin(), end, transition.mark) != end;
}

bool is_inside(const Frame& frame, const CompiledTransition& transition) {
    return transition.span == nothing || seconds_to_span(frame.data, frame.block, frame.active(), transition.span) == 0;
}

bool leads_into_active(const Frame& frame, const CompiledTransition& transition) {
    return is_on_path(frame.layer, frame.data.states[transition.target], transition.target);
}

/// Whether the other layer is where it must be, and what is asked beside it holds.
bool rules_now(const Frame& frame, const CompiledForbid& forbid) {
    const CompiledState& rules = frame.data.states[forbid.rules];
    return is_on_path((*frame.others)[rules.layer].layer, rules, forbid.rules) &&
           (forbid.when.empty() || evaluate(frame.data.instructions(forbid.when), inputs_of(frame)) != 0);
}

/// What keeps the layer from being in `node`, by what another layer is doing; null for nothing.
const CompiledForbid* forbidden_by(const Frame& frame, std::uint16_t node) {
    if (frame.others == nullptr || frame.data.forbidden.empty()) { return nullptr; }
    const auto& states = frame.data.states;
    // With a machine comes what it begins with.
    std::uint16_t inmost = node;
    while (states[inmost].kind == NodeKind::machine) { inmost = begins_with(frame, states[inmost]); }
    for (const CompiledForbid& forbid : frame.data.forbidden) {
        bool inside = false;
        for (std::uint16_t around = inmost; around != nothing; around = states[around].parent) {
            inside = inside || around == forbid.yields;
        }
        if (inside && rules_now(frame, forbid)) { return &forbid; }
    }
    return nullptr;
}

/// Whether a transition falls now, and with what fade. What costs least is asked first.
bool is_due(const Frame& frame, std::size_t level, const CompiledTransition& transition, double& fade) {
    if (!is_signalled(frame, transition) || !has_passed(frame, transition)) { return false; }
    if (frame.layer.path[level].elapsed < after_of(frame, level, transition) - instant) { return false; }
    if (transition.not_again && leads_into_active(frame, transition)) { return false; }
    ExpressionInputs inputs{frame.block.smoothed(), frame.block.raw(), {}};
    if (transition.reads_state) { inputs.state = readings_for(frame, level, transition); }
    fade = fade_of(frame, transition, inputs);
    if (transition.at_end && seconds_left_at(frame, level) > fade + instant) { return false; }
    if (!transition.when.empty() && evaluate(frame.data.instructions(transition.when), inputs) == 0) { return false; }
    return is_inside(frame, transition) && forbidden_by(frame, transition.target) == nullptr;
}

/// States that were left or entered at one instant.
class Visited {
public:
    [[nodiscard]] bool contains(std::uint16_t node) const {
        return std::find(nodes_.begin(), nodes_.begin() + std::ptrdiff_t(count_), node) !=
               nodes_.begin() + std::ptrdiff_t(count_);
    }
    void add(std::uint16_t node) {
        if (count_ < nodes_.size() && !contains(node)) { nodes_[count_++] = node; }
    }

private:
    std::array<std::uint16_t, 2 * most_levels * most_splits> nodes_; ///< only the first `count_` hold anything
    std::size_t count_ = 0;
};

/// Keeps that a transition is about to be taken.
void record(Frame& frame, std::uint16_t transition) {
    PerformerHeader& header = frame.header;
    if (transition == no_transition || header.record_count >= most_records) { return; }
    const std::uint16_t active = frame.data.states[frame.active().state].visible;
    header.records[header.record_count] = {header.time, transition, active, 0};
    ++header.record_count;
}

/// The first transition that holds, outermost states first; none when nothing does.
std::uint16_t find_due(const Frame& frame, const Visited& visited, double& fade) {
    if (is_settling(frame.layer)) { return no_transition; }
    for (std::size_t level = 0; level < frame.layer.depth; ++level) {
        const CompiledState& state = frame.data.states[frame.layer.path[level].node];
        for (std::size_t t = 0; t < state.transition_count; ++t) {
            const auto index = std::uint16_t(state.first_transition + t);
            const CompiledTransition& transition = frame.data.transitions[index];
            if (!visited.contains(transition.target) && is_due(frame, level, transition, fade)) { return index; }
        }
    }
    return no_transition;
}

/// Seconds until the entry of a pick gives way to the next.
double seconds_to_next_entry(const Frame& frame, std::size_t level) {
    const CompiledState& state = frame.data.states[frame.layer.path[level].node];
    const CompiledPick& pick = frame.data.picks[state.selector];
    const Deal& deal = frame.block.deals()[state.selector];
    const Instance& instance = frame.active();
    const Playhead* heaviest = heaviest_clip(frame.data, frame.block, instance);
    if (heaviest == nullptr) { return still_seconds - instance.elapsed; }
    const Playhead& playhead = *heaviest;
    const Leaf& leaf = leaves_of(frame.data, instance)[playhead.leaf];
    const double speed = std::fabs(speed_of(frame.data, frame.block, instance, playhead));
    double left = 0;
    if (!leaf.loops) {
        left = seconds_left(frame.data, frame.block, instance);
    } else if (!(speed > 0)) {
        left = leaf.rate > 0 ? infinity : double(deal.loops) * still_seconds - instance.elapsed;
    } else if (leaf.synced && instance.timing != Timing::own) {
        left = double(deal.loops) / speed - instance.elapsed;
    } else {
        const double gone = double(std::int32_t(playhead.loops)) + playhead.position;
        left = (double(deal.loops) - (playhead.pace < 0 ? 1 - gone : gone)) / speed;
    }
    if (!leaf.loops && !(leaf.rate > 0)) { left = still_seconds - instance.elapsed; }
    // A fade as long as the entry itself would begin before it was seen.
    return left - std::min(pick.entries[deal.next].fade, std::max(0.0, (instance.elapsed + left) / 2));
}

/// A pick whose entry is over goes on to the next; a choose follows its value.
void go_on_inside(Frame& frame) {
    for (std::size_t level = 0; level < frame.layer.depth; ++level) {
        const std::uint16_t node = frame.layer.path[level].node;
        const CompiledState& state = frame.data.states[node];
        Entrance entrance;
        std::uint16_t target = nothing;
        if (state.kind == NodeKind::pick && seconds_to_next_entry(frame, level) <= instant) {
            const CompiledPick& pick = frame.data.picks[state.selector];
            Deal& deal = frame.block.deals()[state.selector];
            deal.current = deal.next;
            start_entry(frame, pick, deal);
            entrance.fade = pick.entries[deal.current].fade;
            entrance.by = pick.record;
            target = pick.entries[deal.current].node;
            draw_next(frame, pick, deal);
        } else if (state.kind == NodeKind::choose && frame.data.chooses[state.selector].by != nothing) {
            const CompiledChoose& choose = frame.data.chooses[state.selector];
            if (chosen(frame, choose) == frame.layer.path[level + 1].node) { continue; }
            target = chosen(frame, choose);
            entrance.fade = choose.fade;
            entrance.by = choose.record;
        }
        if (target == nothing) { continue; }
        record(frame, entrance.by);
        enter(frame, target, entrance);
        return;
    }
}

} // namespace

void begin_active(Frame& frame) {
    Instance& active = frame.active();
    if (active.begun != 0) { return; }
    active.begun = 1;
    for (const Playhead& playhead : frame.block.playing(active)) {
        begin_moments(frame, frame.layer.instance_count - 1U, playhead);
    }
}

void drop_faded(Frame& frame) {
    for (std::size_t i = frame.layer.instance_count; i-- > 1;) {
        if (frame.layer.instances[i].elapsed >= frame.layer.instances[i].fade - instant) {
            return drop_oldest(frame, i);
        }
    }
}

void go_alone(Frame& frame) {
    Instance& only = frame.active();
    const Motion& motion = frame.motion_of(only);
    if (frame.layer.instance_count > 1 || only.timing != Timing::shared || only.frozen != 0) { return; }
    // Where layers keep in step with one another there is always another one.
    if (frame.own().in_step_with != nothing || frame.own().gives_step) { return; }
    if (!motion.synced || motion.leaf_count > 1) { return; }
    Playhead& playhead = frame.block.playing(only).front();
    const Leaf& leaf = frame.data.motions.leaves_of(motion).front();
    const ClipPlace place = place_of(frame.data, frame.layer, only, leaf, playhead);
    playhead.position = place.position;
    playhead.loops = place.loops;
    only.timing = Timing::alone;
}

bool is_settling(const LayerHeader& layer) {
    const Instance& active = layer.instances[layer.instance_count - 1U];
    if (active.settling == 0) { return false; }
    if (active.inertial != 0) { return layer.offset_active != 0 && active.elapsed < active.fade - instant; }
    return active.elapsed < active.fade - instant && layer.instance_count > 1;
}

double wanted_weight(const Frame& frame, const Term& term) {
    if (term.weight.empty()) { return 1; }
    const float wanted = evaluate(frame.data.instructions(term.weight), inputs_of(frame));
    return std::isfinite(wanted) ? std::clamp(double(wanted), 0.0, 1.0) : 0;
}

namespace {

/// A weight goes on toward what is wanted. It has all but arrived after `fade` seconds: a critically damped spring
/// needs some three times its lag. False when it stands.
bool follow_weight(TermState& state, double wanted, double fade, double dt) {
    if (state.value == wanted && state.velocity == 0) { return false; }
    Follower now = follow({state.value, state.velocity}, wanted, fade / 3, dt);
    if (std::fabs(now.value - wanted) < 1e-9 && std::fabs(now.velocity) < 1e-9) { now = {wanted, 0}; }
    state = {now.value, now.velocity};
    return true;
}

} // namespace

void follow_weight(Frame& frame, double dt) {
    const Term& term = frame.own().weight;
    follow_weight(frame.layer.weight, wanted_weight(frame, term), term.fade, dt);
}

void follow_terms(Frame& frame, double dt) {
    const Instance& active = frame.active();
    const Motion& motion = frame.motion_of(active);
    // What was entered in this very instant has its weights already.
    if (motion.term_count == 0 || !(active.elapsed > 0)) { return; }
    for (std::uint32_t t = 0; t < motion.term_count; ++t) {
        const Term& term = frame.data.motions.terms[motion.first_term + t];
        TermState& state = frame.block.term_states(active)[t];
        if (!follow_weight(state, wanted_weight(frame, term), term.fade, dt)) { continue; }
        frame.block.terms(active)[t] = float(std::clamp(state.value, 0.0, 1.0));
        frame.layer.weight_moved = 1;
    }
}

namespace {

/// The clips of an instance that play on keep their places, those that lose their weight end, and those that get some
/// are new.
void keep_playing(Frame& frame, std::size_t index, const WeighedLeaves& weighed) {
    const Instance& instance = frame.layer.instances[index];
    std::span<Playhead> playing = frame.block.playing(instance);
    std::size_t kept = 0;
    for (const Playhead& playhead : playing) {
        const bool stays = std::any_of(weighed.begin(), weighed.end(),
                                       [&](const WeighedLeaf& leaf) { return leaf.leaf == playhead.leaf; });
        if (!stays) { end_moments(frame, index, playhead); }
        if (stays) { playing[kept++] = playhead; }
    }
    // Both are in order, so that from the last one down each goes to its place without a second list.
    playing = frame.block.resize_playing(instance, weighed.size());
    for (std::size_t place = weighed.size(); place-- > 0;) {
        const WeighedLeaf& leaf = weighed.begin()[place];
        if (kept > 0 && playing[kept - 1].leaf == leaf.leaf) {
            playing[place] = playing[--kept];
        } else {
            playing[place] = Playhead{};
            playing[place].leaf = leaf.leaf;
            playing[place].begins = 1;
        }
        playing[place].weight = leaf.weight;
    }
}

} // namespace

void weigh_again(Frame& frame) {
    const Motion& motion = frame.motion_of(frame.active());
    // A clip that goes at its own rate hangs on nothing.
    if (motion.leaf_count > 1 || motion.paced || motion.term_count > 0) { weigh_active(frame); }
}

void weigh_active(Frame& frame) {
    const Instance& instance = frame.active();
    const std::size_t index = frame.layer.instance_count - 1U;
    const Motion& motion = frame.motion_of(instance);
    WeighedLeaves weighed(frame.block.most_playing());
    const Carried carried =
        weigh(frame.data.motions, motion, {frame.block.smoothed(), frame.block.cursors(), frame.block.terms(instance)},
              weighed);
    keep_playing(frame, index, weighed);
    if (motion.paced) { set_paces(frame, carried); }
    const auto leaves = frame.data.motions.leaves_of(motion);
    for (Playhead& playhead : frame.block.playing(instance)) {
        if (playhead.begins == 0) { continue; }
        playhead.begins = 0;
        if (!leaves[playhead.leaf].synced && playhead.pace < 0) { playhead.position = 1; }
        // What is only just entered begins when its place is known.
        if (instance.elapsed > 0) { begin_moments(frame, index, playhead); }
    }
}

namespace {

/// Sends other layers where the states that were entered send them, unless they are there.
void lead_others(Frame& frame, std::size_t from_level) {
    if (frame.others == nullptr || frame.data.leads.empty()) { return; }
    for (std::size_t level = from_level; level < frame.layer.depth; ++level) {
        const CompiledState& state = frame.data.states[frame.layer.path[level].node];
        for (std::size_t l = 0; l < state.lead_count; ++l) {
            const CompiledLead& lead = frame.data.leads[state.first_lead + l];
            Frame& other = (*frame.others)[frame.data.states[lead.target].layer];
            if (other.layer.depth == 0) { continue; } // the layers are only just being entered
            if (!lead.when.empty() && evaluate(frame.data.instructions(lead.when), inputs_of(frame)) == 0) { continue; }
            // Who leads is not led back in the same instant, so that two cannot chase one another.
            if (other.leading) { continue; }
            other.led = true;
            if (is_on_path(other.layer, frame.data.states[lead.target], lead.target)) { continue; }
            Entrance entrance;
            entrance.by = lead.record;
            entrance.fade = lead.fade;
            record(other, lead.record);
            frame.leading = true;
            enter(other, lead.target, entrance);
            frame.leading = false;
            announce(other);
        }
    }
}

} // namespace

void enter(Frame& frame, std::uint16_t target, const Entrance& entrance) {
    LayerHeader& layer = frame.layer;
    const auto& states = frame.data.states;
    std::array<ActiveNode, most_levels> path{};
    const std::size_t level = states[target].level;
    for (std::uint16_t node = target; node != nothing; node = states[node].parent) {
        path[states[node].level].node = node;
    }
    std::size_t depth = level + 1U, fresh = depth;
    std::optional<std::size_t> goes_on;
    for (std::uint16_t node = target; node != nothing && !goes_on && depth <= most_levels;) {
        goes_on = plays_already(frame, node);
        if (goes_on) {
            // The nodes inside it stand to it as those inside the other stand to that.
            const int shift = int(node) - int(layer.path[*goes_on].node);
            fresh = depth - 1;
            for (std::size_t from = *goes_on; from < layer.depth && depth - 1 < most_levels; ++from, ++depth) {
                path[depth - 1] = layer.path[from];
                path[depth - 1].node = std::uint16_t(int(layer.path[from].node) + shift);
                const CompiledState &before = states[layer.path[from].node], &now = states[path[depth - 1].node];
                if (now.kind != NodeKind::pick) { continue; }
                frame.block.deals()[now.selector] = frame.block.deals()[before.selector];
            }
            --depth;
            // The state is another, and has its own time; what goes on inside it keeps its own.
            path[fresh].elapsed = 0;
            break;
        }
        node = inner_of(frame, node);
        if (node != nothing && depth < most_levels) { path[depth++].node = node; }
        fresh = depth;
    }
    // What is around the target and active already goes on.
    std::size_t kept = 0;
    while (kept < level && kept < layer.depth && layer.path[kept].node == path[kept].node) {
        path[kept] = layer.path[kept];
        ++kept;
    }
    layer.kept = std::min<std::uint8_t>(layer.kept, std::uint8_t(kept));
    for (std::size_t l = kept; l < fresh; ++l) { path[l].draw = std::uint32_t(next_draw(frame.header)); }
    layer.path = path;
    layer.depth = std::uint8_t(depth);
    for (std::size_t l = 0; l + 1 < depth; ++l) {
        const std::uint16_t resume = states[path[l].node].resume;
        if (resume == nothing) { continue; }
        // What has come to its last state has nothing to go on with: it begins anew.
        frame.block.resumes()[resume] = states[path[l + 1].node].final ? nothing : path[l + 1].node;
    }
    frame.passed_count = 0;
    if (goes_on) {
        frame.active().state = path[depth - 1].node;
    } else {
        play(frame, path[depth - 1].node, entrance);
    }
    lead_others(frame, kept);
}

void announce(Frame& frame) {
    LayerHeader& layer = frame.layer;
    const auto& states = frame.data.states;
    const auto visible = [&](std::uint16_t node) {
        // A node inside a pick or choose is nobody's business: its state was announced.
        return states[node].parent == nothing || states[node].visible != states[states[node].parent].visible;
    };
    std::size_t same = 0;
    while (same < layer.kept && same < layer.depth && same < layer.said_depth &&
           layer.said[same] == layer.path[same].node) {
        ++same;
    }
    for (std::size_t level = layer.said_depth; level-- > same;) {
        if (visible(layer.said[level])) { say(frame, EventKind::left, states[layer.said[level]].visible); }
    }
    for (std::size_t level = same; level < layer.depth; ++level) {
        const std::uint16_t node = layer.path[level].node;
        if (visible(node)) { say(frame, EventKind::entered, states[node].visible); }
        layer.said[level] = node;
    }
    layer.said_depth = layer.depth;
    layer.kept = std::uint8_t(most_levels);
}

Standing standing_of(const Frame& frame, std::size_t level, const CompiledTransition& transition) {
    Standing standing;
    standing.inputs = {frame.block.smoothed(), frame.block.raw(), readings_for(frame, level, transition)};
    standing.elapsed = frame.layer.path[level].elapsed;
    standing.left = seconds_left_at(frame, level);
    standing.after = after_of(frame, level, transition);
    standing.fade = fade_of(frame, transition, standing.inputs);
    if (transition.signal != nothing) {
        const SentSignal& sent = frame.block.signals()[transition.signal];
        standing.signal_there = ((sent.pending >> frame.block.layer_index()) & 1U) != 0;
        standing.signal_waits = sent.began_wait == 0 && sent.wait_left > instant;
    }
    standing.mark_passed = has_passed(frame, transition);
    standing.inside_span = is_inside(frame, transition);
    standing.on_path = leads_into_active(frame, transition);
    standing.forbidden_by = forbidden_by(frame, transition.target);
    return standing;
}

void decide(Frame& frame) {
    LayerHeader& layer = frame.layer;
    Visited visited;
    for (int hop = 0; hop < most_splits && !frame.led; ++hop) {
        double fade = 0;
        const std::uint16_t taken = find_due(frame, visited, fade);
        if (taken == no_transition) { break; }
        const CompiledTransition& transition = frame.data.transitions[taken];
        if (transition.signal != nothing) {
            SentSignal& sent = frame.block.signals()[transition.signal];
            sent.pending = std::uint16_t(sent.pending & ~(1U << frame.block.layer_index()));
            if (sent.began_wait == 0) { sent.wait_left = frame.data.signals[transition.signal].wait; }
            sent.began_wait = 1;
        }
        for (std::size_t level = 0; level < layer.depth; ++level) {
            // What is left is the whole path below what it has in common with the target's.
            const std::uint16_t node = layer.path[level].node;
            const CompiledState& target = frame.data.states[transition.target];
            if (level >= target.level) { visited.add(node); }
        }
        record(frame, taken);
        Entrance entrance;
        entrance.by = taken;
        entrance.fade = fade;
        entrance.ease = transition.ease;
        entrance.style = transition.style;
        entrance.at = transition.enter_at;
        entrance.fraction = transition.enter_fraction;
        entrance.mark = transition.enter_mark;
        entrance.settle = transition.settle;
        enter(frame, transition.target, entrance);
        for (std::size_t level = frame.data.states[transition.target].level; level < layer.depth; ++level) {
            visited.add(layer.path[level].node);
        }
        announce(frame);
    }
    go_on_inside(frame);
    frame.passed_count = 0;
}

void yield_to_others(Frame& frame) {
    for (const CompiledForbid& forbid : frame.data.forbidden) {
        const CompiledState& yields = frame.data.states[forbid.yields];
        if (yields.layer != frame.block.layer_index() || !is_on_path(frame.layer, yields, forbid.yields) ||
            !rules_now(frame, forbid)) {
            continue;
        }
        Entrance entrance;
        entrance.by = forbid.record;
        entrance.fade = forbid.fade;
        record(frame, forbid.record);
        enter(frame, forbid.to, entrance);
        announce(frame);
    }
}

double seconds_to_decision(const Frame& frame) {
    const LayerHeader& layer = frame.layer;
    double due = infinity;
    const auto consider = [&](double seconds) {
        if (seconds > instant) { due = std::min(due, seconds); }
    };
    if (is_settling(layer)) { consider(frame.active().fade - frame.active().elapsed); }
    for (std::size_t level = 0; level < layer.depth; ++level) {
        const CompiledState& state = frame.data.states[layer.path[level].node];
        const double elapsed = layer.path[level].elapsed;
        if (state.kind == NodeKind::pick) { due = std::min(due, std::max(0.0, seconds_to_next_entry(frame, level))); }
        for (std::size_t t = 0; t < state.transition_count; ++t) {
            const CompiledTransition& transition = frame.data.transitions[state.first_transition + t];
            consider(after_of(frame, level, transition) - elapsed);
            if (transition.at_end) {
                const ExpressionInputs inputs{frame.block.smoothed(), frame.block.raw(), {}};
                consider(seconds_left_at(frame, level) - fade_of(frame, transition, inputs));
            }
            if (transition.mark != nothing) {
                consider(seconds_to_mark(frame.data, frame.block, frame.active(), transition.mark));
            }
            if (transition.span != nothing) {
                consider(seconds_to_span(frame.data, frame.block, frame.active(), transition.span));
            }
            if (transition.signal != nothing && frame.block.signals()[transition.signal].pending != 0 &&
                frame.block.signals()[transition.signal].began_wait == 0) {
                consider(frame.block.signals()[transition.signal].wait_left);
            }
            for (std::uint32_t i = 0; i < transition.threshold_count; ++i) {
                const Threshold& threshold = frame.data.thresholds[transition.first_threshold + i];
                consider(threshold.reading == Reading::left ? seconds_left_at(frame, level) - double(threshold.value)
                                                            : double(threshold.value) - elapsed);
            }
        }
    }
    return due;
}

} // namespace gait
