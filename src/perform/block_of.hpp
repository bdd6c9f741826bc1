/// A performer's block, for those who read it from outside.
#pragma once

#include "character/character_data.hpp"
#include "gait/performer.hpp"

namespace gait::detail {

/// The block as one of its layers sees it: to be read alone.
[[nodiscard]] inline PerformerBlock block_of(const Performer& performer, std::size_t layer = 0) {
    auto* bytes = const_cast<std::byte*>(performer.bytes().data()); // NOLINT: it is only read
    return {bytes, performer.character().data().layout, layer};
}

} // namespace gait::detail
