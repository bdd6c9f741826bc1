#include "output.hpp"

#include "commands.hpp"
#include "diagnostics/utf8.hpp"

#include <fmt/format.h>
#include <spdlog/sinks/stdout_sinks.h>
#include <spdlog/spdlog.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <set>
#include <unistd.h>

namespace gait::tool {
namespace {

/// Characters, not bytes.
std::size_t width(const std::string& text) {
    return std::size_t(std::count_if(text.begin(), text.end(), detail::begins_character));
}

spdlog::logger& errors() {
    static const auto logger = [] {
        auto made = spdlog::stderr_logger_st("gait");
        made->set_pattern("%v");
        return made;
    }();
    return *logger;
}

bool& is_quiet() {
    static bool quiet = false;
    return quiet;
}

/// A terminal whose user has not asked for plain text (https://no-color.org).
bool on_terminal(int descriptor) {
    const char* plain = std::getenv("NO_COLOR");
    return ::isatty(descriptor) != 0 && (plain == nullptr || *plain == '\0');
}

} // namespace

std::string Table::text(const std::string& indent) const {
    std::vector<std::size_t> widths;
    for (std::size_t c = 0; c < columns_.size(); ++c) {
        std::size_t widest = width(columns_[c].heading);
        for (const auto& row : rows_) { widest = std::max(widest, width(row[c])); }
        widths.push_back(widest);
    }
    std::string out;
    const auto line = [&](const auto& cell) {
        std::string text = indent;
        for (std::size_t c = 0; c < columns_.size(); ++c) {
            const std::string value = cell(c);
            const std::string padding(widths[c] - width(value), ' ');
            text += columns_[c].align == Align::left ? value + padding : padding + value;
            if (c + 1 < columns_.size()) { text += "  "; }
        }
        text.erase(text.find_last_not_of(' ') + 1);
        out += text + '\n';
    };
    line([&](std::size_t c) { return columns_[c].heading; });
    for (const auto& row : rows_) {
        line([&](std::size_t c) { return row[c]; });
    }
    return out;
}

void print(const std::string& text) {
    if (std::fwrite(text.data(), 1, text.size(), stdout) == text.size() && std::fflush(stdout) == 0) { return; }
    if (errno == EPIPE) { std::_Exit(done); }
    complain(fmt::format("standard output cannot be written: {}", std::strerror(errno)));
    std::_Exit(bad_input);
}

void set_quiet(bool quiet) { is_quiet() = quiet; }

void print_json(const nlohmann::json& json) {
    print(json.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n");
}

void print_report(const std::string& text) {
    if (!is_quiet()) { print(printable(text, true)); }
}

Progress::Progress(std::string what, std::int64_t total)
    : what_(std::move(what)), total_(std::max<std::int64_t>(total, 1)), start_(std::chrono::steady_clock::now()),
      drawn_(start_) {}

Progress::~Progress() {
    if (shown_) { std::fputs("\r\x1b[K", stderr); }
}

void Progress::at(std::int64_t done) {
    using std::chrono::milliseconds;
    const auto now = std::chrono::steady_clock::now();
    if (now - start_ < milliseconds(1000) || now - drawn_ < milliseconds(100) || is_quiet() ||
        !on_terminal(STDERR_FILENO)) {
        return;
    }
    drawn_ = now;
    shown_ = true;
    constexpr std::int64_t width = 30;
    const std::int64_t filled = width * done / total_;
    const double gone = std::chrono::duration<double>(now - start_).count(),
                 left = gone / double(std::max<std::int64_t>(done, 1)) * double(total_ - done);
    fmt::print(stderr, "\r{} [{}{}] {:3} %, {:.0f} s left\x1b[K", what_, std::string(std::size_t(filled), '#'),
               std::string(std::size_t(width - filled), '.'), 100 * done / total_, left);
    std::fflush(stderr);
}

void report(const Diagnostics& diagnostics) {
    for (const Diagnostic& d : diagnostics) {
        std::string text = printable(format(d), true);
        if (on_terminal(STDERR_FILENO)) {
            // The word says it all; the colour only helps to find it.
            const auto [word, colour] = d.severity == Severity::error     ? std::pair{"error:", "31;1"}
                                        : d.severity == Severity::warning ? std::pair{"warning:", "33;1"}
                                                                          : std::pair{"note:", "36;1"};
            const std::size_t at = text.find(word);
            if (at != std::string::npos) {
                text.replace(at, std::strlen(word), fmt::format("\x1b[{}m{}\x1b[0m", colour, word));
            }
        }
        errors().error(text);
    }
}

void complain_quietly(const std::string& message) {
    if (is_quiet()) { complain(message); }
}

void complain(const std::string& message) { errors().error("gait: " + printable(message, true)); }

nlohmann::json to_json(const Diagnostics& diagnostics) {
    nlohmann::json list = nlohmann::json::array();
    for (const Diagnostic& d : diagnostics) {
        const char* severity = d.severity == Severity::error     ? "error"
                               : d.severity == Severity::warning ? "warning"
                                                                 : "note";
        nlohmann::json entry{{"severity", severity}, {"code", d.code}, {"message", d.message}, {"file", d.file}};
        if (d.place.line > 0) {
            entry["line"] = d.place.line;
            entry["column"] = d.place.column;
        }
        list.push_back(std::move(entry));
    }
    return list;
}

int exit_code(const Diagnostics& diagnostics) {
    static const std::set<std::string> unusable{
        "unreadable-file", "broken-file",   "outside-folder", "missing-buffer", "not-finite",
        "yaml-syntax",     "out-of-memory", "empty-file",     "no-joints",      "too-many-joints",
        "uneven-scale",    "too-long",      "unknown-skin"};
    if (!has_errors(diagnostics)) { return done; }
    const bool unreadable = std::any_of(diagnostics.begin(), diagnostics.end(), [](const Diagnostic& d) {
        return d.severity == Severity::error && unusable.contains(d.code);
    });
    return unreadable ? bad_input : found_errors;
}

} // namespace gait::tool
