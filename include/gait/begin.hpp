/// \file
/// From a rig and a handful of clips to a first document: what each clip is, by measuring it, and a machine made of
/// that.
#pragma once

#include "gait/api.hpp"
#include "gait/clip.hpp"
#include "gait/rig.hpp"

#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace gait {

/// What a clip is taken for.
enum class ClipRole : std::uint8_t {
    stand,      ///< both feet down, calm, where most others begin and end
    gait,       ///< loops and steps, left and right in turn, toward some direction
    same_gait,  ///< as another, in place of its own travel or the other way about
    low_stand,  ///< stands with bent legs
    low_gait,   ///< goes with bent legs
    turn,       ///< turns on the spot
    start,      ///< from standing to a gait
    stop,       ///< from a gait to standing
    take_off,   ///< from standing into the air
    leap,       ///< from a gait into the air
    air,        ///< in the air all along
    landing,    ///< from the air to the ground
    jump,       ///< from the ground through the air to the ground
    fidget,     ///< from standing and back to it, slowly: what somebody does who waits
    gesture,    ///< the same, asked for: the upper body alone, over feet that stay
    act,        ///< something done once with the whole body
    raise,      ///< from standing to where the upper body holds something
    hold,       ///< the upper body holds something, over feet that stay
    lower,      ///< from there back to standing
    pose,       ///< too short to move, or without a move
    not_placed, ///< none of these
};

/// In a word or two, such as `gait`.
[[nodiscard]] GAIT_API std::string_view name_of(ClipRole role);

/// A clip to begin with.
struct BeginningClip {
    std::string name;                             ///< in its file
    std::string file;                             ///< relative to the document; empty for the rig's own
    ClipSource source;                            ///< on the rig; of a cut, the cut alone
    std::string fit = {};                         ///< of the document's fits, that by which it came to the rig
    std::optional<std::pair<double, double>> cut; ///< seconds of the file's clip, where it is a stretch of it
    std::string found_as = {};                    ///< what a recording was seen to do there; empty for a whole clip
};

/// What a clip was measured to do, as a table shows it.
struct ClipEvidence {
    double seconds = 0;
    bool loops = false;
    double speed = 0, direction = 0; ///< metres a second; degrees from ahead, positive to the right
    double turns = 0;                ///< degrees to the right from its start to its end
    double feet_down = 0;            ///< the part of it that the foot is down which is down less, 0 to 1
    double lowest_first = 0, lowest_last = 0, lowest_least = 0; ///< metres of the lower foot over the ground
    double hips = 0;                                            ///< their mean height, in parts of their height at rest
    double legs_first = 0, legs_last = 0, legs_most = 0;    ///< off the standing clip's, in parts of the hips' height
    double upper_first = 0, upper_last = 0, upper_most = 0; ///< the same of all that is above the hips
    double hands_speed = 0;                                 ///< metres a second, the faster hand against the hips
};

/// What became of a clip.
struct PlacedClip {
    std::string name; ///< in the document
    ClipRole role = ClipRole::not_placed;
    std::string reason; ///< its speed and direction, or what is missing, in words
    std::string unsure; ///< what speaks against it, or would settle it; empty where nothing does
    std::string state;  ///< where the document plays it: a state, a motion or a one-shot; empty where nowhere
    ClipEvidence evidence;
};

/// A first document, and what it was made of.
struct Beginning {
    std::string text; ///< the document, with comments
    std::vector<PlacedClip> clips;
};

/// Measures `clips`, all of which lie on `rig`, recognises what it can and writes a document for the rig's file
/// `rig_file` (relative to the document). Measures decide, names only where these leave it open. Every clip is
/// declared; what nothing plays says why. A machine needs at least a clip that stands, or a gait; without, the first
/// clip is all it plays. `fits` is put into the document as it is: the lines of its `fits`, with the joints of other
/// rigs.
[[nodiscard]] GAIT_API Beginning begin_document(const Rig& rig, const std::string& rig_file,
                                                const std::vector<BeginningClip>& clips, const std::string& fits = {});

/// The stretches of a recording in which somebody stands, sets off, goes, stops, turns and jumps, each as a clip to
/// begin with. Empty where `clip` is no recording: it comes round, or is shorter than six seconds.
[[nodiscard]] GAIT_API std::vector<BeginningClip> cut_recording(const BeginningClip& clip, const Rig& rig);

} // namespace gait
