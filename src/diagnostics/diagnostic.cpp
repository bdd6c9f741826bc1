#include "gait/diagnostic.hpp"

#include <algorithm>
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

/// Insertions, deletions, replacements and swaps of neighbours (Damerau 1964) between two names.
std::size_t edit_distance(const std::string& a, const std::string& b) {
    std::vector<std::vector<std::size_t>> cost(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
    for (std::size_t i = 0; i <= a.size(); ++i) { cost[i][0] = i; }
    for (std::size_t j = 0; j <= b.size(); ++j) { cost[0][j] = j; }
    for (std::size_t i = 1; i <= a.size(); ++i) {
        for (std::size_t j = 1; j <= b.size(); ++j) {
            const std::size_t replaced = cost[i - 1][j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1);
            cost[i][j] = std::min({cost[i - 1][j] + 1, cost[i][j - 1] + 1, replaced});
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) {
                cost[i][j] = std::min(cost[i][j], cost[i - 2][j - 2] + 1);
            }
        }
    }
    return cost[a.size()][b.size()];
}

} // namespace

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
        const std::size_t column = std::size_t(std::max(d.place.column, 1)) - 1;
        // Columns count characters: walk over UTF-8 continuation bytes.
        const auto is_start = [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80U; };
        std::vector<std::size_t> starts;
        for (std::size_t i = 0; i < line.size(); ++i) {
            if (is_start(line[i])) { starts.push_back(i); }
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
    constexpr std::size_t longest = 64;
    if (name.size() > longest) { return {}; }
    std::string best;
    std::size_t least = std::numeric_limits<std::size_t>::max();
    for (const std::string& candidate : known) {
        if (candidate.empty() || candidate.size() > longest) { continue; }
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
