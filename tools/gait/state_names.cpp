#include "state_names.hpp"

#include <fmt/format.h>

namespace gait::tool {

bool is_between_shots(const Character& character, const StateInfo& state) {
    return state.nothing && character.layers()[state.layer].one_shots;
}

std::string shown_name(const Character& character, std::uint16_t state) {
    const StateInfo& info = character.states()[state];
    if (!character.layers()[info.layer].one_shots) { return character.full_name(state); }
    return info.nothing ? "no one-shot" : "one-shot " + info.name;
}

std::string shown_layer(const LayerInfo& layer) {
    if (!layer.one_shots) { return layer.name; }
    return layer.mask.empty() ? "one-shots" : "one-shots on " + layer.mask;
}

std::string transition_name(const Character& character, std::uint16_t transition) {
    if (transition >= character.transitions().size()) { return "the start"; }
    const TransitionInfo& info = character.transitions()[transition];
    if (info.kind == TransitionKind::within) {
        return fmt::format("{} in {}", info.when, shown_name(character, info.from));
    }
    const std::string to = character.states()[info.to].name;
    if (info.kind == TransitionKind::lead) {
        return fmt::format("{} to {}, {}", character.layers()[character.states()[info.to].layer].name, to, info.when);
    }
    if (is_between_shots(character, character.states()[info.from])) { return "into " + shown_name(character, info.to); }
    if (is_between_shots(character, character.states()[info.to])) {
        return "out of " + shown_name(character, info.from);
    }
    return shown_name(character, info.from) + " to " + to;
}

} // namespace gait::tool
