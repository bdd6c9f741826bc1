/// How the tool writes: tables that line up, and findings on the error stream.
#pragma once

#include "gait/diagnostic.hpp"
#include "quoting.hpp"

#include <nlohmann/json.hpp>

#include <chrono>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace gait::tool {

/// Rows of cells under headings, each column as wide as it needs. Numbers stand to the right.
class Table {
public:
    enum class Align { left, right };
    struct Column {
        std::string heading;
        Align align = Align::left;
    };
    explicit Table(std::vector<Column> columns) : columns_(std::move(columns)) {}
    void add(std::vector<std::string> cells) { rows_.push_back(std::move(cells)); }
    [[nodiscard]] bool empty() const { return rows_.empty(); }
    [[nodiscard]] std::string text(const std::string& indent = "  ") const;

private:
    std::vector<Column> columns_;
    std::vector<std::vector<std::string>> rows_;
};

/// Writes to standard output; a reader that has gone away ends the program quietly.
void print(const std::string& text);

/// With `--quiet` only findings and what was asked for as JSON is written.
void set_quiet(bool quiet);

/// Writes JSON; what is no UTF-8 in it becomes U+FFFD.
void print_json(const nlohmann::json& json);

/// Writes a report for people: nothing with `--quiet`.
void print_report(const std::string& text);

/// A bar on the error stream for work that takes longer than a second; only on a terminal, and not with `--quiet`.
class Progress {
public:
    Progress(std::string what, std::int64_t total);
    ~Progress();
    Progress(const Progress&) = delete;
    Progress& operator=(const Progress&) = delete;
    void at(std::int64_t done);

private:
    std::string what_;
    std::int64_t total_;
    std::chrono::steady_clock::time_point start_, drawn_;
    bool shown_ = false;
};

/// Writes findings to the error stream, with colours on a terminal.
void report(const Diagnostics& diagnostics);

/// One line to the error stream, after the tool's name.
void complain(const std::string& message);
/// The same where only findings are asked for: elsewhere the report has said it.
void complain_quietly(const std::string& message);

[[nodiscard]] nlohmann::json to_json(const Diagnostics& diagnostics);

/// The exit code that findings call for: unreadable input, errors, or neither.
[[nodiscard]] int exit_code(const Diagnostics& diagnostics);

} // namespace gait::tool
