/// The layers' machines: the trees of states with the machines, picks and chooses inside it, and the ways between them.
#pragma once

#include "perform/compile_motions.hpp"

namespace gait {

/// Fills the character's layers, states, transitions and the values they give.
void compile_layers(CompileContext& context, MotionCompiler& motions);

} // namespace gait
