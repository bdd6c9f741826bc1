/// One-shots as what they are: a layer for each mask, whose machine waits until the game asks.
#pragma once

#include "gait/document.hpp"

namespace gait::detail {

/// The document with a layer for each mask that its one-shots use, on top of its own, and a signal for each one-shot.
[[nodiscard]] Document with_one_shot_layers(const Document& document);

} // namespace gait::detail
