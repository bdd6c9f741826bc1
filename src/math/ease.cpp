#include "gait/ease.hpp"

#include <array>
#include <utility>

namespace gait {
namespace {
constexpr std::array<std::pair<std::string_view, Ease>, 5> names{{{"smooth", Ease::smooth},
                                                                  {"smoother", Ease::smoother},
                                                                  {"linear", Ease::linear},
                                                                  {"in", Ease::in},
                                                                  {"out", Ease::out}}};
}

std::string_view name_of(Ease ease) {
    for (const auto& [name, value] : names) {
        if (value == ease) { return name; }
    }
    return "smooth";
}

std::optional<Ease> ease_named(std::string_view name) {
    for (const auto& [known, value] : names) {
        if (known == name) { return value; }
    }
    return std::nullopt;
}

} // namespace gait
