/// One layer laid over what is below it, by itself: what `blend_layers` does not do in one pass with the others.
#pragma once

#include "perform/cover.hpp"

namespace gait::detail {

/// Lays the layer over the block's pose, in which what is below it stands.
void lay_over(const PosedLayer& posed, const LayerPose& layer, const Cover& cover);

/// What is left of the sides that a layer changed which no longer counts. In model space a joint takes along those
/// below it, as it did.
void decay_sides(const PosedLayer& posed);

} // namespace gait::detail
