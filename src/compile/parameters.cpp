#include "compile/parameters.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace gait::detail {
namespace {

constexpr double longest_memory = 3600; ///< seconds a signal is kept or held off

struct Computation {
    const char* key;
    ParameterSource source;
    const Text* value;
};

std::array<Computation, 6> computations_of(const ParameterDefinition& definition) {
    return {{{"from", ParameterSource::derived, &definition.from},
             {"remember", ParameterSource::remembered, &definition.remember},
             {"greatest", ParameterSource::greatest, &definition.greatest},
             {"since", ParameterSource::since, &definition.since},
             {"on_when", ParameterSource::thresholds, &definition.on_when},
             {"flips_on", ParameterSource::flips, &definition.flips_on}}};
}

class ParameterCompiler {
public:
    explicit ParameterCompiler(CompileContext& context) : context_(context), data_(*context.data) {}

    void run() {
        std::set<std::string> seen;
        for (const ParameterDefinition& definition : context_.document.parameters) { compile(definition, seen); }
        data_.signal_of.assign(data_.parameters.size(), no_index);
        for (std::size_t s = 0; s < data_.signals.size(); ++s) {
            data_.signal_of[data_.signals[s].slot] = std::uint16_t(s);
        }
        context_.scope.add_edge = [this_context = &context_](bool rising, std::vector<Instruction> watched) {
            return this_context->hide({rising ? ParameterSource::rises : ParameterSource::falls, std::move(watched)});
        };
        for (const LayerDefinition& layer : context_.document.layers) {
            context_.scope.layers.push_back(layer.name.value);
        }
        // A computation may speak of every parameter, whatever their order.
        context_.scope.signals_hold = true;
        for (std::size_t p = 0; p < context_.document.parameters.size(); ++p) {
            compile_computation(context_.document.parameters[p], std::uint16_t(p));
        }
        context_.scope.signals_hold = false;
        compile_values();
    }

private:
    void compile(const ParameterDefinition& definition, std::set<std::string>& seen) {
        const std::string& name = definition.name.value;
        const std::string path = "parameters." + name;
        check_name(definition.name, "condition", path);
        if (!seen.insert(name).second) {
            context_.error(definition.name.place, "doubled-name", fmt::format("two parameters are called '{}'", name),
                           path);
        }
        ParameterInfo info;
        info.name = name;
        info.kind = definition.kind;
        info.unit = definition.unit;
        info.note = definition.note;
        info.tune = definition.tune;
        const ParameterKindInfo& kind = info_of(definition.kind);
        info.low = kind.low;
        info.high = kind.high;
        if (info.unit.empty()) { info.unit = kind.unit; }
        if (definition.kind == ParameterKind::choice) {
            info.of = choice_values(definition.of, definition.name, path);
            info.high = float(std::max<std::size_t>(info.of.size(), 1) - 1);
        }
        if (definition.kind == ParameterKind::number && definition.range) {
            info.low = held(definition.range->first, definition.name, path);
            info.high = held(definition.range->second, definition.name, path);
            if (!(info.low < info.high)) {
                context_.error(definition.name.place, "wrong-range", "the range is empty; write the lower value first",
                               path);
                info.high = info.low;
            }
        }
        info.default_value =
            default_of(definition.default_value.value_or(0), info.kind, info.of.size(), definition.name, path);
        info.default_value = std::clamp(info.default_value, info.low, info.high);
        const auto bounded = [&](const std::optional<Number>& number, double most, const char* what) -> float {
            if (!number) { return 0; }
            if (!(number->value >= 0) || number->value > most) {
                context_.error(number->place, "wrong-range", fmt::format("{}; found {}", what, number->value), path);
                return 0;
            }
            return float(number->value);
        };
        info.smooth = bounded(definition.smooth, 10, "'smooth' is 0 to 10 seconds");
        info.at_most = bounded(definition.at_most, 1e6, "'at_most' is the greatest change a second, 0 for no bound");
        info.keep = bounded(definition.keep, longest_memory, "'keep' is 0 to 3600 seconds");
        info.wait = bounded(definition.wait, longest_memory, "'wait' is 0 to 3600 seconds");
        if (definition.kind == ParameterKind::signal) {
            data_.signals.push_back({std::uint16_t(data_.parameters.size()), double(info.keep), double(info.wait)});
        }
        const ExpressionName known{name, value_type_of(definition.kind), kind.wraps, info.of, !(info.low >= 0)};
        data_.parameters.push_back(info);
        context_.scope.parameters.push_back(known);
    }

    /// A number as a frame has it; one that a float does not hold is an error.
    float held(double value, const Text& owner, const std::string& path) {
        constexpr double most = std::numeric_limits<float>::max();
        if (std::fabs(value) <= most) { return float(value); }
        context_.error(
            owner.place, "wrong-range",
            fmt::format("the numbers of '{}' lie between {:g} and {:g}; found {}", owner.value, -most, most, value),
            path);
        return 0;
    }

    /// A default: a number, 0 or 1 for a flag, one of `choices` for a choice.
    float default_of(double value, ParameterKind kind, std::size_t choices, const Text& owner,
                     const std::string& path) {
        if (info_of(kind).continuous) { return held(value, owner, path); }
        const std::size_t count = kind == ParameterKind::choice ? std::max<std::size_t>(choices, 1) : 2;
        if (value >= 0 && value < double(count) && value == std::floor(value)) { return float(value); }
        context_.error(
            owner.place, "wrong-range",
            fmt::format("the default of '{}' is one of {} values, counted from 0; found {}", owner.value, count, value),
            path);
        return 0;
    }

    void check_name(const Text& name, const char* where, const std::string& path) {
        if (reserved_words().contains(name.value)) {
            context_.error(name.place, "wrong-name",
                           fmt::format("'{}' is a word of the expressions; choose another name", name.value), path);
        } else if (!is_identifier(name.value)) {
            context_.error(name.place, "wrong-name",
                           fmt::format("'{}' cannot stand in a {}; use letters, digits and _, beginning with a letter",
                                       name.value, where),
                           path);
        }
    }

    KeptList<KeptText> choice_values(const std::vector<Text>& of, const Text& owner, const std::string& path) {
        KeptList<KeptText> values;
        for (const Text& value : of) {
            check_name(value, "condition", path);
            if (std::find(values.begin(), values.end(), value.value) != values.end()) {
                context_.error(value.place, "doubled-name", fmt::format("'{}' stands here twice", value.value), path);
            }
            values.push_back(value.value);
        }
        if (values.size() < 2) {
            context_.error(owner.place, "missing-key",
                           fmt::format("choice '{}' needs at least two values; add 'of: [one, other]'", owner.value),
                           path);
        }
        return values;
    }

    void compile_computation(const ParameterDefinition& definition, std::uint16_t slot) {
        const std::string path = "parameters." + definition.name.value;
        const Computation* used = nullptr;
        const auto all = computations_of(definition);
        for (const Computation& computation : all) {
            if (computation.value->empty()) { continue; }
            if (used != nullptr) {
                context_.error(computation.value->place, "wrong-shape",
                               fmt::format("'{}' is computed by '{}' already; remove that or '{}'",
                                           definition.name.value, used->key, computation.key),
                               path);
                return;
            }
            used = &computation;
        }
        check_companions(definition, used, path);
        if (used == nullptr) { return; }
        data_.parameters[slot].computed = true;
        check_kind(definition, *used, path);
        ComputedParameter computed;
        computed.slot = slot;
        computed.source = used->source;
        const bool watches_flag = used->source == ParameterSource::since ||
                                  used->source == ParameterSource::thresholds || used->source == ParameterSource::flips;
        const ValueType wanted = watches_flag ? ValueType::flag : value_type_of(definition.kind);
        const auto compile_text = [&](const Text& text, ValueType type, const char* key) {
            return text.empty() ? CodeRange{}
                                : context_.expression(text, type, CompileContext::StateReadings::refused, {},
                                                      fmt::format("{}.{}", path, key));
        };
        computed.value = compile_text(*used->value, wanted, used->key);
        computed.only_while = used->source == ParameterSource::thresholds
                                  ? compile_text(definition.off_when, ValueType::flag, "off_when")
                                  : compile_text(definition.only_while, ValueType::flag, "while");
        computed.clear = compile_text(definition.clear, ValueType::flag, "clear");
        data_.computed.push_back(computed);
    }

    void check_companions(const ParameterDefinition& definition, const Computation* used, const std::string& path) {
        const auto need = [&](const Text& text, const char* key, bool fits, const char* owners) {
            if (text.empty() || fits) { return; }
            context_.error(text.place, "wrong-shape", fmt::format("'{}' goes with {}; remove it", key, owners), path);
        };
        const auto is = [&](std::initializer_list<ParameterSource> sources) {
            return used != nullptr && std::find(sources.begin(), sources.end(), used->source) != sources.end();
        };
        need(definition.only_while, "while", is({ParameterSource::remembered, ParameterSource::greatest}),
             "'remember' and 'greatest'");
        need(definition.clear, "clear",
             is({ParameterSource::remembered, ParameterSource::greatest, ParameterSource::since,
                 ParameterSource::thresholds, ParameterSource::flips}),
             "what remembers: 'remember', 'greatest', 'since', 'on_when' and 'flips_on'");
        need(definition.off_when, "off_when", is({ParameterSource::thresholds}), "'on_when'");
        if (is({ParameterSource::thresholds}) && definition.off_when.empty()) {
            context_.error(definition.on_when.place, "missing-key",
                           fmt::format("'{}' never goes off again; add 'off_when: CONDITION'", definition.name.value),
                           path);
        }
        if (used != nullptr && definition.tune) {
            context_.error(definition.name.place, "wrong-shape",
                           fmt::format("'{}' is computed, so there is nothing to tune; remove 'tune' or '{}'",
                                       definition.name.value, used->key),
                           path);
        }
    }

    void check_kind(const ParameterDefinition& definition, const Computation& used, const std::string& path) {
        const bool flag = definition.kind == ParameterKind::flag;
        const bool of_flags = used.source == ParameterSource::thresholds || used.source == ParameterSource::flips;
        const bool of_numbers = used.source == ParameterSource::greatest || used.source == ParameterSource::since;
        if ((of_flags && !flag) || (of_numbers && definition.kind != ParameterKind::number)) {
            context_.error(definition.name.place, "wrong-type",
                           fmt::format("'{}' makes a {}; write 'kind: {}'", used.key, of_flags ? "flag" : "number",
                                       of_flags ? "flag" : "number"),
                           path);
        }
    }

    void compile_values() {
        std::set<std::string> seen;
        for (const ValueDefinition& definition : context_.document.values) {
            const std::string path = "values." + definition.name.value;
            check_name(definition.name, "list of values", path);
            if (!seen.insert(definition.name.value).second) {
                context_.error(definition.name.place, "doubled-name",
                               fmt::format("two values are called '{}'", definition.name.value), path);
            }
            ValueInfo info;
            info.name = definition.name.value;
            info.kind = definition.kind;
            info.default_value =
                default_of(definition.default_value, info.kind, definition.of.size(), definition.name, path);
            info.at_middle = definition.at_middle;
            info.unit = definition.unit;
            info.note = definition.note;
            if (definition.kind == ParameterKind::choice) {
                info.of = choice_values(definition.of, definition.name, path);
            }
            data_.value_info.push_back(std::move(info));
        }
    }

    CompileContext& context_;
    CharacterData& data_;
};

/// Puts computations in order, depth first.
class Orderer {
public:
    explicit Orderer(CompileContext& context) : context_(context), data_(*context.data) {
        for (std::size_t h = 0; h < context.hidden.size(); ++h) {
            const HiddenParameter& hidden = context.hidden[h];
            ComputedParameter computed;
            computed.slot = std::uint16_t(data_.parameters.size() + h);
            computed.source = hidden.source;
            if (!hidden.code.empty()) { computed.value = context.emit(hidden.code); }
            computed.layer = hidden.layer;
            computed.node = hidden.node;
            data_.computed.push_back(computed);
        }
        by_slot_.assign(data_.parameters.size() + context.hidden.size(), -1);
        for (std::size_t c = 0; c < data_.computed.size(); ++c) { by_slot_[data_.computed[c].slot] = int(c); }
        states_.assign(data_.computed.size(), 0);
    }

    void run() {
        for (std::size_t c = 0; c < data_.computed.size(); ++c) { visit(c); }
        data_.computed = std::move(ordered_);
    }

private:
    void visit(std::size_t c) {
        if (states_[c] == 2 || failed_) { return; }
        if (states_[c] == 1) { return circle(c); }
        states_[c] = 1;
        way_.push_back(c);
        const ComputedParameter& computed = data_.computed[c];
        for (const CodeRange range : {computed.value, computed.only_while, computed.clear}) {
            for (const Instruction& i : data_.instructions(range)) {
                if (reads_parameter(i) && by_slot_[i.slot] >= 0) { visit(std::size_t(by_slot_[i.slot])); }
            }
        }
        way_.pop_back();
        states_[c] = 2;
        ordered_.push_back(computed);
    }

    void circle(std::size_t c) {
        failed_ = true;
        std::string shown;
        const auto begin = std::find(way_.begin(), way_.end(), c);
        for (auto step = begin; step != way_.end(); ++step) {
            const std::uint16_t slot = data_.computed[*step].slot;
            if (slot < data_.parameters.size()) { shown += "'" + data_.parameters[slot].name + "' needs "; }
        }
        // An edge has no name: the circle is closed at the first that has.
        auto named = begin;
        while (named != way_.end() && data_.computed[*named].slot >= data_.parameters.size()) { ++named; }
        const std::uint16_t slot = data_.computed[named == way_.end() ? c : *named].slot;
        if (slot >= data_.parameters.size()) { return; }
        const Text& name = context_.document.parameters[slot].name;
        context_.error(
            name.place, "circular-parameter",
            fmt::format("{}'{}', a circle that has no beginning; let one of them do without", shown, name.value),
            "parameters." + name.value);
    }

    CompileContext& context_;
    CharacterData& data_;
    std::vector<int> by_slot_;
    std::vector<int> states_; ///< not seen, being visited, done
    std::vector<std::size_t> way_;
    KeptList<ComputedParameter> ordered_;
    bool failed_ = false;
};

} // namespace

void compile_parameters(CompileContext& context) { ParameterCompiler(context).run(); }
void order_computed(CompileContext& context) { Orderer(context).run(); }

} // namespace gait::detail
