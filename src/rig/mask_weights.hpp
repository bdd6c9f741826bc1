/// Masks of the document as a weight a joint.
#pragma once

#include "check/sink.hpp"
#include "gait/document.hpp"
#include "gait/rig.hpp"
#include "math/aligned.hpp"

namespace gait {

/// The weights of `mask` [joints rounded up to the padding], 0 to 1. Joints that the rig lacks are said in `sink`.
[[nodiscard]] AlignedFloats mask_weights(const MaskDefinition& mask, const Rig& rig, DiagnosticSink& sink,
                                         const std::string& path);

} // namespace gait
