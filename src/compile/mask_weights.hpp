/// Masks of the document as a weight a joint.
#pragma once

#include "diagnostics/sink.hpp"
#include "gait/document.hpp"
#include "gait/rig.hpp"
#include "math/aligned.hpp"

#include <utility>
#include <vector>

namespace gait::detail {

/// The weights of the document's masks [mask][joints rounded up to the padding], 0 to 1. `mirrored` are the pairs of
/// joints that change places. What the rig or the document lacks, circles, and masks that catch nothing are reported.
[[nodiscard]] KeptList<AlignedFloats> mask_weights(const std::vector<MaskDefinition>& masks, const Rig& rig,
                                                   const std::vector<std::pair<int, int>>& mirrored,
                                                   DiagnosticSink& sink);

} // namespace gait::detail
