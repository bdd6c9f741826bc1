/// The values that states give the game.
#pragma once

#include "compile/state_tree.hpp"

namespace gait::detail {

/// Fills what each state gives: its own, or what the state around it gives.
void compile_values(CompileContext& context, const StateTree& tree);

} // namespace gait::detail
