/// \file
/// glTF 2.0 in and out (.glb, and .gltf with external or embedded buffers).
#pragma once

#include "gait/api.hpp"
#include "gait/body_reading.hpp"
#include "gait/clip.hpp"
#include "gait/diagnostic.hpp"
#include "gait/file_reader.hpp"
#include "gait/rig.hpp"

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gait {

/// What a file holds: one rig and the animations on it.
struct ImportedFile {
    Rig rig;
    std::vector<ClipSource> clips;            ///< on the rig's joints, in the file's order
    std::vector<std::filesystem::path> files; ///< it was read from: itself, and the buffers and pictures it refers to
};

/// `file` is empty when some diagnostic is an error.
struct ImportResult {
    std::optional<ImportedFile> file;
    Diagnostics diagnostics;
};

/// Reads `path`: the skin's joints and whatever links them, in topological order, with every animation.
///
/// Nodes above the first joint (an exporter's armature) are folded in: their rotation, translation and even scale are
/// applied to the joints, so that lengths are metres and +Y is up. Of several skins the one named `skin` is taken, or
/// the one with the most joints together with those that share its hierarchy. A file without a skin gives its animated
/// nodes. Doubled names are told apart by a number and said. Nothing outside the file's own folder is read.
/// A body that stands on another axis than +Y, faces another than +Z or is nobody's size in metres is turned and
/// scaled, its clips with it, as it shows by itself or `how` says; what was guessed is said in a note.
[[nodiscard]] GAIT_API ImportResult import_gltf(const std::filesystem::path& path, const std::string& skin = {},
                                                const BodyReading& how = {}, const FileReader& files = {});

/// Poses at even instants, to be written as one animation.
struct BakedMotion {
    std::string name;
    double frames_per_second = 60;
    std::vector<std::vector<Transform>> frames; ///< [frame][joint], local, in the imported rig's order
    std::vector<std::string> joints = {};       ///< their names, where they come in another order: all of the rig's
};

/// Writes `out` (.glb): a skin of the rig's joints alone, without a mesh, and `motion`: what a rig from BVH has.
/// Returns what went wrong, or nothing; the file is written beside and renamed, never half.
[[nodiscard]] GAIT_API Diagnostics bake_gltf(const Rig& rig, const BakedMotion& motion,
                                             const std::filesystem::path& out);

/// Writes `out` (.glb): the scene of `source` with its meshes and skins, its animations replaced by `motion`. Returns
/// what went wrong, or nothing; the file is written beside and renamed, never half.
[[nodiscard]] GAIT_API Diagnostics bake_gltf(const std::filesystem::path& source, const BakedMotion& motion,
                                             const std::filesystem::path& out, const std::string& skin = {},
                                             const BodyReading& how = {});

} // namespace gait
