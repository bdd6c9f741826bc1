/// What the vectorised loops over joints share, compiled for every vector width with the file that includes it.

#if defined(GAIT_MATH_LANES_INL_HPP) == defined(HWY_TARGET_TOGGLE)
#ifdef GAIT_MATH_LANES_INL_HPP
#undef GAIT_MATH_LANES_INL_HPP
#else
#define GAIT_MATH_LANES_INL_HPP
#endif

#include "math/pose_kernels.hpp"

#include <cstddef>
#include <cstdint>

#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace gait::kernels::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

inline constexpr std::size_t most_lanes = 16;
using Floats = hn::CappedTag<float, most_lanes>;
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

/// Makes quaternions unit ones. A sum that cancelled out becomes the identity.
HWY_INLINE void make_unit(Floats d, Vector& x, Vector& y, Vector& z, Vector& w) {
    const auto least = hn::Set(d, 1e-12F), one = hn::Set(d, 1.0F), zero = hn::Zero(d);
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
    x = hn::Mul(x, scale), y = hn::Mul(y, scale), z = hn::Mul(z, scale), w = real;
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

/// Brings the memories of lanes up to how their quaternions stand now; see `remember`. What the upper quaternion is
/// multiplied by, and `turned`, what the result is. `far` becomes true where some lie on the far side then.
HWY_INLINE Vector remembered(Floats d, Vector product, Vector weight, Hemispheres lanes, Vector& turned, bool& far) {
    const hn::RebindToSigned<Floats> integers;
    const hn::Rebind<std::int8_t, Floats> bytes;
    const auto none = hn::Zero(integers), one = hn::Set(integers, 1);
    const auto against = hn::BroadcastSignBit(hn::BitCast(integers, product)); // all bits, or none
    const auto own = hn::Or(against, one);                                     // -1 or 1
    const auto clear = hn::RebindMask(integers, hn::Gt(hn::Abs(product), hn::Set(d, clearly)));
    const auto untouched = hn::RebindMask(integers, hn::Le(weight, hn::Zero(d)));
    const auto known = hn::PromoteTo(integers, hn::LoadU(bytes, lanes.sign));
    const auto before = hn::PromoteTo(integers, hn::LoadU(bytes, lanes.agreement));
    auto result = hn::PromoteTo(integers, hn::LoadU(bytes, lanes.turned));
    // As it is most often: all lie clearly on the side that was chosen, and did before. Then nothing changes.
    const auto agree = hn::And(clear, hn::And(hn::Eq(known, own), hn::Eq(before, one)));
    const auto as_seen = hn::Or(hn::Eq(result, one), hn::Not(untouched));
    if (hn::AllTrue(integers, hn::And(agree, as_seen))) [[likely]] {
        turned = hn::ConvertTo(d, result);
        return hn::ConvertTo(d, known);
    }
    // Times a sign: a multiplication takes longer.
    const auto agreeing = [&](auto sign) HWY_ATTR { return hn::Sub(hn::Xor(sign, against), against); };
    const auto covered = hn::RebindMask(integers, hn::Ge(weight, hn::Set(d, 1.0F)));
    const auto mostly = hn::RebindMask(integers, hn::Ge(weight, hn::Set(d, 0.5F)));
    const auto is_new = hn::Eq(known, none);
    const auto opposite = hn::And(hn::Eq(agreeing(known), hn::Neg(before)), hn::Ne(before, none));
    auto sign = hn::IfThenElse(hn::And(clear, opposite), hn::Neg(known), known);
    sign = hn::IfThenElse(hn::Or(is_new, hn::Or(untouched, covered)), own, sign);
    // Covered wholly, the result stays what it was, whichever side is chosen.
    result = hn::IfThenElse(hn::And(covered, hn::Ne(sign, known)), hn::Neg(result), result);
    result = hn::IfThenElse(is_new, hn::IfThenElse(mostly, own, one), result);
    result = hn::IfThenElse(untouched, one, result);
    const auto agreement = hn::IfThenElseZero(clear, agreeing(sign));
    far = far || !hn::AllFalse(integers, hn::Lt(agreement, none));
    hn::StoreU(hn::DemoteTo(bytes, sign), bytes, lanes.sign);
    hn::StoreU(hn::DemoteTo(bytes, agreement), bytes, lanes.agreement);
    hn::StoreU(hn::DemoteTo(bytes, result), bytes, lanes.turned);
    turned = hn::ConvertTo(d, result);
    return hn::ConvertTo(d, sign);
}

/// See `EvenWeight`.
HWY_INLINE Vector evened(Floats d, Vector weight, Vector product) {
    const auto polynomial = [&](float c0, float c1, float c2) HWY_ATTR {
        return hn::MulAdd(hn::MulAdd(hn::Set(d, c2), product, hn::Set(d, c1)), product, hn::Set(d, c0));
    };
    const auto a = polynomial(EvenWeight::a0, EvenWeight::a1, EvenWeight::a2);
    const auto b = polynomial(EvenWeight::b0, EvenWeight::b1, EvenWeight::b2);
    const auto off = hn::Sub(weight, hn::Set(d, 0.5F)), square = hn::Mul(off, off);
    // w (w - 1) is the square of what w is off a half, less a quarter.
    return hn::MulAdd(hn::Mul(off, hn::Sub(square, hn::Set(d, 0.25F))), hn::MulAdd(a, square, b), weight);
}

/// below = the upper quaternion with its sign where a lane's weight is 1, below where it is 0, and between them on the
/// way from one to the other; see `blend_rotations`. `far` as for `remembered`.
HWY_INLINE void lay_over(Floats d, Vector weight, Hemispheres sides, bool& far, Vector ax, Vector ay, Vector az,
                         Vector aw, Vector& bx, Vector& by, Vector& bz, Vector& bw) {
    const auto one = hn::Set(d, 1.0F), zero = hn::Zero(d), least = hn::Set(d, 1e-12F);
    const auto product = hn::MulAdd(bw, aw, hn::MulAdd(bz, az, hn::MulAdd(by, ay, hn::Mul(bx, ax))));
    auto turned = zero;
    const auto side = remembered(d, product, weight, sides, turned, far);
    const auto sign = hn::Mul(side, turned);
    const auto untouched = hn::Le(weight, zero), covered = hn::Ge(weight, one);
    auto x = hn::Mul(ax, sign), y = hn::Mul(ay, sign), z = hn::Mul(az, sign), w = hn::Mul(aw, sign);
    // Most of a mask is all or nothing: there is nothing to mix then.
    if (!hn::AllTrue(d, hn::Or(untouched, covered))) {
        const auto even = evened(d, weight, hn::Mul(product, side));
        const auto rest = hn::Mul(hn::Sub(one, even), turned), share = hn::Mul(even, sign);
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
    bx = hn::IfThenElse(untouched, bx, x);
    by = hn::IfThenElse(untouched, by, y);
    bz = hn::IfThenElse(untouched, bz, z);
    bw = hn::IfThenElse(untouched, bw, w);
}

} // namespace gait::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#endif
