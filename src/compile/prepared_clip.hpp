/// A clip with the document's settings applied: cut, reversed, mirrored, its way taken out, its loop closed.
#pragma once

#include "character/travel_path.hpp"
#include "clip/posed_clip.hpp"
#include "diagnostics/sink.hpp"
#include "gait/document.hpp"

#include <string>
#include <utility>
#include <vector>

namespace gait::detail {

/// A mark and a span, in seconds of the clip as it plays.
struct ClipMark {
    std::string name;
    double at = 0;
};
struct ClipSpan {
    std::string name;
    double from = 0, to = 0;
};

/// How a loop's end came to its start.
struct LoopClosing {
    double added = 0; ///< seconds, of the closing frame that was left out
    LoopGap gap;      ///< what did not meet, and was spread over the loop; or was left, if that was wanted
};

struct PreparedClip {
    PosedClip poses; ///< on the rig
    std::vector<NumberTrack> numbers;
    TravelPath travel;
    LoopClosing closing;
    std::vector<ClipMark> marks; ///< in order of time
    std::vector<ClipSpan> spans;
};

/// The joints (left, right) that change places in a mirrored clip: those found by name, under those the document names.
/// Names that the rig lacks are reported in `sink`.
[[nodiscard]] std::vector<std::pair<int, int>> mirror_pairs(const Document& document, const Rig& rig,
                                                            DiagnosticSink& sink);

/// Applies `settings` to `source`, which lies on `rig`. `pairs` are the joints that mirror each other. What cannot be
/// done is reported in `sink`, and left out.
[[nodiscard]] PreparedClip prepare_clip(const ClipSource& source, const Rig& rig, const ClipDefinition& settings,
                                        const std::vector<std::pair<int, int>>& pairs, DiagnosticSink& sink);

} // namespace gait::detail
