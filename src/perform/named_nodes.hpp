/// The nodes of a character by the names that people gave them, for what outlives a document's changes.
#pragma once

#include "character/character_data.hpp"

#include <optional>
#include <string>

namespace gait::detail {

/// Whether a node is a state that people see, not an entry inside one.
[[nodiscard]] inline bool is_visible(const CharacterData& data, std::uint16_t node) {
    const CompiledState& state = data.states[node];
    return state.parent == no_index || data.states[state.parent].visible != state.visible;
}

/// The visible state that a node is, or is inside of.
[[nodiscard]] inline const KeptText& visible_name(const CharacterData& data, std::uint16_t node) {
    return data.state_info[data.states[node].visible].name;
}

/// The node of the visible state of that name in a layer.
[[nodiscard]] inline std::optional<std::uint16_t> node_named(const CharacterData& data, std::size_t layer,
                                                             const std::string& name) {
    for (std::size_t n = 0; n < data.states.size(); ++n) {
        const auto node = std::uint16_t(n);
        if (data.states[n].layer == layer && is_visible(data, node) && visible_name(data, node) == name) {
            return node;
        }
    }
    return std::nullopt;
}

} // namespace gait::detail
