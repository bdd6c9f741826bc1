/// What a definition names, read and found to play.
#pragma once

#include "gait/cue_sheet.hpp"
#include "gait/stage.hpp"

#include <memory>
#include <optional>

namespace gait::stage {

struct PutOn {
    std::shared_ptr<const Loaded> loaded; ///< holds a character
    std::optional<CueSheet> sheet;
    double last_cue = 0; ///< seconds
};

/// Binds the cue sheet of a definition to a document that was loaded. Throws StageError where either is not fit to be
/// played.
[[nodiscard]] PutOn put_on(const StageDefinition& definition, std::shared_ptr<const Loaded> loaded);

} // namespace gait::stage
