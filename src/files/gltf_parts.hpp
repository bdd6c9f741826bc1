/// Which other files a glTF file needs.
#pragma once

#include <filesystem>
#include <vector>

namespace gait::detail {

/// The buffers and images that a glTF file refers to, beside it. Nothing of a file that cannot be read: whoever imports
/// it tells why.
[[nodiscard]] std::vector<std::filesystem::path> gltf_parts(const std::filesystem::path& path);

} // namespace gait::detail
