/// \file
/// Where files come from, when they do not come from the disk.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>

namespace gait {

/// The bytes of a file, as a game's own archive has them; empty for one that is not there. It is asked by the path that
/// the disk would be asked by: the document's own, and below its folder those that it names. An empty reader reads the
/// disk. It may throw: that goes through to whoever called, or, for a buffer of a glTF file, is an error of that file.
using FileReader = std::function<std::optional<std::string>(const std::filesystem::path& path)>;

} // namespace gait
