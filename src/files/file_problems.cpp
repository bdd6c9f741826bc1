#include "files/file_problems.hpp"

#include <fmt/core.h>

namespace gait::detail {

void FileProblems::add(Severity severity, std::string code, std::string message) {
    Diagnostic d;
    d.severity = severity;
    d.code = std::move(code);
    d.message = std::move(message);
    d.file = file_;
    list_.push_back(std::move(d));
}
void FileProblems::error(std::string code, std::string message) {
    add(Severity::error, std::move(code), std::move(message));
}
void FileProblems::warn(std::string code, std::string message) {
    add(Severity::warning, std::move(code), std::move(message));
}
void FileProblems::note(std::string code, std::string message) {
    add(Severity::note, std::move(code), std::move(message));
}

std::string NameList::told_apart(const std::string& name) {
    const auto [own, is_new] = taken_.try_emplace(name, 1);
    if (is_new) { return name; }
    // References stay while the map grows.
    for (int& number = own->second;;) {
        std::string numbered = fmt::format("{}_{}", name, ++number);
        if (taken_.try_emplace(numbered, 1).second) { return numbered; }
    }
}

} // namespace gait::detail
