#include "compile/expression_parser.hpp"
#include "fuzz.hpp"

using namespace gait::detail;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    ExpressionScope scope{{{{"speed", ValueType::number},
                            {"halt", ValueType::flag},
                            {"hands", ValueType::choice, false, {"free", "pole"}},
                            {"heading", ValueType::number, true},
                            {"hop", ValueType::signal}}}};
    scope.signals_hold = true;
    scope.arguments = {{"work", "pole"}, {"pace", "speed"}};
    scope.add_edge = [](bool, const std::vector<Instruction>&) { return std::uint16_t{5}; };
    const std::string text = fuzz::text(bytes, size);
    const std::vector<float> values{1.5F, 1, 1, -170, 0, 0};
    for (const ValueType wanted : {ValueType::number, ValueType::flag}) {
        const ParsedExpression parsed = parse_expression(text, scope, wanted);
        if (parsed.error) {
            fuzz::require(!parsed.error->message.empty() && parsed.error->offset <= text.size());
        } else {
            ExpressionInputs inputs;
            inputs.smoothed = values.data();
            inputs.raw = values.data();
            (void)evaluate(parsed.code, inputs);
        }
    }
    return 0;
}
