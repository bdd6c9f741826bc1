#include "math/pose_kernels.hpp"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "math/pose_kernels.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace gait::kernels::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
using Floats = hn::CappedTag<float, 16>;

using Vector = hn::Vec<Floats>;

// A quaternion a lane is four vectors by name: where a vector's length is known to the processor alone, they cannot be
// kept in a struct.

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

/// Adds the sources' share of the lanes from `lane` on.
HWY_INLINE void add_sources(Floats d, const BlendSource* sources, std::size_t count, std::size_t lane, Vector& x,
                            Vector& y, Vector& z, Vector& w) {
    for (std::size_t i = 0; i < count; ++i) {
        const BlendSource& source = sources[i];
        auto first = hn::Set(d, source.first_weight), second = hn::Set(d, source.second_weight);
        if (source.signs != nullptr) {
            const auto sign = hn::Load(d, source.signs + lane);
            first = hn::Mul(first, sign);
            second = hn::Mul(second, sign);
        }
        const float* a = source.from + lane;
        const float* b = source.to + lane;
        const std::size_t stride = source.stride;
        x = hn::MulAdd(hn::Load(d, b), second, hn::MulAdd(hn::Load(d, a), first, x));
        y = hn::MulAdd(hn::Load(d, b + stride), second, hn::MulAdd(hn::Load(d, a + stride), first, y));
        z = hn::MulAdd(hn::Load(d, b + 2 * stride), second, hn::MulAdd(hn::Load(d, a + 2 * stride), first, z));
        w = hn::MulAdd(hn::Load(d, b + 3 * stride), second, hn::MulAdd(hn::Load(d, a + 3 * stride), first, w));
    }
}

HWY_INLINE Vector square_of(Vector x, Vector y, Vector z, Vector w) {
    return hn::MulAdd(x, x, hn::MulAdd(y, y, hn::MulAdd(z, z, hn::Mul(w, w))));
}

HWY_INLINE void make_unit(Floats d, Vector& x, Vector& y, Vector& z, Vector& w) {
    const auto least = hn::Set(d, 1e-12F), one = hn::Set(d, 1.0F), zero = hn::Zero(d);
    const auto square = square_of(x, y, z, w);
    const auto cancelled = hn::Lt(square, least);
    const auto scale = hn::IfThenElse(cancelled, zero, hn::Div(one, hn::Sqrt(hn::Max(square, least))));
    x = hn::Mul(x, scale);
    y = hn::Mul(y, scale);
    z = hn::Mul(z, scale);
    w = hn::IfThenElse(cancelled, one, hn::Mul(w, scale));
}

void accumulate(Rows sum, const BlendSource* sources, std::size_t count, std::size_t lanes) {
    const Floats d;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = hn::Zero(d), y = x, z = x, w = x;
        load(d, sum.first + lane, sum.stride, x, y, z, w);
        add_sources(d, sources, count, lane, x, y, z, w);
        store(d, x, y, z, w, sum.first + lane, sum.stride);
    }
}

void blend(Rows blended, const BlendSource* sources, std::size_t count, std::size_t lanes) {
    const Floats d;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = hn::Zero(d), y = x, z = x, w = x;
        add_sources(d, sources, count, lane, x, y, z, w);
        make_unit(d, x, y, z, w);
        store(d, x, y, z, w, blended.first + lane, blended.stride);
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

void normalize(Rows rotations, std::size_t lanes) {
    const Floats d;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto x = hn::Zero(d), y = x, z = x, w = x;
        load(d, rotations.first + lane, rotations.stride, x, y, z, w);
        make_unit(d, x, y, z, w);
        store(d, x, y, z, w, rotations.first + lane, rotations.stride);
    }
}

/// Small integers as floats, and back.
HWY_INLINE auto load_bytes(Floats d, const std::int8_t* from) {
    const hn::Rebind<std::int32_t, Floats> integers;
    return hn::ConvertTo(d, hn::PromoteTo(integers, hn::LoadU(hn::Rebind<std::int8_t, Floats>(), from)));
}
HWY_INLINE void store_bytes(hn::Vec<Floats> values, std::int8_t* to) {
    const hn::Rebind<std::int8_t, Floats> bytes;
    hn::StoreU(hn::DemoteTo(bytes, hn::NearestInt(values)), bytes, to);
}

void spread_signs(const std::uint32_t* words, std::size_t first, float* factors, std::size_t lanes) {
    const Floats d;
    const hn::RebindToUnsigned<Floats> bits;
    const auto one = hn::Set(bits, 0x3F800000U), lowest = hn::Set(bits, 1U), lane_index = hn::Iota(bits, 0U);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        const std::size_t joint = first + lane;
        const auto word = hn::Set(bits, words[joint / 32] >> (joint % 32));
        const auto sign = hn::ShiftLeft<31>(hn::And(hn::Shr(word, lane_index), lowest));
        hn::Store(hn::BitCast(d, hn::Or(one, sign)), d, factors + lane);
    }
}

/// The signs of these lanes, after their memory is brought up to how far two poses agree now.
HWY_INLINE Vector remembered(Floats d, Vector product, std::int8_t* signs, std::int8_t* agreements) {
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.0F), most = hn::Set(d, 127.0F);
    const auto clearly = hn::Set(d, 0.2F * 127);
    const auto agree = hn::Mul(product, most);
    const auto own = hn::IfThenElse(hn::Lt(agree, zero), hn::Neg(one), one);
    auto sign = load_bytes(d, signs);
    const auto before = load_bytes(d, agreements), now = hn::Mul(agree, sign);
    const auto apart = hn::And(hn::Lt(hn::Mul(now, before), zero),
                               hn::And(hn::Gt(hn::Abs(now), clearly), hn::Gt(hn::Abs(before), clearly)));
    sign = hn::IfThenElse(apart, hn::Neg(sign), sign);
    sign = hn::IfThenElse(hn::Eq(sign, zero), own, sign);
    store_bytes(sign, signs);
    store_bytes(hn::Clamp(hn::Mul(agree, sign), hn::Neg(most), most), agreements);
    return sign;
}

void lay_over(Rows below, ConstRows above, const float* weights, Hemispheres hemispheres, std::size_t lanes) {
    const Floats d;
    const auto one = hn::Set(d, 1.0F), zero = hn::Zero(d), least = hn::Set(d, 1e-12F);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto bx = zero, by = zero, bz = zero, bw = zero, ax = zero, ay = zero, az = zero, aw = zero;
        load(d, below.first + lane, below.stride, bx, by, bz, bw);
        load(d, above.first + lane, above.stride, ax, ay, az, aw);
        const auto product = hn::MulAdd(bw, aw, hn::MulAdd(bz, az, hn::MulAdd(by, ay, hn::Mul(bx, ax))));
        const auto sign = remembered(d, product, hemispheres.sign + lane, hemispheres.agreement + lane);
        const auto weight = hn::Load(d, weights + lane);
        const auto untouched = hn::Le(weight, zero), covered = hn::Ge(weight, one);
        if (hn::AllTrue(d, untouched)) { continue; }
        const auto rest = hn::Sub(one, weight), share = hn::Mul(weight, sign);
        const auto x = hn::MulAdd(ax, share, hn::Mul(bx, rest)), y = hn::MulAdd(ay, share, hn::Mul(by, rest));
        const auto z = hn::MulAdd(az, share, hn::Mul(bz, rest)), w = hn::MulAdd(aw, share, hn::Mul(bw, rest));
        const auto scale = hn::Div(one, hn::Sqrt(hn::Max(square_of(x, y, z, w), least)));
        const auto mixed = [&](auto under, auto over, auto sum) HWY_ATTR {
            return hn::IfThenElse(untouched, under, hn::IfThenElse(covered, hn::Mul(over, sign), hn::Mul(sum, scale)));
        };
        store(d, mixed(bx, ax, x), mixed(by, ay, y), mixed(bz, az, z), mixed(bw, aw, w), below.first + lane,
              below.stride);
    }
}

void turn_by(Rows rotations, ConstRows turn, std::size_t lanes) {
    const Floats d;
    const auto half = hn::Set(d, 0.5F), most = hn::Set(d, 2.4674011F); // the square of half of pi
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        auto rx = hn::Mul(half, hn::Load(d, turn.first + lane));
        auto ry = hn::Mul(half, hn::Load(d, turn.first + turn.stride + lane));
        auto rz = hn::Mul(half, hn::Load(d, turn.first + 2 * turn.stride + lane));
        // exp of a half turn h: (h sin|h|/|h|, cos|h|), both series in |h|^2, good to 1e-7 up to |h| = pi / 2.
        auto s = hn::MulAdd(rx, rx, hn::MulAdd(ry, ry, hn::Mul(rz, rz)));
        const auto too_long = hn::Gt(s, most);
        if (!hn::AllFalse(d, too_long)) {
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
        float* x = rotations.first + lane;
        float* y = x + rotations.stride;
        float* z = y + rotations.stride;
        float* w = z + rotations.stride;
        const auto bx = hn::Load(d, x), by = hn::Load(d, y), bz = hn::Load(d, z), bw = hn::Load(d, w);
        const auto minus = [](auto a, auto b, auto c) HWY_ATTR { return hn::NegMulAdd(a, b, c); };
        hn::Store(minus(az, by, hn::MulAdd(ay, bz, hn::MulAdd(ax, bw, hn::Mul(cosine, bx)))), d, x);
        hn::Store(minus(ax, bz, hn::MulAdd(az, bx, hn::MulAdd(ay, bw, hn::Mul(cosine, by)))), d, y);
        hn::Store(minus(ay, bx, hn::MulAdd(ax, by, hn::MulAdd(az, bw, hn::Mul(cosine, bz)))), d, z);
        hn::Store(minus(az, bz, minus(ay, by, minus(ax, bx, hn::Mul(cosine, bw)))), d, w);
    }
}

} // namespace gait::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace gait::kernels {

float remember(Hemispheres joint, float product) {
    const float agree = 127 * product, before = *joint.agreement;
    float sign = *joint.sign;
    const float now = agree * sign;
    constexpr float clearly = 0.2F * 127;
    if (now * before < 0 && std::fabs(now) > clearly && std::fabs(before) > clearly) { sign = -sign; }
    if (sign == 0) { sign = agree < 0 ? -1.0F : 1.0F; }
    *joint.sign = std::int8_t(sign);
    *joint.agreement = std::int8_t(std::nearbyint(std::clamp(agree * sign, -127.0F, 127.0F)));
    return sign;
}

HWY_EXPORT(model_matrices);
HWY_EXPORT(accumulate);
HWY_EXPORT(blend);
HWY_EXPORT(normalize);
HWY_EXPORT(turn_by);
HWY_EXPORT(lay_over);
HWY_EXPORT(spread_signs);

void accumulate(Rows sum, const BlendSource* sources, std::size_t count, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(accumulate)(sum, sources, count, lanes);
}

void blend(Rows blended, const BlendSource* sources, std::size_t count, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(blend)(blended, sources, count, lanes);
}

void model_matrices(const LocalPose& pose, const float* inverse_bind, float* matrices) {
    HWY_DYNAMIC_DISPATCH(model_matrices)(pose, inverse_bind, matrices);
}

void normalize(Rows rotations, std::size_t lanes) { HWY_DYNAMIC_DISPATCH(normalize)(rotations, lanes); }

void turn_by(Rows rotations, ConstRows turn, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(turn_by)(rotations, turn, lanes);
}

void spread_signs(const std::uint32_t* words, std::size_t first, float* factors, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(spread_signs)(words, first, factors, lanes);
}

void lay_over(Rows below, ConstRows above, const float* weights, Hemispheres hemispheres, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(lay_over)(below, above, weights, hemispheres, lanes);
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
