#include "math/pose_kernels.hpp"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "math/pose_kernels.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <hwy/contrib/math/math-inl.h>

HWY_BEFORE_NAMESPACE();
namespace gait::kernels::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
using Floats = hn::CappedTag<float, 16>;

using Vector = hn::Vec<Floats>;

// The four components of a vector of quaternions are four variables: vectors whose length only the processor knows
// cannot be members of a struct.

HWY_INLINE void load(Floats d, const float* first, std::size_t stride, Vector& x, Vector& y, Vector& z, Vector& w) {
    x = hn::Load(d, first);
    y = hn::Load(d, first + stride);
    z = hn::Load(d, first + 2 * stride);
    w = hn::Load(d, first + 3 * stride);
}
HWY_INLINE void store(Floats d, Vector x, Vector y, Vector z, Vector w, float* first, std::size_t stride) {
    hn::Store(x, d, first);
    hn::Store(y, d, first + stride);
    hn::Store(z, d, first + 2 * stride);
    hn::Store(w, d, first + 3 * stride);
}

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

HWY_INLINE Vector square_of(Vector x, Vector y, Vector z, Vector w) {
    return hn::MulAdd(x, x, hn::MulAdd(y, y, hn::MulAdd(z, z, hn::Mul(w, w))));
}

/// One over the square root. Not by the processor's own guess, which is quicker and differs from maker to maker: the
/// same instruction set gives the same bits everywhere.
HWY_INLINE Vector inverse_root(Floats d, Vector square) { return hn::Div(hn::Set(d, 1.0F), hn::Sqrt(square)); }

/// Whether the squares of all lanes are between 0.55 and 1.02, as those of the sums of quaternions near each other are.
HWY_INLINE bool are_near_one(Floats d, Vector square) {
    return hn::AllTrue(d, hn::Lt(hn::Abs(hn::Sub(square, hn::Set(d, 0.785F))), hn::Set(d, 0.235F)));
}
/// One over the square root of such ones, as close as by a division and a root (1.4 units in the last place), for which
/// wide vectors would wait. From the parabola through it at the three Chebyshev points of that range, off by 0.26 % at
/// most, one step of Householder's method of the fourth order: with e = 1 - s r^2, 1 / sqrt(s) is r / sqrt(1 - e) = r
/// (1 + e/2 + 3/8 e^2 + 5/16 e^3 + ...).
HWY_INLINE Vector inverse_root_near_one(Floats d, Vector square) {
    const auto slope = hn::MulAdd(hn::Set(d, 0.72248742F), square, hn::Set(d, -1.8850958F));
    const auto root = hn::MulAdd(slope, square, hn::Set(d, 2.1632507F));
    const auto off = hn::NegMulAdd(hn::Mul(square, root), root, hn::Set(d, 1.0F));
    const auto third = hn::MulAdd(hn::Set(d, 0.3125F), off, hn::Set(d, 0.375F));
    return hn::MulAdd(hn::MulAdd(third, off, hn::Set(d, 0.5F)), hn::Mul(root, off), root);
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

/// product = left * right, 16 floats each, column by column. `product` may be either.
HWY_INLINE void multiply(const float* left, const float* right, float* product) {
#if HWY_TARGET == HWY_SCALAR
    float result[16];
    for (std::size_t e = 0; e < 16; ++e) {
        const float* column = right + e / 4 * 4;
        const float* row = left + e % 4;
        result[e] = row[0] * column[0] + row[4] * column[1] + row[8] * column[2] + row[12] * column[3];
    }
    for (std::size_t e = 0; e < 16; ++e) { product[e] = result[e]; }
#else
    // As many whole columns as a vector holds: one element of each is spread over its column at a time.
    const Floats d;
    const auto x = hn::LoadDup128(d, left), y = hn::LoadDup128(d, left + 4);
    const auto z = hn::LoadDup128(d, left + 8), w = hn::LoadDup128(d, left + 12);
    for (std::size_t e = 0; e < 16; e += hn::Lanes(d)) {
        const auto columns = hn::LoadU(d, right + e);
        const auto upper = hn::MulAdd(x, hn::Broadcast<0>(columns), hn::Mul(y, hn::Broadcast<1>(columns)));
        const auto lower = hn::MulAdd(z, hn::Broadcast<2>(columns), hn::Mul(w, hn::Broadcast<3>(columns)));
        hn::StoreU(hn::Add(upper, lower), d, product + e);
    }
#endif
}

// Joint by joint, a column a vector of four, level by level: joints of one level do not wait for each other, and a
// processor works on several at once. (Widening over a level instead leaves most lanes idle, as a person's levels hold
// five joints on average, and gathers twelve numbers of each parent.)
void model_matrices(const LocalPose& pose, const float* inverse_bind, float* matrices) {
    const Floats d;
    const hn::CappedTag<float, 4> part; // a column; an element at a time where there are no vectors
    const auto one = hn::Set(d, 1.0F);
    HWY_ALIGN float r[9][level_order_chunk];
    std::size_t bound = 0;
    const auto bind_until = [&](std::size_t end) HWY_ATTR {
        for (; bound < end; ++bound) {
            float* m = matrices + 16 * pose.level_order[bound];
            multiply(m, inverse_bind + 16 * pose.level_order[bound], m);
        }
    };
    for (std::size_t base = 0; base < pose.joints; base += level_order_chunk) {
        const std::size_t count = HWY_MIN(level_order_chunk, pose.joints - base);
        // The rotations' matrices, many joints at once.
        for (std::size_t lane = 0; lane < count; lane += hn::Lanes(d)) {
            const auto load = [&](const ConstRows& rows, std::size_t row)
                                  HWY_ATTR { return hn::Load(d, rows.first + row * rows.stride + base + lane); };
            const auto x = load(pose.rotations, 0), y = load(pose.rotations, 1);
            const auto z = load(pose.rotations, 2), w = load(pose.rotations, 3);
            const auto x2 = hn::Add(x, x), y2 = hn::Add(y, y), z2 = hn::Add(z, z);
            const auto xx = hn::Mul(x, x2), yy = hn::Mul(y, y2), zz = hn::Mul(z, z2);
            const auto xy = hn::Mul(x, y2), xz = hn::Mul(x, z2), yz = hn::Mul(y, z2);
            const auto wx = hn::Mul(w, x2), wy = hn::Mul(w, y2), wz = hn::Mul(w, z2);
            auto sx = one, sy = one, sz = one;
            if (pose.scales.first != nullptr) {
                sx = load(pose.scales, 0);
                sy = load(pose.scales, 1);
                sz = load(pose.scales, 2);
            }
            hn::Store(hn::Mul(hn::Sub(one, hn::Add(yy, zz)), sx), d, r[0] + lane);
            hn::Store(hn::Mul(hn::Add(xy, wz), sx), d, r[1] + lane);
            hn::Store(hn::Mul(hn::Sub(xz, wy), sx), d, r[2] + lane);
            hn::Store(hn::Mul(hn::Sub(xy, wz), sy), d, r[3] + lane);
            hn::Store(hn::Mul(hn::Sub(one, hn::Add(xx, zz)), sy), d, r[4] + lane);
            hn::Store(hn::Mul(hn::Add(yz, wx), sy), d, r[5] + lane);
            hn::Store(hn::Mul(hn::Add(xz, wy), sz), d, r[6] + lane);
            hn::Store(hn::Mul(hn::Sub(yz, wx), sz), d, r[7] + lane);
            hn::Store(hn::Mul(hn::Sub(one, hn::Add(xx, yy)), sz), d, r[8] + lane);
        }
        for (std::size_t i = base; i < base + count; ++i) {
            // Joints whose children are all done take their bind matrix now: work for the time a deep chain has to
            // wait.
            if (inverse_bind != nullptr) { bind_until(pose.done_before[i]); }
            const std::size_t joint = pose.level_order[i], lane = joint - base;
            const float* t = pose.translations.first + joint;
            const std::size_t ts = pose.translations.stride;
            float* m = matrices + 16 * joint;
            const int parent = pose.parents[joint];
            if (parent < 0) {
                const float root[16] = {r[0][lane], r[1][lane], r[2][lane], 0, r[3][lane], r[4][lane], r[5][lane], 0,
                                        r[6][lane], r[7][lane], r[8][lane], 0, t[0],       t[ts],      t[2 * ts],  1};
                for (std::size_t e = 0; e < 16; ++e) { m[e] = root[e]; }
                continue;
            }
            for (std::size_t e = 0; e < 4; e += hn::Lanes(part)) {
                const float* p = matrices + 16 * parent + e;
                const auto p0 = hn::LoadU(part, p), p1 = hn::LoadU(part, p + 4), p2 = hn::LoadU(part, p + 8);
                const auto carried = [&](float a, float b, float c) HWY_ATTR {
                    return hn::MulAdd(p0, hn::Set(part, a),
                                      hn::MulAdd(p1, hn::Set(part, b), hn::Mul(p2, hn::Set(part, c))));
                };
                hn::StoreU(carried(r[0][lane], r[1][lane], r[2][lane]), part, m + e);
                hn::StoreU(carried(r[3][lane], r[4][lane], r[5][lane]), part, m + 4 + e);
                hn::StoreU(carried(r[6][lane], r[7][lane], r[8][lane]), part, m + 8 + e);
                hn::StoreU(hn::Add(hn::LoadU(part, p + 12), carried(t[0], t[ts], t[2 * ts])), part, m + 12 + e);
            }
        }
    }
    if (inverse_bind != nullptr) { bind_until(pose.joints); }
}

/// What a joint's parent, `above`, makes of its rotation `r` and its translation `t`: seven numbers, and one more.
HWY_INLINE void carry(const float* above, const float* r, const float* t, float* out) {
#if HWY_TARGET == HWY_SCALAR
    const float px = above[0], py = above[1], pz = above[2], pw = above[3];
    out[0] = pw * r[0] + px * r[3] + py * r[2] - pz * r[1];
    out[1] = pw * r[1] - px * r[2] + py * r[3] + pz * r[0];
    out[2] = pw * r[2] + px * r[1] - py * r[0] + pz * r[3];
    out[3] = pw * r[3] - px * r[0] - py * r[1] - pz * r[2];
    const float ux = 2 * (py * t[2] - pz * t[1]), uy = 2 * (pz * t[0] - px * t[2]), uz = 2 * (px * t[1] - py * t[0]);
    out[4] = above[4] + t[0] + pw * ux + py * uz - pz * uy;
    out[5] = above[5] + t[1] + pw * uy + pz * ux - px * uz;
    out[6] = above[6] + t[2] + pw * uz + px * uy - py * ux;
#else
    const hn::FixedTag<float, 4> four;
    const auto p = hn::LoadU(four, above);
    const auto px = hn::Broadcast<0>(p), py = hn::Broadcast<1>(p), pz = hn::Broadcast<2>(p), pw = hn::Broadcast<3>(p);
    // p * q is a sum of four: q's components in another order, some with another sign.
    HWY_ALIGN static constexpr float of_x[4] = {1, -1, 1, -1}, of_y[4] = {1, 1, -1, -1}, of_z[4] = {-1, 1, 1, -1};
    const auto q = hn::Load(four, r);
    const auto first = hn::MulAdd(hn::Mul(px, hn::Load(four, of_x)), hn::Shuffle0123(q), hn::Mul(pw, q));
    const auto second = hn::Mul(hn::Mul(pz, hn::Load(four, of_z)), hn::Shuffle2301(q));
    hn::StoreU(hn::Add(first, hn::MulAdd(hn::Mul(py, hn::Load(four, of_y)), hn::Shuffle1032(q), second)), four, out);
    // v + 2 w (u x v) + 2 u x (u x v), with u x v = (u * v' - u' * v)', each ' one place round.
    constexpr std::int32_t order[4] = {1, 2, 0, 3};
    const auto one_round = hn::SetTableIndices(four, order);
    const auto round = [&](auto v) HWY_ATTR { return hn::TableLookupLanes(v, one_round); };
    const auto v = hn::Load(four, t), ring = round(p);
    const auto cross = [&](auto a) HWY_ATTR { return round(hn::Sub(hn::Mul(p, round(a)), hn::Mul(ring, a))); };
    const auto once = cross(v), doubled = hn::Add(once, once);
    const auto far = hn::Add(hn::Add(hn::LoadU(four, above + 4), v), hn::MulAdd(pw, doubled, cross(doubled)));
    hn::StoreU(far, four, out + 4);
#endif
}

// A joint at a time, its rotation and its translation a vector of four each, level by level as above.
void model_transforms(const LocalPose& pose, float* transforms, std::size_t stride) {
    const Floats d;
    for (std::size_t base = 0; base < pose.joints; base += level_order_chunk) {
        const std::size_t count = HWY_MIN(level_order_chunk, pose.joints - base);
        HWY_ALIGN float turns[4 * level_order_chunk], moves[4 * level_order_chunk];
        for (std::size_t lane = 0; lane < count; lane += hn::Lanes(d)) {
            const auto load = [&](const ConstRows& rows, std::size_t row)
                                  HWY_ATTR { return hn::Load(d, rows.first + row * rows.stride + base + lane); };
            hn::StoreInterleaved4(load(pose.rotations, 0), load(pose.rotations, 1), load(pose.rotations, 2),
                                  load(pose.rotations, 3), d, turns + 4 * lane);
            hn::StoreInterleaved4(load(pose.translations, 0), load(pose.translations, 1), load(pose.translations, 2),
                                  hn::Zero(d), d, moves + 4 * lane);
        }
        for (std::size_t i = base; i < base + count; ++i) {
            const std::size_t joint = pose.level_order[i];
            const float *const r = turns + 4 * (joint - base), *const t = moves + 4 * (joint - base);
            float* const out = transforms + joint * stride;
            const int parent = pose.parents[joint];
            if (parent < 0) {
                for (std::size_t e = 0; e < 4; ++e) { out[e] = r[e]; }
                for (std::size_t e = 0; e < 4; ++e) { out[4 + e] = t[e]; }
                continue;
            }
            carry(transforms + std::size_t(parent) * stride, r, t, out);
        }
    }
}

void normalize(Rows rotations, std::size_t lanes) {
    const Floats d;
    const auto least = hn::Set(d, 1e-12F), one = hn::Set(d, 1.0F), zero = hn::Zero(d);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = zero, y = zero, z = zero, w = zero;
        load(d, rotations.first + lane, rotations.stride, x, y, z, w);
        const auto square = square_of(x, y, z, w);
        auto scale = zero, real = one;
        if (are_near_one(d, square)) [[likely]] {
            scale = inverse_root_near_one(d, square);
            real = hn::Mul(w, scale);
        } else {
            const auto cancelled = hn::Lt(square, least);
            scale = hn::IfThenElse(cancelled, zero, inverse_root(d, hn::Max(square, least)));
            real = hn::IfThenElse(cancelled, one, hn::Mul(w, scale));
        }
        store(d, hn::Mul(x, scale), hn::Mul(y, scale), hn::Mul(z, scale), real, rotations.first + lane,
              rotations.stride);
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

/// Brings the memories of lanes up to how their quaternions stand now; see `remember`. What the upper quaternion is
/// multiplied by, and `turned`, what the result is.
HWY_INLINE Vector remembered(Floats d, Vector product, Vector weight, Hemispheres lanes, Vector& turned) {
    const hn::RebindToSigned<Floats> integers;
    const hn::Rebind<std::int8_t, Floats> bytes;
    const auto none = hn::Zero(integers), one = hn::Set(integers, 1);
    const auto against = hn::BroadcastSignBit(hn::BitCast(integers, product)); // all bits, or none
    const auto own = hn::Or(against, one);                                     // -1 or 1
    // Times a sign: a multiplication takes longer.
    const auto agreeing = [&](auto sign) HWY_ATTR { return hn::Sub(hn::Xor(sign, against), against); };
    const auto clear = hn::RebindMask(integers, hn::Gt(hn::Abs(product), hn::Set(d, clearly)));
    const auto untouched = hn::RebindMask(integers, hn::Le(weight, hn::Zero(d)));
    const auto covered = hn::RebindMask(integers, hn::Ge(weight, hn::Set(d, 1.0F)));
    const auto mostly = hn::RebindMask(integers, hn::Ge(weight, hn::Set(d, 0.5F)));
    const auto known = hn::PromoteTo(integers, hn::LoadU(bytes, lanes.sign));
    const auto before = hn::PromoteTo(integers, hn::LoadU(bytes, lanes.agreement));
    auto result = hn::PromoteTo(integers, hn::LoadU(bytes, lanes.turned));
    const auto is_new = hn::Eq(known, none);
    const auto opposite = hn::And(hn::Eq(agreeing(known), hn::Neg(before)), hn::Ne(before, none));
    auto sign = hn::IfThenElse(hn::And(clear, opposite), hn::Neg(known), known);
    sign = hn::IfThenElse(hn::Or(is_new, hn::Or(untouched, covered)), own, sign);
    // Covered wholly, the result stays what it was, whichever side is chosen.
    result = hn::IfThenElse(hn::And(covered, hn::Ne(sign, known)), hn::Neg(result), result);
    result = hn::IfThenElse(is_new, hn::IfThenElse(mostly, own, one), result);
    result = hn::IfThenElse(untouched, one, result);
    hn::StoreU(hn::DemoteTo(bytes, sign), bytes, lanes.sign);
    hn::StoreU(hn::DemoteTo(bytes, hn::IfThenElseZero(clear, agreeing(sign))), bytes, lanes.agreement);
    hn::StoreU(hn::DemoteTo(bytes, result), bytes, lanes.turned);
    turned = hn::ConvertTo(d, result);
    return hn::ConvertTo(d, sign);
}

void blend_rotations(Rows below, ConstRows above, const float* weights, Hemispheres hemispheres, std::size_t lanes) {
    const Floats d;
    const auto one = hn::Set(d, 1.0F), zero = hn::Zero(d), least = hn::Set(d, 1e-12F);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto bx = zero, by = zero, bz = zero, bw = zero, ax = zero, ay = zero, az = zero, aw = zero, turned = zero;
        load(d, below.first + lane, below.stride, bx, by, bz, bw);
        load(d, above.first + lane, above.stride, ax, ay, az, aw);
        const auto product = hn::MulAdd(bw, aw, hn::MulAdd(bz, az, hn::MulAdd(by, ay, hn::Mul(bx, ax))));
        const auto weight = hn::Load(d, weights + lane);
        const Hemispheres sides{hemispheres.sign + lane, hemispheres.agreement + lane, hemispheres.turned + lane};
        const auto side = remembered(d, product, weight, sides, turned);
        const auto sign = hn::Mul(side, turned);
        const auto untouched = hn::Le(weight, zero), covered = hn::Ge(weight, one);
        auto x = hn::Mul(ax, sign), y = hn::Mul(ay, sign), z = hn::Mul(az, sign), w = hn::Mul(aw, sign);
        // Most of a mask is all or nothing: there is nothing to mix then.
        if (!hn::AllTrue(d, hn::Or(untouched, covered))) {
            const auto rest = hn::Mul(hn::Sub(one, weight), turned), share = hn::Mul(weight, sign);
            const auto mx = hn::MulAdd(ax, share, hn::Mul(bx, rest)), my = hn::MulAdd(ay, share, hn::Mul(by, rest));
            const auto mz = hn::MulAdd(az, share, hn::Mul(bz, rest)), mw = hn::MulAdd(aw, share, hn::Mul(bw, rest));
            const auto square = square_of(mx, my, mz, mw);
            // Half and half of two that are opposite there is nothing left: then what is below shows.
            const auto cancelled = hn::Lt(square, least);
            const auto scale = inverse_root(d, hn::Max(square, least));
            const auto mixed = [&](auto own, auto sum, auto under) HWY_ATTR {
                return hn::IfThenElse(covered, own, hn::IfThenElse(cancelled, under, hn::Mul(sum, scale)));
            };
            x = mixed(x, mx, bx);
            y = mixed(y, my, by);
            z = mixed(z, mz, bz);
            w = mixed(w, mw, bw);
        }
        store(d, hn::IfThenElse(untouched, bx, x), hn::IfThenElse(untouched, by, y), hn::IfThenElse(untouched, bz, z),
              hn::IfThenElse(untouched, bw, w), below.first + lane, below.stride);
    }
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

/// a = a * b, or where `conjugated` a * conjugate(b).
template <bool conjugated>
HWY_INLINE void multiply(Vector& ax, Vector& ay, Vector& az, Vector& aw, Vector bx, Vector by, Vector bz, Vector bw) {
    if constexpr (conjugated) { bx = hn::Neg(bx), by = hn::Neg(by), bz = hn::Neg(bz); }
    const auto x = hn::MulAdd(aw, bx, hn::MulAdd(ax, bw, hn::NegMulAdd(az, by, hn::Mul(ay, bz))));
    const auto y = hn::MulAdd(aw, by, hn::MulAdd(ay, bw, hn::NegMulAdd(ax, bz, hn::Mul(az, bx))));
    const auto z = hn::MulAdd(aw, bz, hn::MulAdd(az, bw, hn::NegMulAdd(ay, bx, hn::Mul(ax, by))));
    aw = hn::NegMulAdd(az, bz, hn::NegMulAdd(ay, by, hn::NegMulAdd(ax, bx, hn::Mul(aw, bw))));
    ax = x, ay = y, az = z;
}

/// Turns the sign of a quaternion where a number is negative.
HWY_INLINE void flip_where_negative(Vector number, Vector& x, Vector& y, Vector& z, Vector& w) {
    const auto sign = hn::And(number, hn::SignBit(Floats()));
    x = hn::Xor(x, sign), y = hn::Xor(y, sign), z = hn::Xor(z, sign), w = hn::Xor(w, sign);
}

/// The rotation vectors of unit quaternions, radians; longer than pi where w is negative.
HWY_INLINE void logarithm(Floats d, Vector& x, Vector& y, Vector& z, Vector w) {
    const auto sine = hn::Sqrt(hn::MulAdd(x, x, hn::MulAdd(y, y, hn::Mul(z, z))));
    const auto steep = hn::Atan(d, hn::Div(sine, hn::Max(hn::Abs(w), hn::Set(d, 1e-20F))));
    const auto half = hn::IfThenElse(hn::Lt(w, hn::Zero(d)), hn::Sub(hn::Set(d, 3.14159265F), steep), steep);
    const auto two = hn::Set(d, 2.0F), least = hn::Set(d, 1e-9F);
    const auto scale = hn::IfThenElse(hn::Lt(sine, least), two, hn::Div(hn::Mul(two, half), hn::Max(sine, least)));
    x = hn::Mul(x, scale), y = hn::Mul(y, scale), z = hn::Mul(z, scale);
}

void difference_turns(ConstRows differences, const float* weights, Hemispheres hemispheres, Rows turns,
                      std::size_t lanes) {
    const Floats d;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = hn::Zero(d), y = x, z = x, w = x, turned = x;
        load(d, differences.first + lane, differences.stride, x, y, z, w);
        const auto weight = hn::Load(d, weights + lane);
        const Hemispheres sides{hemispheres.sign + lane, hemispheres.agreement + lane, hemispheres.turned + lane};
        const auto side = remembered(d, w, weight, sides, turned);
        flip_where_negative(side, x, y, z, w);
        logarithm(d, x, y, z, w);
        float* const to = turns.first + lane;
        hn::Store(hn::Mul(x, weight), d, to);
        hn::Store(hn::Mul(y, weight), d, to + turns.stride);
        hn::Store(hn::Mul(z, weight), d, to + 2 * turns.stride);
    }
}

void catch_turns(const TurningPoses& poses, Rows out, std::size_t lanes) {
    const Floats d;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        const auto zero = hn::Zero(d);
        auto x = zero, y = x, z = x, w = x, ax = x, ay = x, az = x, aw = x, ex = x, ey = x, ez = x, ew = x;
        load(d, poses.before.first + lane, poses.before.stride, x, y, z, w);
        load(d, poses.after.first + lane, poses.after.stride, ax, ay, az, aw);
        multiply<true>(x, y, z, w, ax, ay, az, aw);
        flip_where_negative(w, x, y, z, w);
        auto lx = zero, ly = lx, lz = lx, lw = lx;
        load(d, poses.after_earlier.first + lane, poses.after_earlier.stride, lx, ly, lz, lw);
        if (poses.goes_on) {
            // From where it is to there, the other way about: `after * conjugate(later) * after`.
            const auto near = hn::MulAdd(ax, lx, hn::MulAdd(ay, ly, hn::MulAdd(az, lz, hn::Mul(aw, lw))));
            flip_where_negative(near, lx, ly, lz, lw);
            auto bx = ax, by = ay, bz = az, bw = aw;
            multiply<true>(bx, by, bz, bw, lx, ly, lz, lw);
            multiply<false>(bx, by, bz, bw, ax, ay, az, aw);
            lx = bx, ly = by, lz = bz, lw = bw;
        }
        load(d, poses.before_earlier.first + lane, poses.before_earlier.stride, ex, ey, ez, ew);
        multiply<true>(ex, ey, ez, ew, lx, ly, lz, lw);
        const auto near = hn::MulAdd(x, ex, hn::MulAdd(y, ey, hn::MulAdd(z, ez, hn::Mul(w, ew))));
        flip_where_negative(near, ex, ey, ez, ew);
        // What is but rounding is none: its direction, which says how an offset decays, would be anything.
        const auto length = hn::MulAdd(x, x, hn::MulAdd(y, y, hn::Mul(z, z)));
        const auto turned = hn::Gt(length, hn::Set(d, 1e-13F));
        x = hn::IfThenElseZero(turned, x), y = hn::IfThenElseZero(turned, y), z = hn::IfThenElseZero(turned, z);
        logarithm(d, x, y, z, w);
        logarithm(d, ex, ey, ez, ew);
        float* to = out.first + lane;
        store(d, x, y, z, hn::Sub(x, ex), to, out.stride);
        hn::Store(hn::Sub(y, ey), d, to + 4 * out.stride);
        hn::Store(hn::Sub(z, ez), d, to + 5 * out.stride);
    }
}

float store_turns(ConstRows turns, SmallTurns out, std::size_t lanes) {
    const Floats d;
    const hn::Rebind<std::int16_t, Floats> small;
    auto greatest = hn::Zero(d);
    for (std::size_t row = 0; row < 3; ++row) {
        for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
            greatest = hn::Max(greatest, hn::Abs(hn::Load(d, turns.first + row * turns.stride + lane)));
        }
    }
    constexpr float most = 32767;
    const float longest = hn::GetLane(hn::MaxOfLanes(d, greatest));
    const auto scale = hn::Set(d, longest > 0 ? most / longest : 0);
    for (std::size_t row = 0; row < 3; ++row) {
        for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
            const auto value = hn::Mul(hn::Load(d, turns.first + row * turns.stride + lane), scale);
            hn::StoreU(hn::DemoteTo(small, hn::NearestInt(value)), small, out.first + row * out.stride + lane);
        }
    }
    return longest / most;
}

bool decay_turns(SmallTurns turns, const TurnDecay& decay, Rows out, std::size_t lanes) {
    const Floats d;
    const hn::Rebind<std::int16_t, Floats> small;
    const hn::Rebind<std::int32_t, Floats> whole;
    const auto start_unit = hn::Set(d, decay.start_unit), velocity_unit = hn::Set(d, decay.velocity_unit);
    const auto start_left = hn::Set(d, decay.start), velocity_left = hn::Set(d, decay.velocity);
    auto least = hn::Zero(d);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        const auto read = [&](std::size_t row) HWY_ATTR {
            const auto part = hn::LoadU(small, turns.first + row * turns.stride + lane);
            return hn::ConvertTo(d, hn::PromoteTo(whole, part));
        };
        auto along = hn::Zero(d), length = along;
        for (std::size_t axis = 0; axis < 3; ++axis) {
            const auto start = hn::Mul(read(axis), start_unit), velocity = hn::Mul(read(3 + axis), velocity_unit);
            length = hn::MulAdd(start, start, length);
            along = hn::MulAdd(start, velocity, along);
            hn::Store(hn::MulAdd(start, start_left, hn::Mul(velocity, velocity_left)), d,
                      out.first + axis * out.stride + lane);
        }
        least = hn::Min(least, hn::MulAdd(hn::Set(d, 5.0F), length, hn::Mul(along, hn::Set(d, decay.seconds))));
    }
    return hn::GetLane(hn::MinOfLanes(d, least)) < 0;
}

/// Numbers kept as integers, and back.
HWY_INLINE Vector read_kept(Floats d, const std::int16_t* from) {
    const hn::Rebind<std::int16_t, Floats> small;
    const hn::Rebind<std::int32_t, Floats> whole;
    return hn::Mul(hn::ConvertTo(d, hn::PromoteTo(whole, hn::LoadU(small, from))), hn::Set(d, SmallPoses::unit));
}
HWY_INLINE void write_kept(Floats d, Vector value, std::int16_t* to) {
    const hn::Rebind<std::int16_t, Floats> small;
    const auto parts = hn::NearestInt(hn::Mul(value, hn::Set(d, 1 / SmallPoses::unit)));
    hn::StoreU(hn::DemoteTo(small, parts), small, to);
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
        HWY_NAMESPACE::blend_rotations(below, ConstRows{own.first, own.stride}, layer.weights, layer.hemispheres,
                                       layer.lanes);
    }
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

HWY_EXPORT(model_matrices);
HWY_EXPORT(accumulate);
HWY_EXPORT(compose);
HWY_EXPORT(model_transforms);
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

void accumulate(Rows sum, const BlendSource* sources, std::size_t count, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(accumulate)(sum, sources, count, lanes);
}

void compose(Rows pose, const PoseLayer* layers, std::size_t count) {
    HWY_DYNAMIC_DISPATCH(compose)(pose, layers, count);
}

void model_matrices(const LocalPose& pose, const float* inverse_bind, float* matrices) {
    HWY_DYNAMIC_DISPATCH(model_matrices)(pose, inverse_bind, matrices);
}

void model_transforms(const LocalPose& pose, float* transforms, std::size_t stride) {
    HWY_DYNAMIC_DISPATCH(model_transforms)(pose, transforms, stride);
}

void normalize(Rows rotations, std::size_t lanes) { HWY_DYNAMIC_DISPATCH(normalize)(rotations, lanes); }

void turn_by(Rows rotations, ConstRows turns, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(turn_by)(rotations, turns, lanes);
}

void difference_turns(ConstRows differences, const float* weights, Hemispheres hemispheres, Rows turns,
                      std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(difference_turns)(differences, weights, hemispheres, turns, lanes);
}

void catch_turns(const TurningPoses& poses, Rows out, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(catch_turns)(poses, out, lanes);
}

float store_turns(ConstRows turns, SmallTurns out, std::size_t lanes) {
    return HWY_DYNAMIC_DISPATCH(store_turns)(turns, out, lanes);
}

bool decay_turns(SmallTurns turns, const TurnDecay& decay, Rows out, std::size_t lanes) {
    return HWY_DYNAMIC_DISPATCH(decay_turns)(turns, decay, out, lanes);
}

void mix_kept(Rows shown, SmallPoses kept, const KeptShares& shares, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(mix_kept)(shown, kept, shares, lanes);
}

void pass_kept(Rows shown, SmallPoses kept, std::size_t lanes) { HWY_DYNAMIC_DISPATCH(pass_kept)(shown, kept, lanes); }

void spread_signs(const std::uint32_t* words, std::size_t first, float* factors, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(spread_signs)(words, first, factors, lanes);
}

void blend_rotations(Rows below, ConstRows above, const float* weights, Hemispheres hemispheres, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(blend_rotations)(below, above, weights, hemispheres, lanes);
}

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
