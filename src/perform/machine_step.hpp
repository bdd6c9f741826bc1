/// Which states are active: what is entered and left, and when.
#pragma once

#include "perform/play.hpp"
#include "perform/playheads.hpp"

namespace gait::detail {

/// Makes `target` active, and inside it whatever it starts, resumes or draws; its motion is faded in over what plays.
void enter(Frame& frame, std::uint16_t target, const Entrance& entrance);

/// Whether any decision may fall in what is active: by time, or by what has moved.
[[nodiscard]] inline bool may_decide(const Frame& frame) {
    if (frame.layer.seconds_until_decision > 0) {
        if ((frame.data.decisions_read & frame.header.moved) == 0) { return false; }
        return any_active(frame,
                          [&](const CompiledState& state) { return (state.facts.reads & frame.header.moved) != 0; });
    }
    return any_active(frame, [](const CompiledState& state) { return state.facts.decides; });
}

/// Takes every transition that holds at this instant, each state being left or entered at most once, so that two
/// conditions that hold in both directions cannot spin; then picks and chooses go on.
void decide(Frame& frame);

/// Leaves what other layers do not allow beside what they are doing.
void yield_to_others(Frame& frame);

/// Seconds until a decision may fall by itself: an end, an `after`, a threshold, a mark or span that is waited for.
[[nodiscard]] double seconds_to_decision(const Frame& frame);
/// Computes that, and keeps for how long no decision can fall, where that can be predicted.
double note_next_decision(Frame& frame);
/// Seconds by which a predicted decision is taken earlier: more than rounding adds up to over the steps until then.
inline constexpr double decision_margin = 1e-6;
/// Whether it is known that no decision falls within `left`.
[[nodiscard]] inline bool is_quiet_for(const Frame& frame, double left) {
    return frame.layer.seconds_until_decision > left + decision_margin;
}
/// `seconds_to_decision` where that is at most `left`; else it may be infinite.
[[nodiscard]] inline double seconds_to_decision_within(Frame& frame, double left) {
    return is_quiet_for(frame, left) ? never : note_next_decision(frame);
}

/// Says which states were left and entered since it was reported last.
void announce(Frame& frame);
/// Whether there is anything to announce.
[[nodiscard]] inline bool has_announcements(const LayerHeader& layer) {
    return layer.unchanged_depth < most_levels || layer.announced_depth != layer.depth;
}

/// Whether the state may not be left yet.
[[nodiscard]] GAIT_API bool is_settling(const LayerHeader& layer);

/// A transition as it stands for the node at `level` of the active path, for people who ask why.
struct TransitionStatus {
    double elapsed = 0; ///< seconds of its state
    double left = 0;    ///< seconds of its motion or machine
    double after = 0;   ///< seconds it must have been active, as drawn
    double fade = 0;    ///< seconds, as it would be now
    bool signal_there = true, signal_waits = false;
    bool mark_passed = true, inside_span = true;
    bool on_path = false;                         ///< it leads into what is active
    const CompiledForbid* forbidden_by = nullptr; ///< what another layer is doing keeps it from where it leads
    ExpressionInputs inputs;
};
[[nodiscard]] GAIT_API TransitionStatus status_of(const Frame& frame, std::size_t level,
                                                  const CompiledTransition& transition);

} // namespace gait::detail
