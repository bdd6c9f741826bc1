#include "options.hpp"

#include "gait/diagnostic.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace gait::tool {

CLI::Validator number_between(double low, double high) {
    return {[low, high](std::string& text) {
                double value = 0;
                const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), value);
                const bool fits =
                    problem == std::errc{} && end == text.data() + text.size() && value >= low && value <= high;
                return fits ? std::string()
                            : fmt::format("a number from {:g} to {:g} is wanted; found '{}'", low, high, text);
            },
            ""};
}

CLI::Validator file_as(const std::string& what, const std::vector<std::string>& endings) {
    return {
        [what, endings](std::string& path) {
            if (std::any_of(endings.begin(), endings.end(), [&](const auto& e) { return path.ends_with("." + e); })) {
                return std::string();
            }
            std::string known;
            for (std::size_t e = 0; e < endings.size(); ++e) {
                known += (e == 0 ? "." : e + 1 == endings.size() ? " or ." : ", .") + endings[e];
            }
            return fmt::format("{} as {}; found '{}'", what, known, path);
        },
        ""};
}

CLI::Validator one_of(const std::vector<std::string>& words) {
    return {[words](std::string& text) {
                if (std::find(words.begin(), words.end(), text) != words.end()) { return std::string(); }
                const std::string near = nearest_name(text, words);
                return near.empty() ? fmt::format("one of {} is wanted; found '{}'", fmt::join(words, ", "), text)
                                    : fmt::format("found '{}'; did you mean '{}'?", text, near);
            },
            ""};
}

} // namespace gait::tool
