/// The loops that go down a rig: from poses whose joints stand each against its parent to such as stand against the
/// body as a whole, and back. Written once and compiled for every vector width (Highway).
#pragma once

#include "math/pose_kernels.hpp"

#include <cstddef>
#include <cstdint>

namespace gait::kernels {

/// Joints are put in order of their level this many at a time, so that what is computed ahead fits on any stack.
inline constexpr std::size_t level_order_chunk = 128;

/// What model-space matrices are made from. Scales may be null where nothing scales.
struct LocalPose {
    ConstRows rotations;
    ConstRows translations;                     ///< three rows
    ConstRows scales;                           ///< three rows
    const std::int16_t* parents = nullptr;      ///< [joint], -1 for roots, smaller than the joint's own index
    const std::uint16_t* level_order = nullptr; ///< the joints of each chunk, those nearer the root first
    std::size_t joints = 0;
};

/// Model-space matrices [joint][16], column by column; times `inverse_bind` [joint][16] where that is not null.
void model_matrices(const LocalPose& pose, const float* inverse_bind, float* matrices);

/// How a skin's joints stand: [joint of the skin][16], column by column, `model` [joint][16] times `inverse_bind`
/// [joint of the skin][16]. `joints` says where in `model` each is; one of `no_index` stands as its `inverse_bind`.
struct Skin {
    const std::uint16_t* joints = nullptr;
    const float* inverse_bind = nullptr;
    std::size_t count = 0;
};
void skin_matrices(const Skin& skin, const float* model, float* matrices);
/// Three rows of each: [joint of the skin][12].
void skin_matrices_by_rows(const Skin& skin, const float* model, float* matrices);

/// The first `joints` as they stand: [joint][x y z w, x y z, x y z].
void local_transforms(const LocalPose& pose, std::size_t joints, float* transforms);

/// Model-space rotations and translations of a pose in which nothing scales: [joint][x y z w, x y z], `stride` floats
/// from joint to joint, 8 at least; what stands behind the seven is written over.
void model_transforms(const LocalPose& pose, float* transforms, std::size_t stride);

/// What stands of a rig in model space while one pose is laid over another: [joint][x y z w], on cache lines.
struct ModelRotations {
    float* below;  ///< of what is below
    float* target; ///< of the upper pose by itself
    float* shown;  ///< of both together
};
/// Lanes of a pose that are laid over those below in model space.
struct ModelWindow {
    ConstRows above;
    const float* weights;
    Hemispheres hemispheres;
    const std::int16_t* parents; ///< of the joints from `first` on, padding included; -1 for roots
    std::size_t first, lanes;    ///< joints; all pointers but those of `ModelRotations` begin at the first
};
/// Lays rotations over those below by `blend_rotations`, each joint as the body as a whole has it; what stands in
/// `rotations` is each against its parent, before and after. Where a weight is 0 they stay as they are. No joint that
/// counts may be below one that counts more. Window by window, from the first joint on: a window needs what those
/// before it have left in `model`. False, and `rotations` as they were, where some joint has come to lie on the far
/// side.
[[nodiscard]] bool lay_over_in_model(const ModelWindow& window, const ModelRotations& model, Rows rotations);

} // namespace gait::kernels
