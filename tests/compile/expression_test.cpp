#include "compile/expression_parser.hpp"

#include <catch2/catch.hpp>

#include <cmath>
#include <limits>
#include <string>

using namespace gait;
using namespace gait::detail;

namespace {

const ExpressionScope& scope() {
    static const ExpressionScope known{
        {{{"speed", ValueType::number}, {"slope", ValueType::number}, {"wet", ValueType::flag}}}};
    return known;
}

float value(const std::string& text, ValueType type = ValueType::number) {
    const ParsedExpression parsed = parse_expression(text, scope(), type);
    INFO(text << ": " << (parsed.error ? parsed.error->message : ""));
    REQUIRE_FALSE(parsed.error);
    const float smoothed[] = {2.0F, -3.0F, 1.0F}, raw[] = {5.0F, -3.0F, 1.0F};
    return evaluate(parsed.code, {smoothed, raw, {1.5F, 0.25F, 0.75F, 2.0F, false}});
}

bool holds(const std::string& text) { return value(text, ValueType::flag) != 0; }

std::string complaint(const std::string& text, ValueType type = ValueType::flag) {
    const ParsedExpression parsed = parse_expression(text, scope(), type);
    INFO(text);
    REQUIRE(parsed.error);
    return std::to_string(parsed.error->offset) + ": " + parsed.error->message;
}

} // namespace

TEST_CASE("arithmetic follows the usual order") {
    CHECK(value("1 + 2 * 3") == 7);
    CHECK(value("(1 + 2) * 3") == 9);
    CHECK(value("10 - 4 - 3") == 3);
    CHECK(value("12 / 3 / 2") == 2);
    CHECK(value("-speed * 2") == -4);
    CHECK(value("2 - -3") == 5);
    CHECK(value(".5 + 1e1") == 10.5F);
}

TEST_CASE("comparisons and words of logic follow the usual order") {
    CHECK(holds("speed > 1 and slope < 0"));
    CHECK(holds("speed < 1 or wet and slope <= -3"));
    CHECK(holds("not speed < 1 and not (wet and speed == 3)"));
    CHECK(holds("speed + 1 >= 3 and speed != 3"));
    CHECK(holds("wet == (speed > 1)"));
    CHECK(holds("not not wet"));
    CHECK_FALSE(holds("not (speed > 1)"));
    CHECK(holds("yes and not no"));
}

TEST_CASE("every function does what its name says") {
    CHECK(value("min(speed, 1, slope)") == -3);
    CHECK(value("max(speed, 1, slope)") == 2);
    CHECK(value("abs(slope)") == 3);
    CHECK(value("clamp(speed, 0, 1.5)") == 1.5F);
    CHECK(value("clamp(slope, 0, 1.5)") == 0);
    CHECK(value("remap(speed, 0, 4, 10, 20)") == 15);
    CHECK(value("remap(9, 0, 4, 10, 20)") == 20);
    CHECK(value("remap(1, 2, 2, 10, 20)") == 10);
    CHECK(value("sign(slope) + sign(0) + sign(speed)") == 0);
    CHECK(value("floor(1.7) + ceil(1.2) + round(2.6)") == 6);
    CHECK(value("sqrt(speed * 8)") == 4);
    CHECK(value("sqrt(0 - 4)") == 0);
}

TEST_CASE("expressions see smoothed values, and raw ones when asked") {
    CHECK(value("speed") == 2);
    CHECK(value("raw(speed)") == 5);
    CHECK(value("raw( speed ) - speed") == 3);
}

TEST_CASE("expressions may ask of the state they stand in") {
    CHECK(value("state.elapsed") == 1.5F);
    CHECK(holds("state.left < 0.3 and state.phase > 0.7 and state.loops == 2 and not state.ended"));
}

TEST_CASE("dividing by zero gives zero") {
    CHECK(value("speed / 0") == 0);
    CHECK(value("speed / (slope + 3)") == 0);
}

TEST_CASE("mistakes are said where they stand, with what to write") {
    CHECK(complaint("sped > 1") == "0: no parameter 'sped'; did you mean 'speed'?");
    CHECK(complaint("speed > 1 and umbrella") == "14: no parameter 'umbrella'; add it under 'parameters'");
    CHECK(complaint("speed") ==
          "0: 'speed' is a number and a condition must be true or false; compare it, such as 'speed > 0.1'");
    CHECK(complaint("wet > 1") == "0: 'wet' is a flag and '>' takes a number");
    CHECK(complaint("speed and wet") ==
          "0: 'speed' is a number and 'and' takes a flag; compare the number first, such as 'speed > 0.1'");
    CHECK(complaint("wet", ValueType::number) == "0: 'wet' is true or false and a number is wanted here");
    CHECK(complaint("speed = 1") == "6: '=' does not compare; write '=='");
    CHECK(complaint("speed > 1 && wet") == "10: '&&' is not used here; write 'and'");
    CHECK(complaint("!wet") == "0: '!' is not used here; write 'not'");
    CHECK(complaint("0 < speed < 3") == "10: comparisons do not chain; write 'a < b and b < c'");
    CHECK(complaint("(speed > 1") == "0: this '(' is never closed; add ')'");
    CHECK(complaint("speed > 1)") == "9: this ')' closes nothing; remove it or open one before");
    CHECK(complaint("speed >") == "7: the expression ends too early; a value is missing");
    CHECK(complaint("") == "0: the expression is empty; write a condition such as 'speed > 0.1'");
    CHECK(complaint("speed > 1.4 m/s") ==
          "12: a unit does not belong in an expression; write the number alone (metres, seconds, degrees)");
    CHECK(complaint("speed > 3m") ==
          "9: a unit does not belong in an expression; write the number alone (metres, seconds, degrees)");
    CHECK(complaint("clam(speed, 0, 1) > 0") == "0: no function 'clam'; did you mean 'clamp'?");
    CHECK(complaint("clamp(speed, 0) > 0") == "0: 'clamp' was given 2 values; write clamp(x, low, high)");
    CHECK(complaint("min(speed) > 0") == "0: 'min' was given 1 value; write min(a, b, ...)");
    CHECK(complaint("raw(1) > 0") == "4: 'raw' takes the name of one parameter; write raw(speed)");
    CHECK(complaint("state.age > 1") ==
          "0: a state has no 'age'; it has state.elapsed, state.left, state.phase, state.loops and state.ended");
    CHECK(complaint("speed > 1e99") == "8: this is not a number that can be held; write one such as 0.15");
}

TEST_CASE("an expression of ten thousand parentheses is refused, not run") {
    const std::string open(10000, '('), close(10000, ')');
    CHECK_THAT(complaint(open + "1" + close + " > 0"), Catch::Contains("nests too deeply"));
    std::string right = "1";
    for (int i = 0; i < 40; ++i) { right = "1 + (" + right + ")"; }
    CHECK_THAT(complaint(right + " > 0"), Catch::Contains("nests too deeply"));
}

TEST_CASE("every operation gives a finite number for any finite ones") {
    constexpr float most = std::numeric_limits<float>::max();
    const std::vector<float> numbers{0, -0.0F, 1, -1, 1e-45F, -1e-38F, 1e20F, 180, -180, most, -most, 0.5F};
    for (const OperationInfo& operation : operations()) {
        if (operation.apply == nullptr) { continue; }
        const auto arity = std::size_t(operation.values);
        std::size_t combinations = 1;
        for (std::size_t a = 0; a < arity; ++a) { combinations *= numbers.size(); }
        for (std::size_t c = 0; c < combinations; ++c) {
            std::vector<float> values;
            for (std::size_t a = 0, rest = c; a < arity; ++a, rest /= numbers.size()) {
                values.push_back(numbers[rest % numbers.size()]);
            }
            const float result = operation.apply(values.data());
            if (!std::isfinite(result)) {
                CAPTURE(operation.text, values);
                FAIL_CHECK("gives " << result);
            }
        }
    }
    const std::vector<float> values{1, most, most};
    CHECK(operations()[std::size_t(Operation::multiply)].apply(values.data() + 1) == most);
}
