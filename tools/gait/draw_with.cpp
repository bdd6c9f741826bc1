#include "draw_with.hpp"

#include "files/unfinished.hpp"
#include "files/write_file.hpp"

#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <fcntl.h>
#include <filesystem>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

extern char** environ; // NOLINT: POSIX names it so

namespace gait::tool {
namespace {

std::optional<std::string> run(const DrawingProgram& program, std::vector<std::string> words,
                               const std::string& errors_path) {
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    // It may be interrupted by itself.
    posix_spawnattr_t attributes;
    posix_spawnattr_init(&attributes);
    sigset_t none;
    sigemptyset(&none);
    posix_spawnattr_setsigmask(&attributes, &none);
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGMASK);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, errors_path.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    words.insert(words.begin(), program.name);
    std::vector<char*> arguments;
    for (std::string& word : words) { arguments.push_back(word.data()); }
    arguments.push_back(nullptr);
    pid_t child = 0;
    const int failed = posix_spawnp(&child, program.name.c_str(), &actions, &attributes, arguments.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    posix_spawnattr_destroy(&attributes);
    if (failed != 0) {
        return "cannot be drawn: " + program.name + " does not start (" + detail::system_reason(failed) +
               "); install it: apt install " + program.package;
    }
    const detail::Unfinished running(child);
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {}
    if (WIFEXITED(status) && WEXITSTATUS(status) == 0) { return std::nullopt; }
    return "cannot be drawn: " + program.name + " failed: " + detail::read_file(errors_path).bytes.substr(0, 300);
}

} // namespace

std::optional<std::string> draw_with(const DrawingProgram& program, const std::string& path,
                                     const std::function<std::string(const std::string& picture)>& script_for) {
    std::string folder = (std::filesystem::temp_directory_path() / "gait-drawing-XXXXXX").string();
    if (::mkdtemp(folder.data()) == nullptr) {
        return "cannot be drawn: no temporary folder: " + detail::system_reason(errno);
    }
    const std::filesystem::path base = folder;
    const detail::Unfinished unfinished(base);
    const std::string script = (base / "script").string(), picture = (base / "picture").string();
    auto problem = detail::write_file(script, script_for(picture));
    if (!problem) { problem = run(program, program.arguments(script, picture), (base / "errors").string()); }
    if (!problem) {
        const detail::FileContents drawn = detail::read_file(picture);
        problem = drawn.problem ? drawn.problem : detail::write_file(path, drawn.bytes);
    }
    std::error_code ignored;
    std::filesystem::remove_all(base, ignored);
    return problem;
}

} // namespace gait::tool
