#include "check/machine_checks.hpp"

#include "character/travel_path.hpp"
#include "check/turns.hpp"
#include "gait/smoothness.hpp"

#include "check/condition_space.hpp"
#include "gait/cue_player.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace gait::detail {
namespace {

class MachineChecker {
public:
    MachineChecker(const Document& document, const Character& character, const std::vector<CueSheet>& sheets,
                   DiagnosticSink& sink)
        : document_(document), data_(character.data()), sink_(sink) {
        graph_.children.resize(data_.states.size());
        for (std::size_t node = 0; node < data_.states.size(); ++node) {
            const CompiledState& state = data_.states[node];
            if (state.parent != no_index) { graph_.children[state.parent].push_back(std::uint16_t(node)); }
            if (state.shared_motion != no_index) { graph_.playing[state.shared_motion].push_back(std::uint16_t(node)); }
        }
        Diagnostics unheard; // what is wrong with a sheet is reported where it is played
        for (const CueSheet& sheet : sheets) { players_.emplace_back(sheet, character, unheard); }
    }

    void run() {
        for (const CharacterNotes::Remark& remark : data_.notes.remarks) {
            sink_.warn(remark.place, remark.code, remark.message);
        }
        check_reach();
        check_parameters();
        check_junctions();
        check_layers();
        for (std::size_t node = 0; node < data_.states.size(); ++node) {
            if (!reached_[node]) { continue; }
            const CompiledState& state = data_.states[node];
            for (std::size_t t = 0; t < state.transitions.count; ++t) {
                const auto index = std::uint16_t(state.transitions.first + t);
                check_condition(index);
                check_moments(std::uint16_t(node), index);
                check_fade(std::uint16_t(node), index);
                check_flutter(std::uint16_t(node), index);
            }
        }
    }

private:
    /// One that leads through a junction is several, of which the same is said once: what is said, or where that
    /// differs in no more than its numbers, what of.
    void warn_of(const TransitionInfo& info, const char* code, std::string message, std::string of = {}) {
        if (of.empty()) { of = message; }
        const Place& at = info.place;
        if (!said_.insert(fmt::format("{}:{}:{} {} {}", at.file, at.line, at.column, code, of)).second) { return; }
        sink_.warn(at, code, std::move(message), "states." + name_of(info.from));
    }

    [[nodiscard]] const TransitionInfo& info_of(std::uint16_t transition) const {
        return data_.transition_info[transition];
    }
    [[nodiscard]] const KeptText& name_of(std::uint16_t visible) const { return data_.state_info[visible].name; }

    /// The states of a machine in which it may begin because the body plays already what they play.
    [[nodiscard]] std::vector<std::uint16_t> goes_on_with(std::uint16_t machine) const {
        std::vector<std::uint16_t> nodes;
        const auto& states = data_.states;
        const auto is_inside = [&](std::uint16_t node) {
            while (node != no_index && node != machine) { node = states[node].parent; }
            return node == machine;
        };
        if (!states[machine].starts_here) { return nodes; }
        for (const std::uint16_t inner : graph_.children[machine]) {
            const CompiledState& state = states[inner];
            if (state.shared_motion == no_index || state.whole_body) { continue; }
            const auto& same = graph_.playing.at(state.shared_motion);
            const bool elsewhere = std::any_of(same.begin(), same.end(), [&](std::uint16_t other) {
                return !states[other].whole_body && !is_inside(other);
            });
            if (elsewhere) { nodes.push_back(inner); }
        }
        return nodes;
    }

    /// Whether a machine would begin from where the body is, and nothing else plays what its states do.
    [[nodiscard]] bool begins_from_nowhere(std::uint16_t node) const {
        return node != no_index && data_.states[node].starts_here && goes_on_with(node).empty();
    }

    /// The nodes inside `node` that become active with it, or may.
    [[nodiscard]] std::vector<std::uint16_t> inside(std::uint16_t node) const {
        const CompiledState& state = data_.states[node];
        std::vector<std::uint16_t> nodes;
        if (state.kind == NodeKind::machine) {
            nodes.push_back(state.start);
            const std::vector<std::uint16_t> shared = goes_on_with(node);
            nodes.insert(nodes.end(), shared.begin(), shared.end());
        }
        if (state.kind == NodeKind::pick) {
            for (const CompiledPickEntry& entry : data_.picks[state.selector].entries) { nodes.push_back(entry.node); }
        }
        if (state.kind == NodeKind::choose) {
            const auto& held = data_.chooses[state.selector].nodes;
            nodes.assign(held.begin(), held.end());
        }
        return nodes;
    }

    /// Everything that may become active once `from` is.
    [[nodiscard]] std::vector<bool> reach(std::vector<std::uint16_t> open) const {
        std::vector<bool> reached(data_.states.size(), false);
        while (!open.empty()) {
            const std::uint16_t node = open.back();
            open.pop_back();
            if (reached[node]) { continue; }
            reached[node] = true;
            const CompiledState& state = data_.states[node];
            for (std::size_t t = 0; t < state.transitions.count; ++t) {
                open.push_back(data_.transitions[state.transitions.first + t].target);
            }
            for (const std::uint16_t inner : inside(node)) { open.push_back(inner); }
            // What is around it is active too.
            if (state.parent != no_index && !reached[state.parent]) {
                reached[state.parent] = true;
                const CompiledState& around = data_.states[state.parent];
                for (std::size_t t = 0; t < around.transitions.count; ++t) {
                    open.push_back(data_.transitions[around.transitions.first + t].target);
                }
                if (around.parent != no_index) { open.push_back(around.parent); }
            }
        }
        return reached;
    }

    /// The nodes from which some way leads to where their layer starts.
    [[nodiscard]] std::vector<bool> nodes_that_return() const {
        // Backward over the same ways that `reach` goes forward.
        std::vector<std::vector<std::uint16_t>> before(data_.states.size());
        for (std::size_t node = 0; node < data_.states.size(); ++node) {
            const auto from = std::uint16_t(node);
            const auto add_targets = [&](const CompiledState& state) {
                for (std::size_t t = 0; t < state.transitions.count; ++t) {
                    before[data_.transitions[state.transitions.first + t].target].push_back(from);
                }
            };
            const CompiledState& state = data_.states[node];
            add_targets(state);
            for (const std::uint16_t inner : inside(from)) { before[inner].push_back(from); }
            if (state.parent == no_index) { continue; }
            const CompiledState& around = data_.states[state.parent];
            add_targets(around);
            if (around.parent != no_index) { before[around.parent].push_back(from); }
        }
        std::vector<bool> returns(data_.states.size(), false);
        std::vector<std::uint16_t> open;
        for (const CompiledLayer& layer : data_.layers) { open.push_back(layer.start); }
        while (!open.empty()) {
            const std::uint16_t node = open.back();
            open.pop_back();
            if (returns[node]) { continue; }
            returns[node] = true;
            open.insert(open.end(), before[node].begin(), before[node].end());
        }
        return returns;
    }

    /// The node that is a public state itself.
    [[nodiscard]] bool is_state(std::size_t node) const {
        const std::uint16_t parent = data_.states[node].parent;
        return parent == no_index || data_.states[parent].visible != data_.states[node].visible;
    }

    /// Whether some of these states are such as another layer may send theirs out of.
    [[nodiscard]] bool is_led_away(const std::vector<bool>& on) const {
        const auto layer_of = [&](std::size_t node) { return data_.states[node].layer; };
        const auto first = std::size_t(std::find(on.begin(), on.end(), true) - on.begin());
        return std::any_of(data_.leads.begin(), data_.leads.end(), [&](const CompiledLead& lead) {
            return layer_of(lead.target) == layer_of(first) && !on[lead.target];
        });
    }

    void check_reach() {
        std::vector<std::uint16_t> starts;
        for (const CompiledLayer& layer : data_.layers) { starts.push_back(layer.start); }
        // Where others send a layer it comes as well.
        for (const CompiledLead& lead : data_.leads) { starts.push_back(lead.target); }
        for (const CompiledForbid& forbid : data_.forbidden) { starts.push_back(forbid.to); }
        reached_ = reach(starts);
        std::set<std::uint16_t> said;
        for (std::size_t node = 0; node < data_.states.size(); ++node) {
            const CompiledState& state = data_.states[node];
            if (reached_[node] || !is_state(node)) { continue; }
            if (state.parent != no_index && !reached_[state.parent]) { continue; } // the one around it was reported
            if (begins_from_nowhere(state.parent)) { continue; }                   // which is reported by itself
            const StateInfo& info = data_.state_info[state.visible];
            sink_.warn(info.place, "unreachable-state",
                       fmt::format("no way leads into '{}'; add a transition with 'to: {}', or remove it", info.name,
                                   info.name),
                       "states." + info.name);
        }
        // A way out of the start but none back: said for the first state of each trap.
        std::set<std::size_t> trapped;
        const std::vector<bool> returns = nodes_that_return();
        constexpr std::size_t many = 100;
        std::size_t looked_at = 0;
        for (std::size_t node = 0; node < data_.states.size() && looked_at < many; ++node) {
            if (!reached_[node] || !is_state(node) || data_.states[node].parent != no_index) { continue; }
            if (returns[node] || trapped.contains(node)) { continue; }
            const std::uint16_t start = data_.layers[data_.states[node].layer].start;
            const std::vector<bool> on = reach({std::uint16_t(node)});
            ++looked_at;
            if (on[start] || is_led_away(on)) { continue; }
            for (std::size_t other = 0; other < on.size(); ++other) {
                if (on[other]) { trapped.insert(other); }
            }
            const StateInfo& info = data_.state_info[data_.states[node].visible];
            sink_.warn(info.place, "no-way-back",
                       fmt::format("from '{}' there is no way back to '{}', where it starts; add a transition that "
                                   "leads there, or on to where one does",
                                   info.name, name_of(data_.states[start].visible)),
                       "states." + info.name);
        }
    }

    // ---- layers -----------------------------------------------------------------------------------------------------

    /// Whether a layer counts in full on every joint, whatever it does.
    [[nodiscard]] bool hides_all_below(const CompiledLayer& layer) const {
        const bool everywhere = layer.mask == no_index ||
                                std::all_of(data_.masks[layer.mask].begin(),
                                            data_.masks[layer.mask].begin() + std::ptrdiff_t(data_.rig.joints.size()),
                                            [](float weight) { return weight >= 1; });
        return everywhere && layer.mode == LayerMode::replace && layer.weight.weight.empty() && !layer.has_nothing;
    }

    void check_layers() {
        for (std::size_t l = 1; l < document_.layers.size(); ++l) {
            const LayerDefinition& definition = document_.layers[l];
            if (!hides_all_below(data_.layers[l])) { continue; }
            sink_.warn(definition.name.place, "hidden-layers",
                       fmt::format("'{}' always counts on the whole body, so that nothing below it ever shows; give it "
                                   "a 'mask' or a 'weight', or a state with 'play: nothing'",
                                   definition.name.value),
                       "layers." + definition.name.value);
        }
        for (std::size_t node = 0; node < data_.states.size(); ++node) {
            const CompiledState& state = data_.states[node];
            if (!begins_from_nowhere(std::uint16_t(node))) { continue; }
            const StateInfo& info = data_.state_info[state.visible];
            sink_.warn(
                info.place, "nothing-to-go-on",
                fmt::format("no state outside '{0}' plays the same entry of 'motions' as one inside, so that with "
                            "'from_here' it always begins in '{1}'; play named motions in both, or remove it",
                            info.name, data_.state_info[data_.states[state.start].visible].name),
                "states." + info.name);
        }
    }

    // ---- parameters -------------------------------------------------------------------------------------------------

    void check_parameters() {
        std::vector<bool> used(data_.layout.parameter_count, false);
        for (const Instruction& i : data_.code) {
            if (reads_parameter(i)) { used[i.slot] = true; }
        }
        std::vector<bool> blends(used.size(), false);
        for (const MotionPart& part : data_.motions.parts) {
            if (part.kind != PartKind::line && part.kind != PartKind::plane) { continue; }
            used[part.parameter] = blends[part.parameter] = true;
            if (part.kind == PartKind::plane) { used[part.second] = blends[part.second] = true; }
        }
        for (const CompiledChoose& choose : data_.chooses) {
            if (choose.by != no_index) { used[choose.by] = true; }
        }
        std::vector<bool> awaited(used.size(), false);
        for (const CompiledTransition& transition : data_.transitions) {
            if (transition.signal == no_index) { continue; }
            const std::uint16_t slot = data_.signals[transition.signal].slot;
            used[slot] = awaited[slot] = true;
        }
        for (std::size_t p = 0; p < data_.parameters.size(); ++p) {
            const ParameterInfo& info = data_.parameters[p];
            // The signals that ask for one-shots stand behind the document's own parameters.
            const std::size_t own = document_.parameters.size();
            const bool asks = p >= own;
            const Place place = asks ? document_.one_shots[p - own].name.place : document_.parameters[p].name.place;
            const std::string path = (asks ? "one_shots." : "parameters.") + info.name;
            const bool moves_body = std::any_of(players_.begin(), players_.end(),
                                                [&](const CuePlayer& c) { return c.goes_by(std::uint16_t(p)); });
            if (!used[p] && !moves_body) {
                sink_.warn(place, "unused-parameter",
                           fmt::format("nothing looks at '{}'; use it in a condition or a blend space, or remove it",
                                       info.name),
                           path);
                continue;
            }
            const bool set =
                !players_.empty() && std::none_of(players_.begin(), players_.end(),
                                                  [&](const CuePlayer& c) { return c.touches(std::uint16_t(p)); });
            if (blends[p] && !info.computed && (info.tune || set)) {
                sink_.warn(place, "unset-blend",
                           fmt::format("a blend space runs along '{}', and nothing sets it: it stays at {:.4g}; {}",
                                       info.name, info.default_value,
                                       info.tune ? "remove 'tune', so that the game sets it, or give it a 'from'"
                                                 : "set it in a cue, or give it a 'from'"),
                           path);
            }
            if (set && !blends[p] && !awaited[p] && !info.computed && !info.tune) {
                sink_.warn(
                    place, "unset-parameter",
                    fmt::format("no cue sets '{}', so that what asks for it is never seen otherwise; set it in a "
                                "cue, give it a 'from', or write 'tune: yes'",
                                info.name),
                    path);
            }
            if (awaited[p] && set) {
                const std::string waits = asks ? fmt::format("one-shot '{}' waits to be asked for", info.name)
                                               : fmt::format("transitions wait for signal '{}'", info.name);
                sink_.warn(place, "unsent-signal",
                           fmt::format("{}, and no cue sends it; add 'send: {}'", waits, info.name), path);
            }
        }
    }

    // ---- junctions --------------------------------------------------------------------------------------------------

    void check_junctions() {
        for (const LayerDefinition& layer : document_.layers) { check_junctions(layer.machine); }
        for (const NamedMachine& named : document_.machines) { check_junctions(named.machine); }
    }

    void check_junctions(const MachineDefinition& machine) {
        for (const StateDefinition& state : machine.states) {
            if (state.machine) { check_junctions(*state.machine); }
            if (state.junction.empty() || state.junction.back().when.empty()) { continue; }
            sink_.warn(state.name.place, "junction-gap",
                       fmt::format("when no branch of '{}' holds, whoever leads here does not leave; add a last branch "
                                   "without 'when'",
                                   state.name.value),
                       "states." + state.name.value);
        }
    }

    // ---- conditions -------------------------------------------------------------------------------------------------

    void check_condition(std::uint16_t index) {
        const CompiledTransition& transition = data_.transitions[index];
        const TransitionInfo& info = info_of(index);
        if (transition.when.empty() || !said_condition_.insert(info.condition).second) { return; }
        ConditionSpace space(data_, {transition.when});
        const bool holds = space.any([&] { return space.holds(transition.when); });
        if (holds || !space.is_exact()) { return; }
        warn_of(info, "never-holds",
                fmt::format("'{}' never holds{}; change the condition or the range", info.condition,
                            ranges_in(transition.when)));
    }

    [[nodiscard]] std::string ranges_in(CodeRange code) const {
        std::string text;
        std::set<std::uint16_t> seen;
        for (const Instruction& i : data_.instructions(code)) {
            if (!reads_parameter(i) || i.slot >= data_.parameters.size() || !seen.insert(i.slot).second) { continue; }
            const ParameterInfo& info = data_.parameters[i.slot];
            if (!gait::info_of(info.kind).continuous) { continue; }
            if (!std::isfinite(info.low) || !std::isfinite(info.high)) { continue; }
            text += fmt::format("{} '{}' ranges from {:.4g} to {:.4g}", text.empty() ? ":" : ",", info.name, info.low,
                                info.high);
        }
        return text;
    }

    /// Whether a transition falls at once, whenever its condition holds.
    [[nodiscard]] static bool is_instant(const CompiledTransition& transition) {
        return !transition.when.empty() && transition.signal == no_index && transition.mark == no_index &&
               transition.span == no_index && !transition.at_end && !(transition.after > 0) && !transition.settle;
    }

    void check_flutter(std::uint16_t node, std::uint16_t index) {
        const CompiledTransition& there = data_.transitions[index];
        const CompiledState& target = data_.states[there.target];
        if (!is_instant(there) || there.target <= node) { return; } // each pair once
        for (std::size_t t = 0; t < target.transitions.count; ++t) {
            const auto back_index = std::uint16_t(target.transitions.first + t);
            const CompiledTransition& back = data_.transitions[back_index];
            if (back.target != node || !is_instant(back)) { continue; }
            ConditionSpace space(data_, {there.when, back.when});
            if (space.is_passing()) { continue; }
            const std::string ways =
                fmt::format("'{}' leads to '{}' when '{}' and back when '{}'", name_of(info_of(index).from),
                            name_of(info_of(index).to), info_of(index).condition, info_of(back_index).condition);
            std::string both;
            const bool at_once = space.any([&] {
                if (!space.holds(there.when) || !space.holds(back.when)) { return false; }
                both = space.values();
                return true;
            });
            if (at_once) {
                warn_of(info_of(index), "flutter",
                        fmt::format("{}; both hold at {}, so the machine goes to and fro in every frame; make one "
                                    "exclude the other",
                                    ways, both));
                continue;
            }
            check_threshold(space, there, back, ways, index);
        }
    }

    void check_threshold(ConditionSpace& space, const CompiledTransition& there, const CompiledTransition& back,
                         const std::string& ways, std::uint16_t index) {
        std::string where;
        const bool meet = space.any_threshold([&](const ConditionSpace::Threshold& threshold) {
            threshold.side(false);
            const bool there_below = space.holds(there.when), back_below = space.holds(back.when);
            threshold.side(true);
            const bool there_above = space.holds(there.when), back_above = space.holds(back.when);
            const bool swaps = (there_below && back_above && !back_below && !there_above) ||
                               (back_below && there_above && !there_below && !back_above);
            if (swaps) { where = fmt::format("{} = {:.4g}", threshold.name, threshold.at); }
            return swaps;
        });
        if (!meet) { return; }
        warn_of(info_of(index), "flutter",
                fmt::format("{}; they meet at {}, so a number that trembles there makes the machine go to and fro; "
                            "leave a gap between the two",
                            ways, where));
    }

    // ---- moments and fades ------------------------------------------------------------------------------------------

    /// The motions that may play while `node` is active.
    void collect_motions(std::uint16_t node, std::set<std::uint16_t>& motions) const {
        const CompiledState& state = data_.states[node];
        if (state.kind == NodeKind::motion) {
            motions.insert(state.motion);
            return;
        }
        for (std::size_t child = node + 1U; child < data_.states.size(); ++child) {
            if (data_.states[child].parent == node) { collect_motions(std::uint16_t(child), motions); }
        }
    }

    template <typename Visit> void each_leaf(std::uint16_t node, Visit visit) const {
        std::set<std::uint16_t> motions;
        collect_motions(node, motions);
        for (const std::uint16_t motion : motions) {
            for (const Leaf& leaf : data_.motions.leaves_of(data_.motions.motions[motion])) { visit(leaf); }
        }
    }

    void check_moments(std::uint16_t node, std::uint16_t index) {
        const CompiledTransition& transition = data_.transitions[index];
        const TransitionInfo& info = info_of(index);
        bool mark = transition.mark == no_index, span = transition.span == no_index, loops = false, ends = false;
        each_leaf(node, [&](const Leaf& leaf) {
            const ClipEvents& moments = data_.clip_events[leaf.clip];
            for (const PlacedMark& m : moments.marks) { mark = mark || m.mark == transition.mark; }
            for (const PlacedSpan& s : moments.spans) { span = span || s.span == transition.span; }
            loops = loops || leaf.loops;
            ends = ends || !leaf.loops;
        });
        const auto unpassed = [&](const char* what, const std::string& name) {
            warn_of(info, "unpassed-mark",
                    fmt::format("this waits for {} '{}', and no clip that '{}' plays has it; add it to one of them",
                                what, name, name_of(info.from)));
        };
        if (!mark) { unpassed("mark", data_.mark_names[transition.mark]); }
        if (!span) { unpassed("span", data_.span_names[transition.span]); }
        bool reads_end = false;
        for (const Instruction& i : data_.instructions(transition.when)) {
            const bool reading = i.operation == Operation::reading;
            reads_end =
                reads_end || (reading && (Reading(i.slot) == Reading::left || Reading(i.slot) == Reading::ended));
        }
        if (reads_end && loops && !ends) {
            warn_of(info, "left-of-loop",
                    fmt::format("'{}' looks at the end of what '{}' plays, and that loops for ever; compare "
                                "state.loops or state.elapsed, or play it with 'loop: no'",
                                info.condition, name_of(info.from)));
        }
    }

    /// The shortest motion that entering `node` may play, when all of them come to an end; infinite otherwise.
    [[nodiscard]] double shortest_entered(std::uint16_t node) const {
        const CompiledState& state = data_.states[node];
        double shortest = std::numeric_limits<double>::infinity();
        if (state.kind == NodeKind::pick) { return shortest; } // its entries see to their own fades
        if (state.kind == NodeKind::motion) {
            double seconds = 0;
            for (const Leaf& leaf : data_.motions.leaves_of(data_.motions.motions[state.motion])) {
                if (leaf.loops || !leaf.pace.empty()) { return shortest; }
                seconds = std::max(seconds, data_.clips[leaf.clip].seconds);
            }
            return seconds > 0 ? seconds : shortest; // a single pose is held on purpose
        }
        for (const std::uint16_t inner : inside(node)) { shortest = std::min(shortest, shortest_entered(inner)); }
        return shortest;
    }

    using Turns = std::vector<Quaternion>;

    /// Turns of all joints with which a node may be left (`leaves`), or be entered: of each clip that its motions
    /// blend, over its phases. Of a great space a part stands for the whole.
    [[nodiscard]] std::vector<Turns> shown(std::uint16_t node, bool leaves, bool at_end) {
        const CompiledState& state = data_.states[node];
        std::vector<Turns> all;
        if (state.kind != NodeKind::motion) {
            for (const std::uint16_t inner : inside(node)) {
                const std::vector<Turns> own = shown(inner, leaves, at_end);
                all.insert(all.end(), own.begin(), own.end());
            }
            return all;
        }
        constexpr std::size_t most_clips = 8;
        std::vector<const SampledClip*> clips;
        for (const Leaf& leaf : data_.motions.leaves_of(data_.motions.motions[state.motion])) {
            const SampledClip* clip = &data_.clips[leaf.clip];
            if (leaf.additive != no_index || clips.size() == most_clips) { continue; }
            if (std::find(clips.begin(), clips.end(), clip) == clips.end()) { clips.push_back(clip); }
        }
        const int phases = clips.size() == 1 ? 6 : 4;
        for (const SampledClip* clip : clips) {
            for (int p = 0; p < phases; ++p) {
                // One that is played once is entered at its beginning.
                const double phase = leaves && at_end ? 1 : leaves || clip->loops ? double(p) / phases : 0;
                const auto [known, is_new] = turns_.try_emplace({clip, phase});
                if (is_new) { known->second = body_turns(*clip, data_, phase); }
                all.push_back(known->second);
                if (phase == 1 || (!leaves && !clip->loops)) { break; }
            }
        }
        return all;
    }
    std::map<std::pair<const SampledClip*, double>, Turns> turns_;

    /// A fade that shows however the two motions meet: the least turn that some joint has to make, over their phases,
    /// is too far for it. The jolt of a smooth ease over an angle A is 6 A / T^2 a second squared.
    void check_short_fade(std::uint16_t node, std::uint16_t index) {
        const CompiledTransition& transition = data_.transitions[index];
        const CompiledLayer& layer = data_.layers[data_.states[node].layer];
        constexpr double visible = 600,
                         dt = 1 / PopMeter::rate; // degrees a second: twice what no clip need do by itself
        constexpr double longest = 0.35;          // seconds: over half a turn no fade has to be longer
        if (!(transition.fade > 0) || transition.fade > longest || transition.style != FadeStyle::cross ||
            layer.mode == LayerMode::add) {
            return;
        }
        const std::vector<Turns> ends = shown(node, true, transition.at_end),
                                 starts = shown(transition.target, false, false);
        if (ends.empty() || starts.empty()) { return; }
        double least = 360;
        std::size_t joint = 0;
        for (const auto& end : ends) {
            for (const auto& start : starts) {
                double greatest = 0;
                std::size_t where = 0;
                for (std::size_t j = 0; j < end.size(); ++j) {
                    if (layer.mask != no_index && !(data_.masks[layer.mask][j] > 0)) { continue; }
                    const double degrees = turn(end[j], start[j]).norm();
                    if (degrees > greatest) {
                        greatest = degrees;
                        where = j;
                    }
                    if (greatest >= least) { break; } // they meet more nearly elsewhere
                }
                if (greatest < least) {
                    least = greatest;
                    joint = where;
                }
            }
        }
        const double needed = std::sqrt(6 * least * dt / visible);
        if (!(transition.fade < 0.9 * needed)) { return; }
        const TransitionInfo& info = info_of(index);
        warn_of(
            info, "short-fade",
            fmt::format("'{}' turns by {:.0f} degrees or more from '{}' to '{}', and the fade takes {:.4g} s, which "
                        "shows; give it {:.2f} s",
                        data_.rig.joints[joint].name, least, name_of(info.from), name_of(info.to), transition.fade,
                        std::ceil(100 * needed) / 100));
    }

    /// How one clip carries the body as a node that plays it is left or entered, metres and radians a second; nothing
    /// where the game moves it, or more clips than one do.
    [[nodiscard]] std::optional<BodyStep> carried(std::uint16_t node, bool leaves, bool at_end) const {
        const CompiledState& state = data_.states[node];
        if (state.kind != NodeKind::motion || state.game_moves) { return std::nullopt; }
        const auto playing = data_.motions.leaves_of(data_.motions.motions[state.motion]);
        if (playing.size() != 1 || !data_.clips[playing.front().clip].travel.travels) { return std::nullopt; }
        const SampledClip& clip = data_.clips[playing.front().clip];
        constexpr double instant = 0.02; // of the clip
        const double from = clip.loops || (leaves && !at_end) ? 0 : leaves ? 1 - instant : 0;
        const double to = clip.loops || (leaves && !at_end) ? 1 : from + instant;
        return scaled(travel_between(clip.travel, from, to), 1 / ((to - from) * clip.seconds));
    }

    /// A cut from one clip's way to another's, at whose speed no body is at once.
    void check_way(std::uint16_t node, std::uint16_t index) {
        const CompiledTransition& transition = data_.transitions[index];
        const auto from = carried(node, true, transition.at_end), to = carried(transition.target, false, false);
        constexpr double shortest = 0.05, most_speed = 0.5, most_turn = 45; // seconds, metres and degrees a second
        if (!from || !to || transition.fade >= shortest) { return; }
        const double faster = std::hypot(to->x - from->x, to->z - from->z);
        const double turns = std::fabs(to->yaw - from->yaw) * degrees_per_radian;
        if (faster < most_speed && turns < most_turn) { return; }
        const TransitionInfo& info = info_of(index);
        const std::string what =
            faster >= most_speed
                ? fmt::format("goes from {:.2g} to {:.2g} m/s", std::hypot(from->x, from->z), std::hypot(to->x, to->z))
                : fmt::format("turns by {:.0f} degrees a second more or less", turns);
        warn_of(info, "sudden-way",
                fmt::format("from '{}' to '{}' the body {} at once; give it a fade of 0.2 s or more",
                            name_of(info.from), name_of(info.to), what));
    }

    void check_fade(std::uint16_t node, std::uint16_t index) {
        const CompiledTransition& transition = data_.transitions[index];
        const TransitionInfo& info = info_of(index);
        if (!transition.fade_by.empty()) { return; }
        const double entered = shortest_entered(transition.target);
        if (transition.fade > entered + fade_slack) {
            warn_of(info, "long-fade",
                    fmt::format("the fade to '{}' takes {:.4g} s, and what plays there is over after {:.4g} s, before "
                                "it was ever seen whole; shorten the fade",
                                name_of(info.to), transition.fade, entered));
            return;
        }
        check_way(node, index);
        check_short_fade(node, index);
        const double own = shortest_entered(node);
        double left = own - transition.after;
        // With more to wait for, `after` is only the earliest.
        const bool waits = !transition.when.empty() || transition.signal != no_index;
        bool timed = transition.mark != no_index || (transition.after > 0 && !waits);
        if (transition.mark != no_index) {
            left = std::numeric_limits<double>::infinity();
            each_leaf(node, [&](const Leaf& leaf) {
                if (leaf.loops || !leaf.pace.empty()) { return; }
                for (const PlacedMark& m : data_.clip_events[leaf.clip].marks) {
                    if (m.mark == transition.mark) {
                        left = std::min(left, (1 - m.at) * data_.clips[leaf.clip].seconds);
                    }
                }
            });
        }
        for (std::size_t t = 0; t < transition.threshold_count; ++t) {
            const Threshold& threshold = data_.thresholds[transition.first_threshold + t];
            if (threshold.reading == Reading::left && own < std::numeric_limits<double>::infinity()) {
                left = std::min(left, double(threshold.value));
                timed = true;
            }
        }
        const bool crossed = transition.style == FadeStyle::cross && !transition.at_end;
        if (!timed || !crossed || !(left > 0) || !(transition.fade > left + fade_slack)) { return; }
        warn_of(info, "fade-past-end",
                fmt::format("as this leaves, '{}' has {:.4g} s left, and the fade takes {:.4g} s: the rest of it fades "
                            "from a motion that stands still; shorten the fade, or leave earlier",
                            name_of(info.from), left, transition.fade),
                name_of(info.from));
    }

    const Document& document_;
    const CharacterData& data_;
    DiagnosticSink& sink_;
    std::vector<CuePlayer> players_;
    struct Graph {
        std::vector<std::vector<std::uint16_t>> children;            ///< a node each, in order
        std::map<std::uint16_t, std::vector<std::uint16_t>> playing; ///< the nodes that play a shared motion
    };
    Graph graph_;
    std::vector<bool> reached_;
    std::set<std::string> said_condition_;
    std::set<std::string> said_; ///< of transitions
};

} // namespace

void check_machine(const Document& document, const Character& character, const std::vector<CueSheet>& sheets,
                   DiagnosticSink& sink) {
    MachineChecker(document, character, sheets, sink).run();
}

} // namespace gait::detail
