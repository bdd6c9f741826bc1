/// The names that expressions of a character may speak of.
#pragma once

#include "character/expression.hpp"
#include "gait/kept.hpp"
#include "gait/parameter_kind.hpp"

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>

namespace gait::detail {

/// What a parameter is to expressions.
[[nodiscard]] constexpr ValueType value_type_of(ParameterKind kind) {
    switch (kind) {
    case ParameterKind::number:
    case ParameterKind::angle:
        break;
    case ParameterKind::flag:
        return ValueType::flag;
    case ParameterKind::choice:
        return ValueType::choice;
    case ParameterKind::signal:
        return ValueType::signal;
    }
    return ValueType::number;
}

/// A parameter as an expression sees it.
struct ExpressionName {
    KeptText name;
    ValueType type = ValueType::number;
    bool angle = false;             ///< a number that wraps
    KeptList<KeptText> values = {}; ///< of a choice
    bool signed_number = true;      ///< it may be below zero
};

struct ExpressionNames {
    KeptList<ExpressionName> parameters; ///< in slot order; none is ever taken out
    KeptList<KeptText> layers = {};      ///< whose states may be asked for: `arms is raised`, `arms.elapsed`
    KeptMap<KeptText, std::uint16_t> layer_slots = {}; ///< where an answer of a layer stands: see `layer_key`

    /// What is asked of a layer, as `layer_slots` has it: whether it is in `state`, or a reading where that is empty.
    [[nodiscard]] static std::string layer_key(std::size_t layer, const std::string& state, Reading reading) {
        return std::to_string(layer) + " " + state + " " + std::to_string(state.empty() ? int(reading) : 0);
    }

    /// The slot of the parameter of that name, the first where there are several.
    [[nodiscard]] std::optional<std::size_t> slot_of(std::string_view name) const {
        for (; found_by_name_ < parameters.size(); ++found_by_name_) {
            by_name_.try_emplace(parameters[found_by_name_].name, found_by_name_);
        }
        const auto found = by_name_.find(std::string(name));
        return found == by_name_.end() ? std::nullopt : std::optional(found->second);
    }

    // Beside `parameters`, as far as it was asked for.
    mutable std::unordered_map<std::string, std::size_t> by_name_ = {};
    mutable std::size_t found_by_name_ = 0;
};

} // namespace gait::detail
