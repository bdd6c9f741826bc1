/// \file
/// A cue sheet: timed inputs that play a performer without a game.
#pragma once

#include "gait/api.hpp"
#include "gait/diagnostic.hpp"
#include "gait/text.hpp"

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace gait {

/// Values to set at an instant, or a group of cues to play.
struct Cue {
    double at = 0;   ///< seconds from the start, or from the start of the group it stands in
    double over = 0; ///< seconds to go from the present values to these, evenly; flags and choices change at once
    /// A parameter and what to set it to: a number, yes or no, or a choice's value, as it is written.
    struct Value {
        Text name;
        Text value;
    };
    std::vector<Value> set;
    std::vector<Text> send;  ///< signals
    Text enter;              ///< a state to jump to, such as `body.moving`; empty for none
    double enter_fade = 0.2; ///< seconds
    bool reset = false;      ///< back to the start, before anything else of this cue
    std::optional<std::uint64_t> seed;
    std::vector<Cue> group;
    double every = 0; ///< seconds between repeats
    int times = 1;
    Place place;
};

/// A plain game beside the performer: the body goes as fast and where these parameters say, smoothed as they are, as
/// far as its clips do not carry it.
struct CueBody {
    Text speed;             ///< a number, metres a second; empty: it goes nowhere by itself
    Text heading;           ///< an angle, from where it faces; empty: ahead
    Text turn;              ///< a number; empty: it does not turn by itself
    Number turn_rate{90.0}; ///< degrees a second to the right where `turn` is 1
};

/// The file `NAME.cues.yaml`.
struct CueSheet {
    std::string file;
    SourceText source;
    std::string about;
    double seconds = 0; ///< how long to play; 0 when the sheet does not say
    std::optional<CueBody> body;
    std::vector<Cue> cues;
};

/// A cue sheet as read. With errors among the diagnostics, `sheet` holds what could be understood.
struct CueSheetRead {
    CueSheet sheet;
    Diagnostics diagnostics;
};

/// Reads `NAME.cues.yaml`. An unreadable file is one diagnostic with the code `unreadable-file`.
[[nodiscard]] GAIT_API CueSheetRead read_cue_sheet(const std::filesystem::path& path);
/// The same from memory; `name` stands for the file in diagnostics.
[[nodiscard]] GAIT_API CueSheetRead read_cue_sheet_text(const std::string& text, const std::string& name);

} // namespace gait
