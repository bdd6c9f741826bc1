#include "math/pose_kernels.hpp"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "math/pose_kernels.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "math/lanes_inl.hpp"

#include <hwy/contrib/math/math-inl.h>

HWY_BEFORE_NAMESPACE();
namespace gait::kernels::HWY_NAMESPACE {

/// What the two frames of a source count on the lanes from `lane` on.
HWY_INLINE void load_weights(Floats d, const BlendSource& source, std::size_t lane, Vector& first, Vector& second) {
    first = hn::Set(d, source.first_weight);
    second = hn::Set(d, source.second_weight);
    if (source.factors == nullptr) [[likely]] { return; }
    const auto factor = hn::Load(d, source.factors + lane);
    first = hn::Mul(first, factor);
    second = hn::Mul(second, factor);
}

/// Adds the sources' share of the lanes from `lane` on.
HWY_INLINE void add_sources(Floats d, const BlendSource* sources, const BlendSource* end, std::size_t lane, Vector& x,
                            Vector& y, Vector& z, Vector& w) {
    // Two sums, of the first frames and of the second, so that half as much waits for what is before it.
    auto bx = hn::Zero(d), by = bx, bz = bx, bw = bx;
    for (; sources != end; ++sources) {
        const BlendSource& source = *sources;
        auto first = hn::Zero(d), second = first;
        load_weights(d, source, lane, first, second);
        const float* a = source.from + lane;
        const float* b = source.to + lane;
        const std::size_t stride = source.stride;
        x = hn::MulAdd(hn::Load(d, a), first, x);
        y = hn::MulAdd(hn::Load(d, a + stride), first, y);
        z = hn::MulAdd(hn::Load(d, a + 2 * stride), first, z);
        w = hn::MulAdd(hn::Load(d, a + 3 * stride), first, w);
        bx = hn::MulAdd(hn::Load(d, b), second, bx);
        by = hn::MulAdd(hn::Load(d, b + stride), second, by);
        bz = hn::MulAdd(hn::Load(d, b + 2 * stride), second, bz);
        bw = hn::MulAdd(hn::Load(d, b + 3 * stride), second, bw);
    }
    x = hn::Add(x, bx);
    y = hn::Add(y, by);
    z = hn::Add(z, bz);
    w = hn::Add(w, bw);
}

/// Adds the share of rotation vectors, three rows each.
HWY_INLINE void add_turns(Floats d, const BlendSource* sources, const BlendSource* end, std::size_t lane, Vector& x,
                          Vector& y, Vector& z) {
    for (; sources != end; ++sources) {
        const BlendSource& source = *sources;
        auto first = hn::Zero(d), second = first;
        load_weights(d, source, lane, first, second);
        const float* a = source.from + lane;
        const float* b = source.to + lane;
        const std::size_t stride = source.stride;
        x = hn::MulAdd(hn::Load(d, b), second, hn::MulAdd(hn::Load(d, a), first, x));
        y = hn::MulAdd(hn::Load(d, b + stride), second, hn::MulAdd(hn::Load(d, a + stride), first, y));
        z = hn::MulAdd(hn::Load(d, b + 2 * stride), second, hn::MulAdd(hn::Load(d, a + 2 * stride), first, z));
    }
}

void accumulate(Rows sum, const BlendSource* sources, std::size_t count, std::size_t lanes) {
    const Floats d;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = hn::Zero(d), y = x, z = x, w = x;
        load(d, sum.first + lane, sum.stride, x, y, z, w);
        add_sources(d, sources, sources + count, lane, x, y, z, w);
        store(d, x, y, z, w, sum.first + lane, sum.stride);
    }
}

void normalize(Rows rotations, std::size_t lanes) {
    const Floats d;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = hn::Zero(d), y = x, z = x, w = x;
        load(d, rotations.first + lane, rotations.stride, x, y, z, w);
        make_unit(d, x, y, z, w);
        store(d, x, y, z, w, rotations.first + lane, rotations.stride);
    }
}

void spread_signs(const std::uint32_t* words, std::size_t first, float* factors, std::size_t lanes) {
    const Floats d;
    const hn::RebindToUnsigned<Floats> bits;
    const auto one = hn::Set(bits, 0x3F800000U), negative = hn::Set(bits, 0x80000000U);
    const auto own_bit = hn::Shl(hn::Set(bits, 1U), hn::Iota(bits, 0U));
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        const std::size_t joint = first + lane;
        const auto word = hn::Set(bits, words[joint / 32] >> (joint % 32));
        const auto sign = hn::IfThenElseZero(hn::TestBit(word, own_bit), negative);
        hn::Store(hn::BitCast(d, hn::Or(one, sign)), d, factors + lane);
    }
}

bool blend_rotations(Rows below, ConstRows above, const float* weights, Hemispheres hemispheres, std::size_t lanes) {
    const Floats d;
    bool far = false;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto bx = hn::Zero(d), by = bx, bz = bx, bw = bx, ax = bx, ay = bx, az = bx, aw = bx;
        load(d, below.first + lane, below.stride, bx, by, bz, bw);
        load(d, above.first + lane, above.stride, ax, ay, az, aw);
        const Hemispheres sides{hemispheres.sign + lane, hemispheres.agreement + lane, hemispheres.turned + lane};
        lay_over(d, hn::Load(d, weights + lane), sides, far, ax, ay, az, aw, bx, by, bz, bw);
        store(d, bx, by, bz, bw, below.first + lane, below.stride);
    }
    return far;
}

/// Turns quaternions by rotation vectors, in place.
HWY_INLINE void turn(Floats d, Vector rx, Vector ry, Vector rz, Vector& x, Vector& y, Vector& z, Vector& w) {
    const auto half = hn::Set(d, 0.5F), most = hn::Set(d, 2.4674011F); // the square of half of pi
    rx = hn::Mul(half, rx);
    ry = hn::Mul(half, ry);
    rz = hn::Mul(half, rz);
    // exp of a half turn h: (h sin|h|/|h|, cos|h|), both series in |h|^2, good to 1e-7 up to |h| = pi / 2.
    auto s = hn::MulAdd(rx, rx, hn::MulAdd(ry, ry, hn::Mul(rz, rz)));
    const auto too_long = hn::Gt(s, most);
    if (!hn::AllFalse(d, too_long)) [[unlikely]] {
        const auto shorter = hn::IfThenElse(too_long, hn::Sqrt(hn::Div(most, s)), hn::Set(d, 1.0F));
        rx = hn::Mul(rx, shorter);
        ry = hn::Mul(ry, shorter);
        rz = hn::Mul(rz, shorter);
        s = hn::Min(s, most);
    }
    auto sine = hn::Set(d, -2.5052108e-8F);
    sine = hn::MulAdd(sine, s, hn::Set(d, 2.7557319e-6F));
    sine = hn::MulAdd(sine, s, hn::Set(d, -1.9841270e-4F));
    sine = hn::MulAdd(sine, s, hn::Set(d, 8.3333333e-3F));
    sine = hn::MulAdd(sine, s, hn::Set(d, -1.6666667e-1F));
    sine = hn::MulAdd(sine, s, hn::Set(d, 1.0F));
    auto cosine = hn::Set(d, 2.0876757e-9F);
    cosine = hn::MulAdd(cosine, s, hn::Set(d, -2.7557319e-7F));
    cosine = hn::MulAdd(cosine, s, hn::Set(d, 2.4801587e-5F));
    cosine = hn::MulAdd(cosine, s, hn::Set(d, -1.3888889e-3F));
    cosine = hn::MulAdd(cosine, s, hn::Set(d, 4.1666667e-2F));
    cosine = hn::MulAdd(cosine, s, hn::Set(d, -0.5F));
    cosine = hn::MulAdd(cosine, s, hn::Set(d, 1.0F));
    const auto ax = hn::Mul(rx, sine), ay = hn::Mul(ry, sine), az = hn::Mul(rz, sine);
    const auto bx = x, by = y, bz = z, bw = w;
    x = hn::NegMulAdd(az, by, hn::MulAdd(ay, bz, hn::MulAdd(ax, bw, hn::Mul(cosine, bx))));
    y = hn::NegMulAdd(ax, bz, hn::MulAdd(az, bx, hn::MulAdd(ay, bw, hn::Mul(cosine, by))));
    z = hn::NegMulAdd(ay, bx, hn::MulAdd(ax, by, hn::MulAdd(az, bw, hn::Mul(cosine, bz))));
    w = hn::NegMulAdd(az, bz, hn::NegMulAdd(ay, by, hn::NegMulAdd(ax, bx, hn::Mul(cosine, bw))));
}

void turn_by(Rows rotations, ConstRows turns, std::size_t lanes) {
    const Floats d;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = hn::Zero(d), y = x, z = x, w = x;
        load(d, rotations.first + lane, rotations.stride, x, y, z, w);
        const float* by = turns.first + lane;
        turn(d, hn::Load(d, by), hn::Load(d, by + turns.stride), hn::Load(d, by + 2 * turns.stride), x, y, z, w);
        store(d, x, y, z, w, rotations.first + lane, rotations.stride);
    }
}

/// Turns the sign of a quaternion where a number is negative.
HWY_INLINE void flip_where_negative(Vector number, Vector& x, Vector& y, Vector& z, Vector& w) {
    const auto sign = hn::And(number, hn::SignBit(Floats()));
    x = hn::Xor(x, sign), y = hn::Xor(y, sign), z = hn::Xor(z, sign), w = hn::Xor(w, sign);
}

/// The angle whose cosine is `1 - u`, over its sine; `u` 0 to 1. To 2e-7 (interpolated at Chebyshev's points).
HWY_INLINE Vector angle_over_sine(Floats d, Vector u) {
    const auto pair = [&](float constant, float linear) {
        return hn::MulAdd(hn::Set(d, linear), u, hn::Set(d, constant));
    };
    const auto square = hn::Mul(u, u), fourth = hn::Mul(square, square);
    const auto low = hn::MulAdd(pair(0.1336004F, 0.054479383F), square, pair(1, 0.33332315F));
    const auto middle = hn::MulAdd(pair(0.058782734F, -0.04140665F), square, pair(0.03847348F, -0.023641732F));
    return hn::MulAdd(hn::MulAdd(hn::Set(d, 0.017185369F), fourth, middle), fourth, low);
}

/// The rotation vectors of quaternions of any length, radians; longer than pi where w is negative.
HWY_INLINE void logarithm(Floats d, Vector& x, Vector& y, Vector& z, Vector w) {
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.0F), little = hn::Set(d, 1e-9F);
    const auto squares = hn::MulAdd(x, x, hn::MulAdd(y, y, hn::Mul(z, z)));
    const auto to_unit = hn::Div(one, hn::Sqrt(hn::Max(hn::MulAdd(w, w, squares), hn::Set(d, 1e-30F))));
    const auto cosine = hn::Abs(hn::Mul(w, to_unit));
    auto half = angle_over_sine(d, hn::Max(hn::Sub(one, cosine), zero));
    const auto beyond = hn::Lt(w, zero);
    if (!hn::AllFalse(d, beyond)) {
        const auto sine = hn::Max(hn::Mul(hn::Sqrt(squares), to_unit), little);
        half = hn::IfThenElse(beyond, hn::Sub(hn::Div(hn::Set(d, 3.14159265F), sine), half), half);
    }
    const auto scale = hn::Mul(hn::Add(half, half), to_unit);
    x = hn::Mul(x, scale), y = hn::Mul(y, scale), z = hn::Mul(z, scale);
}

void difference_turns(ConstRows differences, const float* weights, Hemispheres hemispheres, Rows turns,
                      std::size_t lanes) {
    const Floats d;
    bool far = false;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = hn::Zero(d), y = x, z = x, w = x, turned = x;
        load(d, differences.first + lane, differences.stride, x, y, z, w);
        const auto weight = hn::Load(d, weights + lane);
        const Hemispheres sides{hemispheres.sign + lane, hemispheres.agreement + lane, hemispheres.turned + lane};
        const auto side = remembered(d, w, weight, sides, turned, far);
        flip_where_negative(side, x, y, z, w);
        logarithm(d, x, y, z, w);
        float* const to = turns.first + lane;
        hn::Store(hn::Mul(x, weight), d, to);
        hn::Store(hn::Mul(y, weight), d, to + turns.stride);
        hn::Store(hn::Mul(z, weight), d, to + 2 * turns.stride);
    }
}

/// Rounds numbers of less than 2^15 to integers, `scale` times as large.
HWY_INLINE void store_rounded(Floats d, Vector number, Vector scale, std::int16_t* to) {
    const hn::Rebind<std::int16_t, Floats> small;
    const hn::Rebind<std::int32_t, Floats> whole;
    // Added to this one, whose last bit is 1, the sum's last bits are the integer.
    const auto large = hn::Set(d, 12582912.0F);
    const auto sum = hn::MulAdd(number, scale, large);
    hn::StoreU(hn::DemoteTo(small, hn::Sub(hn::BitCast(whole, sum), hn::BitCast(whole, large))), small, to);
}

/// The longest of three components, each by itself, and of `longest`.
HWY_INLINE Vector longest_of(Vector longest, Vector x, Vector y, Vector z) {
    return hn::Max(longest, hn::Max(hn::Max(hn::Abs(x), hn::Abs(y)), hn::Abs(z)));
}

/// Writes three rows of rotation vectors as integers, and says what one of them stands for.
HWY_INLINE float store_all(Floats d, ConstRows turns, Vector longest, SmallTurns out, std::size_t lanes) {
    constexpr float most = 32767, least = 1e-12F; // less is none
    const float found = hn::GetLane(hn::MaxOfLanes(d, longest)), length = found > least ? found : 0;
    const auto scale = hn::Set(d, length > 0 ? most / length : 0);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        const float* of = turns.first + lane;
        std::int16_t* to = out.first + lane;
        store_rounded(d, hn::Load(d, of), scale, to);
        store_rounded(d, hn::Load(d, of + turns.stride), scale, to + out.stride);
        store_rounded(d, hn::Load(d, of + 2 * turns.stride), scale, to + 2 * out.stride);
    }
    return length / most;
}

float store_turns(ConstRows turns, SmallTurns out, std::size_t lanes) {
    const Floats d;
    auto longest = hn::Zero(d);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        const float* of = turns.first + lane;
        longest =
            longest_of(longest, hn::Load(d, of), hn::Load(d, of + turns.stride), hn::Load(d, of + 2 * turns.stride));
    }
    return store_all(d, turns, longest, out, lanes);
}

/// What is left of those lanes whose velocity would carry them over to the other side, and which arrive earlier; see
/// `decayed`. What they are on their way home and what goes aside decay each by itself. `ratio`: how fast they head
/// home, over how far they are off; the number times `start`.
HWY_INLINE Vector left_of_earlier(Floats d, Vector ratio, const TurnDecay& decay) {
    const auto most = hn::Set(d, decay.seconds), least = hn::Set(d, decay.seconds / 4), one = hn::Set(d, 1.0F);
    const auto seconds = hn::Min(most, hn::Max(least, hn::Div(hn::Set(d, -5.0F), ratio)));
    const auto u = hn::Min(one, hn::Div(hn::Set(d, decay.elapsed), seconds));
    auto start = hn::MulAdd(hn::Set(d, 4.0F), u, hn::Set(d, -15.0F));
    start = hn::MulAdd(hn::MulAdd(start, u, hn::Set(d, 20.0F)), u, hn::Set(d, -10.0F));
    start = hn::MulAdd(start, hn::Mul(u, u), one);
    auto velocity = hn::MulAdd(hn::Add(u, hn::Set(d, -4.0F)), u, hn::Set(d, 6.0F));
    velocity = hn::Mul(hn::MulAdd(hn::MulAdd(velocity, u, hn::Set(d, -4.0F)), u, one), u);
    return hn::MulAdd(hn::Mul(ratio, seconds), velocity, start);
}

void decay_turns(SmallTurns turns, const TurnDecay& decay, Rows out, std::size_t lanes) {
    const Floats d;
    const hn::Rebind<std::int16_t, Floats> small;
    const hn::Rebind<std::int32_t, Floats> whole;
    const auto start_unit = hn::Set(d, decay.start_unit), velocity_unit = hn::Set(d, decay.velocity_unit);
    const auto start_left = hn::Set(d, decay.start), velocity_left = hn::Set(d, decay.velocity);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        const auto read = [&](std::size_t row) HWY_ATTR {
            const auto part = hn::LoadU(small, turns.first + row * turns.stride + lane);
            return hn::ConvertTo(d, hn::PromoteTo(whole, part));
        };
        const auto x = hn::Mul(read(0), start_unit), vx = hn::Mul(read(3), velocity_unit);
        const auto y = hn::Mul(read(1), start_unit), vy = hn::Mul(read(4), velocity_unit);
        const auto z = hn::Mul(read(2), start_unit), vz = hn::Mul(read(5), velocity_unit);
        const auto square = hn::MulAdd(z, z, hn::MulAdd(y, y, hn::Mul(x, x)));
        const auto along = hn::MulAdd(z, vz, hn::MulAdd(y, vy, hn::Mul(x, vx)));
        auto start = start_left;
        const auto slack = hn::MulAdd(hn::Set(d, 5.0F), square, hn::Mul(along, hn::Set(d, decay.seconds)));
        const auto earlier = hn::Lt(slack, hn::Zero(d));
        if (!hn::AllFalse(d, earlier)) {
            // What their velocity takes away of where they are is in the number already.
            const auto ratio = hn::Div(along, hn::Max(square, hn::Set(d, 1e-18F)));
            const auto left = hn::NegMulAdd(ratio, velocity_left, left_of_earlier(d, ratio, decay));
            start = hn::IfThenElse(earlier, left, start);
        }
        float* const to = out.first + lane;
        hn::Store(hn::MulAdd(x, start, hn::Mul(vx, velocity_left)), d, to);
        hn::Store(hn::MulAdd(y, start, hn::Mul(vy, velocity_left)), d, to + out.stride);
        hn::Store(hn::MulAdd(z, start, hn::Mul(vz, velocity_left)), d, to + 2 * out.stride);
    }
}

/// Numbers kept as integers, and back.
HWY_INLINE Vector read_kept(Floats d, const std::int16_t* from) {
    const hn::Rebind<std::int16_t, Floats> small;
    const hn::Rebind<std::int32_t, Floats> whole;
    return hn::Mul(hn::ConvertTo(d, hn::PromoteTo(whole, hn::LoadU(small, from))), hn::Set(d, SmallPoses::unit));
}
HWY_INLINE void write_kept(Floats d, Vector value, std::int16_t* to) {
    store_rounded(d, value, hn::Set(d, 1 / SmallPoses::unit), to);
}

void mix_kept(Rows shown, SmallPoses kept, const KeptShares& shares, std::size_t lanes) {
    const Floats d;
    const auto own = hn::Set(d, shares.own), first = hn::Set(d, shares.first), second = hn::Set(d, shares.second);
    for (std::size_t row = 0; row < 4; ++row) {
        float* const to = shown.first + row * shown.stride;
        const std::int16_t *const a = kept.first + row * kept.stride, *const b = a + 4 * kept.stride;
        for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
            const auto sum = hn::MulAdd(first, read_kept(d, a + lane), hn::Mul(second, read_kept(d, b + lane)));
            hn::Store(hn::MulAdd(own, hn::Load(d, to + lane), sum), d, to + lane);
        }
    }
    HWY_NAMESPACE::normalize(shown, lanes);
}

void pass_kept(Rows shown, SmallPoses kept, std::size_t lanes) {
    const Floats d;
    const auto half = hn::Set(d, 0.5F);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto product = hn::Zero(d);
        for (std::size_t row = 0; row < 4; ++row) {
            product = hn::MulAdd(hn::Load(d, shown.first + row * shown.stride + lane),
                                 read_kept(d, kept.first + (4 + row) * kept.stride + lane), product);
        }
        for (std::size_t row = 0; row < 4; ++row) {
            float* const to = shown.first + row * shown.stride + lane;
            std::int16_t *const a = kept.first + row * kept.stride + lane, *const b = a + 4 * kept.stride;
            const auto first = read_kept(d, a), second = read_kept(d, b), next = hn::Load(d, to);
            hn::Store(hn::Mul(half, hn::Add(first, second)), d, to);
            write_kept(d, second, a);
            write_kept(d, hn::Xor(next, hn::And(product, hn::SignBit(d))), b);
        }
    }
    HWY_NAMESPACE::normalize(shown, lanes);
}

// Loop by loop rather than lane by lane: each is short enough for a processor to have several rounds in work at once,
// where one long chain of everything would leave it waiting.
void compose(Rows pose, const PoseLayer* layers, std::size_t count) {
    const Floats d;
    const auto zero = hn::Zero(d);
    HWY_ALIGN float room[4 * most_composed];
    for (std::size_t l = 0; l < count; ++l) {
        const PoseLayer& layer = layers[l];
        const Rows below{pose.first + layer.first, pose.stride};
        const Rows own = layer.weights == nullptr ? below : Rows{room, most_composed};
        for (std::size_t lane = 0; lane < layer.lanes; lane += hn::Lanes(d)) {
            auto x = zero, y = zero, z = zero, w = zero;
            add_sources(d, layer.sources, layer.sources_end, lane, x, y, z, w);
            store(d, x, y, z, w, own.first + lane, own.stride);
        }
        HWY_NAMESPACE::normalize(own, layer.lanes);
        for (std::size_t lane = 0; layer.turns != layer.turns_end && lane < layer.lanes; lane += hn::Lanes(d)) {
            auto rx = zero, ry = zero, rz = zero, x = zero, y = zero, z = zero, w = zero;
            add_turns(d, layer.turns, layer.turns_end, lane, rx, ry, rz);
            load(d, own.first + lane, own.stride, x, y, z, w);
            turn(d, rx, ry, rz, x, y, z, w);
            store(d, x, y, z, w, own.first + lane, own.stride);
        }
        if (layer.weights == nullptr) { continue; }
        if (HWY_NAMESPACE::blend_rotations(below, ConstRows{own.first, own.stride}, layer.weights, layer.hemispheres,
                                           layer.lanes)) [[unlikely]] {
            *layer.far_sides = 1;
        }
    }
}

/// The quaternions that a layer blends on the lanes from `lane` on; not unit ones unless it turns them.
HWY_INLINE void blend_lanes(Floats d, const PoseLayer& layer, std::size_t lane, Vector& x, Vector& y, Vector& z,
                            Vector& w) {
    add_sources(d, layer.sources, layer.sources_end, lane, x, y, z, w);
    if (layer.turns == layer.turns_end) [[likely]] { return; }
    auto rx = hn::Zero(d), ry = rx, rz = rx;
    add_turns(d, layer.turns, layer.turns_end, lane, rx, ry, rz);
    make_unit(d, x, y, z, w);
    turn(d, rx, ry, rz, x, y, z, w);
}

void sum_up(const PoseLayer& layer, Rows sum) {
    const Floats d;
    for (std::size_t lane = 0; lane < layer.lanes; lane += hn::Lanes(d)) {
        auto x = hn::Zero(d), y = x, z = x, w = x;
        blend_lanes(d, layer, lane, x, y, z, w);
        store(d, x, y, z, w, sum.first + layer.first + lane, sum.stride);
    }
}

/// Sets the bits of those lanes from `lane` on whose product of two quaternions is negative. Whether there is any.
HWY_INLINE bool mark_opposed(Floats d, Vector product, JointBits opposed, std::size_t lane) {
    const auto far = hn::Lt(product, hn::Zero(d));
    if (hn::AllFalse(d, far)) { return false; }
    std::uint8_t bits[8] = {};
    hn::StoreMaskBits(d, far, bits);
    const std::size_t joint = opposed.first + lane;
    opposed.words[joint / 32] |= (bits[0] | std::uint32_t{bits[1]} << 8U) << (joint % 32);
    return true;
}

bool find_opposed(const PoseLayer& one, const PoseLayer& other, JointBits opposed) {
    const Floats d;
    const auto zero = hn::Zero(d);
    bool any = false;
    for (std::size_t lane = 0; lane < one.lanes; lane += hn::Lanes(d)) {
        auto x = zero, y = zero, z = zero, w = zero, ox = zero, oy = zero, oz = zero, ow = zero;
        blend_lanes(d, one, lane, x, y, z, w);
        blend_lanes(d, other, lane, ox, oy, oz, ow);
        const auto product = hn::MulAdd(x, ox, hn::MulAdd(y, oy, hn::MulAdd(z, oz, hn::Mul(w, ow))));
        any = mark_opposed(d, product, opposed, lane) || any;
    }
    return any;
}

// Loop by loop, as in `compose`.
CaughtTurns catch_turns(const TurningPoses& poses, SmallTurns out, JointBits opposed) {
    const Floats d;
    const std::size_t lanes = poses.after.lanes;
    constexpr std::size_t stride = most_composed;
    HWY_ALIGN float now[4 * stride], then[4 * stride];
    const auto zero = hn::Zero(d);
    HWY_NAMESPACE::sum_up(poses.after, {now, stride});
    HWY_NAMESPACE::sum_up(poses.after_earlier, {then, stride});
    if (poses.goes_on) {
        // From where it is to there, the other way about: `after * conjugate(later) * after`.
        for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
            auto x = zero, y = x, z = x, w = x, lx = x, ly = x, lz = x, lw = x;
            load(d, now + lane, stride, x, y, z, w);
            load(d, then + lane, stride, lx, ly, lz, lw);
            const auto near = hn::MulAdd(x, lx, hn::MulAdd(y, ly, hn::MulAdd(z, lz, hn::Mul(w, lw))));
            flip_where_negative(near, lx, ly, lz, lw);
            auto bx = x, by = y, bz = z, bw = w;
            multiply<true>(bx, by, bz, bw, lx, ly, lz, lw);
            multiply<false>(bx, by, bz, bw, x, y, z, w);
            store(d, bx, by, bz, bw, then + lane, stride);
        }
    }
    bool any_opposed = false;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = zero, y = x, z = x, w = x, ax = x, ay = x, az = x, aw = x, ex = x, ey = x, ez = x, ew = x;
        load(d, poses.before.first + lane, poses.before.stride, x, y, z, w);
        load(d, now + lane, stride, ax, ay, az, aw);
        multiply<true>(x, y, z, w, ax, ay, az, aw);
        if (opposed.words != nullptr) { any_opposed = mark_opposed(d, w, opposed, lane) || any_opposed; }
        flip_where_negative(w, x, y, z, w);
        load(d, poses.before_earlier.first + lane, poses.before_earlier.stride, ex, ey, ez, ew);
        load(d, then + lane, stride, ax, ay, az, aw);
        multiply<true>(ex, ey, ez, ew, ax, ay, az, aw);
        const auto near = hn::MulAdd(x, ex, hn::MulAdd(y, ey, hn::MulAdd(z, ez, hn::Mul(w, ew))));
        flip_where_negative(near, ex, ey, ez, ew);
        // What is but rounding is none: its direction, which says how an offset decays, would be anything.
        const auto length = hn::MulAdd(x, x, hn::MulAdd(y, y, hn::Mul(z, z)));
        const auto turned = hn::Gt(length, hn::Set(d, 1e-13F));
        x = hn::IfThenElseZero(turned, x), y = hn::IfThenElseZero(turned, y), z = hn::IfThenElseZero(turned, z);
        store(d, x, y, z, w, now + lane, stride);
        store(d, ex, ey, ez, ew, then + lane, stride);
    }
    auto longest = zero, longest_change = zero;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = zero, y = x, z = x, w = x, ex = x, ey = x, ez = x, ew = x;
        load(d, now + lane, stride, x, y, z, w);
        load(d, then + lane, stride, ex, ey, ez, ew);
        logarithm(d, x, y, z, w);
        logarithm(d, ex, ey, ez, ew);
        ex = hn::Sub(x, ex), ey = hn::Sub(y, ey), ez = hn::Sub(z, ez);
        longest = longest_of(longest, x, y, z);
        longest_change = longest_of(longest_change, ex, ey, ez);
        store(d, x, y, z, zero, now + lane, stride);
        store(d, ex, ey, ez, zero, then + lane, stride);
    }
    const float turn = store_all(d, {now, stride}, longest, out, lanes);
    const SmallTurns changes{out.first + 3 * out.stride, out.stride};
    return {turn, store_all(d, {then, stride}, longest_change, changes, lanes), any_opposed};
}

} // namespace gait::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace gait::kernels {

float remember(Hemispheres joint, float product, float weight) {
    const float own = std::signbit(product) ? -1.0F : 1.0F, own_if_clear = std::fabs(product) > clearly ? own : 0;
    const bool untouched = weight <= 0, covered = weight >= 1;
    const auto known = float(*joint.sign);
    float sign = known, turned = *joint.turned;
    if (own_if_clear * sign * *joint.agreement < 0) { sign = -sign; }
    if (known == 0 || untouched || covered) { sign = own; }
    if (covered && sign != known) { turned = -turned; }
    if (known == 0) { turned = weight >= 0.5F ? own : 1; }
    if (untouched) { turned = 1; }
    *joint.sign = std::int8_t(sign);
    *joint.agreement = std::int8_t(own_if_clear * sign);
    *joint.turned = std::int8_t(turned);
    return sign;
}

HWY_EXPORT(accumulate);
HWY_EXPORT(compose);
HWY_EXPORT(normalize);
HWY_EXPORT(turn_by);
HWY_EXPORT(difference_turns);
HWY_EXPORT(catch_turns);
HWY_EXPORT(store_turns);
HWY_EXPORT(decay_turns);
HWY_EXPORT(mix_kept);
HWY_EXPORT(pass_kept);
HWY_EXPORT(blend_rotations);
HWY_EXPORT(spread_signs);
HWY_EXPORT(find_opposed);
HWY_EXPORT(sum_up);

void accumulate(Rows sum, const BlendSource* sources, std::size_t count, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(accumulate)(sum, sources, count, lanes);
}

void compose(Rows pose, const PoseLayer* layers, std::size_t count) {
    HWY_DYNAMIC_DISPATCH(compose)(pose, layers, count);
}

void normalize(Rows rotations, std::size_t lanes) { HWY_DYNAMIC_DISPATCH(normalize)(rotations, lanes); }

void turn_by(Rows rotations, ConstRows turns, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(turn_by)(rotations, turns, lanes);
}

void difference_turns(ConstRows differences, const float* weights, Hemispheres hemispheres, Rows turns,
                      std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(difference_turns)(differences, weights, hemispheres, turns, lanes);
}

CaughtTurns catch_turns(const TurningPoses& poses, SmallTurns out, JointBits opposed) {
    return HWY_DYNAMIC_DISPATCH(catch_turns)(poses, out, opposed);
}

float store_turns(ConstRows turns, SmallTurns out, std::size_t lanes) {
    return HWY_DYNAMIC_DISPATCH(store_turns)(turns, out, lanes);
}

void decay_turns(SmallTurns turns, const TurnDecay& decay, Rows out, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(decay_turns)(turns, decay, out, lanes);
}

void mix_kept(Rows shown, SmallPoses kept, const KeptShares& shares, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(mix_kept)(shown, kept, shares, lanes);
}

void pass_kept(Rows shown, SmallPoses kept, std::size_t lanes) { HWY_DYNAMIC_DISPATCH(pass_kept)(shown, kept, lanes); }

void spread_signs(const std::uint32_t* words, std::size_t first, float* factors, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(spread_signs)(words, first, factors, lanes);
}

bool blend_rotations(Rows below, ConstRows above, const float* weights, Hemispheres hemispheres, std::size_t lanes) {
    return HWY_DYNAMIC_DISPATCH(blend_rotations)(below, above, weights, hemispheres, lanes);
}

bool find_opposed(const PoseLayer& one, const PoseLayer& other, JointBits opposed) {
    return HWY_DYNAMIC_DISPATCH(find_opposed)(one, other, opposed);
}

void sum_up(const PoseLayer& layer, Rows sum) { HWY_DYNAMIC_DISPATCH(sum_up)(layer, sum); }

std::vector<std::string> runnable_targets() {
    std::vector<std::string> names;
    for (const auto target : hwy::SupportedAndGeneratedTargets()) { names.emplace_back(hwy::TargetName(target)); }
    return names;
}

bool pin_target(const std::string& name) {
    hwy::SetSupportedTargetsForTest(0);
    if (!name.empty()) {
        for (const auto target : hwy::SupportedAndGeneratedTargets()) {
            if (name == hwy::TargetName(target)) {
                hwy::SetSupportedTargetsForTest(target);
                hwy::GetChosenTarget().Update(hwy::SupportedTargets());
                return true;
            }
        }
    }
    hwy::GetChosenTarget().Update(hwy::SupportedTargets());
    return name.empty();
}

} // namespace gait::kernels
#endif
