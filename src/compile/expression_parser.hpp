/// Reads an expression of the document into a program, with its types checked.
#pragma once

#include "character/expression_names.hpp"

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace gait::detail {

/// What an expression may refer to, and where what it asks for beyond that is kept.
struct ExpressionScope : ExpressionNames {
    std::map<std::string, std::string> arguments = {}; ///< names that stand for others here
    bool signals_hold = false; ///< a signal stands for "it was just sent"; else it has its own key in a transition
    /// Where the edges of `rises` and `falls` go: takes the code of the flag that is watched and gives back the slot in
    /// which its edge will be found. Without it these functions do not exist.
    std::function<std::uint16_t(bool rising, std::vector<Instruction> watched)> add_edge = {};
    /// Where what is asked of a layer will be found: takes the layer, a state's name, or a reading where there is none,
    /// and where that stands in the text.
    std::function<std::uint16_t(std::size_t layer, const std::string& state, Reading reading, std::size_t offset)>
        look_at_layer = {};
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
    std::vector<ExpressionError> remarks; ///< what is likely not meant so: numbers compared by `==`, angles that wrap
};

/// Parses `text`; the value must be of type `wanted`.
[[nodiscard]] ParsedExpression parse_expression(std::string_view text, const ExpressionScope& scope, ValueType wanted);

} // namespace gait::detail
