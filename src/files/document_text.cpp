#include "files/document_text.hpp"

#include <algorithm>
#include <set>

namespace gait::detail {

std::string document_text(const std::string& name) {
    const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_'; };
    const auto plain = [&](char c) { return letter(c) || (c >= '0' && c <= '9') || c == '.' || c == '-' || c == '/'; };
    static const std::set<std::string> taken{"yes", "no", "on", "off", "true", "false", "null", "y", "n"};
    const bool is_word = !name.empty() && letter(name.front()) && std::all_of(name.begin(), name.end(), plain);
    if (is_word && !taken.contains(name)) { return name; }
    std::string quoted = "\"";
    for (const char c : name) {
        if (c == '"' || c == '\\') { quoted += '\\'; }
        quoted += static_cast<unsigned char>(c) < 0x20 ? ' ' : c;
    }
    return quoted + "\"";
}

} // namespace gait::detail
