/// The values of parameters as people write and read them.
#pragma once

#include "gait/character.hpp"

#include <string>

namespace gait::detail {

/// What a text means to a parameter: a number, 0 or 1 for a flag, or the index of a choice's value.
struct ParameterMeaning {
    float value = 0;
    std::string problem; ///< what is wrong with it, in words; empty when all is well
    std::string code;    ///< of the problem
};
[[nodiscard]] ParameterMeaning meaning_of(const std::string& text, const ParameterInfo& parameter);

/// A value in words: `yes`, a choice's value, or a number of four digits.
[[nodiscard]] std::string value_text(const ParameterInfo& parameter, float value);

/// A number of four digits; what is infinite is endless.
[[nodiscard]] std::string number_text(double value);

} // namespace gait::detail
