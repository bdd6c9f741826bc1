/// How much a document may hold.
#pragma once

#include "compile/context.hpp"

namespace gait::detail {

/// False, and said where the first that is too many stands, when a list of the document is longer than is possible:
/// nothing of it is to be compiled then. What uses multiply is counted as it is compiled: see
/// `CompileContext::too_many`.
[[nodiscard]] bool check_size(const Document& document, DiagnosticSink& sink);

} // namespace gait::detail
