// Any text as what draws reads it: inside its quotes it stays a text.
#include "fuzz.hpp"
#include "quoting.hpp"

#include <algorithm>
#include <string_view>

namespace {

/// No control character, and nothing but whole UTF-8.
bool is_plain(std::string_view text) {
    for (std::size_t i = 0; i < text.size();) {
        const auto byte = [&](std::size_t at) { return at < text.size() ? static_cast<unsigned char>(text[at]) : 0; };
        const int first = byte(i);
        const std::size_t length = first < 0x80 ? 1 : first < 0xE0 ? 2 : first < 0xF0 ? 3 : 4;
        if (first < 0x20 || first == 0x7F || (first >= 0x80 && first < 0xC2) || first > 0xF4) { return false; }
        if (first == 0xC2 && byte(i + 1) < 0xA0) { return false; } // C1
        for (std::size_t k = 1; k < length; ++k) {
            if ((byte(i + k) & 0xC0) != 0x80) { return false; }
        }
        i += length;
    }
    return true;
}

/// Inside single quotes, which nothing in it closes.
bool is_single_quoted(std::string_view text) {
    return text.size() >= 2 && text.front() == '\'' && text.back() == '\'' &&
           text.substr(1, text.size() - 2).find('\'') == std::string_view::npos && is_plain(text);
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    const std::string text = fuzz::text(bytes, size);
    fuzz::require(is_plain(gait::tool::printable(text)));
    fuzz::require(is_single_quoted(gait::tool::plot_text(text)));
    const std::string tic = gait::tool::tic_text(text);
    fuzz::require(is_single_quoted(tic));
    for (std::size_t at = tic.find('%'); at != std::string::npos; at = tic.find('%', at + 2)) {
        fuzz::require(at + 1 < tic.size() && tic[at + 1] == '%'); // one alone begins a format
    }
    // Inside double quotes, where only what stands behind a backslash may be one.
    const std::string graph = gait::tool::graph_text(text);
    fuzz::require(is_plain(graph));
    for (std::size_t at = 0; at < graph.size(); ++at) {
        fuzz::require(graph[at] != '"');
        if (graph[at] == '\\') {
            ++at;
            fuzz::require(at < graph.size() && (graph[at] == '"' || graph[at] == '\\' || graph[at] == 'n'));
        }
    }
    return 0;
}
