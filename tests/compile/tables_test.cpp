// The tables: each concept's rows are what documents may write, and what messages and the manual list.
#include "character/expression.hpp"
#include "compile/expression_parser.hpp"
#include "gait/load.hpp"
#include "machine_support.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <limits>

using namespace gait;
using namespace gait::detail;

namespace {

/// The names of a table's rows, in its order.
template <typename Table> std::string names(const Table& table) {
    std::string text;
    for (const auto& row : table) { text += (text.empty() ? "" : ", ") + std::string(row.name); }
    return text;
}

std::string with_transition(const std::string& more) {
    return support::machine_mistakes("go: {kind: flag}", "a: {play: low, go: [{to: b, when: go, fade: 0.2, " + more +
                                                             "}]}\nb: {play: high}");
}

} // namespace

TEST_CASE("every row of the tables stands at its own index, is found by its name, and has one of its own") {
    const auto check = [](const auto& table, auto value, auto named) {
        for (std::size_t i = 0; i < table.size(); ++i) {
            CAPTURE(i, std::string(table[i].name));
            CHECK(std::size_t(table[i].*value) == i);
            CHECK(named(table[i].name) == table[i].*value);
            CHECK(name_of(table[i].*value) == table[i].name);
        }
        CHECK_FALSE(named("no such name"));
    };
    check(eases, &EaseInfo::ease, ease_named);
    check(fade_styles, &FadeStyleInfo::style, fade_style_named);
    check(parameter_kinds, &ParameterKindInfo::kind, parameter_kind_named);
}

TEST_CASE("each ease rises from 0 to 1 and never falls") {
    for (const EaseInfo& info : eases) {
        CAPTURE(std::string(info.name));
        CHECK(eased(info.ease, 0) == 0);
        CHECK(eased(info.ease, 1) == 1);
        CHECK(eased(info.ease, std::numeric_limits<double>::quiet_NaN()) == 0);
        CHECK(info.weight(0) == Approx(0).margin(1e-12));
        CHECK(info.weight(1) == Approx(1));
        for (int i = 1; i <= 100; ++i) { REQUIRE(eased(info.ease, i / 100.0) >= eased(info.ease, (i - 1) / 100.0)); }
    }
}

TEST_CASE("a document may write every ease, style and kind, and a wrong one is told them all") {
    for (const EaseInfo& info : eases) { CHECK(with_transition("ease: " + std::string(info.name)).empty()); }
    for (const FadeStyleInfo& info : fade_styles) {
        CHECK(with_transition("style: " + std::string(info.name)).empty());
    }
    CHECK_THAT(with_transition("ease: bouncing"), Catch::Contains("there are " + names(eases)));
    CHECK_THAT(with_transition("style: bouncing"), Catch::Contains("there are " + names(fade_styles)));
    for (const ParameterKindInfo& info : parameter_kinds) {
        const std::string kind(info.name), of = info.kind == ParameterKind::choice ? ", of: [one, other]" : "";
        CHECK(support::machine_mistakes("p: {kind: " + kind + of + "}", "a: {play: low}").empty());
    }
    CHECK_THAT(support::machine_mistakes("p: {kind: vector}", "a: {play: low}"),
               Catch::Contains("there are " + names(parameter_kinds)));
}

TEST_CASE("every operation is parsed, evaluated and finite for finite values") {
    const ExpressionScope scope{{{{"x", ValueType::number}, {"wet", ValueType::flag}}}};
    for (const OperationInfo& info : operations()) {
        const std::string text(info.text), name = text.empty() ? "a push" : text;
        CAPTURE(name);
        const std::string value = info.operands == ValueType::flag ? "wet" : "x";
        std::string written;
        switch (info.notation) {
        case Notation::none:
            continue;
        case Notation::prefix:
            written = text + " " + value;
            break;
        case Notation::infix:
            written = value + " " + text + " " + value;
            break;
        case Notation::function:
        case Notation::folded:
            for (int i = 0; i < info.values; ++i) { written += (i == 0 ? text + "(" : ", ") + value; }
            written += ")";
            break;
        }
        CAPTURE(written);
        const ParsedExpression parsed = parse_expression(written, scope, info.result);
        REQUIRE_FALSE(parsed.error);
        CHECK(parsed.code.back().operation == info.operation);
        for (const float x : {0.0F, 1.0F, -1.0F, 0.25F, 180.0F, -1e6F}) {
            const float values[] = {x, x != 0 ? 1.0F : 0.0F};
            CHECK(std::isfinite(evaluate(parsed.code, {values, values, {}})));
        }
    }
}

TEST_CASE("the page on documents names every ease, style, kind, motion and operation") {
    const std::string page = support::read(support::project() / "docs/document.md");
    const auto has = [&](std::string_view word) {
        CAPTURE(std::string(word));
        CHECK(page.find(word) != std::string::npos);
    };
    for (const EaseInfo& info : eases) { has(info.name); }
    for (const FadeStyleInfo& info : fade_styles) { has(info.name); }
    for (const ParameterKindInfo& info : parameter_kinds) { has(info.name); }
    for (const MotionKindInfo& info : motion_kinds) { has(info.key); }
    for (const OperationInfo& info : operations()) {
        if (info.notation != Notation::none) { has(info.text); }
    }
}
