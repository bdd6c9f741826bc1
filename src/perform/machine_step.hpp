/// Which states are active: transitions, picks and chooses.
#pragma once

#include "perform/frame.hpp"

namespace gait {

/// How a state is entered.
struct Entrance {
    std::uint16_t by = no_transition; ///< the transition that did it, for the record
    double fade = 0;                  ///< seconds
    Ease ease = Ease::smooth;
    FadeStyle style = FadeStyle::cross;
    EnterAt at = EnterAt::beginning;
    double fraction = 0;
    std::uint16_t mark = nothing;
    bool settle = false;
};

/// Makes `target` active, and inside it whatever it starts, resumes or draws; its motion is faded in over what plays.
void enter(Frame& frame, std::uint16_t target, const Entrance& entrance);

/// Takes every transition that holds at this instant, each state being left or entered at most once, so that two
/// conditions that hold in both directions cannot spin; then picks and chooses go on.
void decide(Frame& frame);

/// Leaves what other layers do not allow beside what they are doing.
void yield_to_others(Frame& frame);

/// Seconds until a decision may fall by itself: an end, an `after`, a threshold, a mark or span that is waited for.
[[nodiscard]] double seconds_to_decision(const Frame& frame);

/// Says what the clips of the active motion begin with, once: a motion entered between two steps waits for the next.
void begin_active(Frame& frame);

/// Forgets the motions that have been faded over.
void drop_faded(Frame& frame);

/// The only clip of the only motion goes by itself, which costs less than the shared phase and comes to the same.
void go_alone(Frame& frame);

/// Says which states were left and entered since it was said last.
void announce(Frame& frame);

/// Gives the active motion the weights and rates of the present parameters. A clip that comes back from no weight
/// starts afresh.
void weigh_active(Frame& frame);
/// The same after parameters or weights have changed, where anything hangs on them.
void weigh_again(Frame& frame);

/// Lets the weights of the active motion's mixes and additions follow their expressions for `dt` seconds.
void follow_terms(Frame& frame, double dt);

/// Lets the layer's own weight follow its expression.
void follow_weight(Frame& frame, double dt);

/// What the expression of a weight comes to, 0 to 1; 1 without one.
[[nodiscard]] double wanted_weight(const Frame& frame, const Term& term);

/// Whether the state may not be left yet.
[[nodiscard]] GAIT_API bool is_settling(const LayerHeader& layer);

/// A transition as it stands for the node at `level` of the active path, for people who ask why.
struct Standing {
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
[[nodiscard]] GAIT_API Standing standing_of(const Frame& frame, std::size_t level,
                                            const CompiledTransition& transition);

} // namespace gait
