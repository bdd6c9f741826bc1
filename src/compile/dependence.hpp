/// What layers have to do with one another: who leads, who keeps in step, who yields, and who decides first.
#pragma once

#include "compile/state_tree.hpp"

namespace gait::detail {

/// Fills the character's leads, forbidden pairs, the order in which layers decide, and what they look at of each other.
void compile_dependence(CompileContext& context, StateTree& tree);

} // namespace gait::detail
