/// What a performer's block holds, and where.
#pragma once

#include "character/coverage.hpp"
#include "character/motion.hpp"
#include "gait/ease.hpp"
#include "gait/kept.hpp"
#include "gait/math.hpp"
#include "gait/no_index.hpp"
#include "gait/records.hpp"
#include "math/body_step.hpp"
#include "math/pose_kernels.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <type_traits>

namespace gait::detail {

inline constexpr std::size_t most_instances = 4;
inline constexpr std::size_t most_records = 16;
/// Timed instants a step is split at, and transitions taken at one instant.
inline constexpr int most_splits = 8;

/// A document may have so many layers, those of its one-shots among them.
inline constexpr std::size_t most_layers = 16;

/// Joints are evaluated a window at a time, so that scratch poses fit on any stack. Windows begin at multiples of
/// this, or where what is looked at begins.
inline constexpr std::size_t window_lanes = 64;

/// Lanes of a pose, `first` and `lanes` multiples of the padding.
struct Window {
    std::size_t first = 0;
    std::size_t lanes = 0;
    [[nodiscard]] std::size_t end() const { return first + lanes; }
    /// Where in the window a lane is; nothing outside.
    [[nodiscard]] std::optional<std::size_t> place_of(std::size_t lane) const {
        const std::size_t place = lane - first; // wraps round to a large one before the window
        return place < lanes ? std::optional(place) : std::nullopt;
    }
};

/// Machines, picks and chooses may nest this deep.
inline constexpr std::size_t most_levels = 8;

/// How the synced clips of a motion go on.
enum class Timing : std::uint8_t {
    shared, ///< by the phase that the layer shares
    own,    ///< each by itself: they have left it
    alone,  ///< the only clip of the only motion needs no phase: it goes by itself until another one joins
};

/// What the shared phase of a layer goes by that keeps in step with another.
enum class StepKeeping : std::uint8_t {
    own,     ///< its own clips: the other keeps no step
    led,     ///< the other's phase, give or take whole strides
    between, ///< neither yet: it goes over to one of them, without a jump of its place or its speed
};

/// One motion that is playing.
struct Instance {
    std::uint32_t serial = 0;
    std::uint16_t state = 0;
    std::uint16_t entered_by = no_index;
    double elapsed = 0; ///< since it was entered
    double fade = 0;    ///< seconds of the fade over those below
    Ease ease = Ease::smooth;
    std::uint8_t slot = 0; ///< which of the block's per-instance arrays are its own
    Timing timing = Timing::shared;
    std::uint8_t frozen = 0;   ///< it stands still
    std::uint8_t settling = 0; ///< it is not left before its fade is done
    std::uint8_t finished = 0; ///< its end was reported
    std::uint8_t inertial = 0; ///< it is not faded in: an offset decays on top of it instead
    std::uint8_t begun = 0;    ///< what its clips begin with was reported; no hidden padding after it, so that equal
                               ///< performers are equal byte for byte
};
static_assert(std::is_trivially_copyable_v<Instance> && sizeof(Instance) == 32);

/// An active node of the tree of states.
struct ActiveNode {
    std::uint16_t node = 0;
    std::uint16_t spare = 0;
    std::uint32_t draw = 0; ///< what its random times are drawn from
    double elapsed = 0;     ///< seconds since it was entered
};

/// A signal as it was sent.
struct SentSignal {
    double age = 0;               ///< seconds since it was sent
    double wait_left = 0;         ///< seconds until the next may be taken
    std::uint16_t pending = 0;    ///< a bit for each layer that may take it still
    std::uint16_t offered = 0;    ///< some decision has seen it
    std::uint32_t began_wait = 0; ///< the wait counts from its own taking: other layers may take it as well
};

/// A smoothed parameter as it follows its input.
struct SmoothedState {
    double value = 0, velocity = 0;
    double limited = 0; ///< the input after `at_most`
};

/// The velocity that steers planes of velocities, each component as it follows its target.
struct CursorState {
    double value[2] = {0, 0}; ///< metres a second: to the right, and ahead
    double velocity[2] = {0, 0};
    double limited[2] = {0, 0}; ///< the target after `at_most`
};

/// A weight as it follows its expression.
struct TermState {
    double value = 0, velocity = 0;
};

/// What a motion's blend spaces that keep pace carry the body beyond the mean of their clips' travel, metres a second.
struct VelocityCorrection {
    float right = 0, ahead = 0;
};

/// How far a foot is off, in the frame of the body.
struct FootOffset {
    float x = 0, z = 0; ///< metres
    float yaw = 0;      ///< radians about +Y

    /// Metres over the ground.
    [[nodiscard]] float distance() const { return std::sqrt(x * x + z * z); }
};

/// How far a foot is rolled over its ball, or where that is less than nothing over its heel.
struct FootRoll {
    float pitch = 0; ///< radians
    float speed = 0; ///< a second
};

/// How far the hips are lowered for legs that are held farther off than they reach.
struct LoweredHips {
    float drop = 0;  ///< metres
    float speed = 0; ///< a second
    Vec3 as_played;  ///< their translation before
};

/// A foot as it was held last, metres in the frame of the body.
struct PlantedFoot {
    Vec3 heel, ball;         ///< where they were shown
    FootOffset off;          ///< of the ankle, from where the clips have it
    FootOffset speed;        ///< of `off`, a second
    FootOffset lifted_at;    ///< `off` as the foot was lifted to step back
    FootOffset lifted_speed; ///< and its speed
    float stepping = 0;      ///< 1 while it steps back
    float stepped = 0;       ///< seconds of that
    float rests = 0;         ///< seconds for which it has stood off where the clips have it, and still
    FootRoll roll;
    Vec3 wanted;                   ///< its ankle, the foot flat
    float lifted = 0;              ///< metres
    float contact = 1;             ///< how far it is down, 0 to 1, as the ground follows it
    float grip = 1;                ///< how far the ground has taken hold of it again after a step back
    std::array<Quat, 4> as_played; ///< turns of hip, knee, ankle and toes before they were bent
};

/// Radians, and radians a second, that an integer of the inertial offset stands for, in one window of joints.
struct OffsetUnits {
    float start = 0, velocity = 0;
};

/// What is left of a joint's change of side: a rotation vector by which it is off where it would be, and decays. As
/// many can be under way at once as three eighths of the layer's joints: two arms with their hands.
struct SideTurn {
    std::array<std::int16_t, 3> vector{}; ///< in parts of `unit`
    std::uint16_t joint = 0;
    float rate = 0; ///< by what part of itself it grew as it began, a second
    float left = 0; ///< seconds until it is gone

    static constexpr float unit = 3.15F / 32767;    ///< radians: half a turn to within 0.006 degrees
    static constexpr double seconds = 0.4;          ///< that it takes to decay
    static constexpr float greatest_rate = 1000.0F; ///< either way
    [[nodiscard]] bool is_over() const { return !(left > 0); }
};

/// Where a pick stands.
struct Deal {
    std::uint64_t dealt = 0;       ///< a bit for each entry that came already
    std::uint16_t current = 0;     ///< entry that plays
    std::uint16_t next = 0;        ///< entry that comes after it
    std::uint16_t last = no_index; ///< entry before, `between` left out
    std::uint16_t times = 0;       ///< in a row
    std::uint32_t loops = 1;       ///< rounds the current one plays
    std::uint32_t spare = 0;
};

/// Values that expressions read, a bit for each slot; those beyond the bits share them with others.
using SlotSet = std::uint64_t;
[[nodiscard]] constexpr SlotSet slot_set(std::size_t slot) { return SlotSet{1} << (slot % 64); }

/// What a layer is doing.
struct LayerHeader {
    double phase = 0;        ///< shared by the layer's synced motions
    std::uint64_t draws = 0; ///< random numbers it has drawn so far
    std::uint32_t phase_loops = 0;
    std::uint8_t instance_count = 0;
    std::uint8_t offset_active = 0;
    std::uint8_t depth = 0;           ///< active nodes, from the layer's own state inward
    std::uint8_t announced_depth = 0; ///< of `said`
    std::uint8_t unchanged_depth = 0; ///< how many of `path`, from the outside in, are those of `announced`
    std::uint8_t weight_moved = 0; ///< some weight of its active motion changed since its clips' weights were computed
    std::uint8_t shown = 0;        ///< it counted when the pose was last made
    StepKeeping keeping = StepKeeping::own;
    std::uint32_t offset_serial = 0;                    ///< the motion that stands where folded ones were
    std::array<std::uint16_t, most_levels> announced{}; ///< the path whose events were told
    float offset_seconds = 0;                           ///< how long the inertial offset takes to decay
    Coverage offset_covered;                            ///< how much more of the layer played as motions were folded
    Coverage offset_uncovers;                           ///< and how fast that changed then, a second
    std::uint8_t has_signs = 0;   ///< a bit for each slot: some joint's quaternion is turned round in it
    std::uint8_t turns_sides = 0; ///< some joint changes the side on which it joins those below, or has just done so
    std::uint8_t turned_down = 0; ///< all ways out of its active states were looked at, and none was taken
    std::uint8_t far_sides = 0;   ///< while a pose is made: some joint has come to lie on the far side
    double offset_elapsed = 0;
    double seconds_until_decision =
        0;                   ///< no decision can fall for so long, unless a value changes that its conditions read
    double step_speed = 0;   ///< strides a second at which its phase went last, where it keeps in step with another
    BodyStep offset_travel;  ///< the velocity that a folded motion left behind, a second, as it was folded
    double offset_share = 0; ///< and how much more of the body's motion was the clips' to give
    TermState weight;        ///< how much the layer counts
    std::array<std::uint16_t, most_instances> playing{}; ///< clips with weight, a slot each
    std::array<Instance, most_instances> instances{};
    std::array<ActiveNode, most_levels> path{};
};

/// How closely a performer is looked at, in lanes of its pose and steps.
struct DetailLevel {
    std::uint16_t lanes = 0;   ///< of the joints that are posed; 0: all
    std::uint8_t left_out = 0; ///< poses between one and the next
    friend bool operator==(const DetailLevel&, const DetailLevel&) = default;
};

/// How it is brought from one level of detail to another; see perform/detail.hpp.
struct DetailState {
    DetailLevel asked, now;
    std::uint16_t lanes_before = 0; ///< those that were posed before the ones that now come to rest; 0: all
    std::uint8_t aims = 0;          ///< what is kept are poses that are come to
    std::uint8_t spare = 0;
    float settles = 0; ///< seconds left of closing in on more detail: what is kept is what the pose is off
    float rests = 0;   ///< seconds left in which joints come to rest: what is kept is where they do
    double curve = 0;  ///< seconds that the curve to them takes
    double to_end = 0; ///< and that are left of it
    /// Whether every pose is simply that of its step.
    [[nodiscard]] bool is_full() const { return asked == DetailLevel{} && now == asked && settles <= 0; }
};

/// The first part of the block; the layers and the arrays follow.
struct PerformerHeader {
    double time = 0;
    std::uint64_t seed = 0;
    std::uint32_t next_serial = 0;
    std::uint8_t started = 0; ///< a step was taken since the reset
    std::uint8_t record_count = 0;
    std::uint8_t game_moves = 0;          ///< the game moves the body, whatever the clips say
    std::uint8_t steps_since_planted = 2; ///< 1 while feet go on from where they were held last
    std::uint8_t signals_live = 0;        ///< some signal was sent, and not all of it is over
    std::uint8_t entered = 0;             ///< a state was entered by hand
    std::uint8_t pose_due = 0;            ///< the pose is that of an earlier step
    std::uint8_t steps_unposed = 0;       ///< since a pose was made; 2 stands for more
    std::uint8_t inputs_settle = 0;       ///< some smoothed input or cursor has not arrived yet
    std::uint8_t bent = 0;                ///< the pose's legs are bent so that feet stay where they are
    std::uint16_t version = 0;            ///< of what a block holds: `block_version`
    std::uint8_t layers_seen = 0;         ///< no layer entered anything since what others ask of it was computed
    std::array<std::uint8_t, 3> spare{};
    std::uint64_t fingerprint = 0;    ///< of the character
    SlotSet moved = 0;                ///< values that changed since the layers last decided and computed their weights
    SlotSet to_compute = ~SlotSet{0}; ///< and since parameters were last computed
    Faults faults;
    double since_planted = 0; ///< seconds
    double since_posed = 0;   ///< seconds since a pose was made
    DetailState detail;
    LoweredHips hips;
    BodyStep travel;         ///< of the last step, in the frame in which it began
    double travel_share = 0; ///< of the last step
    double scale = 1;        ///< of the body, and so of its travel
    std::array<TransitionRecord, most_records> records{};
};

/// Keeps that a value has changed.
inline void note_moved(PerformerHeader& header, std::size_t slot) {
    header.moved |= slot_set(slot);
    header.to_compute |= slot_set(slot);
}

static_assert(std::is_trivially_copyable_v<PerformerHeader> && std::is_trivially_copyable_v<LayerHeader> &&
              std::is_trivially_copyable_v<Playhead>);

/// A rig that plays a layer in model space has at most so many joints, whose rotations stand on the stack.
inline constexpr std::size_t most_model_joints = 512;

/// How many of everything a layer holds.
struct LayerNeeds {
    std::size_t terms = 0;                       ///< of any of its motions
    std::size_t playing = 0;                     ///< clips with weight at once, of any of its motions
    std::size_t first_joint = 0, last_joint = 0; ///< what it may move: one past the last; both 0 for every joint
    bool in_model = false;                       ///< it is laid over those below in model space
};

/// How many of everything a character's performers hold.
struct PerformerNeeds {
    std::size_t joints = 0;
    std::size_t parameters = 0; ///< hidden ones too
    std::size_t smoothed = 0;   ///< of them
    std::size_t computed = 0;
    std::size_t signals = 0;
    std::size_t picks = 0;
    std::size_t resumes = 0;
    std::size_t values = 0;
    std::size_t cursors = 0;
    std::size_t moved = 0; ///< translations and scales that some clip moves
    std::size_t legs = 0;  ///< whose feet are held
    bool details = false;  ///< they may be shown in less
    bool scales = false;
    KeptList<LayerNeeds> layers;
};

/// Byte offsets of what one layer holds.
struct LayerLayout {
    std::size_t most_playing = 0; ///< clips with weight at once, of any of its motions
    std::size_t most_terms = 0;   ///< of any of its motions
    Window reach;                 ///< the lanes that it may move
    std::size_t header = 0;       ///< LayerHeader
    std::size_t value_offset = 0; ///< float[values]: what the values of folded motions left behind
    // What each of its motions has stands together: from `slots` on `slot_bytes` for each of `most_instances`, in which
    std::size_t slots = 0;
    std::size_t slot_bytes = 0;
    std::size_t term_states = 0;         ///< TermState[most_terms]
    std::size_t terms = 0;               ///< float[most_terms]
    std::size_t velocity_correction = 0; ///< VelocityCorrection
    std::size_t signs = 0;               ///< uint32[sign_words]; a set bit turns the joint's quaternion round
    std::size_t playheads = 0;           ///< Playhead[most_playing]
    // And of the layer again.
    std::size_t hemispheres = 0;  ///< int8[sign, agreement, turned][lanes of its reach]: see `kernels::Hemispheres`
    std::size_t side_turns = 0;   ///< SideTurn[most_turns]
    std::size_t most_turns = 0;   ///< three eighths of the lanes of its reach; none of the lowest layer
    std::size_t carry_sides = 0;  ///< int8[sign, agreement][lanes of its reach], in model space alone
    std::size_t carried = 0;      ///< joints that may be carried along: all of its reach in model space, else none
    std::size_t offset_turn = 0;  ///< int16[3 start, 3 velocity][lanes of its reach]: the inertial offset's rotation
                                  ///< vectors in `offset_units`; a pi comes to within 0.003 degrees
    std::size_t offset_units = 0; ///< OffsetUnits[windows]
    std::size_t offset_move = 0;  ///< float[moved][x y z][start, velocity]
};

/// Byte offsets into the block, the same for every performer of a character.
struct PerformerLayout {
    std::size_t lanes = 0;      ///< joints rounded up to the padding
    std::size_t sign_words = 0; ///< 32 joints a word
    std::size_t parameter_count = 0;
    std::size_t pose_rows = 0; ///< 7, or 10 where something scales

    std::size_t smoothed_states = 0; ///< SmoothedState[smoothed parameters]
    std::size_t memory = 0;          ///< double[computed]
    std::size_t signals = 0;         ///< SentSignal[signals]
    std::size_t deals = 0;           ///< Deal[picks]
    std::size_t resumes = 0;         ///< uint16[resumes]: the node each machine was left in
    std::size_t cursor_states = 0;   ///< CursorState[cursors]
    std::size_t cursors = 0;         ///< PlanePoint[cursors]
    std::size_t feet = 0;            ///< PlantedFoot[legs]
    std::size_t raw = 0;             ///< float[parameters]
    std::size_t smoothed = 0;        ///< float[parameters]
    std::size_t detail_turns = 0;    ///< int16[two poses][4][lanes]: rotations; see perform/detail.cpp
    std::size_t detail_moves = 0;    ///< float[moved][two poses][x y z]
    std::size_t pose = 0;            ///< float[pose_rows][lanes]: qx qy qz qw tx ty tz (sx sy sz)
    std::size_t bytes = 0;
    KeptList<LayerLayout> layers;          ///< the lowest first
    KeptList<std::uint32_t> lines_of_each; ///< cache lines that every frame reads, but for the pose
    KeptList<std::uint32_t> lines_of_pose; ///< and those that a pose is written to

    [[nodiscard]] GAIT_API static PerformerLayout make(const PerformerNeeds& needs);
};

/// The block seen through its layout, and one of its layers.
class PerformerBlock {
public:
    PerformerBlock(std::byte* block, const PerformerLayout& layout, std::size_t layer = 0)
        : block_(block), layout_(&layout), own_(&layout.layers[layer]), layer_(layer) {}

    /// The same block and another of its layers.
    [[nodiscard]] PerformerBlock of_layer(std::size_t layer) const { return {block_, *layout_, layer}; }
    [[nodiscard]] std::size_t layer_index() const { return layer_; }

    [[nodiscard]] PerformerHeader& header() const { return *at<PerformerHeader>(0); }
    [[nodiscard]] SmoothedState* smoothed_states() const { return at<SmoothedState>(layout_->smoothed_states); }
    [[nodiscard]] double* memory() const { return at<double>(layout_->memory); }
    [[nodiscard]] SentSignal* signals() const { return at<SentSignal>(layout_->signals); }
    [[nodiscard]] Deal* deals() const { return at<Deal>(layout_->deals); }
    [[nodiscard]] std::uint16_t* resumes() const { return at<std::uint16_t>(layout_->resumes); }
    [[nodiscard]] float* raw() const { return at<float>(layout_->raw); }
    [[nodiscard]] float* smoothed() const { return at<float>(layout_->smoothed); }
    [[nodiscard]] CursorState* cursor_states() const { return at<CursorState>(layout_->cursor_states); }
    [[nodiscard]] PlanePoint* cursors() const { return at<PlanePoint>(layout_->cursors); }
    [[nodiscard]] PlantedFoot* feet() const { return at<PlantedFoot>(layout_->feet); }
    [[nodiscard]] float* pose() const { return at<float>(layout_->pose); }
    /// What a level of detail keeps beside the pose.
    [[nodiscard]] std::int16_t* detail_turns() const { return at<std::int16_t>(layout_->detail_turns); }
    [[nodiscard]] float* detail_moves() const { return at<float>(layout_->detail_moves); }

    // Of the layer.
    [[nodiscard]] LayerHeader& layer() const { return *at<LayerHeader>(own_->header); }
    [[nodiscard]] float* value_offset() const { return at<float>(own_->value_offset); }
    [[nodiscard]] std::size_t most_playing() const { return own_->most_playing; }
    /// The clips of an instance that have weight, in the order of the motion's leaves.
    [[nodiscard]] std::span<Playhead> playing(const Instance& instance) const {
        return {of_slot<Playhead>(instance, own_->playheads), layer().playing[instance.slot]};
    }
    /// The same, of which there are `count` from now on; those beyond the ones before are not written yet.
    std::span<Playhead> resize_playing(const Instance& instance, std::size_t count) const {
        layer().playing[instance.slot] = std::uint16_t(count);
        return playing(instance);
    }
    [[nodiscard]] TermState* term_states(const Instance& instance) const {
        return of_slot<TermState>(instance, own_->term_states);
    }
    [[nodiscard]] float* terms(const Instance& instance) const { return of_slot<float>(instance, own_->terms); }
    [[nodiscard]] VelocityCorrection& velocity_correction(const Instance& instance) const {
        return *of_slot<VelocityCorrection>(instance, own_->velocity_correction);
    }
    [[nodiscard]] std::uint32_t* signs(const Instance& instance) const {
        return of_slot<std::uint32_t>(instance, own_->signs);
    }
    /// All of that, up to the clips that play.
    [[nodiscard]] std::span<const std::byte> slot_in_use(const Instance& instance) const {
        const auto playheads = playing(instance);
        const std::byte* first = of_slot<std::byte>(instance, 0);
        return {first, reinterpret_cast<const std::byte*>(playheads.data() + playheads.size())};
    }
    [[nodiscard]] std::size_t sign_words() const { return layout_->sign_words; }
    std::uint32_t* clear_signs(const Instance& instance) const {
        std::fill_n(signs(instance), sign_words(), 0U);
        return signs(instance);
    }
    /// Whether any of them is set; where none is, what they hold says nothing.
    [[nodiscard]] bool has_signs(const Instance& instance) const {
        return ((layer().has_signs >> instance.slot) & 1U) != 0;
    }
    void mark_signs(const Instance& instance, bool any) const {
        const auto bit = std::uint8_t(1U << instance.slot);
        layer().has_signs = std::uint8_t(any ? layer().has_signs | bit : layer().has_signs & ~bit);
    }
    void forget_hemispheres() const {
        std::fill_n(at<std::int8_t>(own_->hemispheres), own_->reach.lanes, std::int8_t{}); // the signs tell
        forget_carries();
    }
    /// On which sides joints were carried along by those above them.
    void forget_carries() const { std::fill_n(at<std::int8_t>(own_->carry_sides), own_->carried, std::int8_t{}); }
    /// How the layer's joints from `lane` of its reach on join those below.
    [[nodiscard]] kernels::Hemispheres hemispheres(std::size_t lane) const {
        auto* signs = at<std::int8_t>(own_->hemispheres) + (lane - own_->reach.first);
        return {signs, signs + own_->reach.lanes, signs + 2 * own_->reach.lanes};
    }
    [[nodiscard]] std::span<SideTurn> side_turns() const { return {at<SideTurn>(own_->side_turns), own_->most_turns}; }
    /// On which side a joint's share of what it is carried along by lies: sign and agreement as in `Hemispheres`. In
    /// model space alone.
    [[nodiscard]] std::array<std::int8_t*, 2> carry_side(std::size_t joint) const {
        auto* signs = at<std::int8_t>(own_->carry_sides) + (joint - own_->reach.first);
        return {signs, signs + own_->reach.lanes};
    }
    [[nodiscard]] std::size_t carried() const { return own_->carried; }
    [[nodiscard]] Window reach() const { return own_->reach; }
    /// Components 0 to 2 are what it began with, 3 to 5 its velocity; [lanes of `reach`].
    [[nodiscard]] std::int16_t* offset_turn(std::size_t component) const {
        return at<std::int16_t>(own_->offset_turn) + component * own_->reach.lanes;
    }
    [[nodiscard]] OffsetUnits& offset_units(std::size_t lane) const {
        return at<OffsetUnits>(own_->offset_units)[lane / window_lanes];
    }
    [[nodiscard]] float* offset_move() const { return at<float>(own_->offset_move); }

private:
    template <typename Value> [[nodiscard]] Value* at(std::size_t offset) const {
        return reinterpret_cast<Value*>(block_ + offset);
    }
    template <typename Value> [[nodiscard]] Value* of_slot(const Instance& instance, std::size_t offset) const {
        return at<Value>(own_->slots + instance.slot * own_->slot_bytes + offset);
    }
    std::byte* block_;
    const PerformerLayout* layout_;
    const LayerLayout* own_;
    std::size_t layer_;
};

} // namespace gait::detail
