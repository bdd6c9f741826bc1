/// \file
/// How a fade's weight rises from 0 to 1 over its seconds.
#pragma once

#include "gait/ease.hpp"

#include <array>
#include <cstddef>
#include <optional>
#include <string_view>

namespace gait {

/// A row of `eases`.
struct EaseInfo {
    Ease ease = Ease::smooth;
    std::string_view name;              ///< as a document writes it
    double (*weight)(double) = nullptr; ///< at a fraction of the fade, 0 to 1
};

/// A row for each curve, in their order.
inline constexpr std::array<EaseInfo, 5> eases{{
    {Ease::smooth, "smooth", [](double u) { return u * u * (3 - 2 * u); }},
    {Ease::smoother, "smoother", [](double u) { return u * u * u * (u * (6 * u - 15) + 10); }},
    {Ease::linear, "linear", [](double u) { return u; }},
    {Ease::in, "in", [](double u) { return u * u; }},
    {Ease::out, "out", [](double u) { return 1 - (1 - u) * (1 - u); }},
}};

/// A weight that is this near to 0 or to 1 is that: nobody sees it. A fade that begins at the end of a clip, a rounding
/// error before a frame, would otherwise mix a pose with a weight of 1e-30, on which processors take ten times as long.
inline constexpr double least_weight = 1e-9;

/// The weight at a fraction `u` of the fade; `u` outside 0 to 1 is clamped, and NaN is 0.
[[nodiscard]] constexpr double eased(Ease ease, double u) {
    if (!(u > 0)) { return 0; }
    if (u >= 1) { return 1; }
    // As most fades are, for which nothing is called.
    const double weight = ease == Ease::smooth ? eases[0].weight(u) : eases[std::size_t(ease)].weight(u);
    return weight < least_weight ? 0 : weight > 1 - least_weight ? 1 : weight;
}

/// As it is written in a document.
[[nodiscard]] constexpr std::string_view name_of(Ease ease) { return eases[std::size_t(ease)].name; }
/// The curve of that name; empty when there is none.
[[nodiscard]] constexpr std::optional<Ease> ease_named(std::string_view name) {
    for (const EaseInfo& info : eases) {
        if (info.name == name) { return info.ease; }
    }
    return std::nullopt;
}

} // namespace gait
