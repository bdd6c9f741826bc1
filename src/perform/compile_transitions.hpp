/// The ways between states, and what asks for them.
#pragma once

#include "perform/state_tree.hpp"

namespace gait {

/// Fills the character's transitions, a list for each state. Junctions become a transition for each of their branches.
void compile_transitions(CompileContext& context, StateTree& tree);

} // namespace gait
