#include "depfile.hpp"

namespace gait::tool {

std::string dependencies(const std::string& out, const std::vector<std::filesystem::path>& files) {
    const auto escaped = [](const std::string& path) {
        std::string text;
        for (const char c : path) {
            if (c == ' ' || c == '#' || c == '\\') { text += '\\'; }
            if (c == '$') { text += '$'; }
            text += c;
        }
        return text;
    };
    std::string text = escaped(out) + ":";
    for (const std::filesystem::path& file : files) { text += " " + escaped(std::filesystem::absolute(file).string()); }
    return text + "\n";
}

} // namespace gait::tool
