#include "compile/transitions.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <functional>
#include <map>
#include <set>
#include <string>
#include <vector>

namespace gait::detail {
namespace {

constexpr double longest_after = 86'400; ///< seconds
constexpr std::size_t deepest_junctions = 16;

class TransitionCompiler {
public:
    TransitionCompiler(CompileContext& context, StateTree& tree)
        : context_(context), tree_(tree), data_(*context.data) {
        for (std::size_t s = 0; s < data_.signals.size(); ++s) { // of two that are called alike, the first
            signals_.emplace(data_.parameters[data_.signals[s].slot].name, std::uint16_t(s));
        }
    }

    void compile_state(std::uint16_t index) {
        const StateTree::Node node = tree_.nodes[index];
        if (node.definition == nullptr) { return; }
        const StateTree::Machine& machine = tree_.machines[std::size_t(node.machine)];
        const UsesOf here(context_, machine.uses);
        first_ = data_.transitions.size();
        // What leaves from every state stands before each state's own: a frame walks one list.
        const std::string& name = node.definition->name.value;
        for (std::size_t t = 0; t < machine.definition->always.size(); ++t) {
            if (context_.too_many(data_.transitions.size(), "ways")) { return; }
            const TransitionDefinition& always = machine.definition->always[t];
            const bool excepted = excepted_from(node.machine)[t].contains(name);
            if (!excepted && (always.again || always.to.value != name)) {
                compile_transition(always, index, Kind::always, always_path(machine, t));
            }
        }
        for (std::size_t t = 0; t < node.definition->go.size(); ++t) {
            compile_transition(node.definition->go[t], index, Kind::own, fmt::format("{}.go[{}]", node.path, t));
        }
        data_.states[index].transitions.first = std::uint16_t(first_);
        data_.states[index].transitions.count = std::uint16_t(data_.transitions.size() - first_);
    }

private:
    struct Draft {
        CompiledTransition compiled;
        TransitionInfo info;
    };
    enum class Kind { own, always };

    using Names = std::set<std::string, std::less<>>;

    [[nodiscard]] static std::string always_path(const StateTree::Machine& machine, std::size_t index) {
        return fmt::format("{}.always[{}]", machine.path, index);
    }

    /// The states that each transition of a machine's `always` does not leave. Worked out, and checked, once a machine.
    const std::vector<Names>& excepted_from(int machine) {
        const auto [known, is_new] = excepted_.try_emplace(machine);
        if (is_new) {
            const StateTree::Machine& of = tree_.machines[std::size_t(machine)];
            for (std::size_t t = 0; t < of.definition->always.size(); ++t) {
                const TransitionDefinition& always = of.definition->always[t];
                check_always(always, of, always_path(of, t));
                Names& names = known->second.emplace_back();
                for (const Text& name : always.except) { names.insert(name.value); }
            }
        }
        return known->second;
    }

    void check_always(const TransitionDefinition& always, const StateTree::Machine& machine, const std::string& path) {
        for (const Text& name : always.except) {
            if (!machine.by_name.contains(name.value)) {
                context_.unknown(name.place, "state", name.value, machine.names, path);
            }
        }
        if (always.when.empty() && always.signal.empty()) {
            context_.error(
                always.place, "missing-key",
                "a transition of 'always' leaves from whichever state is active, so it needs a condition; add "
                "'when: CONDITION'",
                path);
        }
    }

    /// Whether what a node plays comes to an end by itself.
    [[nodiscard]] bool can_end(std::uint16_t index) const {
        const CompiledState& state = data_.states[index];
        const auto children_end = [&](bool only_final, bool all) {
            bool any = false;
            for (std::size_t child = index + 1U; child < data_.states.size(); ++child) {
                if (data_.states[child].parent != index || (only_final && !data_.states[child].final)) { continue; }
                const bool ends = can_end(std::uint16_t(child));
                if (all && !ends) { return false; }
                any = any || ends;
            }
            return any;
        };
        switch (state.kind) {
        case NodeKind::pick:
            return false;
        case NodeKind::choose:
            return children_end(false, false);
        case NodeKind::machine:
            return children_end(true, false);
        case NodeKind::motion:
            break;
        }
        if (state.motion >= data_.motions.motions.size()) { return true; }
        if (data_.motions.motions[state.motion].nothing) { return false; }
        const auto leaves = data_.motions.leaves_of(data_.motions.motions[state.motion]);
        return std::none_of(leaves.begin(), leaves.end(), [](const Leaf& l) { return l.loops && l.leads; });
    }

    void compile_transition(const TransitionDefinition& definition, std::uint16_t owner, Kind kind,
                            const std::string& path) {
        const int machine = tree_.nodes[owner].machine;
        Draft draft;
        draft.compiled = compile_conditions(definition, machine, path);
        draft.compiled.not_again = kind == Kind::always && !definition.again;
        // Within its state, so that no other layer has a say in what is drawn.
        draft.compiled.draws_as = std::uint16_t(data_.transitions.size() - first_);
        compile_look(definition, machine, draft, path);
        draft.info.from = data_.states[owner].visible;
        draft.info.condition = words_substituted(definition.when.value, tree_.machines[std::size_t(machine)].arguments);
        draft.info.when = words_for(definition, draft);
        draft.info.place = definition.place;
        // A one-shot that waits for a condition may loop until then.
        if (definition.if_it_ends && !can_end(owner)) { return; }
        if (draft.compiled.at_end && kind == Kind::own && !can_end(owner)) {
            const bool machine_inside = data_.states[owner].kind == NodeKind::machine;
            context_.error(definition.place, "never-ends",
                           machine_inside
                               ? "this transition waits for the machine's end, and none of its states is a last one: "
                                 "one without 'go', whose clip ends"
                               : "this transition waits for the motion's end, and the motion loops; add 'when: "
                                 "CONDITION', or play the clip with 'loop: no'",
                           path);
        }
        if (definition.to.empty()) {
            context_.incomplete(definition.place, {}, "this transition leads nowhere", path);
            return;
        }
        if (const auto target = tree_.find_target(definition.to, machine, path)) { add_branches(draft, *target, 0); }
    }

    /// The junction in which the machine of a state starts, or one inside that.
    [[nodiscard]] std::optional<StateTree::Target> junction_inside(const StateTree::Target& target) const {
        if (target.junction != nullptr) { return std::nullopt; }
        for (std::uint16_t node = target.node; node != no_index && tree_.nodes[node].inner >= 0;) {
            const int inner = tree_.nodes[node].inner;
            const StateTree::Machine& machine = tree_.machines[std::size_t(inner)];
            const StateDefinition* state = tree_.nodes[node].definition;
            if (state != nullptr && state->resume) { return std::nullopt; } // it goes on where it was left
            if (machine.start_junction != nullptr) {
                return StateTree::Target{no_index, machine.start_junction, inner};
            }
            node = machine.start;
        }
        return std::nullopt;
    }

    /// Adds the transition, or, where it leads to a junction, one for each branch: tried in order they do what the
    /// junction says, and a frame knows no junctions.
    void add_branches(const Draft& draft, const StateTree::Target& target, std::size_t depth) {
        if (context_.too_many(data_.transitions.size(), "ways")) { return; }
        if (const auto start = junction_inside(target)) { return add_branches(draft, *start, depth + 1); }
        if (target.junction == nullptr) {
            Draft added = draft;
            added.compiled.target = target.node;
            added.info.to = data_.states[target.node].visible;
            add_thresholds(added.compiled);
            added.compiled.reads_state = reads_state(added.compiled.when) || reads_state(added.compiled.fade_by);
            added.info.fade = fade_by_default(added.compiled);
            data_.transitions.push_back(added.compiled);
            data_.transition_info.push_back(added.info);
            return;
        }
        const StateDefinition& junction = *target.junction;
        const StateTree::Machine& machine = tree_.machines[std::size_t(target.machine)];
        const UsesOf here(context_, machine.uses);
        const std::string junction_path = fmt::format("{}.states.{}", machine.path, junction.name.value);
        if (depth == deepest_junctions) {
            context_.error(junction.name.place, "circular-junction",
                           fmt::format("from '{}' junctions lead to one another in a circle, or more than {} deep",
                                       junction.name.value, deepest_junctions),
                           junction_path);
            return;
        }
        for (std::size_t b = 0; b < junction.junction.size(); ++b) {
            const BranchDefinition& branch = junction.junction[b];
            const std::string own = fmt::format("{}.junction[{}]", junction_path, b);
            Draft next = draft;
            if (!branch.when.empty()) {
                const CodeRange code = context_.expression(
                    branch.when, ValueType::flag, CompileContext::StateReadings::allowed, machine.arguments, own);
                next.compiled.when = context_.both(draft.compiled.when, code);
                const std::string text = words_substituted(branch.when.value, machine.arguments);
                next.info.when += (next.info.when.empty() ? "" : "; ") + text;
                next.info.condition =
                    next.info.condition.empty() ? text : fmt::format("({}) and ({})", next.info.condition, text);
            }
            if (branch.fade) {
                next.compiled.fade = next.info.fade = checked_fade(context_, *branch.fade, own);
                next.compiled.fade_by = {};
                next.info.fade_by = {};
            }
            if (branch.to.empty()) { continue; }
            if (const auto to = tree_.find_target(branch.to, target.machine, own)) {
                add_branches(next, *to, depth + 1);
            }
        }
    }

    CompiledTransition compile_conditions(const TransitionDefinition& definition, int machine,
                                          const std::string& path) {
        const Arguments& arguments = tree_.machines[std::size_t(machine)].arguments;
        CompiledTransition transition;
        transition.at_end = definition.at_end || definition.waits_for_end_alone();
        if (definition.after) {
            for (const Number& seconds : {definition.after->first, definition.after->second}) {
                if (!(seconds.value >= 0) || seconds.value > longest_after) {
                    context_.error(seconds.place, "wrong-range",
                                   fmt::format("'after' is 0 to {} seconds; found {}", longest_after, seconds.value),
                                   path);
                }
            }
            transition.after = definition.after->first.value;
            transition.after_more = std::max(0.0, definition.after->second.value - definition.after->first.value);
        }
        if (!definition.when.empty()) {
            transition.when = context_.expression(definition.when, ValueType::flag,
                                                  CompileContext::StateReadings::allowed, arguments, path + ".when");
        }
        if (!definition.signal.empty()) {
            const Text name = substituted(definition.signal, arguments);
            const auto found = signals_.find(name.value);
            if (found == signals_.end()) {
                std::vector<std::string> known;
                for (const auto& [own, index] : signals_) { known.push_back(own); }
                context_.unknown(name.place, "signal", name.value, known, path);
            } else {
                transition.signal = found->second;
            }
        }
        transition.mark = named_mark_or_span(definition.at_mark, "mark", strings_of(data_.mark_names), path);
        transition.span = named_mark_or_span(definition.inside, "span", strings_of(data_.span_names), path);
        return transition;
    }

    std::uint16_t named_mark_or_span(const Text& name, const char* kind, const std::vector<std::string>& known,
                                     const std::string& path) {
        if (name.empty()) { return no_index; }
        const auto found = std::find(known.begin(), known.end(), name.value);
        if (found != known.end()) { return std::uint16_t(found - known.begin()); }
        context_.unknown(name.place, kind, name.value, known, path);
        return no_index;
    }

    void compile_look(const TransitionDefinition& definition, int machine, Draft& draft, const std::string& path) {
        CompiledTransition& transition = draft.compiled;
        const Arguments& arguments = tree_.machines[std::size_t(machine)].arguments;
        if (!definition.fade_by.empty()) {
            transition.fade_by = context_.expression(definition.fade_by, ValueType::number,
                                                     CompileContext::StateReadings::allowed, arguments, path + ".fade");
            draft.info.fade_by = words_substituted(definition.fade_by.value, arguments);
        }
        transition.fade = checked_fade(context_, definition.fade, path);
        transition.ease = definition.ease;
        transition.style = definition.style;
        transition.settle = definition.settle;
        draft.info.fade = transition.fade;
        draft.info.ease = definition.ease;
        draft.info.style = definition.style;
        const std::string& where = definition.enter_at.value;
        if (where.empty()) { return; }
        double fraction = 0;
        const auto [end, problem] = std::from_chars(where.data(), where.data() + where.size(), fraction);
        if (problem == std::errc{} && end == where.data() + where.size()) {
            transition.enter_at = EnterAt::fraction;
            transition.enter_fraction = fraction;
            if (!(fraction >= 0) || fraction > 1) {
                context_.error(definition.enter_at.place, "wrong-range",
                               fmt::format("'enter_at' is a fraction of the motion, 0 to 1; found {}", where), path);
                transition.enter_fraction = 0;
            }
        } else if (where == "phase") {
            transition.enter_at = EnterAt::phase;
        } else if (where == "footfall") {
            transition.enter_at = EnterAt::footfall;
            context_.wants_footfalls = true;
        } else {
            transition.enter_at = EnterAt::mark;
            auto known = strings_of(data_.mark_names);
            known.insert(known.end(), {"phase", "footfall"});
            transition.enter_mark = named_mark_or_span(definition.enter_at, "mark", known, path);
        }
    }

    [[nodiscard]] static std::string words_for(const TransitionDefinition& definition, const Draft& draft) {
        std::string words = draft.info.condition;
        const auto add = [&](const std::string& more) { words += (words.empty() ? "" : ", ") + more; };
        if (!definition.signal.empty()) { add("signal " + definition.signal.value); }
        if (definition.after) {
            const auto& [low, high] = *definition.after;
            add(low.value == high.value ? fmt::format("after {:g} s", low.value)
                                        : fmt::format("after {:g} to {:g} s", low.value, high.value));
        }
        if (!definition.at_mark.empty()) { add("at " + definition.at_mark.value); }
        if (!definition.inside.empty()) { add("inside " + definition.inside.value); }
        if (draft.compiled.at_end) { add("at end"); }
        return words;
    }

    /// For people: how long it fades with the default parameters.
    [[nodiscard]] double fade_by_default(const CompiledTransition& transition) const {
        if (transition.fade_by.empty()) { return transition.fade; }
        std::vector<float> values(data_.parameters.size() + context_.hidden.size(), 0.0F);
        for (std::size_t p = 0; p < data_.parameters.size(); ++p) { values[p] = data_.parameters[p].default_value; }
        return data_.fade_seconds(transition, {values.data(), values.data(), {}});
    }

    [[nodiscard]] bool reads_state(CodeRange range) const {
        const auto code = data_.instructions(range);
        return std::any_of(code.begin(), code.end(),
                           [](const Instruction& i) { return i.operation == Operation::reading; });
    }

    /// Finds comparisons of `state.left` or `state.elapsed` with a number: their instants split a step.
    void add_thresholds(CompiledTransition& transition) {
        transition.first_threshold = std::uint32_t(data_.thresholds.size());
        const auto code = data_.instructions(transition.when);
        for (std::size_t i = 0; i + 2 < code.size(); ++i) {
            const Operation comparison = code[i + 2].operation;
            const bool compares = comparison == Operation::less || comparison == Operation::less_equal ||
                                  comparison == Operation::greater || comparison == Operation::greater_equal;
            if (!compares) { continue; }
            for (const auto& [reading, constant] : {std::pair(code[i], code[i + 1]), std::pair(code[i + 1], code[i])}) {
                if (reading.operation != Operation::reading || constant.operation != Operation::constant) { continue; }
                const auto which = Reading(reading.slot);
                if (which == Reading::left || which == Reading::elapsed) {
                    data_.thresholds.push_back({which, constant.value});
                }
            }
        }
        transition.threshold_count = std::uint32_t(data_.thresholds.size()) - transition.first_threshold;
    }

    CompileContext& context_;
    StateTree& tree_;
    CharacterData& data_;
    std::map<std::string, std::uint16_t, std::less<>> signals_; ///< into the character's, by name
    std::map<int, std::vector<Names>> excepted_;                ///< by machine
    std::size_t first_ = 0;                                     ///< transition of the state that is being compiled
};

} // namespace

void compile_transitions(CompileContext& context, StateTree& tree) {
    TransitionCompiler compiler(context, tree);
    for (std::size_t node = 0; node < context.data->states.size(); ++node) {
        compiler.compile_state(std::uint16_t(node));
    }
}

} // namespace gait::detail
