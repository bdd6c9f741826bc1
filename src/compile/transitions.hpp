/// The ways between states, and what asks for them.
#pragma once

#include "compile/state_tree.hpp"

namespace gait::detail {

/// Fills the character's transitions, a list for each state. Junctions become a transition for each of their branches.
void compile_transitions(CompileContext& context, StateTree& tree);

} // namespace gait::detail
