#include "gnuplot.hpp"

#include "files/write_file.hpp"

#include <cerrno>
#include <cstdlib>
#include <fcntl.h>
#include <filesystem>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

extern char** environ; // NOLINT: POSIX names it so

namespace gait::tool {
namespace {

/// Runs gnuplot on a script file. Returns what went wrong.
std::optional<std::string> run_gnuplot(const std::string& script_path, const std::string& errors_path) {
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, errors_path.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    std::string program = "gnuplot", argument = script_path;
    std::array<char*, 3> arguments{program.data(), argument.data(), nullptr};
    pid_t child = 0;
    const int failed = posix_spawnp(&child, "gnuplot", &actions, nullptr, arguments.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    if (failed != 0) {
        return "cannot be drawn: gnuplot does not start (" + system_reason(failed) +
               "); install it: apt install gnuplot-nox";
    }
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {}
    if (WIFEXITED(status) && WEXITSTATUS(status) == 0) { return std::nullopt; }
    std::string said = read_file(errors_path).bytes.substr(0, 300);
    return "cannot be drawn: gnuplot failed: " + said;
}

} // namespace

std::string plot_colour(std::size_t index) {
    constexpr std::array<const char*, 7> colours{"#0072b2", "#e69f00", "#009e73", "#cc79a7",
                                                 "#56b4e9", "#d55e00", "#999999"};
    return colours[index % colours.size()];
}

std::string plot_text(const std::string& text) {
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\') { out += '\\'; }
        if (c != '\n') { out += c; }
    }
    return out + "\"";
}

std::string plot_head(const std::string& path, const std::string& output) {
    return std::string(path.ends_with(".svg")
                           ? "set terminal svg size 1280,800 font 'DejaVu Sans,11' background '#ffffff'\n"
                           : "set terminal pngcairo size 1280,800 font 'DejaVu Sans,10' noenhanced\n") +
           "set output " + plot_text(output) + "\n";
}

std::optional<std::string> draw_plot(const std::string& path,
                                     const std::function<std::string(const std::string& output)>& script_for) {
    std::string folder = (std::filesystem::temp_directory_path() / "gait-chart-XXXXXX").string();
    if (::mkdtemp(folder.data()) == nullptr) { return "cannot be drawn: no temporary folder: " + system_reason(errno); }
    const std::filesystem::path base = folder;
    const std::string drawn = (base / "chart").string();
    auto problem = write_file(base / "script", script_for(drawn));
    if (!problem) { problem = run_gnuplot((base / "script").string(), (base / "errors").string()); }
    if (!problem) {
        const FileContents picture = read_file(drawn);
        problem = picture.problem ? picture.problem : write_file(path, picture.bytes);
    }
    std::error_code ignored;
    std::filesystem::remove_all(base, ignored);
    return problem;
}

} // namespace gait::tool
