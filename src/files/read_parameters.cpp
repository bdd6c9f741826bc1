#include "files/read_parameters.hpp"

#include "files/yaml_values.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <string_view>

namespace gait::detail {
namespace {

/// The kind that `map` says, one of those for which `fits` holds.
template <typename Fits>
std::optional<ParameterKind> read_kind(const YamlMap& map, const std::string& what, DiagnosticSink& sink, Fits fits) {
    const Text word = map.text("kind");
    std::vector<std::string> names;
    for (const ParameterKindInfo& info : parameter_kinds) {
        if (!fits(info)) { continue; }
        if (info.name == word.value) { return info.kind; }
        names.emplace_back(info.name);
    }
    // Words of programming, which everybody tries first.
    static const std::map<std::string, ParameterKind> other_words{
        {"bool", ParameterKind::flag},      {"boolean", ParameterKind::flag},   {"toggle", ParameterKind::flag},
        {"float", ParameterKind::number},   {"double", ParameterKind::number},  {"int", ParameterKind::number},
        {"integer", ParameterKind::number}, {"real", ParameterKind::number},    {"trigger", ParameterKind::signal},
        {"event", ParameterKind::signal},   {"button", ParameterKind::signal},  {"enum", ParameterKind::choice},
        {"string", ParameterKind::choice},  {"option", ParameterKind::choice},  {"degrees", ParameterKind::angle},
        {"heading", ParameterKind::angle},  {"direction", ParameterKind::angle}};
    std::string small = word.value;
    for (char& c : small) { c = c >= 'A' && c <= 'Z' ? char(c - 'A' + 'a') : c; }
    const auto meant = other_words.find(small);
    if (meant != other_words.end() &&
        std::find(names.begin(), names.end(), info_of(meant->second).name) != names.end()) {
        sink.error(word.place, "unknown-parameter-kind",
                   fmt::format("'{}' is called '{}' here; write 'kind: {}'", word.value, info_of(meant->second).name,
                               info_of(meant->second).name));
        return meant->second;
    }
    if (!word.empty()) { sink.unknown(word.place, what, word.value, names); }
    return std::nullopt;
}

/// What to write, of all kinds of parameters: `'kind: number' or angle, flag`.
std::string kinds_to_write() {
    std::string text = "'kind: " + std::string(parameter_kinds.front().name) + "' or ";
    for (std::size_t k = 1; k < parameter_kinds.size(); ++k) {
        text += (k == 1 ? "" : ", ") + std::string(parameter_kinds[k].name);
    }
    return text;
}

/// Says which keys a kind has no use for.
void refuse_by_kind(const YamlMap& map, const ParameterDefinition& parameter, DiagnosticSink& sink) {
    const ParameterKindInfo& kind = info_of(parameter.kind);
    std::string_view keys = kind.refused_keys;
    while (!keys.empty()) {
        const std::size_t end = std::min(keys.find(' '), keys.size());
        const std::string_view key = keys.substr(0, end);
        keys.remove_prefix(std::min(end + 1, keys.size()));
        if (const YamlNode* extra = map.find(key)) {
            sink.error(extra->place, "wrong-shape",
                       fmt::format("'{}' is {} and has no '{}'; remove it, or write another kind", parameter.name.value,
                                   kind.described, key));
        }
    }
}

void read_range(const YamlNode& node, ParameterDefinition& parameter, DiagnosticSink& sink) {
    if (!node.is_sequence() || node.items.size() != 2) {
        sink.error(node.place, "wrong-shape",
                   fmt::format("a range is its lowest and highest value, such as [0, 6]; found {}", describe(node)));
        return;
    }
    const auto low = to_number(node.items[0], "the lowest value", sink),
               high = to_number(node.items[1], "the highest value", sink);
    if (!low || !high) { return; }
    if (!(low->value < high->value)) {
        sink.error(node.place, "wrong-range",
                   fmt::format("the range [{}, {}] is empty; write the lower value first", low->value, high->value));
        return;
    }
    parameter.range = {low->value, high->value};
}

std::optional<double> read_default(const YamlNode& node, ParameterKind kind, const std::vector<Text>& of,
                                   const std::optional<std::pair<double, double>>& range, DiagnosticSink& sink) {
    if (kind == ParameterKind::flag) {
        if (const auto value = to_flag(node, "the default of a flag", sink)) { return *value ? 1 : 0; }
        return std::nullopt;
    }
    if (kind == ParameterKind::choice) {
        const Text word = to_text(node, "the default of a choice", sink);
        std::vector<std::string> names;
        for (std::size_t i = 0; i < of.size(); ++i) {
            if (of[i].value == word.value) { return double(i); }
            names.push_back(of[i].value);
        }
        if (!word.empty()) { sink.unknown(word.place, "value", word.value, names); }
        return std::nullopt;
    }
    const auto value = to_number(node, "the default of a number", sink);
    if (!value) { return std::nullopt; }
    if (range && (value->value < range->first || value->value > range->second)) {
        sink.error(
            node.place, "wrong-range",
            fmt::format("the default {} lies outside the range [{}, {}]", value->value, range->first, range->second));
    }
    return value->value;
}

} // namespace

void read_parameters(const YamlNode& node, DocumentKind kind_of_document, Document& document, DiagnosticSink& sink) {
    for (const auto& [name, value] : named_entries(node, "parameters", sink)) {
        ParameterDefinition parameter;
        parameter.name = name;
        const YamlMap map(*value, "a parameter",
                          {"kind",    "of",      "range",    "default",  "unit",  "note",     "smooth",
                           "at_most", "tune",    "keep",     "wait",     "from",  "remember", "greatest",
                           "since",   "on_when", "off_when", "flips_on", "while", "clear"},
                          sink);
        if (const auto kind = read_kind(map, "parameter kind", sink, [](const auto&) { return true; })) {
            parameter.kind = *kind;
        } else if (map.is_map() && map.find("kind") == nullptr && kind_of_document == DocumentKind::whole) {
            sink.error(name.place, "missing-key",
                       fmt::format("parameter '{}' does not say its kind; add {}", name.value, kinds_to_write()));
        }
        if (const YamlNode* of = map.find("of")) { parameter.of = read_names(*of, "'of'", "a value's name", sink); }
        if (const YamlNode* range = map.find("range")) { read_range(*range, parameter, sink); }
        if (const YamlNode* value_node = map.find("default")) {
            parameter.default_value = read_default(*value_node, parameter.kind, parameter.of, parameter.range, sink);
        }
        if (map.find("unit") != nullptr) { parameter.unit = map.text("unit").value; }
        if (map.find("note") != nullptr) { parameter.note = map.text("note").value; }
        parameter.smooth = map.number("smooth", "seconds");
        parameter.at_most = map.number("at_most", "a second");
        parameter.tune = map.flag("tune").value_or(false);
        parameter.keep = map.number("keep", "seconds").value_or(Number(0));
        parameter.wait = map.number("wait", "seconds").value_or(Number(0));
        parameter.from = map.text("from");
        parameter.remember = map.text("remember");
        parameter.greatest = map.text("greatest");
        parameter.since = map.text("since");
        parameter.on_when = map.text("on_when");
        parameter.off_when = map.text("off_when");
        parameter.flips_on = map.text("flips_on");
        parameter.only_while = map.text("while");
        parameter.clear = map.text("clear");
        // What changes a parameter of the base need not say its kind again.
        if (kind_of_document == DocumentKind::whole || map.find("kind") != nullptr) {
            refuse_by_kind(map, parameter, sink);
        }
        document.parameters.push_back(std::move(parameter));
    }
}

void read_values(const YamlNode& node, Document& document, DiagnosticSink& sink) {
    for (const auto& [name, value] : named_entries(node, "values", sink)) {
        ValueDefinition definition;
        definition.name = name;
        const YamlMap map(*value, "a value", {"kind", "of", "default", "unit", "note", "switch"}, sink);
        if (map.text("kind").value == name_of(ParameterKind::angle)) {
            sink.error(value->place, "wrong-type",
                       "a value is a number, a flag or a choice; give the angle as a number");
        } else if (const auto kind = read_kind(map, "value kind", sink, [](const auto& k) { return k.given; })) {
            definition.kind = *kind;
        }
        if (const YamlNode* of = map.find("of")) { definition.of = read_names(*of, "'of'", "a value's name", sink); }
        if (const YamlNode* value_node = map.find("default")) {
            definition.default_value =
                read_default(*value_node, definition.kind, definition.of, std::nullopt, sink).value_or(0);
        }
        read_word(map, "switch", "switch", {{"start", false}, {"middle", true}}, definition.at_middle, sink);
        if (map.find("unit") != nullptr) { definition.unit = map.text("unit").value; }
        if (map.find("note") != nullptr) { definition.note = map.text("note").value; }
        document.values.push_back(std::move(definition));
    }
}

} // namespace gait::detail
