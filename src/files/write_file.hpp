/// Files are read whole, and written beside and renamed: never half.
#pragma once

#include "gait/file_reader.hpp"

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace gait::detail {

/// The reason the last system call failed, in lower case.
[[nodiscard]] std::string system_reason(int error_number);

struct FileContents {
    std::string bytes;
    std::optional<std::string> problem; ///< a clause, such as `cannot be read: no such file or directory`
};

/// From the disk, or from `from` where that is given.
[[nodiscard]] FileContents read_file(const std::filesystem::path& path, const FileReader& from = {});

/// Writes `bytes` to `path` through a new file in the same folder, whose name cannot be foreseen: either all is written
/// or nothing changes. The mode of what was there is kept, and a link is followed. A device is written to. Returns a
/// clause that says why not, or nothing.
[[nodiscard]] std::optional<std::string> write_file(const std::filesystem::path& path, std::string_view bytes);

} // namespace gait::detail
