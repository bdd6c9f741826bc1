/// Conditions and other expressions as a frame evaluates them: a short postfix program over parameter slots.
#pragma once

#include "gait/api.hpp"

#include <array>
#include <cstdint>
#include <limits>
#include <span>
#include <string_view>
#include <vector>

namespace gait::detail {

enum class ValueType : std::uint8_t { number, flag, choice, signal };

enum class Operation : std::uint8_t {
    constant,      ///< pushes `value`
    parameter,     ///< pushes the smoothed parameter `slot`
    raw_parameter, ///< pushes the parameter as it was set
    reading,       ///< pushes the `Reading` in `slot`
    negate,
    add,
    subtract,
    multiply,
    divide,
    less,
    less_equal,
    greater,
    greater_equal,
    equal,
    not_equal,
    both,
    either,
    negation,
    minimum,
    maximum,
    absolute,
    clamp,
    remap,
    turn, ///< degrees from one heading to another, the short way
    wrap, ///< degrees into (-180, 180]
    sign,
    floor,
    ceil,
    round,
    square_root,
    count, ///< how many there are
};

/// What an expression may ask of the state it stands in.
enum class Reading : std::uint8_t { elapsed, left, phase, loops, ended };

/// By the order of `Reading`, as expressions name them.
inline constexpr std::array<std::string_view, 5> reading_names{"elapsed", "left", "phase", "loops", "ended"};

/// How an operation is written in an expression.
enum class Notation : std::uint8_t {
    none,     ///< by what it pushes, or by syntax of its own
    prefix,   ///< before its value
    infix,    ///< between its two values
    function, ///< NAME(its values)
    folded,   ///< NAME(two values or more), taken two by two
};

/// A row of `operations`. Flags count as 0 and 1, so that every operation works on floats. Each is total: whatever
/// finite numbers it is given, it gives a finite one, see its row.
struct OperationInfo {
    Operation operation = Operation::constant;
    Notation notation = Notation::none;
    std::string_view text; ///< as it is written
    int values = 0;        ///< that it takes from the stack, in whose place comes its result; 0: it pushes one
    int strength = 0;      ///< of an infix operation: a stronger one binds first
    ValueType operands = ValueType::number, result = ValueType::number;
    std::string_view usage = {}; ///< of a function, for messages
    /// Trying a little to either side of every number it is held against shows all that it can give.
    bool compares = false;
    float (*apply)(const float* values) = nullptr; ///< null for what pushes
};

/// The strength of comparisons, which do not chain.
inline constexpr int comparison_strength = 4;

/// The row of an operation.
[[nodiscard]] GAIT_API const OperationInfo& info_of(Operation operation);
/// A row for each operation, in their order.
[[nodiscard]] GAIT_API std::span<const OperationInfo> operations();

struct Instruction {
    Operation operation = Operation::constant;
    std::uint16_t slot = 0;
    float value = 0;
};

/// Whether it reads the parameter in its `slot`.
[[nodiscard]] inline bool reads_parameter(const Instruction& instruction) {
    return instruction.operation == Operation::parameter || instruction.operation == Operation::raw_parameter;
}

/// A run of instructions in the character's code.
struct CodeRange {
    std::uint32_t first = 0;
    std::uint32_t count = 0;
    [[nodiscard]] bool empty() const { return count == 0; }
};

/// Seconds until what does not come, as expressions see it: a finite number, so that they stay total.
inline constexpr float endless = std::numeric_limits<float>::max();

/// The values behind `Reading`, all of them finite.
struct StateReadings {
    float elapsed = 0; ///< seconds since the state was entered
    float left = 0;    ///< seconds until its motion ends; `endless` for one that loops
    float phase = 0;   ///< 0 to 1 through its motion
    float loops = 0;   ///< times its motion came round
    bool ended = false;
};

/// As an expression sees it; a flag is 0 or 1.
[[nodiscard]] GAIT_API float value_of(Reading reading, const StateReadings& state);

struct ExpressionInputs {
    const float* smoothed = nullptr; ///< a parameter each
    const float* raw = nullptr;
    StateReadings state;
};

/// How many values an expression may hold at once, and how many a frame has room for: where two are joined (a
/// junction's condition to that of the way there, say) the first waits while the second is computed.
inline constexpr int deepest_expression = 32;
inline constexpr int expression_stack = deepest_expression + 8;

/// Degrees into (-180, 180].
[[nodiscard]] GAIT_API double wrapped_degrees(double degrees);

/// Runs `code`, whatever it is.
[[nodiscard]] GAIT_API float run(std::span<const Instruction> code, const ExpressionInputs& inputs);

/// Runs `code`. Flags are 0 and 1. From finite inputs comes a finite value.
[[nodiscard]] inline float evaluate(std::span<const Instruction> code, const ExpressionInputs& inputs) {
    // Often it is a parameter's name alone, or `not` and a name.
    if (code.empty() || code.size() > 2 || code.front().operation != Operation::parameter) { return run(code, inputs); }
    const float value = inputs.smoothed[code.front().slot];
    if (code.size() == 1) { return value; }
    return code.back().operation == Operation::negation ? float(value == 0) : run(code, inputs);
}

} // namespace gait::detail
