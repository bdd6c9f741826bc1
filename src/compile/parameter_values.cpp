#include "compile/parameter_values.hpp"

#include "character/expression.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

namespace gait::detail {

ParameterMeaning meaning_of(const std::string& text, const ParameterInfo& info) {
    const auto problem = [](const char* code, std::string message) {
        return ParameterMeaning{0, std::move(message), code};
    };
    if (info.computed) {
        return problem("wrong-type", fmt::format("'{}' is computed from other parameters; set those", info.name));
    }
    switch (info.kind) {
    case ParameterKind::signal:
        return problem("wrong-type", fmt::format("'{}' is a signal, which has no value; send it", info.name));
    case ParameterKind::flag:
        if (text == "yes" || text == "true") { return {1, {}, {}}; }
        if (text == "no" || text == "false") { return {0, {}, {}}; }
        return problem("wrong-type", fmt::format("'{}' is a flag; write yes or no", info.name));
    case ParameterKind::choice: {
        const auto found = std::find(info.of.begin(), info.of.end(), text);
        if (found != info.of.end()) { return {float(found - info.of.begin()), {}, {}}; }
        return problem("unknown-value",
                       fmt::format("'{}' is one of {}; found '{}'", info.name, fmt::join(info.of, ", "), text));
    }
    case ParameterKind::number:
    case ParameterKind::angle:
        break;
    }
    double value = 0;
    const char* first = text.data() + (text.starts_with('+') ? 1 : 0);
    const auto [end, failure] = std::from_chars(first, text.data() + text.size(), value);
    if (failure != std::errc{} || end != text.data() + text.size() || !std::isfinite(value)) {
        return problem("wrong-type",
                       fmt::format("'{}' is a number; write one such as 1.4; found '{}'", info.name, text));
    }
    if (!info_of(info.kind).wraps && (float(value) < info.low || float(value) > info.high)) {
        return problem("wrong-range",
                       fmt::format("'{}' ranges from {} to {}; found {}", info.name, info.low, info.high, value));
    }
    return {float(value), {}, {}};
}

std::string number_text(double value) { return value >= double(endless) ? "endless" : fmt::format("{:.4g}", value); }

std::string value_text(const ParameterInfo& info, float value) {
    switch (info.kind) {
    case ParameterKind::flag:
    case ParameterKind::signal:
        return value != 0 ? "yes" : "no";
    case ParameterKind::choice:
        return info.of[std::size_t(value)];
    case ParameterKind::number:
    case ParameterKind::angle:
        break;
    }
    return number_text(double(value));
}

} // namespace gait::detail
