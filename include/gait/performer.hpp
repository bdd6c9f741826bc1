/// \file
/// One living instance of a character: its parameters, playheads and fades. Set the parameters, advance, read the pose.
#pragma once

#include "gait/api.hpp"
#include "gait/ease.hpp"
#include "gait/handles.hpp"
#include "gait/no_index.hpp"
#include "gait/records.hpp"
#include "gait/shared_character.hpp"
#include "gait/transform.hpp"
#include "gait/travel.hpp"

#include <concepts>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string_view>
#include <type_traits>

namespace gait {

class EventList;

namespace detail {
struct Evaluation;
struct BlockAccess;
} // namespace detail

/// One clip that an instance plays.
struct ClipView {
    std::uint16_t clip = 0;  ///< index into `Character::clips()`
    float weight = 0;        ///< within its instance, 0 to 1
    double phase = 0;        ///< 0 to 1 through the clip
    std::uint32_t loops = 0; ///< times it came round
    bool added = false;      ///< its difference to a pose is added to the others, beside their weights
};

/// One motion that is playing: the active state's, or one that is being faded away from.
struct InstanceView {
    std::uint32_t serial = 0;     ///< counts up with each motion entered; never reused
    std::uint16_t state = 0;      ///< index into `Character::states()`
    std::uint16_t transition = 0; ///< the one that entered it; `no_index` for the start
    float weight = 0;             ///< its share of the pose, 0 to 1; all instances sum to 1
    double fade_seconds = 0;      ///< of the fade that brings it in over those below it; 0 for an inertial one
    double fade_elapsed = 0;
    Ease ease = Ease::smooth;
    bool frozen = false; ///< it stands still
};

/// The longest step of `Performer::advance`, seconds.
inline constexpr double longest_step = 3600;
/// Why a stored block cannot be taken over.
enum class SnapshotFault : std::uint8_t {
    none,
    size,      ///< it has more bytes than this character's, or fewer
    version,   ///< another build of the library stored it, whose blocks mean other things
    character, ///< another character's: other joints, parameters, states, motions or clips, or in another order
    damaged,   ///< some index, count or number in it is none that playing could have left
};

/// How small a body may be against its rig.
inline constexpr float smallest_scale = 0.001F;
/// And how large.
inline constexpr float greatest_scale = 1000;

/// How closely a body is looked at. Conditions, travel, events and values are always those of full detail.
struct Detail {
    /// The rig's joints from the first on that are posed, at least; the others stay at rest where they are. A
    /// document's `details` bring small ones to the end: `Character::joints_at`. More than there are: all.
    std::size_t joints = no_index;
    /// Steps from one pose to the next, 1 to `slowest_pose`; those between lie on the straight way from pose to pose,
    /// looked at ahead, so that nothing lags.
    unsigned every = 1;
};
/// The most that `Detail::every` may be.
inline constexpr unsigned slowest_pose = 8;

/// Who moves the body: the travel of its clips, or the game alone.
enum class Mover : std::uint8_t { clip, game };

/// One performer is one block of plain bytes with offsets instead of pointers, so that copying it is one `memcpy`: a
/// copy and its original, advanced alike, stay bit-identical. Assigning between performers of one character allocates
/// nothing. Different performers may be used from different threads at once; one performer from one thread at a time.
class GAIT_API Performer {
public:
    /// Stands at the machine's start. Throws std::invalid_argument when `character` is null, std::bad_alloc without
    /// memory. A `std::shared_ptr<const Character>` is taken as it is.
    explicit Performer(SharedCharacter character);
    /// A twin that would go on alike. Throws std::bad_alloc without memory.
    Performer(const Performer& other);
    /// Becomes a twin; allocates only when the characters differ.
    Performer& operator=(const Performer& other);
    /// The one moved from is left with a character of nothing: it refuses every call, and its pose has no joints.
    Performer(Performer&& other) noexcept;
    /// \copydoc Performer(Performer&&)
    Performer& operator=(Performer&& other) noexcept;
    ~Performer();

    /// What it plays; include gait/character.hpp to look into it.
    [[nodiscard]] const Character& character() const { return *character_; }
    /// The same, for whoever keeps it.
    [[nodiscard]] const SharedCharacter& shared_character() const { return character_; }

    /// Back to the start: default parameters, the start state, time zero, no faults.
    void reset();

    /// Jumps to a state, whatever its conditions, its motion faded in over `fade` seconds. Entering the active state
    /// starts it afresh. False, and counted, when the handle refers to nothing, the fade is not 0 to `longest_fade`, or
    /// there is no such ease.
    bool enter(StateHandle state, double fade = 0.2, Ease ease = Ease::smooth);

    /// Asks for a one-shot. What happens while it plays already, the document says. False, and counted, when the handle
    /// refers to nothing.
    bool play_once(OneShotHandle one_shot);
    /// The same by name.
    bool play_once(std::string_view name);
    /// Ends a one-shot, faded out over `fade` seconds. False when it does not play.
    bool stop_once(OneShotHandle one_shot, double fade = 0.2);
    /// Whether it plays. As it ends, an event says that its state was left.
    [[nodiscard]] bool plays(OneShotHandle one_shot) const { return is_active(StateHandle{one_shot}); }

    /// What random choices are drawn from; performers with unlike seeds choose unlike things. Kept through `reset`.
    void set_seed(std::uint64_t seed);
    /// As it was set; 0 at first.
    [[nodiscard]] std::uint64_t seed() const;

    /// How large this body is against its rig; its travel is scaled by it. Kept through `reset`. False, and counted,
    /// when it is not `smallest_scale` to `greatest_scale`.
    bool set_scale(float scale);

    /// How closely this body is looked at from now on; closely at first. It is come to within a quarter of a second,
    /// without a jump in either direction. Kept through `reset`. False, and counted, for no joint, for poses that
    /// are not 1 to `slowest_pose` steps apart, and for less than all where the document has no `details`.
    bool set_detail(const Detail& detail);

    /// Who moves the body, whatever its states say; the clips at first. Kept through `reset`.
    void set_moved_by(Mover mover);

    /// Sets an input, in the parameter's unit, clamped to its range. Before the first `advance` the smoothed value
    /// follows at once. False, and counted, when the value is not finite or the handle refers to nothing.
    bool set(NumberParameter parameter, float value);
    /// \copydoc set(NumberParameter,float)
    bool set(FlagParameter parameter, bool value);

    /// Sets a choice to one of its values. False, and counted, when there is none of that name.
    bool set(ChoiceParameter parameter, std::string_view value);
    /// Sends a signal. It waits until a transition takes it, at least through one decision and for as long as its
    /// `keep` says; sent again before that, it is one signal still. False, and counted, when the handle refers to
    /// nothing.
    bool send(SignalParameter signal);
    /// The same by name.
    bool send(std::string_view name);

    /// A choice by name.
    bool set(std::string_view name, std::string_view value);
    /// \copydoc set(std::string_view,std::string_view)
    bool set(std::string_view name, const char* value) { return set(name, std::string_view(value)); }

    /// The same by name: a number for a number or an angle, a bool for a flag.
    template <typename Value>
    requires std::is_arithmetic_v<Value>
    bool set(std::string_view name, Value value) {
        if constexpr (std::same_as<Value, bool>) {
            return set_flag(name, value);
        } else {
            return set_number(name, static_cast<float>(value));
        }
    }

    /// The input as it was set (and clamped); 0 or false for a handle of nothing.
    [[nodiscard]] float get(NumberParameter parameter) const;
    /// The input as conditions and blend spaces see it; 0 for a handle of nothing.
    [[nodiscard]] float smoothed(NumberParameter parameter) const;
    /// \copydoc get(NumberParameter) const
    [[nodiscard]] bool get(FlagParameter parameter) const;
    /// The value of a choice by its name; empty for a handle of nothing.
    [[nodiscard]] std::string_view get(ChoiceParameter parameter) const;

    /// What the active states give the game now: numbers blend with the fades, flags and choices are those of the state
    /// that is entered, from the start of its fade or from its middle. 0, false and empty for a handle of nothing.
    [[nodiscard]] float get(NumberValue value) const;
    /// \copydoc get(NumberValue) const
    [[nodiscard]] bool get(FlagValue value) const;
    /// \copydoc get(NumberValue) const
    [[nodiscard]] std::string_view get(ChoiceValue value) const;

    /// Plays `seconds` of time: parameters, machine, playheads. The pose is made as it is first asked for, once a step
    /// whatever is asked, so that a body out of sight pays for none; what is decided does not hang on it. Allocates
    /// nothing, locks nothing, throws nothing. Zero is allowed: the machine decides, no time passes. False, and
    /// counted, and nothing is played, for a step that is not 0 to `longest_step`.
    bool advance(double seconds);
    /// The same, and tells in `events` what happened. The performer is the same to the last bit whether anybody listens
    /// or not.
    bool advance(double seconds, EventList& events);

    /// The pose [one a joint], each relative to its parent. `out` must hold `joint_count()`; excess is left alone.
    /// Fewer places take as many joints; with none the pose is only made, as on a thread that has time for it.
    void pose(std::span<Transform> out) const;
    /// The pose in model space: metres from the character's origin.
    void model_pose(std::span<Transform> out) const;
    /// One joint of it, as for what is held in a hand; at the origin for a joint that is not there.
    [[nodiscard]] Transform model_transform(std::size_t joint) const;
    /// The same as matrices. Both kinds of matrices are only written when `out` holds `joint_count()`.
    void model_matrices(std::span<Matrix4> out) const;
    /// Model matrices times the rig's inverse bind matrices, in the rig's order, which is seldom the skin's own: a
    /// `JointMap` (gait/joint_map.hpp) brings them into that.
    void skinning_matrices(std::span<Matrix4> out) const;

    /// How the body moved in the last `advance`, in its own frame as that began. Clips are weighted as in the pose;
    /// over N loops of a clip it adds up to N times the clip's own way, at any frame rate.
    [[nodiscard]] Travel travel() const;

    /// Holds the feet that are down where they came down, as the document's `feet` says, now that the body has moved by
    /// `moved` since the last call: by its travel, the game and whatever stood in its way. Call it after each
    /// `advance`, before the pose is taken; it bends the legs of that pose, and lets a foot go in the air. False when
    /// the document holds no feet, or, counted, when `moved` is no number or a million metres or degrees and more.
    bool plant_feet(const Travel& moved);
    /// Takes back what `plant_feet` did to the pose: it is again as the clips have it. Feet that are held stay so at
    /// the next call.
    void unbend_legs();

    /// The numbers that come along with clips (a morph target's weight, say), blended as the pose is [one for each of
    /// `Character::number_tracks()`]. A clip without one gives 0. Returns how many were written.
    std::size_t number_tracks(std::span<float> out) const;

    /// Seconds since the start or `reset`.
    [[nodiscard]] double time() const;
    /// The active state of a layer, the innermost one: an index into `Character::states()`. The lowest layer is 0;
    /// `no_index` for a layer that is not there.
    [[nodiscard]] std::uint16_t state(std::size_t layer = 0) const;
    /// Whether a state is active, or holds the one that is.
    [[nodiscard]] bool is_active(StateHandle state) const;
    /// Seconds a state has been active; 0 when it is not.
    [[nodiscard]] double seconds_in(StateHandle state) const;
    /// The same by name.
    [[nodiscard]] std::string_view state_name(std::size_t layer = 0) const;
    /// How much a layer counts now, beside its mask: its weight times the part of its motions that play something.
    [[nodiscard]] double layer_weight(std::size_t layer) const;
    /// The same on each joint, its mask with it, 0 to 1: `out` [joint]. Layers above may hide it again.
    void layer_weights(std::size_t layer, std::span<float> out) const;
    /// The transitions of the last `advance`, in order.
    [[nodiscard]] std::span<const TransitionRecord> transitions() const;
    /// What was refused since the start or `reset`.
    [[nodiscard]] Faults faults() const;

    /// What plays now in a layer, oldest first; the last is the active state's. At most four.
    [[nodiscard]] std::size_t instance_count(std::size_t layer = 0) const;
    /// The one at `index`, below `instance_count()`; a default one beyond.
    [[nodiscard]] InstanceView instance(std::size_t index, std::size_t layer = 0) const;
    /// Fills `out` with the clips of an instance that have weight and returns how many there are.
    std::size_t instance_clips(std::size_t index, std::span<ClipView> out, std::size_t layer = 0) const;
    /// The pose of one instance alone, as if nothing else played.
    void instance_pose(std::size_t index, std::span<Transform> out, std::size_t layer = 0) const;
    /// The pose of one layer alone, before it is laid over those below; of one that adds, its differences.
    void layer_pose(std::size_t layer, std::span<Transform> out) const;

    /// How long the inertial offset takes to decay, into which motions were folded that were one too many to fade; 0
    /// when there is none.
    [[nodiscard]] double offset_seconds(std::size_t layer = 0) const;
    /// How long it has.
    [[nodiscard]] double offset_elapsed(std::size_t layer = 0) const;

    /// Seconds until a playing clip ends or comes round, or a timed transition is due; infinite when nothing will.
    [[nodiscard]] double seconds_to_next_instant() const;

    /// The block itself, to store or send. It fits any performer of the same character in the same build.
    [[nodiscard]] std::span<const std::byte> bytes() const;
    /// Takes over a stored block, whoever stored it: every index, count and number in it is looked at first. False, and
    /// nothing changes, when it is no block of this character; `fault_of` says why. Allocates only for a block that
    /// begins at no multiple of eight bytes.
    bool restore(std::span<const std::byte> stored);
    /// What keeps a stored block from being taken over.
    [[nodiscard]] SnapshotFault fault_of(std::span<const std::byte> stored) const;

private:
    friend struct detail::BlockAccess;
    bool set_number(std::string_view name, float value);
    bool set_flag(std::string_view name, bool value);
    bool advance_with(double seconds, EventList* events);
    void evaluated_pose(std::size_t layer, const detail::Evaluation& what, std::span<Transform> out) const;
    void fill_matrices(const float* inverse_bind, std::span<Matrix4> out) const;
    void become(const Performer& other);

    SharedCharacter character_;
    std::byte* block_ = nullptr; ///< null in one that was moved from
};

} // namespace gait
