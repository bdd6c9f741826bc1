#include "compile/values.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <optional>

namespace gait::detail {
namespace {

std::optional<std::pair<std::size_t, float>> value_of(CompileContext& context, const Text& name, const Text& text,
                                                      const std::string& path) {
    const auto& all = context.data->value_info;
    const auto found = std::find_if(all.begin(), all.end(), [&](const ValueInfo& v) { return v.name == name.value; });
    if (found == all.end()) {
        std::vector<std::string> names;
        for (const ValueInfo& value : all) { names.push_back(value.name); }
        context.unknown(name.place, "value", name.value, names, path);
        return std::nullopt;
    }
    const auto index = std::size_t(found - all.begin());
    const std::string& word = text.value;
    if (found->kind == ParameterKind::choice) {
        const auto one = std::find(found->of.begin(), found->of.end(), word);
        if (one != found->of.end()) { return std::pair(index, float(one - found->of.begin())); }
        context.unknown(text.place, "value", word, strings_of(found->of), path);
        return std::nullopt;
    }
    if (found->kind == ParameterKind::flag) {
        if (word == "yes" || word == "true") { return std::pair(index, 1.0F); }
        if (word == "no" || word == "false") { return std::pair(index, 0.0F); }
        context.error(text.place, "wrong-type", fmt::format("'{}' is a flag; write yes or no", found->name), path);
        return std::nullopt;
    }
    float number = 0;
    const auto [end, problem] = std::from_chars(word.data(), word.data() + word.size(), number);
    if (problem == std::errc{} && end == word.data() + word.size() && std::isfinite(number)) {
        return std::pair(index, number);
    }
    context.error(text.place, "wrong-type",
                  fmt::format("'{}' is a number; write one such as 1.4; found '{}'", found->name, word), path);
    return std::nullopt;
}

} // namespace

void compile_values(CompileContext& context, const StateTree& tree) {
    CharacterData& data = *context.data;
    const std::size_t count = data.value_info.size();
    constexpr std::size_t most_given = 4'000'000;
    if (count * data.states.size() > most_given) {
        context.error(context.document.values.front().name.place, "too-many",
                      fmt::format("{} states times {} values are more than {}; use less of both", data.states.size(),
                                  count, most_given),
                      "values");
        return;
    }
    for (std::size_t node = 0; node < data.states.size(); ++node) {
        const std::uint16_t parent = data.states[node].parent;
        for (std::size_t v = 0; v < count; ++v) {
            data.state_gives.push_back(parent == no_index ? std::uint8_t{0} : data.state_gives[parent * count + v]);
            data.state_values.push_back(parent == no_index ? data.value_info[v].default_value
                                                           : data.state_values[parent * count + v]);
        }
        const StateDefinition* definition = tree.nodes[node].definition;
        if (definition == nullptr) { continue; }
        const UsesOf here(context, tree.machines[std::size_t(tree.nodes[node].machine)].uses);
        for (const auto& [name, text] : definition->values) {
            if (const auto value = value_of(context, name, text, tree.nodes[node].path)) {
                data.state_values[node * count + value->first] = value->second;
                data.state_gives[node * count + value->first] = 1;
            }
        }
    }
}

} // namespace gait::detail
