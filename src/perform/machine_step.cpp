#include "perform/machine_step.hpp"

#include "math/compiler.hpp"
#include "perform/clip_events.hpp"
#include "perform/picks.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

namespace gait::detail {
namespace {

/// The level of the active path at which plays what `node` would play, being the same named motion: that goes on, with
/// its playheads, draws and time, and only the state changes.
std::optional<std::size_t> plays_already(const Frame& frame, std::uint16_t node) {
    const auto& states = frame.data.states;
    const LayerHeader& layer = frame.layer;
    // What needs the whole body begins afresh; and what leads into itself wants to.
    if (states[node].shared_motion == no_index || states[node].whole_body) { return std::nullopt; }
    for (std::size_t level = 0; level < layer.depth; ++level) {
        const std::uint16_t active = layer.path[level].node;
        const bool same = active != node && states[active].shared_motion == states[node].shared_motion;
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
    const std::uint16_t left_in = machine.resume == no_index ? no_index : frame.block.resumes()[machine.resume];
    return left_in == no_index ? machine.start : left_in;
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
    return no_index;
}

bool is_on_path(const LayerHeader& layer, const CompiledState& state, std::uint16_t node) {
    return state.level < layer.depth && layer.path[state.level].node == node;
}

double seconds_left_at(const Frame& frame, std::size_t level) {
    for (std::size_t inner = level + 1; inner < frame.layer.depth; ++inner) {
        if (!frame.data.states[frame.layer.path[inner].node].final) { return never; }
    }
    return seconds_left(frame.data, frame.block, frame.active());
}

double after_of(const Frame& frame, std::size_t level, const CompiledTransition& transition) {
    if (!(transition.after_more > 0)) { return transition.after; }
    const std::uint64_t drawn = mixed(frame.layer.path[level].draw + (std::uint64_t{transition.draws_as} << 32U));
    return transition.after + transition.after_more * unit(drawn);
}

/// What an expression of a transition may read, its thresholds counting as passed at their instant: time goes on.
StateReadings readings_for(const Frame& frame, std::size_t level, const CompiledTransition& transition) {
    StateReadings readings = read_state(frame.data, frame.block, level);
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

/// Whether a signal waits for this layer. It ages as the step does, and the layer may be in the middle of that.
bool is_pending(const Frame& frame, std::uint16_t signal) {
    const SentSignal& sent = frame.block.signals()[signal];
    const bool over = sent.offered != 0 && sent.age + frame.gone > frame.data.signals[signal].keep + instant;
    return ((sent.pending >> frame.block.layer_index()) & 1U) != 0 && !over;
}

bool is_signalled(const Frame& frame, const CompiledTransition& transition) {
    if (transition.signal == no_index) { return true; }
    const SentSignal& sent = frame.block.signals()[transition.signal];
    return is_pending(frame, transition.signal) && (sent.began_wait != 0 || !(sent.wait_left - frame.gone > instant));
}

bool has_passed(const Frame& frame, const CompiledTransition& transition) {
    const auto end = frame.passed.begin() + std::ptrdiff_t(frame.passed_count);
    return transition.mark == no_index || std::find(frame.passed.begin(), end, transition.mark) != end;
}

bool is_inside(const Frame& frame, const CompiledTransition& transition) {
    return transition.span == no_index ||
           seconds_to_span(frame.data, frame.block, frame.active(), transition.span) == 0;
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

/// The entry of `forbid` that keeps the layer out of `node` now; null for none.
const CompiledForbid* forbidden_by(const Frame& frame, std::uint16_t node) {
    if (frame.others == nullptr || frame.data.forbidden.empty()) { return nullptr; }
    const auto& states = frame.data.states;
    // With a machine comes what it begins with.
    std::uint16_t inmost = node;
    while (states[inmost].kind == NodeKind::machine) { inmost = begins_with(frame, states[inmost]); }
    for (const CompiledForbid& forbid : frame.data.forbidden) {
        bool inside = false;
        for (std::uint16_t around = inmost; around != no_index; around = states[around].parent) {
            inside = inside || around == forbid.yields;
        }
        if (inside && rules_now(frame, forbid)) { return &forbid; }
    }
    return nullptr;
}

/// Whether one whose signal was sent falls now, and with what fade. What costs least is asked first.
GAIT_NOINLINE bool is_due_with_its_signal(const Frame& frame, std::size_t level, const CompiledTransition& transition,
                                          double& fade) {
    if (!has_passed(frame, transition)) { return false; }
    if (frame.layer.path[level].elapsed < after_of(frame, level, transition) - instant) { return false; }
    if (transition.not_again && leads_into_active(frame, transition)) { return false; }
    ExpressionInputs inputs{frame.block.smoothed(), frame.block.raw(), {}};
    if (transition.reads_state) { inputs.state = readings_for(frame, level, transition); }
    fade = frame.data.fade_seconds(transition, inputs);
    if (transition.at_end && seconds_left_at(frame, level) > fade + instant) { return false; }
    if (!transition.when.empty() && evaluate(frame.data.instructions(transition.when), inputs) == 0) { return false; }
    return is_inside(frame, transition) && forbidden_by(frame, transition.target) == nullptr;
}

/// Whether a transition falls now, and with what fade.
bool is_due(const Frame& frame, std::size_t level, const CompiledTransition& transition, double& fade) {
    return is_signalled(frame, transition) && is_due_with_its_signal(frame, level, transition, fade);
}

/// States that were left or entered at one instant.
class Visited {
public:
    [[nodiscard]] bool contains(std::uint16_t node) const {
        for (std::size_t i = 0; i < count_; ++i) {
            if (nodes_[i] == node) { return true; }
        }
        return false;
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
    if (transition == no_index || header.record_count >= most_records) { return; }
    const std::uint16_t active = frame.data.states[frame.active().state].visible;
    header.records[header.record_count] = {header.time + frame.gone, transition, active, 0};
    ++header.record_count;
}

/// Whether nothing has changed that would let a way out be taken which was turned down before.
bool is_still_shut(const Frame& frame, const CompiledTransition& transition) {
    return transition.by_values && (transition.reads & frame.header.moved) == 0 &&
           (transition.signal == no_index || frame.header.signals_live == 0);
}

/// Whether that is so of all ways out of a state that hang on values and signals alone.
bool are_still_shut(const Frame& frame, const CompiledState& state) {
    return (state.facts.reads & frame.header.moved) == 0 && frame.header.signals_live == 0;
}

/// The ways out of a state, in their order: all, or those that hang on more than values and signals.
std::span<const std::uint16_t> timed_ways_out(const Frame& frame, const CompiledState& state) {
    return {frame.data.timed_transitions.data() + state.timed.first, state.timed.count};
}

/// What was found when the ways out of the active states were looked at last.
struct TurnedDown {
    bool before = false;      ///< none was taken, and nothing was entered since
    bool as_foreseen = false; ///< and no moment that was foreseen has come since
};

/// The first transition that holds, outermost states first; none when nothing does. `turned_down`: none did when they
/// were last looked at.
std::uint16_t find_due(const Frame& frame, const Visited& visited, TurnedDown turned_down, double& fade) {
    for (std::size_t level = 0; level < frame.layer.depth; ++level) {
        const CompiledState& state = frame.data.states[frame.layer.path[level].node];
        if (turned_down.before && are_still_shut(frame, state)) {
            if (turned_down.as_foreseen) { continue; } // nothing that they read has moved
            for (const std::uint16_t index : timed_ways_out(frame, state)) {
                const CompiledTransition& transition = frame.data.transitions[index];
                if (!visited.contains(transition.target) && is_due(frame, level, transition, fade)) { return index; }
            }
            continue;
        }
        for (std::size_t t = 0; t < state.transitions.count; ++t) {
            const auto index = std::uint16_t(state.transitions.first + t);
            const CompiledTransition& transition = frame.data.transitions[index];
            if (turned_down.before && is_still_shut(frame, transition)) { continue; }
            if (turned_down.as_foreseen && (transition.reads & frame.header.moved) == 0) { continue; }
            if (!visited.contains(transition.target) && is_due(frame, level, transition, fade)) { return index; }
        }
    }
    return no_index;
}

/// A pick whose entry is over goes on to the next; a choose follows its value. `as_foreseen`: no pick can be over.
void go_on_inside(Frame& frame, bool as_foreseen) {
    for (std::size_t level = 0; level < frame.layer.depth; ++level) {
        const CompiledState& state = frame.data.states[frame.layer.path[level].node];
        if (state.kind != NodeKind::pick && state.kind != NodeKind::choose) { continue; }
        Entrance entrance;
        std::uint16_t target = no_index;
        if (state.kind == NodeKind::pick && !as_foreseen && seconds_to_next_entry(frame, level) <= instant) {
            const CompiledPickEntry& entry = next_entry(frame, state);
            entrance.fade = entry.fade;
            entrance.by = frame.data.picks[state.selector].record;
            target = entry.node;
        } else if (state.kind == NodeKind::choose && frame.data.chooses[state.selector].by != no_index) {
            const CompiledChoose& choose = frame.data.chooses[state.selector];
            if (chosen(frame, choose) == frame.layer.path[level + 1].node) { continue; }
            target = chosen(frame, choose);
            entrance.fade = choose.fade;
            entrance.by = choose.record;
        }
        if (target == no_index) { continue; }
        record(frame, entrance.by);
        enter(frame, target, entrance);
        return;
    }
}

} // namespace

bool is_settling(const LayerHeader& layer) {
    const Instance& active = layer.instances[layer.instance_count - 1U];
    if (active.settling == 0) { return false; }
    if (active.inertial != 0) { return layer.offset_active != 0 && active.elapsed < active.fade - instant; }
    return active.elapsed < active.fade - instant && layer.instance_count > 1;
}

namespace {

/// Sends other layers where the states that were entered send them, unless they are there.
void lead_others(Frame& frame, std::size_t from_level) {
    if (frame.others == nullptr || frame.data.leads.empty()) { return; }
    for (std::size_t level = from_level; level < frame.layer.depth; ++level) {
        const CompiledState& state = frame.data.states[frame.layer.path[level].node];
        for (std::size_t l = 0; l < state.leads.count; ++l) {
            const CompiledLead& lead = frame.data.leads[state.leads.first + l];
            Frame& other = (*frame.others)[frame.data.states[lead.target].layer];
            if (other.layer.depth == 0) { continue; } // the layers are only just being entered
            if (!lead.when.empty() && evaluate(frame.data.instructions(lead.when), inputs_of(frame)) == 0) { continue; }
            // Who leads is not led back in the same instant, so that two cannot chase one another.
            if (other.leading) { continue; }
            other.led = true;
            frame.others->request_decision(true);
            if (is_on_path(other.layer, frame.data.states[lead.target], lead.target)) { continue; }
            frame.others->catch_up(other, frame);
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

/// The active path that entering a node leads to.
struct Path {
    std::array<ActiveNode, most_levels> nodes{};
    std::size_t depth = 0;
    std::size_t unchanged = 0; ///< levels, from the outside in, that were active already and go on
    std::size_t fresh_end = 0; ///< one past the last level that is entered: those inside it go on as they were
    bool motion_goes_on = false;
};

/// The nodes around `target`, and itself.
void add_nodes_around(const Frame& frame, std::uint16_t target, Path& path) {
    const auto& states = frame.data.states;
    for (std::uint16_t node = target; node != no_index; node = states[node].parent) {
        path.nodes[states[node].level].node = node;
    }
    path.depth = path.fresh_end = states[target].level + 1U;
}

/// The innermost node of `path` plays what the one at `level` of the active path plays: what is active inside that one
/// goes on inside this. Both hold the same nodes in the same order, which compiling makes sure of.
void take_over_from(Frame& frame, std::size_t level, Path& path) {
    const LayerHeader& layer = frame.layer;
    const std::size_t own_level = path.depth - 1;
    const std::uint16_t before = layer.path[level].node, now = path.nodes[own_level].node;
    path.fresh_end = own_level;
    path.motion_goes_on = true;
    path.depth = own_level;
    for (std::size_t from = level; from < layer.depth && path.depth < most_levels; ++from, ++path.depth) {
        const std::uint16_t inner = layer.path[from].node;
        ActiveNode& taken = path.nodes[path.depth];
        taken = layer.path[from];
        taken.node = std::uint16_t(now + (inner - before));
        const CompiledState &old_state = frame.data.states[inner], &new_state = frame.data.states[taken.node];
        if (new_state.kind != NodeKind::pick) { continue; }
        frame.block.deals()[new_state.selector] = frame.block.deals()[old_state.selector];
    }
    // The state is another, and has its own time; what goes on inside it keeps its own.
    path.nodes[own_level].elapsed = 0;
}

/// Whatever becomes active inside `target`, down to a motion.
void add_nodes_inside(Frame& frame, std::uint16_t target, Path& path) {
    for (std::uint16_t node = target; node != no_index;) {
        if (const auto level = plays_already(frame, node)) { return take_over_from(frame, *level, path); }
        node = inner_of(frame, node);
        if (node == no_index || path.depth == most_levels) { return; }
        path.nodes[path.depth++].node = node;
        path.fresh_end = path.depth;
    }
}

/// What is around the target and active already goes on.
void keep_unchanged(const Frame& frame, std::uint16_t target, Path& path) {
    const LayerHeader& layer = frame.layer;
    const std::size_t level = frame.data.states[target].level;
    while (path.unchanged < level && path.unchanged < layer.depth &&
           layer.path[path.unchanged].node == path.nodes[path.unchanged].node) {
        path.nodes[path.unchanged] = layer.path[path.unchanged];
        ++path.unchanged;
    }
}

/// Machines that resume keep the node they are in now.
void note_resumes(Frame& frame, const Path& path) {
    for (std::size_t l = 0; l + 1 < path.depth; ++l) {
        const std::uint16_t resume = frame.data.states[path.nodes[l].node].resume;
        if (resume == no_index) { continue; }
        // What has come to its last state has nothing to go on with: it begins anew.
        const std::uint16_t inner = path.nodes[l + 1].node;
        frame.block.resumes()[resume] = frame.data.states[inner].final ? no_index : inner;
    }
}

} // namespace

void enter(Frame& frame, std::uint16_t target, const Entrance& entrance) {
    LayerHeader& layer = frame.layer;
    Path path;
    add_nodes_around(frame, target, path);
    add_nodes_inside(frame, target, path);
    keep_unchanged(frame, target, path);
    for (std::size_t l = path.unchanged; l < path.fresh_end; ++l) {
        path.nodes[l].draw = std::uint32_t(next_draw(frame));
    }
    layer.unchanged_depth = std::min<std::uint8_t>(layer.unchanged_depth, std::uint8_t(path.unchanged));
    frame.header.layers_seen = 0;
    layer.path = path.nodes;
    layer.depth = std::uint8_t(path.depth);
    note_resumes(frame, path);
    frame.passed_count = 0;
    frame.asked = false;
    layer.seconds_until_decision = 0;
    layer.turned_down = 0;
    const std::uint16_t innermost = path.nodes[path.depth - 1].node;
    if (path.motion_goes_on) {
        frame.active().state = innermost;
    } else {
        play(frame, innermost, entrance);
    }
    lead_others(frame, path.unchanged);
}

void announce(Frame& frame) {
    LayerHeader& layer = frame.layer;
    const auto& states = frame.data.states;
    const auto visible = [&](std::uint16_t node) {
        // An entry of a pick or choose has no events of its own: its state has them.
        return states[node].parent == no_index || states[node].visible != states[states[node].parent].visible;
    };
    std::size_t same = 0;
    while (same < layer.unchanged_depth && same < layer.depth && same < layer.announced_depth &&
           layer.announced[same] == layer.path[same].node) {
        ++same;
    }
    for (std::size_t level = layer.announced_depth; level-- > same;) {
        if (visible(layer.announced[level])) { say(frame, EventKind::left, states[layer.announced[level]].visible); }
    }
    for (std::size_t level = same; level < layer.depth; ++level) {
        const std::uint16_t node = layer.path[level].node;
        if (visible(node)) { say(frame, EventKind::entered, states[node].visible); }
        layer.announced[level] = node;
    }
    layer.announced_depth = layer.depth;
    layer.unchanged_depth = std::uint8_t(most_levels);
}

TransitionStatus status_of(const Frame& frame, std::size_t level, const CompiledTransition& transition) {
    TransitionStatus standing;
    standing.inputs = {frame.block.smoothed(), frame.block.raw(), readings_for(frame, level, transition)};
    standing.elapsed = frame.layer.path[level].elapsed;
    standing.left = seconds_left_at(frame, level);
    standing.after = after_of(frame, level, transition);
    standing.fade = frame.data.fade_seconds(transition, standing.inputs);
    if (transition.signal != no_index) {
        const SentSignal& sent = frame.block.signals()[transition.signal];
        standing.signal_there = is_pending(frame, transition.signal);
        standing.signal_waits = sent.began_wait == 0 && sent.wait_left - frame.gone > instant;
    }
    standing.mark_passed = has_passed(frame, transition);
    standing.inside_span = is_inside(frame, transition);
    standing.on_path = leads_into_active(frame, transition);
    standing.forbidden_by = forbidden_by(frame, transition.target);
    return standing;
}

void decide(Frame& frame) {
    LayerHeader& layer = frame.layer;
    const double foreseen = layer.seconds_until_decision;
    layer.seconds_until_decision = 0;
    frame.asked = false;
    TurnedDown turned_down;
    turned_down.before = layer.turned_down != 0;
    // No value has moved that it hangs on when one comes.
    turned_down.as_foreseen =
        foreseen > 0 && turned_down.before && frame.header.signals_live == 0 &&
        !any_active(frame, [&](const CompiledState& s) { return (s.timed_reads & frame.header.moved) != 0; });
    layer.turned_down = 0;
    Visited visited;
    for (int hop = 0; hop < most_splits && !frame.led; ++hop) {
        double fade = 0;
        const bool settling = is_settling(layer);
        const std::uint16_t taken =
            settling ? no_index : find_due(frame, visited, hop == 0 ? turned_down : TurnedDown{}, fade);
        if (taken == no_index) {
            frame.asked = hop == 0;
            layer.turned_down = hop == 0 && !settling ? 1 : 0;
            break;
        }
        const CompiledTransition& transition = frame.data.transitions[taken];
        if (transition.signal != no_index) {
            SentSignal& sent = frame.block.signals()[transition.signal];
            sent.pending = std::uint16_t(sent.pending & ~(1U << frame.block.layer_index()));
            if (sent.began_wait == 0) { sent.wait_left = frame.data.signals[transition.signal].wait + frame.gone; }
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
    const bool as_foreseen = turned_down.as_foreseen && layer.turned_down != 0;
    go_on_inside(frame, as_foreseen);
    frame.passed_count = 0;
    if (as_foreseen && layer.turned_down != 0) { layer.seconds_until_decision = foreseen; } // nothing was entered
}

void yield_to_others(Frame& frame) {
    if (!any_active(frame, [](const CompiledState& state) { return state.facts.may_yield; })) { return; }
    for (const CompiledForbid& forbid : frame.data.forbidden) {
        const CompiledState& yields = frame.data.states[forbid.yields];
        if (yields.layer != frame.block.layer_index() || !is_on_path(frame.layer, yields, forbid.yields) ||
            !rules_now(frame, forbid)) {
            continue;
        }
        frame.others->catch_up(frame, (*frame.others)[frame.data.states[forbid.rules].layer]);
        Entrance entrance;
        entrance.by = forbid.record;
        entrance.fade = forbid.fade;
        record(frame, forbid.record);
        enter(frame, forbid.to, entrance);
        announce(frame);
    }
}

namespace {

/// Whether its condition and its signal would let it be taken now, if that moment came.
bool may_be_taken(const Frame& frame, const CompiledTransition& transition) {
    if (transition.signal != no_index && frame.block.signals()[transition.signal].pending == 0) { return false; }
    return transition.when.empty() ||
           evaluate(frame.data.instructions(transition.when), {frame.block.smoothed(), frame.block.raw(), {}}) != 0;
}

} // namespace

double seconds_to_decision(const Frame& frame) {
    const LayerHeader& layer = frame.layer;
    double due = never;
    if (!any_active(frame, [](const CompiledState& state) { return state.facts.decides; })) { return due; }
    const auto consider = [&](double seconds) {
        if (seconds > instant) { due = std::min(due, seconds); }
    };
    if (is_settling(layer)) { consider(frame.active().fade - frame.active().elapsed); }
    for (std::size_t level = 0; level < layer.depth; ++level) {
        const CompiledState& state = frame.data.states[layer.path[level].node];
        const double elapsed = layer.path[level].elapsed;
        if (state.kind == NodeKind::pick) { due = std::min(due, std::max(0.0, seconds_to_next_entry(frame, level))); }
        std::optional<double> known_left; // asked for by many ways out, or by none
        const auto left = [&] { return known_left ? *known_left : known_left.emplace(seconds_left_at(frame, level)); };
        const auto consider_way_out = [&](const CompiledTransition& transition) {
            consider(after_of(frame, level, transition) - elapsed);
            // What a condition reads of the inputs, and which signals there are, stays as it is within a step.
            if (transition.waits_for_moment() && !may_be_taken(frame, transition)) { return; }
            if (transition.at_end) {
                const ExpressionInputs inputs{frame.block.smoothed(), frame.block.raw(), {}};
                consider(left() - frame.data.fade_seconds(transition, inputs));
            }
            if (transition.mark != no_index) {
                consider(seconds_to_mark(frame.data, frame.block, frame.active(), transition.mark));
            }
            if (transition.span != no_index) {
                consider(seconds_to_span(frame.data, frame.block, frame.active(), transition.span));
            }
            if (transition.signal != no_index && frame.block.signals()[transition.signal].pending != 0 &&
                frame.block.signals()[transition.signal].began_wait == 0) {
                consider(frame.block.signals()[transition.signal].wait_left - frame.gone);
            }
            for (std::uint32_t i = 0; i < transition.threshold_count; ++i) {
                const Threshold& threshold = frame.data.thresholds[transition.first_threshold + i];
                consider(threshold.reading == Reading::left ? left() - double(threshold.value)
                                                            : double(threshold.value) - elapsed);
            }
        };
        // One that hangs on values and signals alone waits for a signal that may not come yet.
        if (frame.header.signals_live == 0) {
            for (const std::uint16_t index : timed_ways_out(frame, state)) {
                consider_way_out(frame.data.transitions[index]);
            }
            continue;
        }
        for (std::size_t t = 0; t < state.transitions.count; ++t) {
            const CompiledTransition& transition = frame.data.transitions[state.transitions.first + t];
            if (!transition.by_values || transition.signal != no_index) { consider_way_out(transition); }
        }
    }
    return due;
}

namespace {

/// Whether the active motion's clips go on as they do now until something is entered or their weights are computed
/// anew.
bool goes_evenly(const Frame& frame) {
    const LayerHeader& layer = frame.layer;
    const bool by_phase = frame.active().timing == Timing::shared && frame.state_of(frame.active()).facts.synced;
    // The phase of several goes by the shares that they have, and those fade.
    return !by_phase || (layer.instance_count == 1 && frame.compiled.in_step_with == no_index);
}

} // namespace

double note_next_decision(Frame& frame) {
    constexpr double longest = 60; // seconds
    const double due = seconds_to_decision(frame);
    const bool signals = frame.header.signals_live != 0;
    const bool uneven = !goes_evenly(frame);
    const bool known = frame.asked && !any_active(frame, [&](const CompiledState& state) {
                           return state.facts.poll_every_step || (signals && state.facts.poll_signals) ||
                                  (uneven && state.facts.poll_uneven);
                       });
    frame.layer.seconds_until_decision = known ? std::min(due - decision_margin, longest) : 0;
    return due;
}

} // namespace gait::detail
