/// The values that states give the game.
#pragma once

#include "perform/shares.hpp"

namespace gait::detail {

/// A number summed over these instances of a layer.
[[nodiscard]] float summed_value(const CharacterData& data, const LayerHeader& layer, const Evaluation& what,
                                 std::size_t value);

/// A value that states give, by `instance_shares` and what folded motions left behind, all layers together.
[[nodiscard]] float value_now(const CharacterData& data, const PerformerBlock& block, std::size_t value);

} // namespace gait::detail
