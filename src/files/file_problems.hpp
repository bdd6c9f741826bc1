/// What every reader of a file that is no document needs: its findings, and names that are told apart.
#pragma once

#include "gait/diagnostic.hpp"

#include <string>
#include <unordered_map>

namespace gait::detail {

/// What follows the words of a `Stance`.
inline constexpr const char* turned_advice =
    "; where that is wrong, say 'up', 'faces' or 'scale' for the rig, or in a fit";

/// The most joints that a reader takes.
inline constexpr std::size_t most_joints_read = 1024;

/// Collects what is wrong with one file that is not quoted line by line.
class FileProblems {
public:
    explicit FileProblems(std::string file) : file_(std::move(file)) {}
    void error(std::string code, std::string message);
    void warn(std::string code, std::string message);
    void note(std::string code, std::string message);
    [[nodiscard]] bool failed() const { return has_errors(list_); }
    [[nodiscard]] Diagnostics take() { return std::move(list_); }

private:
    void add(Severity severity, std::string code, std::string message);
    std::string file_;
    Diagnostics list_;
};

/// Names that are told apart by numbers behind them.
class NameList {
public:
    /// `name`, or with a number behind it when it is taken already; it is taken from now on.
    [[nodiscard]] std::string told_apart(const std::string& name);

private:
    std::unordered_map<std::string, int> taken_; ///< and the number that was given behind it last
};

} // namespace gait::detail
