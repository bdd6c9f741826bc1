/// \file
/// The styles of a fade from one motion to another.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string_view>

namespace gait {

/// How a fade looks: both motions go on; the one being left stands still; or the pose's difference and its velocity
/// decay on top of the motion that is entered.
enum class FadeStyle : std::uint8_t { cross, frozen, inertial };

/// A fade lasts at most so many seconds; one that an expression makes longer is cut to this.
inline constexpr double longest_fade = 60;

/// A row of `fade_styles`.
struct FadeStyleInfo {
    FadeStyle style = FadeStyle::cross;
    std::string_view name; ///< as a document writes it
    bool has_ease = true;  ///< its weight rises along the fade's ease
    bool is_usual = false; ///< what a transition does that does not say, which reports need not name
};

/// A row for each style, in their order.
inline constexpr std::array<FadeStyleInfo, 3> fade_styles{{
    {FadeStyle::cross, "cross", true, true},
    {FadeStyle::frozen, "frozen", true, false},
    {FadeStyle::inertial, "inertial", false, false},
}};

/// The row of a style.
[[nodiscard]] constexpr const FadeStyleInfo& info_of(FadeStyle style) { return fade_styles[std::size_t(style)]; }
/// As it is written in a document.
[[nodiscard]] constexpr std::string_view name_of(FadeStyle style) { return info_of(style).name; }
/// The style of that name; empty when there is none.
[[nodiscard]] constexpr std::optional<FadeStyle> fade_style_named(std::string_view name) {
    for (const FadeStyleInfo& info : fade_styles) {
        if (info.name == name) { return info.style; }
    }
    return std::nullopt;
}

} // namespace gait
