/// The harbour master: a second body whose file is as awkward as files come.
#pragma once

#include "skeleton.hpp"

#include <tiny_gltf.h>

namespace lamplighter {

/// Other joint names, centimetres, +Z up, longer legs and shorter arms, an armature node above the joints, no skin; one
/// clip that loops and one that does not quite.
[[nodiscard]] tinygltf::Model make_harbour_master(const Skeleton& skeleton);

} // namespace lamplighter
