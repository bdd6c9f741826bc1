#include "output.hpp"

#include "commands.hpp"

#include <fmt/format.h>
#include <spdlog/sinks/stdout_sinks.h>
#include <spdlog/spdlog.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <set>

namespace gait::tool {
namespace {

/// Characters, not bytes.
std::size_t width(const std::string& text) {
    return std::size_t(std::count_if(text.begin(), text.end(),
                                     [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80U; }));
}

spdlog::logger& errors() {
    static const auto logger = [] {
        auto made = spdlog::stderr_logger_st("gait");
        made->set_pattern("%v");
        return made;
    }();
    return *logger;
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

void report(const Diagnostics& diagnostics) {
    for (const Diagnostic& d : diagnostics) { errors().error(format(d)); }
}

void complain(const std::string& message) { errors().error("gait: " + message); }

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
    static const std::set<std::string> unusable{"unreadable-file", "broken-file",  "outside-folder", "missing-buffer",
                                                "not-finite",      "yaml-syntax",  "empty-file",     "no-joints",
                                                "too-many-joints", "uneven-scale", "too-long",       "unknown-skin"};
    if (!has_errors(diagnostics)) { return done; }
    const bool unreadable = std::any_of(diagnostics.begin(), diagnostics.end(), [](const Diagnostic& d) {
        return d.severity == Severity::error && unusable.contains(d.code);
    });
    return unreadable ? bad_input : found_errors;
}

} // namespace gait::tool
