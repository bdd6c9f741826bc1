#include "gait/why.hpp"

#include "compile/expression_parser.hpp"
#include "compile/parameter_values.hpp"
#include "perform/block_of.hpp"
#include "perform/machine_step.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait {
using namespace detail;
namespace {

bool in_word(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '.';
}

/// Whether a whole word stands at `at`.
bool word_at(const std::string& text, std::size_t at, std::string_view word) {
    const bool before = at > 0 && in_word(text[at - 1]);
    const std::size_t end = at + word.size();
    return !before && text.compare(at, word.size(), word) == 0 && (end >= text.size() || !in_word(text[end]));
}

std::string trimmed(std::string text) {
    while (!text.empty() && text.front() == ' ') { text.erase(text.begin()); }
    while (!text.empty() && text.back() == ' ') { text.pop_back(); }
    return text;
}

/// Takes off brackets that close over the whole text.
std::string without_brackets(std::string text) {
    while (text.size() > 2 && text.front() == '(' && text.back() == ')') {
        int depth = 0;
        for (std::size_t i = 0; i + 1 < text.size(); ++i) {
            depth += int(text[i] == '(') - int(text[i] == ')');
            if (depth == 0) { return text; }
        }
        text = trimmed(text.substr(1, text.size() - 2));
    }
    return text;
}

/// The parts of a condition that must all hold: it is cut at each `and` that no bracket or `or` encloses.
std::vector<std::string> parts_of(const std::string& whole) {
    const std::string condition = without_brackets(trimmed(whole));
    std::vector<std::string> parts;
    int depth = 0;
    std::size_t start = 0;
    for (std::size_t i = 0; i < condition.size(); ++i) {
        depth += int(condition[i] == '(') - int(condition[i] == ')');
        if (depth != 0) { continue; }
        if (word_at(condition, i, "or")) { return {condition}; }
        if (word_at(condition, i, "and")) {
            parts.push_back(condition.substr(start, i - start));
            start = i + 3;
        }
    }
    parts.push_back(condition.substr(start));
    if (parts.size() == 1) { return {condition}; }
    std::vector<std::string> all;
    for (const std::string& part : parts) {
        const auto inner = parts_of(part);
        all.insert(all.end(), inner.begin(), inner.end());
    }
    return all;
}

class ReasonFinder {
public:
    ReasonFinder(Performer performer, std::size_t layer)
        : performer_(std::move(performer)), data_(performer_.character().data()), block_(block_of(performer_, layer)),
          // NOLINTNEXTLINE: the analyzer loses the count of layers, which is set
          layers_(data_, block_, nullptr), frame_(layers_[layer]) {}

    std::vector<TransitionReasons> run() {
        std::vector<TransitionReasons> all;
        for (std::size_t level = 0; level < frame_.layer.depth; ++level) {
            const CompiledState& state = data_.states[frame_.layer.path[level].node];
            for (std::size_t t = 0; t < state.transitions.count; ++t) {
                all.push_back(reasons_of(level, std::uint16_t(state.transitions.first + t)));
            }
        }
        return all;
    }

private:
    TransitionReasons reasons_of(std::size_t level, std::uint16_t index) {
        const CompiledTransition& transition = data_.transitions[index];
        const TransitionStatus standing = status_of(frame_, level, transition);
        TransitionReasons reasons;
        reasons.transition = index;
        const auto add = [&](std::string text, std::string values, bool holds) {
            reasons.parts.push_back({std::move(text), std::move(values), holds});
        };
        if (is_settling(frame_.layer)) {
            const Instance& active = frame_.active();
            add("settled", fmt::format("{:.3g} s of its fade are left", active.fade - active.elapsed), false);
        }
        if (transition.not_again && standing.on_path) { add("not in it already", {}, false); }
        if (transition.signal != no_index) {
            const std::string& name = data_.parameters[data_.signals[transition.signal].slot].name;
            const SentSignal& sent = block_.signals()[transition.signal];
            add("signal " + name,
                !standing.signal_there  ? "not sent, or taken, or kept no longer"
                : standing.signal_waits ? fmt::format("held off for {:.3g} s more", sent.wait_left)
                                        : "sent",
                standing.signal_there && !standing.signal_waits);
        }
        if (!data_.transition_info[index].condition.empty()) {
            for (const std::string& part : parts_of(data_.transition_info[index].condition)) {
                add_condition(part, standing, add);
            }
        }
        if (transition.after > 0 || transition.after_more > 0) {
            add(fmt::format("after {:.3g} s", standing.after), fmt::format("{:.3g} s in the state", standing.elapsed),
                standing.elapsed >= standing.after - instant);
        }
        if (transition.mark != no_index) { add("at " + data_.mark_names[transition.mark], {}, standing.mark_passed); }
        if (transition.span != no_index) {
            add("inside " + data_.span_names[transition.span], {}, standing.inside_span);
        }
        if (transition.at_end) {
            add("at end", fmt::format("{} s left, the fade takes {:.3g} s", number_text(standing.left), standing.fade),
                standing.left <= standing.fade + instant);
        }
        if (const CompiledForbid* forbid = standing.forbidden_by) {
            const StateInfo& rules = data_.state_info[data_.states[forbid->rules].visible];
            const std::string& layer = data_.layers[rules.layer].name;
            add(data_.transition_info[forbid->record].when,
                fmt::format("{} = {}", layer, performer_.state_name(rules.layer)), false);
        }
        return reasons;
    }

    template <typename Add> void add_condition(const std::string& text, const TransitionStatus& standing, Add add) {
        ExpressionScope scope{data_.notes.names};
        scope.add_edge = [](bool, const std::vector<Instruction>&) { return no_index; };
        const ParsedExpression parsed = parse_expression(text, scope, ValueType::flag);
        if (parsed.error) { return; }
        std::string values;
        const auto tell = [&](const std::string& name, const std::string& value) {
            const std::string item = name + " = " + value;
            if (values.find(item) == std::string::npos) { values += (values.empty() ? "" : ", ") + item; }
        };
        const bool watches_edge = text.find("rises(") != std::string::npos || text.find("falls(") != std::string::npos;
        if (watches_edge) {
            for (const std::uint16_t slot : parsed.parameters) {
                if (slot == no_index) { continue; }
                tell(data_.parameters[slot].name, value_text(data_.parameters[slot], block_.smoothed()[slot]));
            }
            // It is seen in one decision; between two steps there is none.
            return add(text, values, false);
        }
        for (const Instruction& i : parsed.code) {
            if (reads_parameter(i)) {
                const bool raw = i.operation == Operation::raw_parameter;
                if (i.slot >= data_.parameters.size()) {
                    tell_of_layer(i.slot, tell);
                    continue;
                }
                const ParameterInfo& info = data_.parameters[i.slot];
                const float value = raw ? block_.raw()[i.slot] : block_.smoothed()[i.slot];
                tell(raw ? "raw(" + info.name + ")" : std::string(info.name), value_text(info, value));
            }
            if (i.operation == Operation::reading) {
                tell("state." + name_of(i.slot),
                     reading_text(i.slot, value_of(Reading(i.slot), standing.inputs.state)));
            }
        }
        add(text, values, evaluate(parsed.code, standing.inputs) != 0);
    }

    /// What stands in a slot that looks at another layer.
    template <typename Tell> void tell_of_layer(std::uint16_t slot, Tell tell) {
        for (const ComputedParameter& computed : data_.computed) {
            if (computed.slot != slot) { continue; }
            const std::string& layer = data_.layers[computed.layer].name;
            if (computed.source == ParameterSource::layer_state) {
                tell(layer, std::string(performer_.state_name(computed.layer)));
            } else if (computed.source == ParameterSource::layer_reading) {
                tell(layer + "." + name_of(computed.node), reading_text(computed.node, block_.smoothed()[slot]));
            }
        }
    }

    static std::string name_of(std::uint16_t reading) { return std::string(reading_names[reading]); }
    static std::string reading_text(std::uint16_t reading, float value) {
        if (Reading(reading) == Reading::ended) { return value != 0 ? "yes" : "no"; }
        return number_text(double(value));
    }

    Performer performer_; ///< a twin
    const CharacterData& data_;
    PerformerBlock block_;
    Layers layers_;
    Frame& frame_;
};

} // namespace

std::vector<TransitionReasons> explain_transitions(const Performer& performer) {
    std::vector<TransitionReasons> all;
    for (const std::uint8_t layer : performer.character().data().decide_order) {
        const auto own = ReasonFinder(performer, layer).run();
        all.insert(all.end(), own.begin(), own.end());
    }
    return all;
}

} // namespace gait
