/// Motions as a frame walks them: a tree of blends over leaves, each leaf one playhead on one clip.
#pragma once

#include "character/blend_plane.hpp"
#include "character/expression.hpp"
#include "character/phase_warp.hpp"
#include "character/sampled_clip.hpp"
#include "gait/kept.hpp"
#include "gait/no_index.hpp"

#include <array>
#include <cstdint>
#include <span>

namespace gait::detail {

/// One playhead's clip. What making a pose asks of it stands on its first cache line.
struct alignas(cache_line) Leaf { // NOLINT(clang-analyzer-optin.performance.Padding): it fills whole cache lines
    const SampledClip* sampled = nullptr; ///< what is summed: the clip, or its differences
    ClipFrames frames;                    ///< of that
    bool loops = false;
    bool synced = false;               ///< follows the layer's shared phase instead of a playhead of its own
    bool leads = true;                 ///< the motion ends when it does; not so what is laid over or added
    std::uint8_t channel = 0;          ///< of the motion; 0: the same weight on every joint
    std::uint16_t additive = no_index; ///< index of its differences, when it is added to the rest
    std::uint16_t warp = no_index;     ///< how it lies on the shared phase; nothing: evenly
    std::uint16_t clip = 0;
    std::uint16_t pace_group = 0;            ///< leaves whose pace is kept together; 0: it goes at its own
    std::uint16_t strides = 1;               ///< in a cycle
    bool has_events = false;                 ///< its clip has marks or spans
    bool adds_nothing = false;               ///< its differences are none, at least where it is held
    bool keeps_time = false;                 ///< the shared phase goes by its cadence, among others
    double rate = 0;                         ///< cycles a second: one over the clip's length; 0 for a clip of no length
    double cadence = 0;                      ///< strides a second at that rate
    double stride_seconds = 0;               ///< one over it
    double speed_right = 0, speed_ahead = 0; ///< metres a second that its steps carry the body at its own rate
    CodeRange pace;                          ///< how many times as fast, when it says
    const float* moving = nullptr;           ///< [frame][x y z 0] where all it moves is one joint's translation: what
                                             ///< that is off rest; null otherwise
    std::uint16_t moving_at = 0;             ///< which of the character's `moved` that is
    std::uint64_t moments = 0;               ///< a bit for each 64th of its cycle, where marks and ends of spans are
    std::uint64_t phase_moments = 0;         ///< the same for each 64th of the strides that it takes
    double cycles_a_stride = 1;              ///< one over those
};

/// A rate is held between these: times as fast, negative for backward.
inline constexpr float greatest_pace = 10;

enum class PartKind : std::uint8_t {
    leaf,
    line,   ///< points along one parameter
    plane,  ///< points on two
    mix,    ///< motions by weights
    add,    ///< a motion with another added to it
    shared, ///< points at one place, which count the same
};

struct MotionPart {
    PartKind kind = PartKind::leaf;
    bool wraps = false;               ///< a line along an angle: its last point is followed by its first
    std::uint16_t leaf = 0;           ///< within the motion
    std::uint16_t parameter = 0;      ///< of a line, and the first of a plane
    std::uint16_t second = 0;         ///< parameter of a plane
    std::uint16_t cursor = no_index;  ///< of a plane of velocities
    std::uint16_t plane = 0;          ///< index into `planes`
    std::uint16_t carried = no_index; ///< of a blend space that keeps pace: index into `carried`
    std::uint16_t pace_group = 0;
    double scale_x = 1, scale_y = 1; ///< from the parameters' units to the plane's
    std::uint32_t first = 0;         ///< of its points or entries
    std::uint32_t count = 0;
};

/// A place of a blend. Those of a plane run beside its sites; copies of a site name the same part.
struct BlendPoint {
    double at = 0; ///< on a line
    std::uint32_t part = 0;
};

/// An entry of a mix, or what an `add` adds.
struct MixEntry {
    std::uint32_t part = 0;
    std::uint16_t term = no_index; ///< its weight; nothing: 1, or for a mix's first entry what the others leave
    std::uint16_t mask = no_index;
    std::uint8_t channel = 0;
};

/// How a weight differs from joint to joint: a mask's value, times that of `parent`; for the entries of a mix with
/// masks also divided so that all of them make up 1.
struct Channel {
    std::uint8_t parent = 0;
    std::uint16_t mask = no_index;
    std::uint32_t first_entry = 0; ///< of the mix that it belongs to
    std::uint32_t entry_count = 0; ///< 0: of no mix
    bool rest = false;             ///< the mix's first entry: what the others leave
};

/// A weight that an expression gives, faded as it changes.
struct Term {
    CodeRange weight;
    double fade = 0; ///< seconds
};

/// Blended clips go as fast as is asked for, within bounds.
struct PaceGroup {
    std::uint16_t parameter = 0;
    std::uint16_t cursor = no_index; ///< the plane of velocities whose speed it is
    double slowest = 1, fastest = 1; ///< times as fast
};

/// How fast the clips of a blend space carry the body, metres a second to the right and ahead: each by itself, and what
/// every two half and half give beside the mean of both. Joints turn, so that a blend's steps are not the mean of its
/// clips' steps.
struct CarriedTable {
    KeptList<PlanePoint> own;              ///< a point each
    KeptList<PlanePoint> pair_corrections; ///< [point][point]
    /// The velocity of a blend: `sum(w own) + sum over pairs(4 w w bent)`, exact for every point and every even pair.
    [[nodiscard]] PlanePoint correction(const SiteShares& shares) const;
    [[nodiscard]] PlanePoint velocity(const SiteShares& shares) const;
    /// The share of the points that stand.
    [[nodiscard]] double standing_share(const SiteShares& shares) const;
};

struct Motion {
    std::uint32_t root = 0; ///< into `parts`
    std::uint32_t first_leaf = 0;
    std::uint32_t leaf_count = 0;
    std::uint32_t first_term = 0;
    std::uint32_t term_count = 0;
    std::uint32_t first_channel = 0; ///< its channel 1; channel 0 is the whole body
    std::uint32_t channel_count = 0;
    bool nothing = false;           ///< it has no leaves: what is below shows
    bool synced = false;            ///< some leaf follows the shared phase
    bool paced = false;             ///< some leaf has a rate of its own, or its pace is kept
    std::uint32_t most_playing = 0; ///< leaves that may have weight at once
};

/// Whether its clips' weights or rates depend on inputs. Those of a lone clip at its own rate do not.
[[nodiscard]] inline bool hangs_on_inputs(const Motion& motion) {
    return motion.leaf_count > 1 || motion.paced || motion.term_count > 0;
}

/// A leaf that has weight, as it is being played.
struct Playhead {
    double position = 0; ///< 0 to 1 through the clip
    std::uint32_t loops = 0;
    float weight = 0;         ///< within its motion
    float pace = 1;           ///< times as fast; negative for backward
    std::uint16_t leaf = 0;   ///< within its motion
    std::uint16_t begins = 0; ///< it has only just got its weight
};

/// A leaf and what it counts.
struct LeafWeight {
    std::uint16_t leaf;
    float weight;
};

/// A motion may give weight to so many leaves at once.
inline constexpr std::size_t most_playing = 256;

/// The leaves of a motion that have weight, in order of their index, so that sums come out the same whatever was played
/// before.
class LeafWeights {
public:
    /// At most so many.
    explicit LeafWeights(std::size_t most) : most_(most < most_playing ? most : most_playing) {}

    [[nodiscard]] std::size_t size() const { return count_; }
    [[nodiscard]] const LeafWeight* begin() const { return leaves_.data(); }
    [[nodiscard]] const LeafWeight* end() const { return leaves_.data() + count_; }

    /// Gives a leaf weight, beside what it has.
    void add(std::uint16_t leaf, float weight) {
        if (count_ > 0 && leaves_[count_ - 1].leaf >= leaf) { return insert(leaf, weight); }
        if (count_ < most_) { leaves_[count_++] = {leaf, weight}; }
    }
    /// Forgets those that count less than `least`.
    void drop_below(float least);

private:
    /// Adds a leaf whose index is not greater than those already there.
    void insert(std::uint16_t leaf, float weight);

    std::size_t most_, count_ = 0;
    std::array<LeafWeight, most_playing> leaves_; // NOLINT: only the first `count_` hold anything
};

/// Every motion of a character.
struct MotionTable {
    KeptList<Motion> motions;
    KeptList<MotionPart> parts;
    KeptList<BlendPoint> points; ///< of each blend in a row; a line's rise in `at`
    KeptList<MixEntry> entries;  ///< of each mix in a row
    KeptList<BlendPlane> planes;
    KeptList<Leaf> leaves;
    KeptList<PhaseWarp> warps;
    PhaseWarp evenly; ///< that of all other leaves
    KeptList<Term> terms;
    KeptList<Channel> channels;
    KeptList<PaceGroup> pace_groups; ///< group 1 stands first
    KeptList<CarriedTable> carried;

    [[nodiscard]] std::span<const Leaf> leaves_of(const Motion& motion) const {
        return {leaves.data() + motion.first_leaf, motion.leaf_count};
    }
    [[nodiscard]] std::span<const Channel> channels_of(const Motion& motion) const {
        return {channels.data() + motion.first_channel, motion.channel_count};
    }
    [[nodiscard]] const PhaseWarp& warp_of(const Leaf& leaf) const {
        return leaf.warp == no_index ? evenly : warps[leaf.warp];
    }
};

/// Blends may nest this deep.
inline constexpr int deepest_motion = 16;
/// Channels that one motion may have, the whole body not counted.
inline constexpr std::size_t most_channels = 8;

struct SmoothedState;
struct CursorState;
struct TermState;

/// How inputs go on from where they are, each at its speed.
struct InputSpeeds {
    std::span<const std::uint16_t> smoothed_of; ///< a parameter each: index into `smoothed`; nothing: it stands
    const SmoothedState* smoothed = nullptr;
    const CursorState* cursors = nullptr;
    const TermState* terms = nullptr; ///< the motion's own; null: they stand
    double seconds = 0;               ///< from now
};

/// What the weights are computed from.
struct BlendInputs {
    const float* values = nullptr;       ///< the parameters', smoothed
    const PlanePoint* cursors = nullptr; ///< of the planes of velocities, metres a second: to the right, and ahead
    const float* terms = nullptr;        ///< the motion's own, each 0 to 1
    const InputSpeeds* speeds = nullptr; ///< where they are asked for at another time than now

    [[nodiscard]] double value(std::size_t parameter) const {
        return speeds == nullptr ? double(values[parameter]) : later_value(parameter);
    }
    [[nodiscard]] PlanePoint cursor(std::size_t index) const {
        return speeds == nullptr ? cursors[index] : later_cursor(index);
    }
    [[nodiscard]] double term(std::size_t index) const {
        return speeds == nullptr ? double(terms[index]) : later_term(index);
    }

private:
    [[nodiscard]] double later_value(std::size_t parameter) const;
    [[nodiscard]] PlanePoint later_cursor(std::size_t index) const;
    [[nodiscard]] double later_term(std::size_t index) const;
};

/// What the blend spaces of a motion that keep pace carry the body at, at their clips' own rates. Those of a group that
/// is not there are not known by points.
struct Carried {
    struct Group {
        std::uint16_t pace_group;
        double right, ahead;
    };
    std::array<Group, 4> groups; // NOLINT: only the first `count` hold anything
    std::size_t count = 0;
};

/// Adds up each leaf's weight in `leaves`, which is empty before. Those that are not added sum to 1, where no mask has
/// a say.
Carried weigh(const MotionTable& table, const Motion& motion, const BlendInputs& inputs, LeafWeights& leaves);

/// The two points of a line between which a place lies, and what they count; one of them may count nothing.
struct LineShare {
    std::uint32_t point = 0; ///< within the line
    double share = 0;
};
[[nodiscard]] GAIT_API std::array<LineShare, 2> shares_on_line(const MotionTable& table, const MotionPart& line,
                                                               double place);

/// Where a plane's parameters stand in the plane's own units.
[[nodiscard]] GAIT_API PlanePoint place_in_plane(const MotionPart& part, const BlendInputs& inputs);

/// Metres a second, to the right and ahead, that the leaves of a pace group carry the body as they are weighed, each at
/// its own pace: synced ones by their strides at the cadence they share.
[[nodiscard]] PlanePoint carried_by(std::span<const Leaf> leaves, std::span<const Playhead> playing,
                                    std::uint16_t pace_group);

} // namespace gait::detail
