/// A compiled character: arrays that a frame walks, and the names that only people read.
#pragma once

#include "character/character_notes.hpp"
#include "character/layout.hpp"
#include "character/motion.hpp"
#include "character/sampled_clip.hpp"
#include "gait/character.hpp"
#include "gait/kept.hpp"
#include "gait/pick_order.hpp"

#include <algorithm>
#include <cmath>
#include <memory>
#include <vector>

namespace gait::detail {

/// A value that is set, within a parameter's range: an angle comes round, anything else is clamped.
[[nodiscard]] inline float within_range(const ParameterInfo& info, float value) {
    return info_of(info.kind).wraps ? float(wrapped_degrees(double(value))) : std::clamp(value, info.low, info.high);
}

/// Where the motion that is entered begins.
enum class EnterAt : std::uint8_t { beginning, fraction, mark, phase, footfall };

/// `state.left` falling below, or `state.elapsed` rising over, a number: an instant at which a condition may change.
struct Threshold {
    Reading reading = Reading::left;
    float value = 0; ///< seconds
};

struct CompiledTransition {
    std::uint16_t target = 0; ///< a node
    std::uint16_t signal = no_index;
    std::uint16_t mark = no_index, span = no_index;
    std::uint16_t draws_as = 0; ///< transitions that share this draw the same `after`
    CodeRange when;             ///< empty: always
    bool reads_state = false;   ///< its condition or its fade speak of the state
    bool at_end = false;        ///< leaves so early that its fade is done as the motion ends
    bool not_again = false;     ///< of `always`: not into what is active
    bool settle = false;        ///< what it enters is not left before its fade is done
    double after = 0;           ///< seconds the state must have been active
    double after_more = 0;      ///< and up to so many more, drawn as it is entered
    double fade = 0;            ///< seconds
    CodeRange fade_by;          ///< when not empty, instead of `fade`
    Ease ease = Ease::smooth;
    FadeStyle style = FadeStyle::cross;
    EnterAt enter_at = EnterAt::beginning;
    double enter_fraction = 0;
    std::uint16_t enter_mark = no_index;
    std::uint32_t first_threshold = 0; ///< into `thresholds`
    std::uint32_t threshold_count = 0;
    SlotSet reads = 0;      ///< the values that its condition and its fade read, and its signal
    bool by_values = false; ///< nothing but those lets it be taken: neither time nor what other layers do

    /// Whether it waits for a moment of its motion alone, beside its condition: nothing else of it falls due by time.
    [[nodiscard]] bool waits_for_moment() const {
        return (at_end || mark != no_index || span != no_index) && threshold_count == 0 && !reads_state;
    }
};

/// What a node of the tree of states does while it is active. A machine, a pick and a choose hold other nodes, of which
/// one is active.
enum class NodeKind : std::uint8_t { motion, machine, pick, choose };

/// A run of a character's list.
struct IndexRange {
    std::uint16_t first = 0, count = 0;
};

/// What is known of a state before any frame, so that frames need not ask.
struct StateFacts {
    bool decides = false;         ///< it may be left, or go on inside, by a decision
    bool synced = false;          ///< its motion follows the shared phase
    bool only_phase = false;      ///< while it keeps step, its clips have no places of their own and pass no events
    bool endless = false;         ///< what leads its motion loops
    bool plain = false;           ///< its clips count alike on all joints, inside the mask alone
    bool masked = false;          ///< so but for clips that count on some part of the body
    bool poll_every_step = false; ///< when its next decision falls cannot be predicted; evaluate it in every step
    bool poll_signals = false;    ///< nor can it while signals are about
    bool poll_uneven = false;     ///< nor can it while its clips do not go on at an even pace
    bool may_yield = false;       ///< some entry of `forbid` lets it give way
    bool nothing = false;         ///< it plays nothing
    bool moves_body = true;       ///< some clip of it travels
    bool keeps_side = false;      ///< so do all of its clips; see `ClipFrames::keeps_side`
    std::uint32_t first_leaf = 0; ///< of its motion
    SlotSet reads = 0;            ///< the values that its decisions read
};

/// A node of the tree of states: a state that people see, or an entry inside one that picks or chooses.
struct CompiledState {
    NodeKind kind = NodeKind::motion;
    std::uint8_t layer = 0;
    std::uint8_t level = 0;                 ///< 0 for the layer's own states
    bool game_moves = false;                ///< the travel of its clips is not used
    bool whole_body = false;                ///< its motion counts beyond the layer's mask
    bool takes_travel = false;              ///< the body goes its way, whatever the layers below do
    bool live_inputs = false;               ///< its clips are weighed by the present inputs while it is left, too
    bool final = false;                     ///< nothing leaves it inside its machine: as it ends, the machine does
    std::uint16_t parent = no_index;        ///< the node that holds it
    std::uint16_t visible = 0;              ///< the public state that it is, or is inside of
    std::uint16_t motion = 0;               ///< index into `motions`
    std::uint16_t shared_motion = no_index; ///< states that play the same named motion share this
    std::uint16_t start = 0;                ///< of a machine: the node inside it that becomes active with it
    bool starts_here = false;               ///< of a machine: in the state that plays what the body already does
    std::uint16_t resume = no_index;        ///< of a machine: where it keeps the node it was left in
    std::uint16_t selector = 0;             ///< of a pick or choose: index into `picks` or `chooses`
    IndexRange transitions, leads;
    IndexRange timed;        ///< of `timed_transitions`: its own that hang on more than values and signals
    SlotSet timed_reads = 0; ///< the values on which it hangs when the next of those may be taken
    StateFacts facts;
};

/// What entering a state does to another layer.
struct CompiledLead {
    std::uint16_t target = 0;        ///< a node of the other layer
    CodeRange when;                  ///< empty: always
    double fade = 0;                 ///< seconds
    std::uint16_t record = no_index; ///< the transition that reports show for it
};

/// Two states of unlike layers that may not be active at once.
struct CompiledForbid {
    std::uint16_t yields = 0;        ///< a node; its layer gives way
    std::uint16_t rules = 0;         ///< a node, of the other layer
    CodeRange when;                  ///< what must hold beside it; empty: always
    std::uint16_t to = 0;            ///< where the one that yields goes
    double fade = 0;                 ///< seconds
    std::uint16_t record = no_index; ///< the transition that reports show for it
};

/// A machine laid over those below it.
struct CompiledLayer {
    KeptText name;
    std::uint16_t start = 0;
    std::uint16_t mask = no_index; ///< nothing: the whole body
    Term weight;                   ///< without an expression always 1
    LayerMode mode = LayerMode::replace;
    LayerSpace space = LayerSpace::local;
    bool takes_travel = false;
    bool has_nothing = false;              ///< some state of it plays nothing
    bool has_whole_body = false;           ///< some state of it counts beyond the mask
    bool has_terms = false;                ///< some motion of it has weights by expressions
    bool has_synced = false;               ///< some motion of it follows its shared phase
    bool has_live_weights = false;         ///< weights or rates of some of its motions depend on inputs
    bool follows_left = false;             ///< those of some motion while it is left, too
    bool yields = false;                   ///< `forbid` names some state of it
    bool may_hide = false;                 ///< all that is below it, if it covers it
    bool joins = false;                    ///< it may be blended in one pass with those below it
    bool moves = true;                     ///< it may reach a joint whose translation or scale some clip moves
    bool carries = false;                  ///< some joint that counts does so less than one above it
    std::uint16_t in_step_with = no_index; ///< a layer below, whose shared phase its own follows
    bool gives_step = false;               ///< some layer follows its shared phase
    std::uint8_t step_group = 0;           ///< the lowest layer of those that keep in step with one another
    LayerNeeds needs;

    /// Whether every motion of it counts wherever its mask does, and nowhere else.
    [[nodiscard]] bool covers_evenly() const { return !has_nothing && !has_whole_body; }
};

struct CompiledPickEntry {
    std::uint16_t node = 0;
    double share = 1;
    int least_loops = 1, greatest_loops = 1;
    double fade = 0;
};

struct CompiledPick {
    PickOrder order = PickOrder::dealt;
    KeptList<CompiledPickEntry> entries; ///< `between` stands behind them
    bool between = false;
    std::uint16_t record = no_index; ///< the transition that reports show for its changes
    [[nodiscard]] std::size_t count() const { return entries.size() - (between ? 1 : 0); }
};

struct CompiledChoose {
    std::uint16_t by = no_index;     ///< a parameter's slot; nothing: decided on entry
    KeptList<CodeRange> when;        ///< on entry; an empty one always holds
    KeptList<std::uint16_t> nodes;   ///< beside `when`, or a value of `by` each
    double fade = 0;                 ///< when the value changes
    std::uint16_t record = no_index; ///< the transition that reports show for its changes
};

enum class ParameterSource : std::uint8_t {
    derived,
    remembered,
    greatest,
    since,
    thresholds,
    flips,
    rises,
    falls,
    layer_state,   ///< whether a node of another layer is active
    layer_reading, ///< what may be asked of another layer's active state
};

/// A parameter, or a hidden edge, that a frame computes before it decides.
struct ComputedParameter {
    std::uint16_t slot = 0;
    ParameterSource source = ParameterSource::derived;
    CodeRange value;      ///< or the flag that is watched, or what turns it on
    CodeRange only_while; ///< or what turns it off
    CodeRange clear;
    std::uint8_t layer = 0;      ///< that is looked at
    bool by_values = false;      ///< while nothing that it reads changes, neither does it
    bool counts_presses = false; ///< it flips with each sending of a signal, rather than as a condition begins to hold
    std::uint16_t node = 0;      ///< of the layer, or the `Reading`
    SlotSet reads = 0;           ///< the values that its expressions read
};

struct CompiledSignal {
    std::uint16_t slot = 0;
    double keep = 0, wait = 0; ///< seconds
};

/// A mark or a span of a clip as it is played, in cycles from its start.
struct PlacedMark {
    std::uint16_t mark = 0;
    double at = 0;
};
struct PlacedSpan {
    std::uint16_t span = 0;
    double from = 0, to = 0;
};

/// A number and an angle that steer blend spaces together, smoothed as the velocity they make up: so +180 and -180 are
/// the same place, and a reversal leads through standstill.
struct CompiledCursor {
    std::uint16_t number = 0, angle = 0; ///< parameters
    double smooth = 0;                   ///< seconds
    double at_most = 0;                  ///< the number's unit a second; 0 for no bound
};

/// A stretch of a clip, in cycles, in which a foot is down. In a loop it may last over the end.
struct FootDown {
    std::uint8_t leg = 0;
    double from = 0, to = 0;
};

struct ClipEvents {
    KeptList<PlacedMark> marks; ///< in order of time
    KeptList<PlacedSpan> spans;
    KeptList<Footfall> footfalls; ///< where some transition asks for them
    KeptList<FootDown> downs;     ///< where feet are held to the ground
};

/// A joint's translation or scale that some clip moves away from rest.
struct MovedJoint {
    std::uint16_t joint = 0;
    std::uint16_t row = 0; ///< the first of three rows of the pose: 4 translation, 7 scale
    std::array<float, 3> rest{};
};

/// A leg whose foot is held where it came down.
struct CompiledLeg {
    std::uint16_t hip = 0, knee = 0, ankle = 0, toes = 0; ///< joints
    Vec3 heel;                                            ///< in the ankle's frame, metres
    Vec3 ball;                                            ///< in the toes' frame
    float ground = 0;                                     ///< height of the heel at rest
    float ball_height = 0;                                ///< and of the ball
    Vec3 knee_axis;                                       ///< the axis about which the knee bends, in the hip's frame
};

/// How feet are held.
struct CompiledFeet {
    KeptList<CompiledLeg> legs; ///< none where feet are not held
    CodeRange planted;
    double most = 0;    ///< metres
    double release = 0; ///< seconds
    int hips = -1;      ///< the joint that carries all legs, where clips move it
};

struct CharacterData {
    std::unique_ptr<KeptMemory> memory; ///< of the lists that were read from a pack: it goes last
    Rig rig;
    AlignedFloats rest;                   ///< [tx ty tz (sx sy sz)][lane] of the rest pose
    KeptList<MovedJoint> moved;           ///< by joint, its translation first
    KeptList<std::uint16_t> moved_before; ///< [i]: how many of `moved` stand before the i-th `lane_padding` lanes
    KeptList<std::int16_t> parents;       ///< a lane each, -1 for roots and padding
    KeptList<std::uint16_t> level_order;  ///< see `kernels::LocalPose`
    AlignedFloats inverse_bind;           ///< [joint][16]
    bool travels = false;                 ///< some clip's way was taken out of its pose
    bool scales = false;                  ///< some joint's scale is not 1 in the rest pose or in a clip
    KeptList<SampledClip> clips;
    KeptList<KeptText> number_tracks; ///< names of the numbers that come along with clips
    KeptList<ParameterInfo> parameters;
    MotionTable motions;
    KeptList<SampledClip> additives; ///< differences; rotations are rotation vectors in radians: see `additive_clip`
    KeptList<AlignedFloats> masks;   ///< a weight a lane
    KeptList<CompiledCursor> cursors;
    SlotSet weights_read = 0; ///< values that weights and rates of motions hang on
    CompiledFeet feet;
    KeptList<Instruction> code;
    KeptList<ComputedParameter> computed; ///< each after what it needs
    KeptList<std::uint16_t> timed;        ///< of `computed`: what changes though no value does
    KeptList<std::uint16_t> ticking;      ///< of those: what changes though no layer enters anything either
    KeptList<std::uint16_t> edges;        ///< of `computed`: what is forgotten at the end of each step
    SlotSet computed_reads = 0;           ///< values that some of `computed` reads
    SlotSet cursors_read = 0;             ///< values that some cursor follows
    KeptList<CompiledSignal> signals;
    KeptList<std::uint16_t> signal_of;   ///< a slot each: index into `signals`
    KeptList<std::uint16_t> smoothed;    ///< slots of parameters that follow their inputs
    KeptList<std::uint16_t> smoothed_of; ///< a slot each: index into `smoothed`
    KeptList<CompiledState> states;
    KeptList<CompiledTransition> transitions;
    KeptList<std::uint16_t> timed_transitions;
    KeptList<Threshold> thresholds;
    KeptList<CompiledPick> picks;
    KeptList<CompiledChoose> chooses;
    KeptList<ClipEvents> clip_events;   ///< a clip each
    KeptList<float> state_values;       ///< [node][value]
    KeptList<std::uint8_t> state_gives; ///< [node][value]: whether the state itself says so, or one around it
    KeptList<CompiledLead> leads;
    KeptList<CompiledForbid> forbidden;
    KeptList<CompiledLayer> layers;      ///< the lowest first
    KeptList<std::uint8_t> decide_order; ///< of the layers
    SlotSet decisions_read = 0;          ///< values that decisions of any layer read
    bool some_layer_hides = false;       ///< all that is below it
    PerformerNeeds needs;                ///< from which comes
    PerformerLayout layout;
    bool has_details = false;          ///< its performers may be shown in less detail
    KeptList<std::uint16_t> joints_at; ///< [level]: joints that are posed when so many levels of detail are left out
    std::uint64_t fingerprint = 0;     ///< of what a performer's block must fit

    std::vector<std::shared_ptr<const void>> kept; ///< what holds numbers that clips borrow

    // For people.
    KeptList<LayerInfo> layer_info;
    KeptList<StateInfo> state_info;
    KeptList<TransitionInfo> transition_info;
    KeptList<ValueInfo> value_info;
    KeptList<KeptText> mark_names, span_names;
    KeptList<ClipInfo> clip_info;
    CharacterNotes notes;

    /// Index of the first of `moved` at or after a lane that begins such a block.
    [[nodiscard]] std::size_t first_moved(std::size_t lane) const { return moved_before[lane / lane_padding]; }
    /// Those of `moved` within a window.
    [[nodiscard]] std::span<const MovedJoint> moved_in(Window window) const {
        const std::size_t first = first_moved(window.first);
        return {moved.data() + first, first_moved(window.end()) - first};
    }
    /// Whether some loop steps and does not carry the body by itself: a body that nobody moves would glue its feet to
    /// one spot.
    [[nodiscard]] bool walks_in_place() const;
    /// The leaves of a state's motion.
    [[nodiscard]] const Leaf* leaves_of(const CompiledState& state) const {
        return motions.leaves.data() + state.facts.first_leaf;
    }
    [[nodiscard]] std::span<const Instruction> instructions(CodeRange range) const {
        return {code.data() + range.first, range.count};
    }
    /// How long a transition fades, where its expression reads `inputs`.
    [[nodiscard]] double fade_seconds(const CompiledTransition& transition, const ExpressionInputs& inputs) const {
        if (transition.fade_by.empty()) { return transition.fade; }
        const auto fade = double(evaluate(instructions(transition.fade_by), inputs));
        return std::isfinite(fade) ? std::clamp(fade, 0.0, longest_fade) : 0;
    }
};

} // namespace gait::detail
