/// \file
/// Warnings that an author has answered: `accept: [doubled-clip]` in a document.
#pragma once

#include "gait/api.hpp"
#include "gait/diagnostic.hpp"

#include <string>
#include <vector>

namespace gait {

/// A kind of warning that is meant as it is, in a part of a document.
struct Acceptance {
    std::string code;     ///< of the warning
    std::string reason;   ///< in the author's words; may be empty
    Place place;          ///< where it is written
    int from = 0, to = 0; ///< the lines of `place.file` that it counts for; 0: all of it, and the files it reads
    bool met = false;     ///< such a warning was found there
};

/// Takes out of `found` the warnings that `accepted` answers, and notes which of them it met. Errors and notes stay.
GAIT_API void answer_warnings(std::vector<Acceptance>& accepted, Diagnostics& found);

/// A warning for each of `accepted` that met none, for who has looked for everything: what is accepted and does not
/// occur. `files` as `Document::files()` has them.
[[nodiscard]] GAIT_API Diagnostics unmet_acceptances(const std::vector<Acceptance>& accepted,
                                                     const std::vector<SourceFile>& files);

} // namespace gait
