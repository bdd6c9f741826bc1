/// What a motion's clips count at an instant and a moment off, while the inputs that they are blended by are under way.
#pragma once

#include "perform/shares.hpp"

#include <array>

namespace gait::detail {

/// The weights of the clips of the highest motion that `what` names, now and `shift` seconds from now, if its inputs go
/// on at their speeds. That motion is active, or was until now. Others keep the weights that they had; of those whose
/// inputs are live the speed is left out.
class PassingWeights {
public:
    PassingWeights(const CharacterData& data, const PerformerBlock& block, const Evaluation& what, double shift);

    /// A weight for each clip that plays; null where they are those that it was given.
    [[nodiscard]] const float* now() const { return at(now_); }
    [[nodiscard]] const float* then() const { return at(then_); }

private:
    struct Weights {
        bool differ = false;
        std::array<float, most_playing> of; // NOLINT: only those of clips that play hold anything
    };
    [[nodiscard]] static const float* at(const Weights& weights) {
        return weights.differ ? weights.of.data() : nullptr;
    }

    Weights now_, then_;
};

} // namespace gait::detail
