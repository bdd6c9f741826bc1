#include "character/expression.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace gait::detail {
namespace {

constexpr float flag(bool value) { return value ? 1.0F : 0.0F; }

/// The nearest finite number: what overflows stays at the greatest one, so that no operation on finite numbers makes an
/// infinity, and none makes what is no number.
constexpr float finite(float value) {
    constexpr float most = std::numeric_limits<float>::max();
    return std::min(std::max(value, -most), most);
}

/// Carries `x` from the stretch (a, b) to the stretch (c, d) and holds it at the ends. In double precision, in which no
/// difference of floats overflows.
float remapped(double x, double a, double b, double c, double d) {
    const double u = b == a ? 0 : std::clamp((x - a) / (b - a), 0.0, 1.0);
    return finite(float(c + (d - c) * u));
}

using enum Operation;
using enum Notation;
constexpr auto number = ValueType::number, truth = ValueType::flag;

constexpr std::array<OperationInfo, std::size_t(Operation::count)> table{{
    {constant, none, "", 0, 0, number, number, "", true},
    {parameter, none, "", 0, 0, number, number, "", true},
    {raw_parameter, none, "raw", 0, 0, number, number, "raw(parameter)", true},
    {reading, none, "", 0, 0, number, number, "", true},
    {negate, prefix, "-", 1, 7, number, number, "", true, [](const float* v) { return -v[0]; }},
    {add, infix, "+", 2, 5, number, number, "", false, [](const float* v) { return finite(v[0] + v[1]); }},
    {subtract, infix, "-", 2, 5, number, number, "", false, [](const float* v) { return finite(v[0] - v[1]); }},
    {multiply, infix, "*", 2, 6, number, number, "", false, [](const float* v) { return finite(v[0] * v[1]); }},
    // By zero it is 0.
    {divide, infix, "/", 2, 6, number, number, "", false,
     [](const float* v) { return v[1] == 0 ? 0 : finite(v[0] / v[1]); }},
    {less, infix, "<", 2, comparison_strength, number, truth, "", true,
     [](const float* v) { return flag(v[0] < v[1]); }},
    {less_equal, infix, "<=", 2, comparison_strength, number, truth, "", true,
     [](const float* v) { return flag(v[0] <= v[1]); }},
    {greater, infix, ">", 2, comparison_strength, number, truth, "", true,
     [](const float* v) { return flag(v[0] > v[1]); }},
    {greater_equal, infix, ">=", 2, comparison_strength, number, truth, "", true,
     [](const float* v) { return flag(v[0] >= v[1]); }},
    {equal, infix, "==", 2, comparison_strength, number, truth, "", true,
     [](const float* v) { return flag(v[0] == v[1]); }},
    {not_equal, infix, "!=", 2, comparison_strength, number, truth, "", true,
     [](const float* v) { return flag(v[0] != v[1]); }},
    {both, infix, "and", 2, 2, truth, truth, "", true, [](const float* v) { return flag(v[0] != 0 && v[1] != 0); }},
    {either, infix, "or", 2, 1, truth, truth, "", true, [](const float* v) { return flag(v[0] != 0 || v[1] != 0); }},
    {negation, prefix, "not", 1, 3, truth, truth, "", true, [](const float* v) { return flag(v[0] == 0); }},
    {minimum, folded, "min", 2, 0, number, number, "min(a, b, ...)", false,
     [](const float* v) { return std::min(v[0], v[1]); }},
    {maximum, folded, "max", 2, 0, number, number, "max(a, b, ...)", false,
     [](const float* v) { return std::max(v[0], v[1]); }},
    {absolute, function, "abs", 1, 0, number, number, "abs(x)", true, [](const float* v) { return std::fabs(v[0]); }},
    // Where the bounds are the wrong way round the lower one counts.
    {clamp, function, "clamp", 3, 0, number, number, "clamp(x, low, high)", false,
     [](const float* v) { return std::max(v[1], std::min(v[0], v[2])); }},
    {remap, function, "remap", 5, 0, number, number, "remap(x, from_low, from_high, to_low, to_high)", false,
     [](const float* v) { return remapped(double(v[0]), double(v[1]), double(v[2]), double(v[3]), double(v[4])); }},
    {turn, function, "turn", 2, 0, number, number, "turn(from_heading, to_heading)", false,
     [](const float* v) { return float(wrapped_degrees(double(v[1]) - double(v[0]))); }},
    {wrap, function, "wrap", 1, 0, number, number, "wrap(degrees)", false,
     [](const float* v) { return float(wrapped_degrees(double(v[0]))); }},
    {sign, function, "sign", 1, 0, number, number, "sign(x)", false,
     [](const float* v) { return float((v[0] > 0) - (v[0] < 0)); }},
    {floor, function, "floor", 1, 0, number, number, "floor(x)", false,
     [](const float* v) { return std::floor(v[0]); }},
    {ceil, function, "ceil", 1, 0, number, number, "ceil(x)", false, [](const float* v) { return std::ceil(v[0]); }},
    {round, function, "round", 1, 0, number, number, "round(x)", false,
     [](const float* v) { return std::round(v[0]); }},
    // Of a negative number it is 0.
    {square_root, function, "sqrt", 1, 0, number, number, "sqrt(x)", false,
     [](const float* v) { return std::sqrt(std::max(v[0], 0.0F)); }},
}};

constexpr bool is_in_order() {
    for (std::size_t i = 0; i < table.size(); ++i) {
        if (table[i].operation != Operation(i) || (table[i].values > 0) != (table[i].apply != nullptr)) {
            return false;
        }
    }
    return true;
}
static_assert(is_in_order(), "each operation has a row, in the order of the enumeration");

} // namespace

const OperationInfo& info_of(Operation operation) { return table[std::size_t(operation)]; }
std::span<const OperationInfo> operations() { return table; }

float value_of(Reading reading, const StateReadings& state) {
    switch (reading) {
    case Reading::elapsed:
        return state.elapsed;
    case Reading::left:
        return state.left;
    case Reading::phase:
        return state.phase;
    case Reading::loops:
        return state.loops;
    case Reading::ended:
        break;
    }
    return state.ended ? 1.0F : 0.0F;
}

double wrapped_degrees(double degrees) {
    const double rest = std::remainder(degrees, 360.0); // -180 to 180, both of them possible
    return rest <= -180 ? 180.0 : rest;
}

float run(std::span<const Instruction> code, const ExpressionInputs& inputs) {
    std::array<float, expression_stack> stack; // NOLINT: filled from below
    float* top = stack.data();                 // one past the last value
    for (const Instruction& i : code) {
        switch (i.operation) {
        case Operation::constant:
            *top++ = i.value;
            break;
        case Operation::parameter:
            *top++ = inputs.smoothed[i.slot];
            break;
        case Operation::raw_parameter:
            *top++ = inputs.raw[i.slot];
            break;
        case Operation::reading:
            *top++ = value_of(Reading(i.slot), inputs.state);
            break;
        default: {
            const OperationInfo& info = table[std::size_t(i.operation)];
            top -= info.values;
            *top = info.apply(top);
            ++top;
            break;
        }
        }
    }
    return stack[0];
}

} // namespace gait::detail
