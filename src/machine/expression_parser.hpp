/// Reads an expression of the document into a program, with its types checked.
#pragma once

#include "machine/expression.hpp"

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace gait {

enum class ValueType : std::uint8_t { number, flag, choice, signal };

/// What an expression may refer to.
struct ExpressionScope {
    struct Name {
        std::string name;
        ValueType type = ValueType::number;
        bool angle = false;                   ///< a number that wraps
        std::vector<std::string> values = {}; ///< of a choice
    };
    std::vector<Name> parameters;                      ///< in slot order
    std::map<std::string, std::string> arguments = {}; ///< names that stand for others here
    bool signals_hold = false; ///< a signal stands for "it was just sent"; else it has its own key in a transition
    /// Where the edges of `rises` and `falls` go: takes the code of the flag that is watched and gives back the slot in
    /// which its edge will be found. Without it these functions do not exist.
    std::function<std::uint16_t(bool rising, std::vector<Instruction> watched)> add_edge = {};
    std::vector<std::string> layers = {}; ///< whose states may be asked for: `arms is raised`, `arms.elapsed`
    /// Where what is asked of a layer will be found: takes the layer, a state's name, or a reading where there is none,
    /// and where that stands in the text.
    std::function<std::uint16_t(std::size_t layer, const std::string& state, Reading reading, std::size_t offset)>
        look_at_layer = {};
    std::map<std::string, std::uint16_t> looked = {}; ///< what was asked for already, and its slot
    /// What such a thing is called in `looked`.
    [[nodiscard]] static std::string looked_name(std::size_t layer, const std::string& state, Reading reading);
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

} // namespace gait
