/// The commands: each adds its options to the line and leaves what is to be run.
#pragma once

#include <CLI/CLI.hpp>

#include <functional>

namespace gait::tool {

/// What a command returns to the shell.
enum ExitCode : int {
    done = 0,
    found_errors = 1, ///< the document has errors, or a bound was missed
    bad_input = 2,    ///< bad usage, or input that cannot be read
};

/// Set by the command that was asked for.
using Run = std::function<int()>;

void add_begin(CLI::App& app, Run& run);
void add_clips(CLI::App& app, Run& run);
void add_check(CLI::App& app, Run& run);
void add_perform(CLI::App& app, Run& run);
void add_sketch(CLI::App& app, Run& run);
void add_map(CLI::App& app, Run& run);
void add_pack(CLI::App& app, Run& run);
void add_header(CLI::App& app, Run& run);
void add_stage(CLI::App& app, Run& run);
/// `completion` and `manual`, made from what the other commands say of themselves: to be added last.
void add_manual(CLI::App& app, Run& run);

} // namespace gait::tool
