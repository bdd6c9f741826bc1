#include "state_names.hpp"

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

} // namespace gait::tool
