/// The mistakes people make with states, transitions and conditions, found in what was compiled.
#pragma once

#include "diagnostics/sink.hpp"
#include "gait/character.hpp"
#include "gait/inspect.hpp"

namespace gait::detail {

/// Fades this much longer than what there is of a motion are worth a word, seconds.
inline constexpr double fade_slack = 0.02;

/// Adds a warning for each. `sheets` are those the document is played with: what none of them sets is reported too.
void check_machine(const Document& document, const Character& character, const std::vector<CueSheet>& sheets,
                   DiagnosticSink& sink);

} // namespace gait::detail
