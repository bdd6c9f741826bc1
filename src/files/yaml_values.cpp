#include "files/yaml_values.hpp"

#include <fmt/core.h>

namespace gait::detail {

std::optional<std::pair<Number, Number>> read_window(const YamlNode& node, const char* what, DiagnosticSink& sink) {
    if (!node.is_sequence() || node.items.size() != 2) {
        sink.error(node.place, "wrong-shape", fmt::format("{}, such as [0.2, 1.4]; found {}", what, describe(node)));
        return std::nullopt;
    }
    const auto from = to_number(node.items[0], "the first second", sink),
               to = to_number(node.items[1], "the last second", sink);
    if (!from || !to) { return std::nullopt; }
    return std::pair(*from, *to);
}

std::pair<Number, Number> read_one_or_two(const YamlNode& node, const std::string& what, DiagnosticSink& sink) {
    if (node.is_scalar()) {
        const Number one = to_number(node, what, sink).value_or(Number(1, node.place));
        return {one, one};
    }
    if (!node.is_sequence() || node.items.size() != 2) {
        sink.error(node.place, "wrong-shape",
                   fmt::format("{} are a number, or the least and the greatest, such as [2, 4]; found {}", what,
                               describe(node)));
        return {Number(1, node.place), Number(1, node.place)};
    }
    const auto low = to_number(node.items[0], what, sink), high = to_number(node.items[1], what, sink);
    if (low && high && low->value > high->value) {
        sink.error(node.place, "wrong-range",
                   fmt::format("{} [{}, {}] are empty; write the lower value first", what, low->value, high->value));
        return {*high, *high};
    }
    return {low.value_or(Number(1, node.place)), high.value_or(Number(1, node.place))};
}

std::vector<Text> read_names(const YamlNode& node, const std::string& list, const std::string& item,
                             DiagnosticSink& sink) {
    std::vector<Text> names;
    if (node.is_scalar()) {
        names.push_back(to_text(node, list, sink));
        return names;
    }
    for (const YamlNode* name : list_items(node, list, sink)) { names.push_back(to_text(*name, item, sink)); }
    return names;
}

std::vector<std::pair<Text, Text>> read_name_pairs(const YamlNode& node, const std::string& what,
                                                   DiagnosticSink& sink) {
    std::vector<std::pair<Text, Text>> pairs;
    for (const auto& [from, value] : named_entries(node, what, sink)) {
        if (Text to = to_text(*value, "a joint's name", sink); !to.empty()) { pairs.emplace_back(from, std::move(to)); }
    }
    return pairs;
}

} // namespace gait::detail
