/// Drawing by a program of the system: a script in, a picture out.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace gait::tool {

struct DrawingProgram {
    std::string name;
    std::string package; ///< of Debian
    /// What it is called with, given the files of the script and of the picture.
    std::function<std::vector<std::string>(const std::string& script, const std::string& picture)> arguments;
};

/// Runs `program` on the script that `script_for(picture)` gives, in a folder of its own, and puts the picture at
/// `path`. Returns what went wrong.
[[nodiscard]] std::optional<std::string>
draw_with(const DrawingProgram& program, const std::string& path,
          const std::function<std::string(const std::string& picture)>& script_for);

} // namespace gait::tool
