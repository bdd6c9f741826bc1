/// \file
/// What refers to a parameter, value, state or one-shot of a character: got by name once, used every frame.
#pragma once

#include "gait/no_index.hpp"

namespace gait {

/// A place in one of a character's lists: found by name once, used every frame. A default one refers to nothing.
struct Handle {
    std::uint16_t index = no_index; ///< into the character's list of its kind
    /// Whether it refers to anything.
    [[nodiscard]] explicit operator bool() const { return index != no_index; }
};

/// A number or angle parameter: an index into `Character::parameters()`.
struct NumberParameter : Handle {};
/// A flag parameter: an index into `Character::parameters()`.
struct FlagParameter : Handle {};
/// A choice parameter: an index into `Character::parameters()`.
struct ChoiceParameter : Handle {};
/// A signal: an index into `Character::parameters()`.
struct SignalParameter : Handle {};
/// A number that states give: an index into `Character::values()`.
struct NumberValue : Handle {};
/// A flag that states give: an index into `Character::values()`.
struct FlagValue : Handle {};
/// A choice that states give: an index into `Character::values()`.
struct ChoiceValue : Handle {};
/// A state: an index into `Character::states()`.
struct StateHandle : Handle {};
/// A one-shot: the index of its state in `Character::states()`.
struct OneShotHandle : Handle {};

} // namespace gait
