/// \file
/// From a document to a character that can be played.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/clip.hpp"
#include "gait/diagnostic.hpp"
#include "gait/document.hpp"
#include "gait/rig.hpp"

#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>

namespace gait {

/// The rig and clips a document speaks of. `compile` looks at all of them first: a rig whose joints stand before their
/// parents or rest at what is no number, tracks with too few values, times that do not rise, clips shorter than a
/// millisecond (but one pose) or longer than an hour are errors.
struct Assets {
    std::optional<Rig> rig;
    std::map<std::string, ClipSource> clips; ///< by the document's name for them
    std::set<std::string> failed;            ///< clips that were said to be missing already
};

/// `character` is null when some diagnostic is an error.
struct Compiled {
    std::shared_ptr<const Character> character;
    Diagnostics diagnostics;
};

/// Checks and compiles a document, whether it was read from a file or filled by a program. Every finding is returned,
/// never only the first. Nothing is looked up by name afterwards.
///
/// A number parameter that drives a blend space and does not say `smooth` is smoothed by 0.1 s, so that a jump of the
/// input cannot pop the pose; any other follows at once.
[[nodiscard]] GAIT_API Compiled compile(const Document& document, const Assets& assets);

/// Makes a half-built document playable: a clip that is missing (undefined, or not to be found in its file) is played
/// as the rest pose, a state that is missing waits in the rest pose, a machine without a start begins in its first
/// state. Each gap is a warning. Other mistakes stay what they are.
[[nodiscard]] GAIT_API Diagnostics fill_gaps(Document& document, Assets& assets);

} // namespace gait
