/// Reads an expression of the document into a program, with its types checked.
#pragma once

#include "machine/expression.hpp"

#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace gait {

enum class ValueType : std::uint8_t { number, flag };

/// What an expression may refer to.
struct ExpressionScope {
    struct Name {
        std::string name;
        ValueType type = ValueType::number;
    };
    std::vector<Name> parameters; ///< in slot order
};

struct ExpressionError {
    std::size_t offset = 0; ///< in bytes from the start of the text
    std::string message;
    std::string code;
};

struct ParsedExpression {
    std::vector<Instruction> code;
    ValueType type = ValueType::number;
    std::vector<std::uint16_t> parameters; ///< slots it reads
    bool reads_state = false;
    std::optional<ExpressionError> error; ///< when set, the rest means nothing
};

/// Parses `text`; the value must be of type `wanted`.
[[nodiscard]] ParsedExpression parse_expression(std::string_view text, const ExpressionScope& scope, ValueType wanted);

} // namespace gait
