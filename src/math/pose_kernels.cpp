#include "math/pose_kernels.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "math/pose_kernels.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace gait::kernels::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;
using Floats = hn::CappedTag<float, 16>;

void accumulate(Rows sum, ConstRows from, ConstRows to, float fraction, float weight, std::size_t lanes) {
    const Floats d;
    const auto second = hn::Set(d, weight * fraction);
    const auto first = hn::Set(d, weight - weight * fraction);
    for (std::size_t row = 0; row < 4; ++row) {
        float* out = sum.first + row * sum.stride;
        const float* a = from.first + row * from.stride;
        const float* b = to.first + row * to.stride;
        for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
            const auto partial = hn::MulAdd(hn::Load(d, a + lane), first, hn::Load(d, out + lane));
            hn::Store(hn::MulAdd(hn::Load(d, b + lane), second, partial), d, out + lane);
        }
    }
}

void accumulate_signed(Rows sum, ConstRows from, ConstRows to, float fraction, float weight, const float* signs,
                       std::size_t lanes) {
    const Floats d;
    const auto second = hn::Set(d, weight * fraction);
    const auto first = hn::Set(d, weight - weight * fraction);
    for (std::size_t row = 0; row < 4; ++row) {
        float* out = sum.first + row * sum.stride;
        const float* a = from.first + row * from.stride;
        const float* b = to.first + row * to.stride;
        for (std::size_t lane = 0; lane < lanes; lane += hn::Lanes(d)) {
            const auto between = hn::MulAdd(hn::Load(d, b + lane), second, hn::Mul(hn::Load(d, a + lane), first));
            hn::Store(hn::MulAdd(between, hn::Load(d, signs + lane), hn::Load(d, out + lane)), d, out + lane);
        }
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

HWY_EXPORT(accumulate);
HWY_EXPORT(accumulate_signed);
HWY_EXPORT(normalize);
HWY_EXPORT(turn_by);

void accumulate(Rows sum, ConstRows from, ConstRows to, float fraction, float weight, std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(accumulate)(sum, from, to, fraction, weight, lanes);
}

void accumulate_signed(Rows sum, ConstRows from, ConstRows to, float fraction, float weight, const float* signs,
                       std::size_t lanes) {
    HWY_DYNAMIC_DISPATCH(accumulate_signed)(sum, from, to, fraction, weight, signs, lanes);
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
