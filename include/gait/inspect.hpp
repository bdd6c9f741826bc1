/// \file
/// What an experienced colleague would remark on: a document that plays, but not as its author means.
#pragma once

#include "gait/api.hpp"
#include "gait/compile.hpp"
#include "gait/cue_sheet.hpp"

#include <vector>

namespace gait {

/// Measures the clips a document plays and holds them against how it plays them: loops that do not meet, clips that end
/// where nothing follows, blend points far from a clip's own speed, steps that cannot be kept in time, ways that nobody
/// uses or that drift off. With its `character` (which may be null when it does not compile) the machine is looked at
/// as well: states that cannot be reached or left, conditions that never hold or make it flutter, fades longer than
/// what there is. `sheets` are those it is played with: what none of them sets is said too. Each finding is a warning
/// with what to write; docs/checks.md lists them.
[[nodiscard]] GAIT_API Diagnostics inspect(const Document& document, const Assets& assets,
                                           const Character* character = nullptr,
                                           const std::vector<CueSheet>& sheets = {});

} // namespace gait
