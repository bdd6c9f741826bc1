/// The legs of a rig, for feet that are held to the ground.
#pragma once

#include "compile/context.hpp"

namespace gait::detail {

/// Fills the character's feet from the document's `feet`; needs the rig.
void compile_feet(CompileContext& context);

/// Finds the joint that carries the legs; needs the joints that clips move.
void note_hips(CharacterData& data, const Rig& rig);

} // namespace gait::detail
