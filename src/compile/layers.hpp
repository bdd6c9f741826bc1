/// The layers: what each covers and how it counts, its states, and the ways between them.
#pragma once

#include "compile/motions.hpp"

namespace gait::detail {

/// Fills the character's layers, states, transitions and the values they give.
void compile_layers(CompileContext& context, MotionCompiler& motions);

} // namespace gait::detail
