#include "math/pose_kernels.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "math/pose_kernels.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace gait::kernels::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
using Floats = hn::CappedTag<float, 16>;

void accumulate(Rows sum, const BlendSource* sources, std::size_t count, std::size_t lanes) {
    const Floats d;
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        float* to = sum.first + lane;
        auto qx = hn::Load(d, to), qy = hn::Load(d, to + sum.stride);
        auto qz = hn::Load(d, to + 2 * sum.stride), qw = hn::Load(d, to + 3 * sum.stride);
        for (std::size_t i = 0; i < count; ++i) {
            const BlendSource& source = sources[i];
            auto first = hn::Set(d, source.first_weight), second = hn::Set(d, source.second_weight);
            if (source.signs != nullptr) {
                const auto sign = hn::Load(d, source.signs + lane);
                first = hn::Mul(first, sign);
                second = hn::Mul(second, sign);
            }
            const float* a = source.from.first + lane;
            const float* b = source.to.first + lane;
            const std::size_t sa = source.from.stride, sb = source.to.stride;
            qx = hn::MulAdd(hn::Load(d, b), second, hn::MulAdd(hn::Load(d, a), first, qx));
            qy = hn::MulAdd(hn::Load(d, b + sb), second, hn::MulAdd(hn::Load(d, a + sa), first, qy));
            qz = hn::MulAdd(hn::Load(d, b + 2 * sb), second, hn::MulAdd(hn::Load(d, a + 2 * sa), first, qz));
            qw = hn::MulAdd(hn::Load(d, b + 3 * sb), second, hn::MulAdd(hn::Load(d, a + 3 * sa), first, qw));
        }
        hn::Store(qx, d, to);
        hn::Store(qy, d, to + sum.stride);
        hn::Store(qz, d, to + 2 * sum.stride);
        hn::Store(qw, d, to + 3 * sum.stride);
    }
}

/// product = left * right, where `right` holds the upper three rows of its columns `step` floats apart and its last row
/// is 0 0 0 1. `product` may be `left`.
HWY_INLINE void multiply(const float* left, const float* right, std::size_t step, float* product) {
    const hn::CappedTag<float, 4> d; // a column; a row at a time where there are no vectors
    for (std::size_t row = 0; row < 4; row += hn::Lanes(d)) {
        const auto x = hn::LoadU(d, left + row), y = hn::LoadU(d, left + row + 4);
        const auto z = hn::LoadU(d, left + row + 8), w = hn::LoadU(d, left + row + 12);
        const auto carried = [&](const float* v) HWY_ATTR {
            return hn::MulAdd(x, hn::Set(d, v[0]), hn::MulAdd(y, hn::Set(d, v[1]), hn::Mul(z, hn::Set(d, v[2]))));
        };
        const auto a = carried(right), b = carried(right + step), c = carried(right + 2 * step);
        const auto t = hn::Add(w, carried(right + 3 * step));
        hn::StoreU(a, d, product + row);
        hn::StoreU(b, d, product + row + 4);
        hn::StoreU(c, d, product + row + 8);
        hn::StoreU(t, d, product + row + 12);
    }
}

// Matrices go joint by joint, a column a vector of four. Widening over the joints of one level was the other way: a
// person's levels hold five joints on average, so that most lanes would idle, and each parent's twelve numbers would
// have to be gathered.
void model_matrices(const LocalPose& pose, float* matrices) {
    constexpr std::size_t block = 64;
    const Floats d;
    HWY_ALIGN float r[9][block];
    for (std::size_t base = 0; base < pose.joints; base += block) {
        const std::size_t count = HWY_MIN(block, pose.joints - base);
        // The rotations' matrices, over all lanes at once.
        for (std::size_t lane = 0; lane < count; lane += hn::Lanes(d)) {
            const float* q = pose.rotations.first + base + lane;
            const std::size_t s = pose.rotations.stride;
            const auto x = hn::Load(d, q), y = hn::Load(d, q + s), z = hn::Load(d, q + 2 * s),
                       w = hn::Load(d, q + 3 * s);
            const auto one = hn::Set(d, 1.0F);
            const auto x2 = hn::Add(x, x), y2 = hn::Add(y, y), z2 = hn::Add(z, z);
            const auto xx = hn::Mul(x, x2), yy = hn::Mul(y, y2), zz = hn::Mul(z, z2);
            const auto xy = hn::Mul(x, y2), xz = hn::Mul(x, z2), yz = hn::Mul(y, z2);
            const auto wx = hn::Mul(w, x2), wy = hn::Mul(w, y2), wz = hn::Mul(w, z2);
            auto sx = one, sy = one, sz = one;
            if (pose.scales.first != nullptr) {
                sx = hn::Load(d, pose.scales.first + base + lane);
                sy = hn::Load(d, pose.scales.first + pose.scales.stride + base + lane);
                sz = hn::Load(d, pose.scales.first + 2 * pose.scales.stride + base + lane);
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
        for (std::size_t i = 0; i < count; ++i) {
            const std::size_t joint = base + i;
            const float* t = pose.translations.first + joint;
            const std::size_t ts = pose.translations.stride;
            float* m = matrices + 16 * joint;
            const int parent = pose.parents[joint];
            if (parent < 0) {
                const float root[16] = {r[0][i], r[1][i], r[2][i], 0, r[3][i], r[4][i], r[5][i],   0,
                                        r[6][i], r[7][i], r[8][i], 0, t[0],    t[ts],   t[2 * ts], 1};
                for (std::size_t e = 0; e < 16; ++e) { m[e] = root[e]; }
                continue;
            }
            const float local[12] = {r[0][i], r[1][i], r[2][i], r[3][i], r[4][i], r[5][i],
                                     r[6][i], r[7][i], r[8][i], t[0],    t[ts],   t[2 * ts]};
            multiply(matrices + 16 * std::size_t(parent), local, 3, m);
        }
    }
}

void bind_matrices(float* matrices, const float* inverse_bind, std::size_t joints) {
    for (std::size_t joint = 0; joint < joints; ++joint) {
        float* m = matrices + 16 * joint;
        multiply(m, inverse_bind + 16 * joint, 4, m);
    }
}

void normalize(Rows rotations, std::size_t lanes) {
    const Floats d;
    const auto least = hn::Set(d, 1e-12F);
    const auto one = hn::Set(d, 1.0F);
    const auto zero = hn::Zero(d);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        float* x = rotations.first + lane;
        float* y = x + rotations.stride;
        float* z = y + rotations.stride;
        float* w = z + rotations.stride;
        const auto qx = hn::Load(d, x), qy = hn::Load(d, y), qz = hn::Load(d, z), qw = hn::Load(d, w);
        const auto square = hn::MulAdd(qx, qx, hn::MulAdd(qy, qy, hn::MulAdd(qz, qz, hn::Mul(qw, qw))));
        const auto cancelled = hn::Lt(square, least);
        const auto scale = hn::IfThenElse(cancelled, zero, hn::Div(one, hn::Sqrt(hn::Max(square, least))));
        hn::Store(hn::Mul(qx, scale), d, x);
        hn::Store(hn::Mul(qy, scale), d, y);
        hn::Store(hn::Mul(qz, scale), d, z);
        hn::Store(hn::IfThenElse(cancelled, one, hn::Mul(qw, scale)), d, w);
    }
}

void turn_by(Rows rotations, ConstRows turn, std::size_t lanes) {
    const Floats d;
    const auto half = hn::Set(d, 0.5F);
    for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
        const auto rx = hn::Mul(half, hn::Load(d, turn.first + lane));
        const auto ry = hn::Mul(half, hn::Load(d, turn.first + turn.stride + lane));
        const auto rz = hn::Mul(half, hn::Load(d, turn.first + 2 * turn.stride + lane));
        // exp of a half turn h: (h sin|h|/|h|, cos|h|), both series in |h|^2, good to 1e-7 up to |h| = pi / 2.
        const auto s = hn::MulAdd(rx, rx, hn::MulAdd(ry, ry, hn::Mul(rz, rz)));
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

HWY_EXPORT(model_matrices);
HWY_EXPORT(bind_matrices);
HWY_EXPORT(accumulate);
HWY_EXPORT(normalize);
HWY_EXPORT(turn_by);

void accumulate(Rows sum, const BlendSource* sources, std::size_t count, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(accumulate)(sum, sources, count, lanes);
}

void model_matrices(const LocalPose& pose, float* matrices) { HWY_DYNAMIC_DISPATCH(model_matrices)(pose, matrices); }

void bind_matrices(float* matrices, const float* inverse_bind, std::size_t joints) {
    HWY_DYNAMIC_DISPATCH(bind_matrices)(matrices, inverse_bind, joints);
}

void normalize(Rows rotations, std::size_t lanes) { HWY_DYNAMIC_DISPATCH(normalize)(rotations, lanes); }

void turn_by(Rows rotations, ConstRows turn, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(turn_by)(rotations, turn, lanes);
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
