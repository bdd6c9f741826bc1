/// A layer's machine: the tree of states with the machines, picks and chooses inside it, and the ways between them.
#pragma once

#include "perform/compile_motions.hpp"

namespace gait {

/// Fills the character's states, transitions and the values they give.
void compile_machine(CompileContext& context, MotionCompiler& motions, const LayerDefinition& layer);

} // namespace gait
