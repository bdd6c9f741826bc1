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

std::string told_apart(const std::string& name, std::set<std::string>& used) {
    std::string unique = name;
    for (int n = 2; !used.insert(unique).second; ++n) { unique = fmt::format("{}_{}", name, n); }
    return unique;
}

} // namespace gait::detail
