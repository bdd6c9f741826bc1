#include "compile/state_tree.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::detail {
std::optional<StateTree::Target> StateTree::find_target(const Text& to, int machine, const std::string& path) {
    std::vector<std::string> known;
    const std::size_t dot = to.value.find('.');
    const std::string first = to.value.substr(0, dot);
    for (int m = machine; m >= 0; m = machines[std::size_t(m)].around) {
        if (auto target = find_in(m, first)) {
            if (dot == std::string::npos) { return target; }
            return find_inside(*target, to, dot + 1, path);
        }
        const auto& names = machines[std::size_t(m)].names;
        known.insert(known.end(), names.begin(), names.end());
    }
    context_.unknown(to.place, "state", to.value, known, path);
    return std::nullopt;
}

std::optional<std::size_t> StateTree::layer_named(const Text& name, const std::string& path) {
    std::vector<std::string> known;
    for (const CompiledLayer& layer : data_.layers) { known.push_back(layer.name); }
    const auto found = std::find(known.begin(), known.end(), name.value);
    if (found != known.end()) { return std::size_t(found - known.begin()); }
    context_.unknown(name.place, "layer", name.value, known, path);
    return std::nullopt;
}

std::optional<std::uint16_t> StateTree::node_in_layer(std::size_t layer, const Text& name, const std::string& path) {
    const auto target = find_target(name, roots[layer], path);
    if (!target) { return std::nullopt; }
    if (target->node != no_index) { return target->node; }
    context_.error(name.place, "wrong-name",
                   fmt::format("'{}' is a junction, in which a layer never stands; name a state", name.value), path);
    return std::nullopt;
}

std::optional<std::uint16_t> StateTree::state_of_layer(const Text& name, const std::string& path) {
    const std::size_t dot = name.value.find('.');
    const auto layer = layer_named(Text(name.value.substr(0, dot), name.place), path);
    if (!layer) { return std::nullopt; }
    if (dot == std::string::npos) {
        context_.error(name.place, "wrong-name",
                       fmt::format("'{0}' is a whole layer and a state of it is wanted; write {0}.STATE", name.value),
                       path);
        return std::nullopt;
    }
    return node_in_layer(*layer, Text(name.value.substr(dot + 1), name.place), path);
}

std::string StateTree::full_name(std::uint16_t visible) const {
    const StateInfo& info = data_.state_info[visible];
    return data_.layers[info.layer].name + "." + info.name;
}

std::optional<StateTree::Target> StateTree::find_in(int machine, const std::string& name) const {
    const Machine& in = machines[std::size_t(machine)];
    const auto found = in.by_name.find(name);
    if (found == in.by_name.end()) { return std::nullopt; }
    const std::size_t index = found->second;
    if (index >= in.nodes.size()) { return std::nullopt; }
    if (in.nodes[index] != no_index) { return Target{in.nodes[index], nullptr, machine}; }
    return Target{no_index, &in.definition->states[index], machine};
}

std::optional<StateTree::Target> StateTree::find_inside(Target target, const Text& to, std::size_t start,
                                                        const std::string& path) {
    while (true) {
        const std::size_t dot = to.value.find('.', start);
        const std::string name = to.value.substr(start, dot == std::string::npos ? dot : dot - start);
        const int inner = target.junction != nullptr ? -1 : nodes[target.node].inner;
        if (inner < 0) {
            context_.error(to.place, "unknown-state",
                           fmt::format("'{}' has no machine inside it, so there is no '{}'",
                                       to.value.substr(0, start - 1), to.value),
                           path);
            return std::nullopt;
        }
        const auto next = find_in(inner, name);
        if (!next) {
            context_.unknown(to.place, "state", name, machines[std::size_t(inner)].names, path);
            return std::nullopt;
        }
        if (dot == std::string::npos) { return next; }
        target = *next;
        start = dot + 1;
    }
}

std::uint16_t StateTree::add_record(TransitionInfo info) {
    data_.transitions.push_back({});
    data_.transition_info.push_back(std::move(info));
    return std::uint16_t(data_.transitions.size() - 1);
}

} // namespace gait::detail
