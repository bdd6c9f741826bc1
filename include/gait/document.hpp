/// \file
/// The animator's document as plain structs, one to one with the file `NAME.gait.yaml`. A program may fill them too:
/// both go through the same `compile`.
#pragma once

#include "gait/acceptance.hpp"
#include "gait/body_reading.hpp"
#include "gait/clip_packing.hpp"
#include "gait/diagnostic.hpp"
#include "gait/ease.hpp"
#include "gait/fade_style.hpp"
#include "gait/layer_mode.hpp"
#include "gait/motion_kind.hpp"
#include "gait/parameter_kind.hpp"
#include "gait/pick_order.hpp"
#include "gait/text.hpp"

#include <array>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace gait {

/// Which part of a clip's way is taken out of its pose and given to the game.
struct TravelDefinition {
    Text joint; ///< whose way it is, such as `hips`
    bool forward = true;
    bool sideways = true;
    bool vertical = false;
    bool turn = true;
    bool in_place = false; ///< what is taken is given to nobody: the body stays where it is
};

/// A named instant of a clip.
struct MarkDefinition {
    Text name;
    Number at; ///< seconds from the clip's beginning as it is cut, at its own rate and the right way round
};

/// A named stretch of a clip.
struct SpanDefinition {
    Text name;
    Number from; ///< seconds, counted as a mark's
    Number to;   ///< seconds; the clip's end at the most
};

/// An entry of `clips`. The settings are applied in the order in which they stand here.
struct ClipDefinition {
    Text name;
    Text file;                                    ///< relative to the document; empty for the rig's own file
    Text animation;                               ///< its name in the file; empty for the clip's own name
    Text fit;                                     ///< an entry of `fits`; empty to match joints by their names
    std::optional<std::pair<Number, Number>> cut; ///< seconds of the animation to keep, from and to
    bool reverse = false;
    bool mirror = false;                    ///< left and right change places
    std::optional<TravelDefinition> travel; ///< nothing: the way stays in the pose
    Number rate{1};                         ///< times as fast, 0.01 to 100
    bool loop = false;
    bool close =
        true; ///< a loop's end is brought to its start: a closing frame that is missing is added, the rest spread
    std::vector<MarkDefinition> marks;
    std::vector<SpanDefinition> spans;
    Place place;
};

/// An item of `clip_sets` that takes animations by a pattern: one clip for each of its file's that fits, once that is
/// read (`expand_clip_sets`).
struct ClipPattern {
    ClipDefinition common; ///< the settings of each
    Text pattern;          ///< `stroll_*`: a star stands for any letters
    Text prefix, suffix;   ///< put around each animation's name
};

/// An entry of `fits`: how the joints of another rig are called and stand.
struct FitDefinition {
    Text name;
    Text strip;                                               ///< what their names begin with that ours do not
    std::vector<std::pair<Text, Text>> joints;                ///< their names, and ours
    std::optional<Number> scale;                              ///< metres a unit of theirs
    Text up;                                                  ///< the axis on which their body stands: `y`, `z`, `-x`
    Text faces;                                               ///< and the one that it faces
    std::vector<std::pair<Text, std::array<double, 3>>> turn; ///< our names, and degrees about X, Y and Z by which
                                                              ///< their rest pose is turned to stand as ours does
};

/// An entry of `parameters`. At most one of `from`, `remember`, `greatest`, `since`, `on_when` and `flips_on` may be
/// written; such a parameter is computed and no game sets it.
struct ParameterDefinition {
    Text name;
    ParameterKind kind = ParameterKind::number;
    std::vector<Text> of;                           ///< a choice's values
    std::optional<std::pair<double, double>> range; ///< inputs are clamped to it
    std::optional<double> default_value; ///< flags: 0 or 1; choices: which of `of`; when absent 0, moved into the range
    std::string unit;
    std::string note;
    std::optional<Number> smooth;  ///< seconds the smoothed value lags behind a steady ramp; see `compile` when absent
    std::optional<Number> at_most; ///< the greatest change a second
    bool tune = false;             ///< the animator's own number, which no game has to set
    Number keep;                   ///< signals: seconds one is kept until something takes it
    Number wait;                   ///< signals: seconds after one was taken before the next may be

    Text from;       ///< always this expression's value
    Text remember;   ///< this expression's value as it was when `only_while` held last
    Text greatest;   ///< the greatest value of this expression since `clear`, counted where `only_while` holds
    Text since;      ///< seconds since this condition held last
    Text on_when;    ///< flags: goes on at this condition
    Text off_when;   ///< and off at this one
    Text flips_on;   ///< flags: changes each time this condition begins to hold, or this signal fires
    Text only_while; ///< of `remember` and `greatest`; empty: always
    Text clear;      ///< back to the default where this holds
};

/// An optional value of a type that holds itself somewhere inside. Copies deeply.
template <typename Value> class Nested {
public:
    Nested() = default;
    /// Holds `value`.
    Nested(Value value) : value_(std::make_unique<Value>(std::move(value))) {}
    /// A deep copy.
    Nested(const Nested& other) : value_(other.value_ ? std::make_unique<Value>(*other.value_) : nullptr) {}
    /// Takes the value over.
    Nested(Nested&&) noexcept = default;
    /// A deep copy.
    Nested& operator=(const Nested& other) {
        if (this != &other) { value_ = other.value_ ? std::make_unique<Value>(*other.value_) : nullptr; }
        return *this;
    }
    /// Takes the value over.
    Nested& operator=(Nested&&) noexcept = default;
    ~Nested() = default;
    /// Whether it holds anything.
    explicit operator bool() const { return value_ != nullptr; }
    /// What it holds.
    Value& operator*() { return *value_; }
    /// \copydoc operator*
    const Value& operator*() const { return *value_; }
    /// \copydoc operator*
    Value* operator->() { return value_.get(); }
    /// \copydoc operator*
    const Value* operator->() const { return value_.get(); }

private:
    std::unique_ptr<Value> value_;
};

struct BlendDefinition;
struct MixDefinition;
struct AddDefinition;
struct PickDefinition;
struct ChooseDefinition;
struct MachineDefinition;

/// How looping clips keep step. Where a motion does not say, it takes over what it stands in; where nothing says:
/// `footfall` when all its clips that step have footfalls, left and right in turn, else `off`.
enum class SyncMode : std::uint8_t {
    automatic,
    footfall, ///< one phase, in which corresponding footfalls meet; clips whose feet stay down go by themselves
    cycle,    ///< one phase, each clip evenly
    off,      ///< each clip goes by itself
};

/// What a state or a point plays: a clip or a named motion, a blend space, a mix, an addition, a pick or a choose.
struct MotionDefinition {
    Text clip; ///< when not empty, the name of a clip or of an entry of `motions`, with its arguments: `paces(trot,
               ///< run)`
    Nested<BlendDefinition> blend;
    Nested<MixDefinition> mix;
    Nested<AddDefinition> add;
    Nested<PickDefinition> pick;
    Nested<ChooseDefinition> choose;
    std::optional<bool> loop; ///< overrides the clip's own
    Text rate;                ///< an expression: times as fast; negative plays backward, 0 holds
    SyncMode sync = SyncMode::automatic;
    bool mirror = false;  ///< left and right change places in all its clips
    bool reverse = false; ///< all its clips are turned round in time
    bool nothing = false; ///< `play: nothing`, in a state of a layer that lies over others: these show
    Place place;

    MotionDefinition() = default;
    /// A clip.
    MotionDefinition(Text clip_name) : clip(std::move(clip_name)), place(clip.place) {}
    /// A clip.
    MotionDefinition(const char* clip_name) : clip(clip_name) {}
    /// A blend space.
    inline MotionDefinition(BlendDefinition blend_space);
    /// What it is made of; empty when it plays nothing, and does not say so.
    [[nodiscard]] std::optional<MotionKind> kind() const;
    /// Whether nothing is played.
    [[nodiscard]] bool empty() const { return !kind(); }
};

/// One motion of a blend space, and its place.
struct PointDefinition {
    std::vector<Number> at; ///< a number a parameter, in its unit; empty: where its clip's own speed and heading are
    MotionDefinition play;
    std::vector<Number> to; ///< when not empty it holds from `at` to here

    PointDefinition() = default;
    /// On one parameter.
    PointDefinition(Number place, MotionDefinition motion) : at{place}, play(std::move(motion)) {}
    /// At any place, which may be measured.
    PointDefinition(std::vector<Number> place, MotionDefinition motion)
        : at(std::move(place)), play(std::move(motion)) {}
};

/// How the points of a blend space on two parameters share the weight: among the corners of the cell that the cursor is
/// in, the cells being Delaunay's or written by hand; or by gradient bands (Johansen 2009).
enum class BlendWeighing : std::uint8_t { cells, bands };

/// A blend space: motions at points on one parameter or two. An angle and a number span a plane of velocities, an angle
/// alone a circle; two numbers are scaled by their ranges. Beyond its points the nearest place between them counts.
struct BlendDefinition {
    Text parameter;
    Text second; ///< parameter; empty for a blend space on one
    std::vector<PointDefinition> points;
    BlendWeighing weigh = BlendWeighing::cells;
    std::vector<std::vector<Number>> cells; ///< by hand: the points at each one's corners, counted from 1
    std::optional<std::pair<Number, Number>>
        keep_pace; ///< the least and the greatest times as fast by which its clips may follow the speed asked for
    bool fill_mirrored = false; ///< where a side has no point, the other side's, mirrored
    bool fill_reversed = false; ///< where a direction has no point, the opposite one's, turned round in time
};

/// An entry of a mix.
struct MixEntryDefinition {
    MotionDefinition play;
    Text weight; ///< an expression, held between 0 and 1; empty: 1, and for the first entry what the others leave
    Text mask;   ///< of `masks`: where on the body it counts; empty: everywhere
};

/// Motions by weights. Where these make up more than 1 they are divided by their sum; what is missing to 1 is the first
/// entry's.
struct MixDefinition {
    std::vector<MixEntryDefinition> of;
    Number fade{0.2}; ///< seconds that a change of a weight takes
};

/// A motion added to another: joint by joint its difference to a reference pose, laid on top.
struct AddDefinition {
    MotionDefinition what;
    MotionDefinition to;
    Text weight;      ///< an expression, held between 0 and 1; empty: 1
    Text mask;        ///< of `masks`; empty: the whole body
    Text against;     ///< the clip whose first frame is the reference; empty: the first frame of each added clip
    Number fade{0.2}; ///< seconds that a change of the weight takes
};

inline MotionDefinition::MotionDefinition(BlendDefinition blend_space) : blend(std::move(blend_space)) {}
inline std::optional<MotionKind> MotionDefinition::kind() const {
    if (pick) { return MotionKind::pick; }
    if (choose) { return MotionKind::choose; }
    if (blend) { return MotionKind::blend; }
    if (mix) { return MotionKind::mix; }
    if (add) { return MotionKind::add; }
    if (nothing) { return MotionKind::nothing; }
    return clip.empty() ? std::nullopt : std::optional(MotionKind::clip);
}

/// A motion of a pick. It plays to its end, or as many rounds as `loops` says, its fade out being done by then.
struct PickEntry {
    MotionDefinition play;
    Number share{
        1}; ///< dealt: how soon in a deal it tends to come; random: how often; in turn: how many times in a row
    std::pair<Number, Number> loops{1, 1}; ///< rounds of a looping motion: a whole number between these is drawn
    std::optional<Number> fade;            ///< seconds of the fade to it; the pick's own when absent
    Place place;
};

/// Motions played one after another for as long as the state is active.
struct PickDefinition {
    PickOrder order = PickOrder::dealt;
    std::vector<PickEntry> of;
    Nested<MotionDefinition> between; ///< played once between two entries
    Number fade{0.3};                 ///< seconds
};

/// A motion of a choose.
struct ChooseEntry {
    Text when;  ///< on entry: a condition; empty for the last one, which is taken when no other is
    Text value; ///< else: the value of the flag or choice
    MotionDefinition play;
};

/// One of several motions: by a flag or choice, followed with a fade whenever that changes; or decided once, on the way
/// in.
struct ChooseDefinition {
    Text by; ///< a flag or choice; empty for `on_entry`
    std::vector<ChooseEntry> of;
    Number fade{0.2}; ///< seconds, when the value changes
    Place place;
};

/// One way out of a state. Without `when`, `signal`, `after`, `inside` and `at_mark`, or with `at_end`, it leaves as
/// the motion ends, its fade done by then. Whatever is written must hold at once.
struct TransitionDefinition {
    Text to; ///< a state; `air.take_off` is a state inside `air`
    Text when;
    Text signal;                                    ///< a signal, which it takes
    bool at_end = false;                            ///< `at: end`
    Text at_mark;                                   ///< `at: MARK`: as the motion passes it
    Text inside;                                    ///< a span of the motion
    std::optional<std::pair<Number, Number>> after; ///< not before the state was active for so many seconds: drawn
                                                    ///< between these two as it is entered
    std::vector<Text> except;                       ///< of `always`: the states it does not leave
    bool again = false; ///< of `always`: also when its target is active already, which begins afresh
    Number fade{0.2};
    Text fade_by; ///< when not empty, an expression for the fade's seconds
    Ease ease = Ease::smooth;
    FadeStyle style = FadeStyle::cross;
    Text enter_at;       ///< where the motion begins: a fraction, a mark, `phase` or `footfall`; empty: its beginning
    bool settle = false; ///< what it enters is not left before the fade is done
    bool if_it_ends = false; ///< of `at_end`: left out where the motion never ends, instead of an error
    Place place;

    /// Whether nothing is written that must hold, so that it leaves as the motion ends.
    [[nodiscard]] bool waits_for_end_alone() const {
        return when.empty() && signal.empty() && !after && at_mark.empty() && inside.empty();
    }
};

/// Where a transition branches in the same instant: the first branch that holds is taken; the last needs no condition.
struct BranchDefinition {
    Text to;
    Text when;
    std::optional<Number> fade; ///< seconds; that of the transition into the junction when absent
    Place place;
};

/// What entering a state does to another layer: it goes to a state, unless that is active already.
struct LeadDefinition {
    Text layer;
    Text to;
    Text when; ///< a condition; empty: always
    Number fade{0.2};
    Place place;
};

/// A thing the body can be doing: it plays a motion, holds a machine of its own, or is a junction.
struct StateDefinition {
    Text name;
    MotionDefinition play;
    Nested<MachineDefinition> machine;
    Text machine_name;                         ///< or an entry of `machines`, with its arguments
    bool resume = false;                       ///< entering the machine goes on in the state it was left in
    std::vector<BranchDefinition> junction;    ///< not empty: nothing is played here
    bool game_moves = false;                   ///< `moved_by: game`: the travel of its clips is not used
    bool live_inputs = false;                  ///< `inputs: live`: its blends follow their inputs while it is left, too
    bool takes_travel = false;                 ///< the body goes the way of its clips, whatever the layers below do
    bool whole_body = false;                   ///< its motion counts on all joints, beyond the layer's mask
    std::vector<LeadDefinition> leads;         ///< what entering it does to other layers
    std::vector<std::pair<Text, Text>> values; ///< what it gives the game, by names of the document's `values`
    std::vector<TransitionDefinition> go;      ///< tried in order; the first that holds wins
};

/// States, and the one it starts in.
struct MachineDefinition {
    Text start;
    bool from_here = false; ///< inside a state: it starts in the state that plays what the body already plays, if any
    std::vector<TransitionDefinition> always; ///< leave from whichever state is active, tried before its own
    std::vector<StateDefinition> states;
    Place place;
};

/// An entry of `motions`: written once, played in several places.
struct NamedMotion {
    Text name;
    std::vector<Text> arguments; ///< names that stand for clips and motions inside it
    MotionDefinition play;
};

/// Feet that stay where they came down for as long as they are down, whatever the paces above them do.
struct FeetDefinition {
    Text planted;             ///< a condition or a weight 0 to 1: while feet are held; empty: never
    Number most{0.35};        ///< metres from where its clips have it at which a foot is lifted and steps back there
    Number release{0.25};     ///< seconds in which it goes back there, in such a step or in the air
    std::vector<Text> ankles; ///< joints, left before right; empty: found by name or by shape
    Place place;
};

/// An entry of `masks`: how much of each joint, 0 to 1.
struct MaskDefinition {
    Text name;
    Text from;                                   ///< this joint and all below it; empty for `joints` alone
    Number ramp{1};                              ///< joints down each chain over which it rises to 1
    Text mirror_of;                              ///< another mask, left and right changing places
    Text rest_of;                                ///< what another mask leaves
    std::vector<Text> joins;                     ///< other masks: of each joint the greatest part
    std::vector<Text> without;                   ///< other masks, whose parts are taken out
    std::vector<std::pair<Text, Number>> joints; ///< single ones, over all that
    Place place;
};

/// An entry of `machines`: written once, used in several states.
struct NamedMachine {
    Text name;
    std::vector<Text> arguments; ///< names that stand for clips, motions and parameters inside it
    MachineDefinition machine;
};

/// An entry of `values`: what states give the game while they are active.
struct ValueDefinition {
    Text name;
    ParameterKind kind = ParameterKind::number; ///< number, flag or choice
    std::vector<Text> of;                       ///< a choice's values
    double default_value = 0;                   ///< where no state says otherwise
    bool at_middle = false; ///< flags and choices: change in the middle of a fade instead of at its start
    std::string unit;
    std::string note;
};

/// A machine that moves the body, or a part of it, over the layers below.
struct LayerDefinition {
    Text name;
    Text mask;        ///< of `masks`; empty: the whole body
    Text weight;      ///< an expression, held between 0 and 1; empty: 1
    Number fade{0.2}; ///< seconds that a change of the weight takes
    LayerMode mode = LayerMode::replace;
    LayerSpace space = LayerSpace::local;
    Text against;              ///< of `mode: add`: the clip whose first frame is the reference; empty: each clip's own
    bool takes_travel = false; ///< the body goes the way of its clips instead of that of the layers below
    Text in_step_with;         ///< a layer below, with whose steps its synced clips keep; empty: they have their own
    MachineDefinition machine;
    Place place;
};

/// What a second call of a one-shot does while it plays.
enum class OneShotAgain : std::uint8_t {
    ignore,
    restart, ///< it begins afresh, faded over itself
    queue,   ///< it plays once more after this one
};

/// An entry of `one_shots`: a motion that the game asks for, laid over everything until it ends.
struct OneShotDefinition {
    Text name;
    MotionDefinition play;
    Text mask; ///< of `masks`; empty: the whole body. Those on the same mask follow one another
    Number fade_in{0.15}, fade_out{0.2}; ///< seconds
    OneShotAgain again = OneShotAgain::ignore;
    Number wait; ///< seconds after it was begun before it may be again
    Text until;  ///< a condition that ends it early; empty: its end alone
    Place place;
};

/// States of unlike layers that may not be active at once.
struct ForbidDefinition {
    Text yields;              ///< `arms.raised`, or a whole layer but for `except`
    Text while_active;        ///< a state of another layer
    Text when;                ///< a condition that must hold beside it; empty: always
    std::vector<Text> except; ///< states of the one that yields that may stay
    Text to;                  ///< where it goes instead; empty: its machine's start
    Number fade{0.2};         ///< seconds
    Place place;
};

/// A whole document.
struct Document {
    std::string file;              ///< as the caller named it, for diagnostics and to find the other files
    SourceText source;             ///< its text, for diagnostics
    std::vector<SourceFile> bases; ///< what it is based on, the nearest first; see `Place::file`
    std::string about;
    Text rig;                ///< the rig's file, relative to the document
    BodyReading rig_reading; ///< how the rig's own file is to be read, where it is not to be guessed
    /// Joints that a body seen from afar does without, each with those below it: the first level goes first. Without a
    /// list, be it an empty one, its performers keep nothing to be shown in less detail by.
    std::optional<std::vector<std::vector<Text>>> details;
    /// How `gait pack` packs its clips, where nobody says otherwise there; a program says it to `pack` itself.
    ClipPacking pack = ClipPacking::fast;
    Number tolerance{0.5}; ///< millimetres a sampled joint may be off its keys in model space
    std::vector<ClipDefinition> clips;
    std::vector<ClipPattern> clip_patterns; ///< not yet expanded
    std::vector<FitDefinition> fits;
    std::vector<std::pair<Text, Text>> mirror; ///< joints that change places in a mirrored clip, beside those found
    std::vector<ParameterDefinition> parameters;
    std::vector<ValueDefinition> values;
    FeetDefinition feet;
    std::vector<MaskDefinition> masks;
    std::vector<NamedMotion> motions;
    std::vector<NamedMachine> machines;
    std::vector<LayerDefinition> layers; ///< the lowest first
    std::vector<OneShotDefinition> one_shots;
    std::vector<ForbidDefinition> forbid;
    std::vector<Acceptance> accepted; ///< warnings that are meant
    std::vector<Text> decide;         ///< layers in the order in which they decide; empty: from the lowest up

    /// All the files it was read from, as `Place::file` counts them.
    [[nodiscard]] std::vector<SourceFile> files() const {
        std::vector<SourceFile> all{{file, source}};
        all.insert(all.end(), bases.begin(), bases.end());
        return all;
    }
};

} // namespace gait
