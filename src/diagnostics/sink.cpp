#include "diagnostics/sink.hpp"

#include <algorithm>

namespace gait::detail {

void DiagnosticSink::add(Severity severity, Place place, std::string code, std::string message, std::string path) {
    Diagnostic d;
    d.severity = severity;
    d.code = std::move(code);
    d.message = std::move(message);
    const SourceFile& file =
        files_[place.file >= 0 && std::size_t(place.file) < files_.size() ? std::size_t(place.file) : 0];
    d.file = file.name;
    d.path = std::move(path);
    d.place = place;
    if (place.line > 0 && std::size_t(place.line) <= file.lines.size()) {
        d.source_line = file.lines[std::size_t(place.line) - 1];
        const std::size_t bytes = std::min(d.source_line.size(), std::size_t(std::max(place.column, 1)) - 1);
        const auto is_start = [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80U; };
        d.place.column =
            int(std::count_if(d.source_line.begin(), d.source_line.begin() + std::ptrdiff_t(bytes), is_start)) + 1;
    }
    list_.push_back(std::move(d));
}

void DiagnosticSink::unknown(Place place, const std::string& kind, const std::string& name,
                             const std::vector<std::string>& known, std::string path) {
    const std::string near = nearest_name(name, known);
    std::string advice;
    if (!near.empty()) {
        advice = "; did you mean '" + near + "'?";
    } else if (known.empty()) {
        advice = "; there is no " + kind + " yet";
    } else {
        constexpr std::size_t most = 12;
        advice = known.size() == 1 ? "; there is only " : "; there are ";
        for (std::size_t i = 0; i < known.size() && i < most; ++i) { advice += (i == 0 ? "" : ", ") + known[i]; }
        if (known.size() > most) { advice += ", ..."; }
    }
    std::string code = kind;
    std::replace(code.begin(), code.end(), ' ', '-');
    error(place, "unknown-" + code, "no " + kind + " '" + name + "'" + advice, std::move(path));
}

std::vector<std::string> split_lines(std::string_view text) {
    std::vector<std::string> lines;
    std::size_t start = 0;
    while (start <= text.size()) {
        std::size_t end = text.find('\n', start);
        if (end == std::string_view::npos) { end = text.size(); }
        std::string_view line = text.substr(start, end - start);
        if (!line.empty() && line.back() == '\r') { line.remove_suffix(1); }
        lines.emplace_back(line);
        start = end + 1;
    }
    return lines;
}

} // namespace gait::detail
