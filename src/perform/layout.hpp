/// What a performer's block holds, and where.
#pragma once

#include "gait/ease.hpp"
#include "gait/performer.hpp"
#include "math/body_step.hpp"
#include "motion/motion.hpp"

#include <array>
#include <cstddef>
#include <cstdint>
#include <type_traits>

namespace gait {

inline constexpr std::size_t most_instances = 4;
inline constexpr std::size_t most_records = 16;
/// Timed instants a step is split at, and transitions taken at one instant.
inline constexpr int most_splits = 8;
inline constexpr std::uint16_t no_transition = 0xFFFF;

/// One motion that is playing.
struct Instance {
    std::uint32_t serial = 0;
    std::uint16_t state = 0;
    std::uint16_t entered_by = no_transition;
    double elapsed = 0; ///< since it was entered
    double fade = 0;    ///< seconds of the fade over those below
    Ease ease = Ease::smooth;
    std::uint8_t slot = 0;               ///< which of the block's per-instance arrays are its own
    std::array<std::uint8_t, 6> spare{}; ///< no hidden padding, so that equal performers are equal byte for byte
};
static_assert(std::is_trivially_copyable_v<Instance> && sizeof(Instance) == 32);

/// The first part of the block; the arrays follow.
struct PerformerHeader {
    double time = 0;
    std::uint64_t seed = 0;
    double phase = 0; ///< shared by the layer's synced motions
    std::uint32_t phase_loops = 0;
    std::uint32_t next_serial = 0;
    Faults faults;
    std::uint8_t started = 0; ///< a step was taken since the reset
    std::uint8_t instance_count = 0;
    std::uint8_t record_count = 0;
    std::uint8_t offset_active = 0;
    std::uint8_t inputs_moved = 0; ///< some smoothed value changed since the active motion was weighed
    std::uint8_t game_moves = 0;   ///< the game moves the body, whatever the clips say
    std::array<std::uint8_t, 2> spare{};
    float offset_seconds = 0; ///< how long the inertial offset takes to decay
    double offset_elapsed = 0;
    BodyStep travel;         ///< of the last step, in the frame in which it began
    BodyStep offset_travel;  ///< the velocity that a folded motion left behind, a second, as it was folded
    double travel_share = 0; ///< of the last step
    double scale = 1;        ///< of the body, and so of its travel
    std::array<Instance, most_instances> instances{};
    std::array<TransitionRecord, most_records> records{};
};

static_assert(std::is_trivially_copyable_v<PerformerHeader> && std::is_trivially_copyable_v<Playhead>);

/// Byte offsets into the block, the same for every performer of a character.
struct PerformerLayout {
    std::size_t lanes = 0;       ///< joints rounded up to the padding
    std::size_t sign_words = 0;  ///< 32 joints a word
    std::size_t most_leaves = 0; ///< of any motion
    std::size_t parameter_count = 0;
    std::size_t pose_rows = 0; ///< 7, or 10 where something scales

    std::size_t smoothed_exact = 0; ///< double[parameters]: the follower's value
    std::size_t velocity = 0;       ///< double[parameters]
    std::size_t playheads = 0;      ///< Playhead[most_instances][most_leaves]
    std::size_t raw = 0;            ///< float[parameters]
    std::size_t smoothed = 0;       ///< float[parameters]
    std::size_t signs = 0;       ///< uint32[most_instances][sign_words]; a set bit turns the joint's quaternion round
    std::size_t offset_turn = 0; ///< float[3 start, 3 velocity][lanes]: the inertial offset's rotation vectors
    std::size_t offset_move = 0; ///< float[start, velocity][moved components]
    std::size_t pose = 0;        ///< float[pose_rows][lanes]: qx qy qz qw tx ty tz (sx sy sz)
    std::size_t bytes = 0;

    [[nodiscard]] GAIT_API static PerformerLayout make(std::size_t joints, std::size_t parameters, std::size_t leaves,
                                                       std::size_t moved_components, bool scales);
};

/// The block seen through its layout.
class PerformerBlock {
public:
    PerformerBlock(std::byte* block, const PerformerLayout& layout) : block_(block), layout_(layout) {}

    [[nodiscard]] PerformerHeader& header() const { return *at<PerformerHeader>(0); }
    [[nodiscard]] double* smoothed_exact() const { return at<double>(layout_.smoothed_exact); }
    [[nodiscard]] double* velocity() const { return at<double>(layout_.velocity); }
    [[nodiscard]] float* raw() const { return at<float>(layout_.raw); }
    [[nodiscard]] float* smoothed() const { return at<float>(layout_.smoothed); }
    [[nodiscard]] Playhead* playheads(const Instance& instance) const {
        return at<Playhead>(layout_.playheads) + instance.slot * layout_.most_leaves;
    }
    [[nodiscard]] std::uint32_t* signs(const Instance& instance) const {
        return at<std::uint32_t>(layout_.signs) + instance.slot * layout_.sign_words;
    }
    [[nodiscard]] float* offset_turn() const { return at<float>(layout_.offset_turn); }
    [[nodiscard]] float* offset_move() const { return at<float>(layout_.offset_move); }
    [[nodiscard]] float* pose() const { return at<float>(layout_.pose); }

private:
    template <typename Value> [[nodiscard]] Value* at(std::size_t offset) const {
        return reinterpret_cast<Value*>(block_ + offset);
    }
    std::byte* block_;
    const PerformerLayout& layout_;
};

} // namespace gait
