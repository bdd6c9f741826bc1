/// What a command writes is none of what it reads, and each output is a file of its own.
#pragma once

#include "gait/document.hpp"

#include <filesystem>
#include <string>
#include <vector>

namespace gait::tool {

/// A file that the command line asks for; one that was not asked for has an empty path.
struct Output {
    std::string option; ///< such as `--trace`
    std::string path;
};

/// The file itself, and what it refers to when it is glTF.
[[nodiscard]] std::vector<std::filesystem::path> with_parts(const std::filesystem::path& path);

/// Whether an output would overwrite one of `inputs` or another output; says which. Files are told apart by what they
/// are, not by how their paths are spelt: links lead to what they name. Devices are no files.
[[nodiscard]] bool refuses_to_overwrite(const std::vector<Output>& outputs,
                                        const std::vector<std::filesystem::path>& inputs);

/// The same of every file that a document is made of, its bases', its rig's and its clips' with their parts, and of the
/// cue sheet, which may be none.
[[nodiscard]] bool refuses_to_overwrite(const std::vector<Output>& outputs, const Document& document,
                                        const std::string& cues);

} // namespace gait::tool
