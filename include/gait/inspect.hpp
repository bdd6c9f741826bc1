/// \file
/// What an experienced colleague would remark on: a document that plays, but not as its author means.
#pragma once

#include "gait/api.hpp"
#include "gait/compile.hpp"

namespace gait {

/// Measures the clips a document plays and holds them against how it plays them: loops that do not meet, clips that end
/// where nothing follows, blend points far from a clip's own speed, steps that cannot be kept in time, ways that nobody
/// uses or that drift off. Each finding is a warning with what to write. The document should compile; what does not is
/// `compile`'s to say.
[[nodiscard]] GAIT_API Diagnostics inspect(const Document& document, const Assets& assets);

} // namespace gait
