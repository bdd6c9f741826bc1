/// How states and layers are called in what people read: one-shots by their own names, since their layers are none of
/// the document.
#pragma once

#include "gait/character.hpp"

#include <cstdint>
#include <string>

namespace gait::tool {

/// Whether it is the state in which no one-shot of its mask plays.
[[nodiscard]] bool is_between_shots(const Character& character, const StateInfo& state);

/// `legs.air.falling`, or `one-shot greet`; for a state between one-shots `no one-shot`.
[[nodiscard]] std::string shown_name(const Character& character, std::uint16_t state);

/// `still to moving`; "the start" where it is none.
[[nodiscard]] std::string transition_name(const Character& character, std::uint16_t transition);

/// `legs`, or `one-shots on right_arm`.
[[nodiscard]] std::string shown_layer(const LayerInfo& layer);

} // namespace gait::tool
