#include "character/sampled_clip.hpp"

namespace gait::detail {

std::size_t SampledClip::bytes() const {
    std::size_t total = rotations.size() * sizeof(float);
    for (const auto* rows : {&still_translations, &moving_translations, &still_scales, &moving_scales}) {
        total += rows->values.size() * sizeof(float);
    }
    return total;
}

ClipFrames::ClipFrames(const SampledClip& clip)
    : rotations(clip.rotations.data()), odd_signs(clip.odd_signs.empty() ? nullptr : clip.odd_signs.data()),
      intervals(clip.intervals), last(clip.intervals == 0 ? 0 : clip.intervals - 1), stride(std::uint32_t(clip.stride)),
      next(clip.intervals == 0 ? 0 : 4 * stride), steps(!clip.steps.empty()), keeps_side(clip.keeps_side) {
    if (!clip.moving_translations.joints.empty()) { moves |= has_moving_translations; }
    if (!clip.still_translations.joints.empty()) { moves |= has_still_translations; }
    if (!clip.moving_scales.joints.empty() || !clip.still_scales.joints.empty()) { moves |= has_scales; }
}

} // namespace gait::detail
