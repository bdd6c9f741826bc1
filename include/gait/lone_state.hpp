/// \file
/// A document cut down to one of its states, to look at what that plays.
#pragma once

#include "gait/api.hpp"
#include "gait/document.hpp"

#include <optional>
#include <string>

namespace gait {

/// The document with one state alone, without its transitions: what it plays can be looked at wherever the parameters
/// are. `name` as in `Character::states()`, with its layer's before it where several have such a state. Nothing when
/// there is no such state, or it stands inside something that takes arguments.
[[nodiscard]] GAIT_API std::optional<Document> lone_state(const Document& document, const std::string& name);

} // namespace gait
