/// What an output was made from, for builds.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace gait::tool {

/// As Make and Ninja read it: `out: files`, the files by their whole paths.
[[nodiscard]] std::string dependencies(const std::string& out, const std::vector<std::filesystem::path>& files);

} // namespace gait::tool
