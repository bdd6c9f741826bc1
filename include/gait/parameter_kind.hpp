/// \file
/// The kinds of parameters and of values, and what holds for all parameters of a kind.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <optional>
#include <string_view>

namespace gait {

/// What a parameter is, and so what may be set and compared. An angle is in degrees and wraps; a choice is one of named
/// values; a signal fires once and is consumed.
enum class ParameterKind : std::uint8_t { number, angle, flag, choice, signal };

/// A row of `parameter_kinds`.
struct ParameterKindInfo {
    ParameterKind kind = ParameterKind::number;
    std::string_view name;      ///< as a document writes it
    std::string_view described; ///< with its article, for messages
    bool continuous = false;    ///< it has values between any two: it may be smoothed, and steer a blend space
    bool wraps = false;         ///< degrees: beyond 180 it goes on at -180
    bool given = false;         ///< states may give such a value
    float low = 0, high = 0;    ///< its bounds, where the document gives no range; of a choice the last value's index
    std::string_view unit = {}; ///< where the document gives none
    /// Keys of the document that mean nothing to it, a blank between them.
    std::string_view refused_keys = {};
};

/// A row for each kind, in their order.
inline constexpr std::array<ParameterKindInfo, 5> parameter_kinds{{
    {ParameterKind::number, "number", "a number", true, false, true, -std::numeric_limits<float>::infinity(),
     std::numeric_limits<float>::infinity(), "", "of keep wait"},
    {ParameterKind::angle, "angle", "an angle", true, true, false, -180, 180, "deg", "range of keep wait"},
    {ParameterKind::flag, "flag", "a flag", false, false, true, 0, 1, "", "range unit smooth at_most of keep wait"},
    {ParameterKind::choice, "choice", "a choice", false, false, true, 0, 0, "", "range unit smooth at_most keep wait"},
    {ParameterKind::signal, "signal", "a signal", false, false, false, 0, 1, "",
     "range unit smooth at_most of default from remember greatest since on_when flips_on"},
}};

/// The row of a kind.
[[nodiscard]] constexpr const ParameterKindInfo& info_of(ParameterKind kind) {
    return parameter_kinds[std::size_t(kind)];
}
/// As it is written in a document.
[[nodiscard]] constexpr std::string_view name_of(ParameterKind kind) { return info_of(kind).name; }
/// The kind of that name; empty when there is none.
[[nodiscard]] constexpr std::optional<ParameterKind> parameter_kind_named(std::string_view name) {
    for (const ParameterKindInfo& info : parameter_kinds) {
        if (info.name == name) { return info.kind; }
    }
    return std::nullopt;
}

} // namespace gait
