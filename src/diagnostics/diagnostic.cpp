#include "gait/diagnostic.hpp"
#include "diagnostics/utf8.hpp"

#include <algorithm>
#include <array>
#include <cstdint>
#include <limits>
#include <numeric>

namespace gait {
namespace {

std::string_view name_of(Severity severity) {
    switch (severity) {
    case Severity::note:
        return "note";
    case Severity::warning:
        return "warning";
    case Severity::error:
        break;
    }
    return "error";
}

constexpr std::size_t longest_name = 64; ///< that is looked for

/// Insertions, deletions, replacements and swaps of neighbours (Damerau 1964) between two names.
std::size_t edit_distance(const std::string& a, const std::string& b) {
    std::array<std::array<std::uint8_t, longest_name + 1>, longest_name + 1> cost; // NOLINT: filled as it is needed
    for (std::size_t i = 0; i <= a.size(); ++i) { cost[i][0] = std::uint8_t(i); }
    for (std::size_t j = 0; j <= b.size(); ++j) { cost[0][j] = std::uint8_t(j); }
    for (std::size_t i = 1; i <= a.size(); ++i) {
        for (std::size_t j = 1; j <= b.size(); ++j) {
            int least = cost[i - 1][j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1);
            least = std::min({least, cost[i - 1][j] + 1, cost[i][j - 1] + 1});
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) {
                least = std::min(least, cost[i - 2][j - 2] + 1);
            }
            cost[i][j] = std::uint8_t(least);
        }
    }
    return cost[a.size()][b.size()];
}

constexpr std::size_t lines_apart = 256; ///< of the lines whose starts are kept

} // namespace

SourceText::SourceText(std::string text) {
    auto content = std::make_shared<Content>();
    content->text = std::move(text);
    std::size_t line = 0;
    for (std::size_t start = 0; start != std::string::npos; ++line) {
        if (line % lines_apart == 0) { content->starts.push_back(start); }
        const std::size_t end = content->text.find('\n', start);
        start = end == std::string::npos ? end : end + 1;
    }
    content_ = std::move(content);
}

std::string_view SourceText::line(int number) const {
    if (!content_ || number < 1) { return {}; }
    const auto index = std::size_t(number) - 1;
    if (index / lines_apart >= content_->starts.size()) { return {}; }
    std::string_view rest = content_->text;
    rest.remove_prefix(content_->starts[index / lines_apart]);
    for (std::size_t skip = index % lines_apart; skip > 0; --skip) {
        const std::size_t end = rest.find('\n');
        if (end == std::string_view::npos) { return {}; }
        rest.remove_prefix(end + 1);
    }
    rest = rest.substr(0, rest.find('\n'));
    if (!rest.empty() && rest.back() == '\r') { rest.remove_suffix(1); }
    return rest;
}

bool has_errors(const Diagnostics& diagnostics) {
    return std::any_of(diagnostics.begin(), diagnostics.end(),
                       [](const Diagnostic& d) { return d.severity == Severity::error; });
}

std::string format(const Diagnostic& d) {
    std::string where = d.file;
    if (d.place.line > 0) {
        where += (where.empty() ? "" : ":") + std::to_string(d.place.line) + ":" + std::to_string(d.place.column);
    } else if (!d.path.empty()) {
        where += (where.empty() ? "" : ": ") + d.path;
    }
    std::string text = where + (where.empty() ? "" : ": ");
    text += name_of(d.severity);
    text += ": " + d.message + " [" + d.code + "]";
    if (d.place.line > 0 && !d.source_line.empty()) {
        // A long line is shown around the place, so that the caret stays on the screen.
        constexpr std::size_t widest = 100;
        std::string line = d.source_line;
        std::replace(line.begin(), line.end(), '\t', ' ');
        const auto column = std::size_t(std::max(d.place.column - d.source_from, 0));
        // Columns count characters: walk over UTF-8 continuation bytes.
        std::vector<std::size_t> starts;
        for (std::size_t i = 0; i < line.size(); ++i) {
            if (detail::begins_character(line[i])) { starts.push_back(i); }
        }
        starts.push_back(line.size());
        const std::size_t characters = starts.size() - 1;
        const std::size_t first = column > widest - 20 ? std::min(column - 40, characters) : 0;
        const std::size_t last = std::min(characters, first + widest);
        text += "\n    " + line.substr(starts[first], starts[last] - starts[first]);
        text += "\n    " + std::string(column >= first ? column - first : 0, ' ') + "^";
    }
    return text;
}

std::string format(const Diagnostics& diagnostics) {
    std::string text;
    for (const Diagnostic& d : diagnostics) {
        text += format(d);
        text += '\n';
    }
    return text;
}

std::string nearest_name(const std::string& name, const std::vector<std::string>& known) {
    constexpr std::size_t most_known = 1000; // of more, nobody has the names in mind
    if (name.size() > longest_name || known.size() > most_known) { return {}; }
    std::string best;
    std::size_t least = std::numeric_limits<std::size_t>::max();
    for (const std::string& candidate : known) {
        if (candidate.empty() || candidate.size() > longest_name) { continue; }
        const std::size_t longer = std::max(name.size(), candidate.size());
        const std::size_t shorter = std::min(name.size(), candidate.size());
        if (longer - shorter > std::max<std::size_t>(1, shorter / 3)) { continue; } // too far whatever it is
        const std::size_t distance = edit_distance(name, candidate);
        if (distance < least) {
            least = distance;
            best = candidate;
        }
    }
    const std::size_t bearable = std::max<std::size_t>(1, std::min(name.size(), best.size()) / 3);
    return least <= bearable && least < std::min(name.size(), best.size()) ? best : std::string{};
}

} // namespace gait
