#include "quoting.hpp"

#include <algorithm>

namespace gait::tool {
namespace {

/// The length of the UTF-8 sequence that `text` begins with; 0 where it is none. Neither overlong ones count nor halves
/// of surrogates (RFC 3629).
std::size_t sequence_length(std::string_view text) {
    const auto byte = [&](std::size_t i) {
        return i < text.size() ? unsigned(static_cast<unsigned char>(text[i])) : 0U;
    };
    const auto follows = [&](std::size_t i, unsigned low = 0x80, unsigned high = 0xBF) {
        return byte(i) >= low && byte(i) <= high;
    };
    const unsigned first = byte(0);
    if (first < 0x80) { return 1; }
    if (first >= 0xC2 && first <= 0xDF) { return follows(1) ? 2 : 0; }
    if (first >= 0xE0 && first <= 0xEF) {
        const unsigned low = first == 0xE0 ? 0xA0 : 0x80, high = first == 0xED ? 0x9F : 0xBF;
        return follows(1, low, high) && follows(2) ? 3 : 0;
    }
    if (first >= 0xF0 && first <= 0xF4) {
        const unsigned low = first == 0xF0 ? 0x90 : 0x80, high = first == 0xF4 ? 0x8F : 0xBF;
        return follows(1, low, high) && follows(2) && follows(3) ? 4 : 0;
    }
    return 0;
}

} // namespace

std::string printable(std::string_view text, bool keeps_lines) {
    constexpr const char* replacement = "\xEF\xBF\xBD"; // U+FFFD
    std::string out;
    while (!text.empty()) {
        const std::size_t length = sequence_length(text);
        const auto first = static_cast<unsigned char>(text.front());
        const bool ends_line = first == '\n' && keeps_lines;
        // C0 and DEL; and C1, which is two bytes.
        const bool controls = (length == 1 && (first < 0x20 || first == 0x7F) && !ends_line) ||
                              (length == 2 && first == 0xC2 && static_cast<unsigned char>(text[1]) < 0xA0);
        if (length == 0 || controls) {
            out += replacement;
        } else {
            out += text.substr(0, length);
        }
        text.remove_prefix(std::max<std::size_t>(length, 1));
    }
    return out;
}

std::string plot_text(const std::string& text) {
    // In single quotes nothing is run, and no character has a meaning but the quote itself. Written twice it should
    // stand for one, but not everywhere it does: an apostrophe looks the same. A statement ends with its line, so that
    // no control character may be among them.
    std::string out = "'";
    for (const char c : printable(text)) {
        if (c == '\'') {
            out += "\xE2\x80\x99"; // U+2019
        } else {
            out += c;
        }
    }
    return out + "'";
}

std::string tic_text(const std::string& text) {
    std::string doubled;
    for (const char c : text) {
        if (c == '%') { doubled += '%'; } // else it begins a format
        doubled += c;
    }
    return plot_text(doubled);
}

std::string graph_text(std::string raw) {
    std::replace(raw.begin(), raw.end(), '\n', ' ');
    const std::string text = printable(raw);
    std::string out;
    std::size_t line = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const std::string_view rest = std::string_view(text).substr(i);
        if (line > 18 && (rest.starts_with(" and ") || rest.starts_with(" or "))) {
            out += "\\n";
            line = 0;
            continue;
        }
        if (text[i] == '"' || text[i] == '\\') { out += '\\'; }
        out += text[i];
        ++line;
    }
    return out;
}

} // namespace gait::tool
