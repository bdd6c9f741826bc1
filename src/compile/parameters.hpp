/// Parameters and values: checked, and those that are computed put in the order in which they need each other.
#pragma once

#include "compile/context.hpp"

namespace gait::detail {

/// Fills the character's parameters and values, and the scope in which expressions are read.
void compile_parameters(CompileContext& context);

/// After every expression was read: all that is computed, with the hidden edges, each after what it needs. A circle is
/// an error that shows it.
void order_computed(CompileContext& context);

} // namespace gait::detail
