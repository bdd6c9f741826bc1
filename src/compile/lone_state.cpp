#include "gait/lone_state.hpp"

#include <algorithm>

namespace gait {
namespace {

/// The state of that name in a layer, `air.take_off` for one inside another; null for none that plays by itself.
const StateDefinition* playing_state(const LayerDefinition& layer, std::string name) {
    const MachineDefinition* machine = &layer.machine;
    while (machine != nullptr) {
        const std::size_t dot = name.find('.');
        const std::string head = name.substr(0, dot);
        const auto found = std::find_if(machine->states.begin(), machine->states.end(),
                                        [&](const StateDefinition& s) { return s.name.value == head; });
        if (found == machine->states.end()) { return nullptr; }
        if (dot == std::string::npos) { return found->play.empty() ? nullptr : &*found; }
        machine = found->machine ? &*found->machine : nullptr;
        name = name.substr(dot + 1);
    }
    return nullptr;
}

/// By itself a state is in the lowest layer, and nothing of the others is left to speak of.
Document alone(const Document& document, const LayerDefinition& layer, StateDefinition state) {
    Document lone = document;
    state.go.clear();
    state.leads.clear();
    state.whole_body = state.takes_travel = false;
    lone.one_shots.clear();
    lone.forbid.clear();
    lone.decide.clear();
    LayerDefinition only;
    only.name = layer.name;
    only.place = layer.place;
    only.machine.start = state.name;
    only.machine.states = {std::move(state)};
    lone.layers = {std::move(only)};
    return lone;
}

} // namespace

std::optional<Document> lone_state(const Document& document, const std::string& name) {
    for (const LayerDefinition& layer : document.layers) {
        const std::string prefix = layer.name.value + ".";
        if (!name.starts_with(prefix)) { continue; }
        const StateDefinition* state = playing_state(layer, name.substr(prefix.size()));
        if (state != nullptr) { return alone(document, layer, *state); }
    }
    for (const LayerDefinition& layer : document.layers) {
        const StateDefinition* state = playing_state(layer, name);
        if (state != nullptr) { return alone(document, layer, *state); }
    }
    return std::nullopt;
}

} // namespace gait
