/// The mistakes people make with blend spaces, found in what was compiled.
#pragma once

#include "diagnostics/sink.hpp"
#include "gait/character.hpp"

#include <functional>

namespace gait::detail {

/// Adds a warning for each. `walks` tells whether the clip of that name takes steps and gets somewhere by them.
void check_spaces(const Character& character, const std::function<bool(const std::string& clip)>& walks,
                  DiagnosticSink& sink);

} // namespace gait::detail
