#include "draw_with.hpp"

#include "spawn.hpp"

#include "files/unfinished.hpp"
#include "files/write_file.hpp"

#include <cerrno>
#include <cstdlib>
#include <filesystem>
#include <sys/wait.h>
#include <unistd.h>

namespace gait::tool {
namespace {

std::optional<std::string> run(const DrawingProgram& program, std::vector<std::string> words,
                               const std::string& errors_path) {
    words.insert(words.begin(), program.name);
    const auto [child, failed] = spawn(std::move(words), errors_path);
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
