/// A performance, frame by frame: what the trace, the bake and the chart are made from.
#pragma once

#include "gait/character.hpp"
#include "gait/compile.hpp"
#include "gait/cue_player.hpp"
#include "gait/cue_sheet.hpp"
#include "gait/events.hpp"
#include "gait/footprints.hpp"
#include "gait/ground_place.hpp"
#include "gait/performer.hpp"
#include "gait/smoothness.hpp"
#include "gait/space.hpp"

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace gait::tool {

struct RecordedInstance {
    InstanceView view;
    std::vector<ClipView> clips;
};

struct RecordedFrame {
    double time = 0;
    std::vector<float> set, smoothed;              ///< a parameter each
    std::vector<float> values;                     ///< of `Character::values()`
    std::vector<Event> events;                     ///< marks and spans of the step that led here
    std::uint16_t state = 0;                       ///< of the lowest layer
    std::vector<std::uint16_t> states;             ///< a layer each
    std::vector<double> layer_weights;             ///< a layer each
    std::vector<std::vector<float>> joint_weights; ///< [layer][joint]: the same with the masks, where they are kept
    std::vector<std::vector<RecordedInstance>> instances; ///< [layer][motion]
    double uncovered = 1;        ///< how much of the lowest layer layers over the whole body leave
    double jolt = 0;             ///< the greatest of any joint, degrees a second
    std::vector<Transform> pose; ///< where they are kept
    GroundPlace place;           ///< where the clips have carried the body
    Travel travel;               ///< of the step that led here
    std::optional<BlendCursor> cursor;
};

/// What a transition led to, as it was taken.
struct Taken {
    double fade = 0;                  ///< seconds
    std::vector<std::uint16_t> clips; ///< that begin to play by it, the heaviest first; indices into `clips()`
};

struct Recording {
    double frames_per_second = 60;
    double seconds = 0;
    std::vector<RecordedFrame> frames; ///< all of them where they are kept, else the last
    std::vector<TransitionRecord> transitions;
    std::vector<Taken> taken;                              ///< beside `transitions`
    std::vector<Event> events;                             ///< marks and spans, as they passed
    std::vector<std::pair<double, std::uint16_t>> signals; ///< that the cue sheet sent: seconds, and which
    std::vector<double> seconds_in_state;
    Seam seam;
    std::vector<Snap> snaps;
    Snap worst_snap;
    Pop pop;
    Faults faults;
    double path_length = 0; ///< metres over the ground that the body went
    bool game_body = false; ///< a plain game moved it where its clips did not
    std::vector<std::string> feet;
    std::vector<Footprint> footprints;
};

/// What of a performance is kept. What is measured of it takes the same room however long it is.
struct Keeping {
    bool frames = false;        ///< every frame, not the last alone
    bool poses = false;         ///< in each that is kept
    bool joint_weights = false; ///< and those
    bool rows = false;          ///< a trace's text
    bool events = false;        ///< marks and spans
};

/// Why a performance cannot be recorded, in words for the user: too many frames, or more kept than memory is for.
[[nodiscard]] std::optional<std::string> too_much(const Character& character, double seconds, double frames_per_second,
                                                  Keeping keeping);

/// Sees the performer after each frame, and what was recorded of it.
using FrameWatch = std::function<void(const Performer&, const RecordedFrame&)>;

/// Plays `performer` for `seconds`. `cues` and `watch` may be null.
Recording record(Performer performer, CuePlayer* cues, double seconds, double frames_per_second, Keeping keeping,
                 const FrameWatch& watch = nullptr);

/// A performance as CSV, a row a frame, as it goes on.
class Trace {
public:
    explicit Trace(const Character& character);
    void add(const RecordedFrame& frame);
    [[nodiscard]] const std::string& csv() const { return out_; }

private:
    const Character& character_;
    std::string out_;
};

/// A value that states give now, whatever its kind: flags are 0 and 1, choices the index of their word.
[[nodiscard]] float value_of(const Performer& performer, std::size_t index);

/// A value as people read it: a number, yes or no, a choice's word.
[[nodiscard]] std::string value_text(const ValueInfo& info, float value);

/// A mark or a span in words: `left_down`, `may_turn begins`.
[[nodiscard]] std::string event_text(const Character& character, const Event& event);

/// The share that each clip has in a layer in a frame [one a clip of the character]: of the lowest one what layers over
/// the whole body leave of it, of one above as much as it counts.
[[nodiscard]] std::vector<double> clip_shares(const RecordedFrame& frame, const Character& character,
                                              std::size_t layer = 0);

/// Draws parameters, states, clips and jolts over time, as .png or .svg by the name of `path`. Returns what went wrong.
[[nodiscard]] std::optional<std::string> draw_chart(const Recording& recording, const Character& character,
                                                    const std::string& title, const std::string& path);

} // namespace gait::tool
