#include "machine/expression.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace gait {
namespace {

float flag(bool value) { return value ? 1.0F : 0.0F; }

float unary(Operation operation, float a) {
    switch (operation) {
    case Operation::negate:
        return -a;
    case Operation::negation:
        return flag(a == 0);
    case Operation::absolute:
        return std::fabs(a);
    case Operation::wrap:
        return float(wrapped_degrees(double(a)));
    case Operation::sign:
        return float((a > 0) - (a < 0));
    case Operation::floor:
        return std::floor(a);
    case Operation::ceil:
        return std::ceil(a);
    case Operation::round:
        return std::round(a);
    default:
        return std::sqrt(std::max(a, 0.0F));
    }
}

float binary(Operation operation, float a, float b) {
    switch (operation) {
    case Operation::add:
        return a + b;
    case Operation::subtract:
        return a - b;
    case Operation::multiply:
        return a * b;
    case Operation::divide:
        return b == 0 ? 0 : a / b;
    case Operation::less:
        return flag(a < b);
    case Operation::less_equal:
        return flag(a <= b);
    case Operation::greater:
        return flag(a > b);
    case Operation::greater_equal:
        return flag(a >= b);
    case Operation::equal:
        return flag(a == b);
    case Operation::not_equal:
        return flag(a != b);
    case Operation::both:
        return flag(a != 0 && b != 0);
    case Operation::either:
        return flag(a != 0 || b != 0);
    case Operation::turn:
        return float(wrapped_degrees(double(b) - double(a)));
    case Operation::minimum:
        return std::min(a, b);
    default:
        return std::max(a, b);
    }
}

/// Carries `x` from the stretch (a, b) to the stretch (c, d) and holds it at the ends.
float remapped(float x, float a, float b, float c, float d) {
    const float u = b == a ? 0 : std::clamp((x - a) / (b - a), 0.0F, 1.0F);
    return c + (d - c) * u;
}

} // namespace

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
    std::size_t top = 0;                       // one past the last value
    for (const Instruction& i : code) {
        switch (i.operation) {
        case Operation::constant:
            stack[top++] = i.value;
            break;
        case Operation::parameter:
            stack[top++] = inputs.smoothed[i.slot];
            break;
        case Operation::raw_parameter:
            stack[top++] = inputs.raw[i.slot];
            break;
        case Operation::reading:
            stack[top++] = value_of(Reading(i.slot), inputs.state);
            break;
        case Operation::negate:
        case Operation::negation:
        case Operation::absolute:
        case Operation::wrap:
        case Operation::sign:
        case Operation::floor:
        case Operation::ceil:
        case Operation::round:
        case Operation::square_root:
            stack[top - 1] = unary(i.operation, stack[top - 1]);
            break;
        case Operation::clamp:
            top -= 2;
            stack[top - 1] = std::max(stack[top], std::min(stack[top - 1], stack[top + 1]));
            break;
        case Operation::remap:
            top -= 4;
            stack[top - 1] = remapped(stack[top - 1], stack[top], stack[top + 1], stack[top + 2], stack[top + 3]);
            break;
        default:
            top -= 1;
            stack[top - 1] = binary(i.operation, stack[top - 1], stack[top]);
            break;
        }
    }
    return stack[0];
}

} // namespace gait
