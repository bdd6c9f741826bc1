/// \file
/// From a rig and a handful of clips to a first document: what each clip is, by measuring it, and a machine made of
/// that.
#pragma once

#include "gait/api.hpp"
#include "gait/clip.hpp"
#include "gait/rig.hpp"

#include <string>
#include <vector>

namespace gait {

/// What a clip is taken for.
enum class ClipRole : std::uint8_t {
    stand,      ///< loops, both feet down
    gait,       ///< loops and steps, left and right in turn, toward some direction
    same_gait,  ///< as another, in place of its own travel or the other way about
    turn,       ///< turns on the spot
    start,      ///< from standing to a gait
    stop,       ///< from a gait to standing
    take_off,   ///< from the ground into the air
    air,        ///< loops in the air
    landing,    ///< from the air to the ground
    gesture,    ///< once, from standing and back to it
    pose,       ///< too short to move
    not_placed, ///< none of these
};

/// In a word or two, such as `gait`.
[[nodiscard]] GAIT_API std::string_view name_of(ClipRole role);

/// A clip to begin with.
struct BeginningClip {
    std::string name;  ///< in its file
    std::string file;  ///< relative to the document; empty for the rig's own
    ClipSource source; ///< on the rig
};

/// What became of a clip.
struct PlacedClip {
    std::string name; ///< in the document
    ClipRole role = ClipRole::not_placed;
    std::string reason; ///< its speed and direction, or what is missing, in words
};

/// A first document, and what it was made of.
struct Beginning {
    std::string text; ///< the document, with comments
    std::vector<PlacedClip> clips;
};

/// Measures `clips`, all of which lie on `rig`, recognises what it can and writes a document for the rig's file
/// `rig_file` (relative to the document). What could not be placed is listed at its end. A machine needs at least a
/// clip that stands, or a gait; without, the first clip is all it plays.
[[nodiscard]] GAIT_API Beginning begin_document(const Rig& rig, const std::string& rig_file,
                                                const std::vector<BeginningClip>& clips);

} // namespace gait
