#include "support.hpp"
#include "gait/load.hpp"

#include <catch2/catch.hpp>

#include <array>
#include <cerrno>
#include <cfenv>
#include <fcntl.h>
#include <fstream>
#include <spawn.h>
#include <sstream>
#include <sys/wait.h>
#include <unistd.h>

extern char** environ; // NOLINT: POSIX names it so

namespace support {

std::filesystem::path project() { return GAIT_PROJECT_DIR; }
std::filesystem::path tool() { return GAIT_TOOL; }

TemporaryFolder::TemporaryFolder() {
    std::string name = (std::filesystem::temp_directory_path() / "gait-test-XXXXXX").string();
    REQUIRE(::mkdtemp(name.data()) != nullptr);
    path_ = name;
}

TemporaryFolder::~TemporaryFolder() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
}

std::string TemporaryFolder::write(const std::string& name, const std::string& bytes) const {
    std::ofstream(path_ / name, std::ios::binary) << bytes;
    return (path_ / name).string();
}

std::string read(const std::filesystem::path& path) {
    std::ifstream file(path, std::ios::binary);
    std::ostringstream text;
    text << file.rdbuf();
    return text.str();
}

Finished run(const std::vector<std::string>& arguments, const std::filesystem::path& folder) {
    const TemporaryFolder streams;
    const std::string out = (streams / "out").string(), err = (streams / "err").string();
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, out.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, err.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    posix_spawn_file_actions_addchdir_np(&actions, folder.c_str());
    std::vector<std::string> copies = arguments;
    std::vector<char*> pointers;
    for (std::string& argument : copies) { pointers.push_back(argument.data()); }
    pointers.push_back(nullptr);
    pid_t child = 0;
    const int failed = posix_spawnp(&child, pointers[0], &actions, nullptr, pointers.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    INFO("running " << arguments[0]);
    REQUIRE(failed == 0);
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {}
    return {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), read(out), read(err)};
}

Finished gait_tool(std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), tool().string());
    return run(arguments);
}

std::shared_ptr<const gait::Character> character(const std::string& text, const gait::Assets& assets) {
    const gait::DocumentRead document = gait::read_document_text(text, "test.gait.yaml");
    const gait::Compiled compiled = gait::compile(document.document, assets);
    INFO(gait::format(document.diagnostics) + gait::format(compiled.diagnostics));
    REQUIRE_FALSE(gait::has_errors(document.diagnostics));
    REQUIRE(compiled.character);
    return compiled.character;
}

std::string diagnose(const std::string& text, const gait::Assets& assets) {
    const gait::DocumentRead document = gait::read_document_text(text, "test.gait.yaml");
    return gait::format(document.diagnostics) + gait::format(gait::compile(document.document, assets).diagnostics);
}

const gait::ImportedFile& demo_file() {
    static const gait::ImportResult result = gait::import_gltf(project() / "demo/lamplighter.glb");
    if (!result.file) { throw std::runtime_error(gait::format(result.diagnostics)); }
    return *result.file;
}

const gait::ClipSource& demo_clip(std::string_view name) {
    for (const gait::ClipSource& clip : demo_file().clips) {
        if (clip.name == name) { return clip; }
    }
    throw std::runtime_error("no clip " + std::string(name));
}

const gait::Loaded& lamplighter() {
    static const gait::Loaded loaded = gait::load(project() / "demo/lamplighter.gait.yaml");
    INFO(gait::format(loaded.diagnostics));
    REQUIRE(loaded.character);
    return loaded;
}

bool computes_with_tiny_numbers(const std::function<void()>& work) {
    std::feclearexcept(FE_UNDERFLOW);
    work();
    return std::fetestexcept(FE_UNDERFLOW) != 0;
}

std::vector<gait::Transform> pose_of(const gait::Performer& performer) {
    std::vector<gait::Transform> pose(performer.character().joint_count());
    performer.pose(pose);
    return pose;
}

double greatest_turn(const std::vector<gait::Transform>& a, const std::vector<gait::Transform>& b) {
    double greatest = 0;
    for (std::size_t j = 0; j < a.size(); ++j) {
        greatest = std::max(greatest, gait::degrees_between(a[j].rotation, b[j].rotation));
    }
    return greatest;
}

} // namespace support
