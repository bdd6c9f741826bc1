/// Programs of the system, begun without a shell.
#pragma once

#include <string>
#include <sys/types.h>
#include <vector>

namespace gait::tool {

/// A program that was begun, or why it was not.
struct Spawned {
    pid_t child = 0;
    int problem = 0; ///< an errno; 0 when it runs
};

/// Begins a program, which hears interruptions by itself. What it writes to its error stream goes to the file `errors`;
/// where that is empty it reads and writes nothing at all.
[[nodiscard]] Spawned spawn(std::vector<std::string> words, const std::string& errors);

} // namespace gait::tool
