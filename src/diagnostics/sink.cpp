#include "diagnostics/sink.hpp"

#include "diagnostics/utf8.hpp"

#include <algorithm>

namespace gait::detail {

namespace {

constexpr std::size_t most_findings = 1000;    ///< of a severity; more are counted
constexpr std::size_t longest_message = 2000;  ///< bytes
constexpr std::size_t widest_line = 1000;      ///< bytes: of a longer one the part around the place is kept
constexpr std::size_t most_compared = 100'000; ///< names that slips of the hand are looked for among, all in all

void cut_to(std::string& text, std::size_t bytes) {
    if (text.size() <= bytes) { return; }
    while (bytes > 0 && !begins_character(text[bytes])) { --bytes; }
    text.resize(bytes);
    text += "...";
}

} // namespace

Diagnostics DiagnosticSink::take() {
    for (std::size_t s = 0; s < left_out_.size(); ++s) {
        if (left_out_[s] == 0) { continue; }
        Diagnostic d;
        d.severity = Severity(s);
        d.code = "more-findings";
        d.message = "there are " + std::to_string(left_out_[s]) + " more findings, which are left out";
        d.file = files_.front().name;
        list_.push_back(std::move(d));
    }
    left_out_ = {};
    return std::move(list_);
}

void DiagnosticSink::add(Severity severity, Place place, std::string code, std::string message, std::string path) {
    if (kept_[std::size_t(severity)] == most_findings) {
        ++left_out_[std::size_t(severity)];
        return;
    }
    ++kept_[std::size_t(severity)];
    cut_to(message, longest_message);
    cut_to(path, longest_message);
    Diagnostic d;
    d.severity = severity;
    d.code = std::move(code);
    d.message = std::move(message);
    const SourceFile& file =
        files_[place.file >= 0 && std::size_t(place.file) < files_.size() ? std::size_t(place.file) : 0];
    d.file = file.name;
    d.path = std::move(path);
    d.place = place;
    if (const std::string_view line = file.text.line(place.line); !line.empty()) {
        const auto column_at = [&](std::size_t bytes) {
            return int(std::count_if(line.begin(), line.begin() + std::ptrdiff_t(bytes), begins_character)) + 1;
        };
        const std::size_t bytes = std::min(line.size(), std::size_t(std::max(place.column, 1)) - 1);
        d.place.column = column_at(bytes);
        std::size_t first = line.size() > widest_line && bytes > widest_line / 2 ? bytes - widest_line / 2 : 0;
        while (first > 0 && !begins_character(line[first])) { --first; }
        d.source_from = column_at(first);
        d.source_line = line.substr(first, widest_line);
    }
    list_.push_back(std::move(d));
}

std::pair<std::string, std::string> DiagnosticSink::words_for_unknown(const std::string& kind, const std::string& name,
                                                                      const std::vector<std::string>& known) {
    compared_ += known.size();
    const std::string near = compared_ <= most_compared ? nearest_name(name, known) : std::string();
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
    return {"unknown-" + code, "no " + kind + " '" + name + "'" + advice};
}

void DiagnosticSink::unknown(Place place, const std::string& kind, const std::string& name,
                             const std::vector<std::string>& known, std::string path) {
    auto [code, message] = words_for_unknown(kind, name, known);
    error(place, std::move(code), std::move(message), std::move(path));
}

} // namespace gait::detail
