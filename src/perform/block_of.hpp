/// A performer's block, for those who read it from outside.
#pragma once

#include "character/character_data.hpp"
#include "gait/character.hpp"
#include "gait/performer.hpp"
#include "perform/nobody.hpp"

namespace gait::detail {

struct BlockAccess {
    [[nodiscard]] static std::byte* of(const Performer& performer) {
        return performer.block_ == nullptr ? block_of_nobody() : performer.block_;
    }
    /// A layer's pose at another time than now, or of some of its motions.
    static void evaluate(const Performer& performer, std::size_t layer, const Evaluation& what,
                         std::span<Transform> out) {
        performer.evaluated_pose(layer, what, out);
    }
};

/// The block as one of its layers sees it: to be read alone. Its pose is that of an earlier step where nobody has asked
/// for it since.
[[nodiscard]] inline PerformerBlock block_of(const Performer& performer, std::size_t layer = 0) {
    return {BlockAccess::of(performer), performer.character().data().layout, layer};
}

} // namespace gait::detail
