/// What a command writes is none of what it reads, and each output is a file of its own.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace gait::tool {

/// A file that the command line asks for; one that was not asked for has an empty path.
struct Output {
    std::string option; ///< such as `--trace`
    std::string path;
};

/// `files` and one more, unless that is empty.
[[nodiscard]] std::vector<std::filesystem::path> with(std::vector<std::filesystem::path> files,
                                                      const std::string& more);

/// Whether an output would be written over one of `inputs` or of the other outputs; says which. Files are told apart by
/// what they are, not by how their paths are spelt: links lead to what they name. Devices are no files.
[[nodiscard]] bool overwrites(const std::vector<Output>& outputs, const std::vector<std::filesystem::path>& inputs);

} // namespace gait::tool
