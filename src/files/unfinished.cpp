#include "files/unfinished.hpp"

#include <csignal>
#include <map>
#include <mutex>
#include <sys/wait.h>

namespace gait::detail {
namespace {

struct Left {
    std::filesystem::path path;
    pid_t process = 0;
};

struct Registry {
    std::mutex mutex;
    std::map<std::size_t, Left> left;
    std::size_t next = 0;
};

/// Never destroyed: what is unfinished may outlive what is static.
Registry& registry() {
    static auto* const all = new Registry;
    return *all;
}

std::size_t add(Left left) {
    const std::lock_guard lock(registry().mutex);
    registry().left.emplace(registry().next, std::move(left));
    return registry().next++;
}

} // namespace

Unfinished::Unfinished(std::filesystem::path path) : number_(add({std::move(path), 0})) {}
Unfinished::Unfinished(pid_t process) : number_(add({{}, process})) {}

Unfinished::~Unfinished() {
    const std::lock_guard lock(registry().mutex);
    registry().left.erase(number_);
}

void Unfinished::remove_all() {
    registry().mutex.lock(); // and never unlocked
    for (const auto& [number, left] : registry().left) {
        if (left.process == 0) { continue; }
        ::kill(left.process, SIGKILL);
        ::waitpid(left.process, nullptr, 0);
    }
    for (const auto& [number, left] : registry().left) {
        std::error_code ignored;
        if (left.process == 0) { std::filesystem::remove_all(left.path, ignored); }
    }
}

} // namespace gait::detail
