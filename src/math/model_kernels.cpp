#include "math/model_kernels.hpp"

#include "gait/no_index.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "math/model_kernels.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "math/lanes_inl.hpp"

#include <cstring>

HWY_BEFORE_NAMESPACE();
namespace gait::kernels::HWY_NAMESPACE {

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

HWY_ALIGN static constexpr float identity[16] = {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};

/// Three rows of left * right, 12 floats, as `multiply` sums them.
HWY_INLINE void multiply_by_rows(const float* left, const float* right, float* product) {
#if HWY_TARGET == HWY_SCALAR
    float columns[16];
    multiply(left, right, columns);
    for (std::size_t e = 0; e < 12; ++e) { product[e] = columns[4 * (e % 4) + e / 4]; }
#else
    const hn::FixedTag<float, 4> row;
    auto x = hn::Zero(row), y = x, z = x, w = x;
    hn::LoadInterleaved4(row, right, x, y, z, w);
    for (std::size_t r = 0; r < 3; ++r) {
        const auto element = [&](std::size_t column) HWY_ATTR { return hn::Set(row, left[4 * column + r]); };
        const auto upper = hn::MulAdd(element(0), x, hn::Mul(element(1), y));
        const auto lower = hn::MulAdd(element(2), z, hn::Mul(element(3), w));
        hn::StoreU(hn::Add(upper, lower), row, product + 4 * r);
    }
#endif
}

/// The model matrix of a skin's joint.
HWY_INLINE const float* matrix_of(const Skin& skin, std::size_t index, const float* model) {
    const std::uint16_t joint = skin.joints[index];
    return joint == no_index ? identity : model + 16 * std::size_t(joint);
}

void skin_matrices(const Skin& skin, const float* model, float* matrices) {
    for (std::size_t i = 0; i < skin.count; ++i) {
        multiply(matrix_of(skin, i, model), skin.inverse_bind + 16 * i, matrices + 16 * i);
    }
}

void skin_matrices_by_rows(const Skin& skin, const float* model, float* matrices) {
    for (std::size_t i = 0; i < skin.count; ++i) {
        multiply_by_rows(matrix_of(skin, i, model), skin.inverse_bind + 16 * i, matrices + 12 * i);
    }
}

/// product = above * (three columns of `local`, whose elements are `stride` apart, and `move`, whose are `apart`),
/// column by column.
HWY_INLINE void carry_matrix(const float* above, const float* local, std::size_t stride, const float* move,
                             std::size_t apart, float* product) {
    const hn::CappedTag<float, 4> part; // a column; an element at a time where there are no vectors
    for (std::size_t e = 0; e < 4; e += hn::Lanes(part)) {
        const auto x = hn::LoadU(part, above + e), y = hn::LoadU(part, above + e + 4),
                   z = hn::LoadU(part, above + e + 8);
        const auto times = [&](const float* own, std::size_t between) HWY_ATTR {
            const auto of_z = hn::Mul(z, hn::Set(part, own[2 * between]));
            return hn::MulAdd(x, hn::Set(part, own[0]), hn::MulAdd(y, hn::Set(part, own[between]), of_z));
        };
        hn::StoreU(times(local, stride), part, product + e);
        hn::StoreU(times(local + 3 * stride, stride), part, product + e + 4);
        hn::StoreU(times(local + 6 * stride, stride), part, product + e + 8);
        hn::StoreU(hn::Add(hn::LoadU(part, above + e + 12), times(move, apart)), part, product + e + 12);
    }
}

// Joint by joint, a column a vector of four, level by level: joints of one level do not wait for each other, and a
// processor works on several at once. (Widening over a level instead leaves most lanes idle, as a person's levels hold
// five joints on average, and gathers twelve numbers of each parent.) What bounds it is how many instructions and
// shuffles there are, not the waiting: so bind matrices come in a short loop of their own, which takes a fifth off the
// whole.
void model_matrices(const LocalPose& pose, const float* inverse_bind, float* matrices) {
    const Floats d;
    const auto one = hn::Set(d, 1.0F);
    HWY_ALIGN float local[9][level_order_chunk];
    const std::size_t joints = pose.joints;
    const std::uint16_t* const order = pose.level_order;
    const std::int16_t* const parents = pose.parents;
    const float* const moves = pose.translations.first;
    const std::size_t apart = pose.translations.stride;
    for (std::size_t base = 0; base < joints; base += level_order_chunk) {
        const std::size_t count = HWY_MIN(level_order_chunk, joints - base);
        // The matrices of each joint by itself, many joints at once.
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
            hn::Store(hn::Mul(hn::Sub(one, hn::Add(yy, zz)), sx), d, local[0] + lane);
            hn::Store(hn::Mul(hn::Add(xy, wz), sx), d, local[1] + lane);
            hn::Store(hn::Mul(hn::Sub(xz, wy), sx), d, local[2] + lane);
            hn::Store(hn::Mul(hn::Sub(xy, wz), sy), d, local[3] + lane);
            hn::Store(hn::Mul(hn::Sub(one, hn::Add(xx, zz)), sy), d, local[4] + lane);
            hn::Store(hn::Mul(hn::Add(yz, wx), sy), d, local[5] + lane);
            hn::Store(hn::Mul(hn::Add(xz, wy), sz), d, local[6] + lane);
            hn::Store(hn::Mul(hn::Sub(yz, wx), sz), d, local[7] + lane);
            hn::Store(hn::Mul(hn::Sub(one, hn::Add(xx, yy)), sz), d, local[8] + lane);
        }
        for (std::size_t i = base; i < base + count; ++i) {
            const std::size_t joint = order[i];
            const int parent = parents[joint];
            const float* const above = parent < 0 ? identity : matrices + 16 * std::size_t(parent);
            carry_matrix(above, local[0] + joint - base, level_order_chunk, moves + joint, apart,
                         matrices + 16 * joint);
        }
    }
    if (inverse_bind == nullptr) { return; }
    for (std::size_t m = 0; m < 16 * joints; m += 16) { multiply(matrices + m, inverse_bind + m, matrices + m); }
}

// A vector's joints at a time, their numbers side by side, and from there to where each stands.
void local_transforms(const LocalPose& pose, std::size_t joints, float* transforms) {
    const Floats d;
    const auto one = hn::Set(d, 1.0F);
    for (std::size_t base = 0; base < joints; base += hn::Lanes(d)) {
        HWY_ALIGN float turns[4 * most_lanes], moves[4 * most_lanes], sizes[2 * most_lanes];
        const auto load = [&](const ConstRows& rows, std::size_t row)
                              HWY_ATTR { return hn::Load(d, rows.first + row * rows.stride + base); };
        const bool scales = pose.scales.first != nullptr;
        hn::StoreInterleaved4(load(pose.rotations, 0), load(pose.rotations, 1), load(pose.rotations, 2),
                              load(pose.rotations, 3), d, turns);
        hn::StoreInterleaved4(load(pose.translations, 0), load(pose.translations, 1), load(pose.translations, 2),
                              scales ? load(pose.scales, 0) : one, d, moves);
        hn::StoreInterleaved2(scales ? load(pose.scales, 1) : one, scales ? load(pose.scales, 2) : one, d, sizes);
        const std::size_t count = HWY_MIN(hn::Lanes(d), joints - base);
        for (std::size_t lane = 0; lane < count; ++lane) {
            float* const out = transforms + 10 * (base + lane);
            std::memcpy(out, turns + 4 * lane, 4 * sizeof(float));
            std::memcpy(out + 4, moves + 4 * lane, 4 * sizeof(float));
            std::memcpy(out + 8, sizes + 2 * lane, 2 * sizeof(float));
        }
    }
}

/// p * r, quaternions of four numbers each. `product` may be either.
HWY_INLINE void multiply_quaternions(const float* p, const float* r, float* product) {
#if HWY_TARGET == HWY_SCALAR
    const float px = p[0], py = p[1], pz = p[2], pw = p[3], rx = r[0], ry = r[1], rz = r[2], rw = r[3];
    product[0] = pw * rx + px * rw + py * rz - pz * ry;
    product[1] = pw * ry - px * rz + py * rw + pz * rx;
    product[2] = pw * rz + px * ry - py * rx + pz * rw;
    product[3] = pw * rw - px * rx - py * ry - pz * rz;
#else
    const hn::FixedTag<float, 4> four;
    const auto a = hn::LoadU(four, p), q = hn::Load(four, r);
    // A sum of four: q's components in another order, some with another sign.
    HWY_ALIGN static constexpr float of_x[4] = {1, -1, 1, -1}, of_y[4] = {1, 1, -1, -1}, of_z[4] = {-1, 1, 1, -1};
    const auto x = hn::Mul(hn::Broadcast<0>(a), hn::Load(four, of_x));
    const auto y = hn::Mul(hn::Broadcast<1>(a), hn::Load(four, of_y));
    const auto z = hn::Mul(hn::Broadcast<2>(a), hn::Load(four, of_z));
    const auto first = hn::MulAdd(x, hn::Shuffle0123(q), hn::Mul(hn::Broadcast<3>(a), q));
    const auto second = hn::Mul(z, hn::Shuffle2301(q));
    hn::StoreU(hn::Add(first, hn::MulAdd(y, hn::Shuffle1032(q), second)), four, product);
#endif
}

/// What a joint's parent, `above`, makes of its rotation `r` and its translation `t`: seven numbers, and one more.
HWY_INLINE void carry(const float* above, const float* r, const float* t, float* out) {
    multiply_quaternions(above, r, out);
#if HWY_TARGET == HWY_SCALAR
    const float px = above[0], py = above[1], pz = above[2], pw = above[3];
    const float ux = 2 * (py * t[2] - pz * t[1]), uy = 2 * (pz * t[0] - px * t[2]), uz = 2 * (px * t[1] - py * t[0]);
    out[4] = above[4] + t[0] + pw * ux + py * uz - pz * uy;
    out[5] = above[5] + t[1] + pw * uy + pz * ux - px * uz;
    out[6] = above[6] + t[2] + pw * uz + px * uy - py * ux;
#else
    const hn::FixedTag<float, 4> four;
    const auto p = hn::LoadU(four, above);
    const auto pw = hn::Broadcast<3>(p);
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

/// Writes quaternions one after the other, each after what carries it: its parent's times its own.
HWY_INLINE void carry_rotations(const std::int16_t* parents, std::size_t first, std::size_t lanes, float* below,
                                float* target) {
    for (std::size_t lane = 0; lane < lanes; ++lane) {
        if (parents[lane] < 0) { continue; }
        const std::size_t joint = 4 * (first + lane), parent = 4 * std::size_t(parents[lane]);
        // Two that do not wait for each other.
        multiply_quaternions(below + parent, below + joint, below + joint);
        multiply_quaternions(target + parent, target + joint, target + joint);
    }
}

bool lay_over_in_model(const ModelWindow& window, const ModelRotations& model, Rows rotations) {
    const Floats d;
    const auto zero = hn::Zero(d);
    float* const below = model.below + 4 * window.first;
    float* const target = model.target + 4 * window.first;
    float* const shown = model.shown + 4 * window.first;
    for (std::size_t lane = 0; lane < window.lanes; lane += hn::Lanes(d)) {
        auto x = zero, y = zero, z = zero, w = zero;
        load(d, rotations.first + lane, rotations.stride, x, y, z, w);
        hn::StoreInterleaved4(x, y, z, w, d, below + 4 * lane);
        load(d, window.above.first + lane, window.above.stride, x, y, z, w);
        hn::StoreInterleaved4(x, y, z, w, d, target + 4 * lane);
    }
    carry_rotations(window.parents, window.first, window.lanes, model.below, model.target);
    bool far = false;
    for (std::size_t lane = 0; lane < window.lanes; lane += hn::Lanes(d)) {
        auto bx = zero, by = zero, bz = zero, bw = zero, ax = zero, ay = zero, az = zero, aw = zero;
        hn::LoadInterleaved4(d, below + 4 * lane, bx, by, bz, bw);
        hn::LoadInterleaved4(d, target + 4 * lane, ax, ay, az, aw);
        const Hemispheres& all = window.hemispheres;
        const Hemispheres sides{all.sign + lane, all.agreement + lane, all.turned + lane};
        lay_over(d, hn::Load(d, window.weights + lane), sides, far, ax, ay, az, aw, bx, by, bz, bw);
        hn::StoreInterleaved4(bx, by, bz, bw, d, shown + 4 * lane);
    }
    if (far) { return false; }
    for (std::size_t lane = 0; lane < window.lanes; lane += hn::Lanes(d)) {
        const auto untouched = hn::Le(hn::Load(d, window.weights + lane), zero);
        if (hn::AllTrue(d, untouched)) { continue; }
        HWY_ALIGN float above[4 * most_lanes];
        for (std::size_t i = 0; i < hn::Lanes(d); ++i) {
            const int parent = window.parents[lane + i];
            static constexpr float root[4] = {0, 0, 0, 1};
            const float* const from = parent < 0 ? root : model.shown + 4 * std::size_t(parent);
            for (std::size_t e = 0; e < 4; ++e) { above[4 * i + e] = from[e]; }
        }
        auto x = zero, y = zero, z = zero, w = zero, sx = zero, sy = zero, sz = zero, sw = zero;
        hn::LoadInterleaved4(d, above, x, y, z, w);
        hn::LoadInterleaved4(d, shown + 4 * lane, sx, sy, sz, sw);
        x = hn::Neg(x), y = hn::Neg(y), z = hn::Neg(z); // conjugate(parent) * own
        multiply<false>(x, y, z, w, sx, sy, sz, sw);
        make_unit(d, x, y, z, w);
        auto ox = zero, oy = zero, oz = zero, ow = zero;
        float* const out = rotations.first + lane;
        load(d, out, rotations.stride, ox, oy, oz, ow);
        store(d, hn::IfThenElse(untouched, ox, x), hn::IfThenElse(untouched, oy, y), hn::IfThenElse(untouched, oz, z),
              hn::IfThenElse(untouched, ow, w), out, rotations.stride);
    }
    return true;
}

} // namespace gait::kernels::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace gait::kernels {

HWY_EXPORT(model_matrices);
HWY_EXPORT(skin_matrices);
HWY_EXPORT(skin_matrices_by_rows);
HWY_EXPORT(local_transforms);
HWY_EXPORT(model_transforms);
HWY_EXPORT(lay_over_in_model);

void model_matrices(const LocalPose& pose, const float* inverse_bind, float* matrices) {
    HWY_DYNAMIC_DISPATCH(model_matrices)(pose, inverse_bind, matrices);
}

void skin_matrices(const Skin& skin, const float* model, float* matrices) {
    HWY_DYNAMIC_DISPATCH(skin_matrices)(skin, model, matrices);
}

void skin_matrices_by_rows(const Skin& skin, const float* model, float* matrices) {
    HWY_DYNAMIC_DISPATCH(skin_matrices_by_rows)(skin, model, matrices);
}

void local_transforms(const LocalPose& pose, std::size_t joints, float* transforms) {
    HWY_DYNAMIC_DISPATCH(local_transforms)(pose, joints, transforms);
}

void model_transforms(const LocalPose& pose, float* transforms, std::size_t stride) {
    HWY_DYNAMIC_DISPATCH(model_transforms)(pose, transforms, stride);
}

bool lay_over_in_model(const ModelWindow& window, const ModelRotations& model, Rows rotations) {
    return HWY_DYNAMIC_DISPATCH(lay_over_in_model)(window, model, rotations);
}

} // namespace gait::kernels
#endif
