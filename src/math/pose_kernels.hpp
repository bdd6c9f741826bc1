/// The loops over joints that a frame is made of, written once and compiled for every vector width (Highway).
///
/// A pose's rotations are four rows, x y z w, `stride` floats apart; rows begin on a cache line and `lanes` is a
/// multiple of `lane_padding`, so that no kernel has a remainder.
#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

namespace gait::kernels {

/// Rotation rows of one window of a pose.
struct Rows {
    float* first = nullptr;
    std::size_t stride = 0;
};
struct ConstRows {
    const float* first = nullptr;
    std::size_t stride = 0;
};

/// One clip's share of a blend: first_weight * from + second_weight * to, times a factor a lane where `factors` is not
/// null (a sign, or what a part of the body counts).
/// Left without initial values, because a frame holds an array of them on its stack.
struct BlendSource {
    const float* from;
    const float* to;
    std::size_t stride; ///< of both
    float first_weight, second_weight;
    const float* factors;
};

/// Adds every source to `sum` in one pass, lane by lane, the sum staying in registers.
void accumulate(Rows sum, const BlendSource* sources, std::size_t count, std::size_t lanes);

/// Makes every lane's quaternion a unit one. A sum that cancelled out becomes the identity.
void normalize(Rows rotations, std::size_t lanes);

/// rotations = exp(turn) * rotations, with each turn a rotation vector in three rows (radians). One longer than pi,
/// which would come round the other way, is cut to that.
void turn_by(Rows rotations, ConstRows turns, std::size_t lanes);

/// Two quaternions whose product is less than this lie on neither side of each other: half of the turn between them is
/// within twelve degrees of a quarter.
inline constexpr float clearly = 0.2F;

/// On which hemisphere each joint of one pose joins another. Where the joint is covered wholly, or not at all, nobody
/// sees both and the nearer side is chosen anew; between, the side is kept, so that nothing flips while the two turn
/// past half a turn from each other. Where either's quaternion changes its sign at once, so does this.
struct Hemispheres {
    std::int8_t* sign;      ///< [lane] 1 or -1; 0 where it is still to be chosen
    std::int8_t* agreement; ///< [lane] whether, with that sign, both agreed last: 1 or -1; 0 where they were
                            ///< not `clearly` on either side
    std::int8_t* turned;    ///< [lane] -1 where the result takes the other sign, so that a side which is chosen anew
                            ///< below does not turn the quaternion that layers above see
};
/// Whether some of `lanes` lanes, a multiple of the padding, lie on the far side: they did not agree last.
[[nodiscard]] inline bool has_far_sides(Hemispheres hemispheres, std::size_t lanes) {
    std::uint64_t any = 0;
    for (std::size_t lane = 0; lane < lanes; lane += sizeof any) {
        std::uint64_t some; // NOLINT: filled at once
        std::memcpy(&some, hemispheres.agreement + lane, sizeof some);
        any |= some;
    }
    return (any & 0x8080808080808080U) != 0; // the sign of each
}
/// Brings the memory of one joint's hemisphere up to how its two quaternions stand now, by their product and the weight
/// of the upper one; the sign.
float remember(Hemispheres joint, float product, float weight);

/// What the upper of two rotations must weigh in a normalised sum so that the way from the lower to it is gone evenly:
/// w + w (w - 1/2) (w - 1) (A (w - 1/2)^2 + B), A and B polynomials of the product of the two quaternions on the sides
/// that they are summed on (a form of Kapoulkine 2015; fitted here to products from -0.5 to 1, where what is gone of
/// the way is right within 0.6 degrees, which without it is off by 22). Weights of 0, 1/2 and 1 are themselves.
struct EvenWeight {
    static constexpr float a0 = 1.07856F, a1 = -3.7942F, a2 = 3.51369F;
    static constexpr float b0 = 0.85359F, b1 = -1.14901F, b2 = 0.34261F;
    [[nodiscard]] static float of(float weight, float product) {
        const float a = a0 + product * (a1 + product * a2), b = b0 + product * (b1 + product * b2);
        const float off = weight - 0.5F;
        return weight + weight * off * (weight - 1) * (a * off * off + b);
    }
};

/// Fills `factors` [lanes] with 1, or with -1 where a joint's bit is set: `words` holds a bit for each joint from the
/// character's first on, and the lanes begin at joint `first`, a multiple of the padding.
void spread_signs(const std::uint32_t* words, std::size_t first, float* factors, std::size_t lanes);

/// below = above with its sign where a lane's weight is 1, below where it is 0 (to the last bit), and between them as
/// far on the way from one to the other (see `EvenWeight`). The memory of the hemispheres is brought up to how the two
/// stand now first. Whether some lie on the far side then.
bool blend_rotations(Rows below, ConstRows above, const float* weights, Hemispheres hemispheres, std::size_t lanes);

/// The rotation vectors of differences, radians, times a weight a lane, each on the side that its memory says: three
/// rows.
void difference_turns(ConstRows differences, const float* weights, Hemispheres hemispheres, Rows turns,
                      std::size_t lanes);

/// Rotation vectors kept as integers, and how fast they change: six rows, `stride` apart.
struct SmallTurns {
    std::int16_t* first;
    std::size_t stride;
};

/// Writes three rows of rotation vectors as integers into three rows of `out`, and says what one of them stands for.
float store_turns(ConstRows turns, SmallTurns out, std::size_t lanes);

/// How much is left of what turns began with and of their velocities; see `SharedDecay`.
struct TurnDecay {
    float start_unit, velocity_unit; ///< radians, and radians a second, of an integer
    float start, velocity;           ///< what of each is left
    float seconds, elapsed;          ///< in all, and of these
};

/// What is left of turns, as rotation vectors in three rows of `out`; see `decayed`.
void decay_turns(SmallTurns turns, const TurnDecay& decay, Rows out, std::size_t lanes);

/// Two poses kept as integers: four rows each, one pose after the other, `stride` apart.
struct SmallPoses {
    std::int16_t* first;
    std::size_t stride;
    static constexpr float unit = 2.0F / 32767; ///< what an integer stands for
};

/// shown = own * shown + first * the first kept pose + second * the second, made unit quaternions.
struct KeptShares {
    float own, first, second;
};
void mix_kept(Rows shown, SmallPoses kept, const KeptShares& shares, std::size_t lanes);

/// Shows the middle of the two kept poses, and keeps the second and, on its side, what was shown.
void pass_kept(Rows shown, SmallPoses kept, std::size_t lanes);

/// One layer of a pose, as it is blended: all its sources summed and made unit quaternions (see `normalize`), turned by
/// the sum of its turns (see `turn_by`), and laid over what is below (see `blend_rotations`).
struct PoseLayer {
    const BlendSource *sources, *sources_end; ///< one past the last
    const BlendSource *turns, *turns_end;     ///< of three rows: rotation vectors, radians
    const float* weights; ///< [lane]; null: it is the lowest, and takes the place of whatever is there
    Hemispheres hemispheres;
    std::uint8_t* far_sides;  ///< becomes 1 where some joint lies on the far side then
    std::size_t first, lanes; ///< the lanes of the pose that it covers, on which all its pointers begin
};

/// Sums up the sources of a layer, the lowest, into `sum`: as `compose` does, but unit quaternions only where turns lie
/// on them.
void sum_up(const PoseLayer& layer, Rows sum);

/// The widest layer that `compose` takes, lanes.
inline constexpr std::size_t most_composed = 64;

/// Blends layer upon layer. Only the first may be without weights.
void compose(Rows pose, const PoseLayer* layers, std::size_t count);

/// A bit for each joint from the character's first on; the lanes begin at joint `first`, a multiple of the padding.
struct JointBits {
    std::uint32_t* words;
    std::size_t first;
};

/// Sets the bit of each joint whose quaternion is on the other side in one layer's blend than in another's, both of the
/// same lanes and laid over nothing. Whether there is any.
bool find_opposed(const PoseLayer& one, const PoseLayer& other, JointBits opposed);

/// Two poses as they are, and as they were a little earlier; their quaternions need not be unit ones. What is `after`
/// is blended on the way: layers of the same lanes, laid over nothing.
struct TurningPoses {
    ConstRows before, before_earlier;
    const PoseLayer &after, &after_earlier;
    bool goes_on; ///< `after_earlier` is as long after: what it was before is worked out from that
};
struct CaughtTurns {
    float turn, change; ///< what an integer stands for, radians
    bool any_opposed;   ///< some joint is on the other side `after` than `before`
};
/// Writes the turn of each joint from `after` to `before` as a rotation vector into the first three rows of `out`, and
/// into the other three what that changed by. The short way round. Sets the bits of those that are opposed; without
/// words none is.
CaughtTurns catch_turns(const TurningPoses& poses, SmallTurns out, JointBits opposed);

/// The vector instruction sets this machine can run, best first, by name.
[[nodiscard]] std::vector<std::string> runnable_targets();

/// Pins the kernels to one of `runnable_targets()`; an empty name lets the machine choose again. False when unknown.
/// Not to be called while another thread is in a frame.
bool pin_target(const std::string& name);

} // namespace gait::kernels
