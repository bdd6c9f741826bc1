#include "fuzz.hpp"
#include "machine/expression_parser.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    gait::ExpressionScope scope{{{"speed", gait::ValueType::number},
                                 {"halt", gait::ValueType::flag},
                                 {"hands", gait::ValueType::choice, false, {"free", "pole"}},
                                 {"heading", gait::ValueType::number, true},
                                 {"hop", gait::ValueType::signal}}};
    scope.signals_hold = true;
    scope.arguments = {{"work", "pole"}, {"pace", "speed"}};
    scope.add_edge = [](bool, const std::vector<gait::Instruction>&) { return std::uint16_t{5}; };
    const std::string text = fuzz::text(bytes, size);
    const std::vector<float> values{1.5F, 1, 1, -170, 0, 0};
    for (const gait::ValueType wanted : {gait::ValueType::number, gait::ValueType::flag}) {
        const gait::ParsedExpression parsed = gait::parse_expression(text, scope, wanted);
        if (parsed.error) {
            fuzz::require(!parsed.error->message.empty() && parsed.error->offset <= text.size());
        } else {
            gait::ExpressionInputs inputs;
            inputs.smoothed = values.data();
            inputs.raw = values.data();
            (void)gait::evaluate(parsed.code, inputs);
        }
    }
    return 0;
}
