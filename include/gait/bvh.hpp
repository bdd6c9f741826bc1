/// \file
/// BVH in and out: the motion-capture format that carries a hierarchy and its motion as text, but neither unit nor
/// axes.
#pragma once

#include "gait/api.hpp"
#include "gait/gltf.hpp"

#include <filesystem>
#include <string>

namespace gait {

/// Reads `path`: any order of channels, positions on any joint, several roots, end sites (which become no joints),
/// every kind of line end. BVH says neither unit nor axes: what `how` leaves out is read from the body and said in a
/// note. The clip is called as the file. A rest pose that hangs below the ground is stood on it. Errors name line and
/// column.
[[nodiscard]] GAIT_API ImportResult import_bvh(const std::filesystem::path& path, const BodyReading& how = {},
                                               const FileReader& files = {});

/// Writes `motion`, local poses of `rig`, as BVH in metres with +Y up. BVH knows no turn at rest: turns are written
/// relative to the rest pose, in model space; positions where a joint moves off its rest; scales are lost. Returns what
/// went wrong, or nothing; the file is written beside and renamed, never half.
[[nodiscard]] GAIT_API Diagnostics bake_bvh(const Rig& rig, const BakedMotion& motion,
                                            const std::filesystem::path& out);

/// Reads a file by its ending: `.bvh` as BVH, anything else as glTF.
[[nodiscard]] GAIT_API ImportResult import_file(const std::filesystem::path& path, const std::string& skin = {},
                                                const BodyReading& how = {}, const FileReader& files = {});

} // namespace gait
