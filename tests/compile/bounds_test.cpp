// Documents that a program fills: every number in them may be anything.
#include "gait/load.hpp"
#include "hostile.hpp"
#include "machine_support.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cmath>
#include <functional>
#include <limits>
#include <random>

using namespace gait;
using support::hostile_numbers, support::NumberWalk, support::rich_document;

namespace {

bool plays_hard(const std::shared_ptr<const Character>& character, support::Choices& choices) {
    Performer performer(character);
    const std::string fault = support::play_hard(performer, choices, 40, false);
    UNSCOPED_INFO(fault);
    return fault.empty();
}

} // namespace

TEST_CASE("a document that a program fills with any numbers is refused, or plays finite poses", "[long]") {
    const Assets assets = support::machine_assets();
    std::size_t count = 0;
    NumberWalk([&](double&) { ++count; }).document(*std::make_unique<Document>(rich_document()));
    REQUIRE(count > 80);
    {
        const Compiled as_written = compile(rich_document(), assets);
        INFO(format(as_written.diagnostics));
        REQUIRE(as_written.character);
    }
    support::Choices choices(5);
    std::size_t played = 0, refused = 0;
    for (std::size_t which = 0; which < count; ++which) {
        for (const double hostile : hostile_numbers()) {
            Document document = rich_document();
            std::size_t at = 0;
            NumberWalk([&](double& number) {
                if (at++ == which) { number = hostile; }
            }).document(document);
            CAPTURE(which, hostile);
            const Compiled compiled = compile(document, assets);
            ++(compiled.character ? played : refused);
            if (!compiled.character) {
                REQUIRE(has_errors(compiled.diagnostics));
            } else {
                REQUIRE(plays_hard(compiled.character, choices));
            }
        }
    }
    // Every number has values that are refused, and few are refused for any.
    CHECK(refused > 2 * count);
    CHECK(played > 2 * count);
}

TEST_CASE("many hostile numbers at once are refused, or play finite poses", "[long]") {
    const Assets assets = support::machine_assets();
    std::mt19937 random(6);
    support::Choices choices(6);
    for (int run = 0; run < 300; ++run) {
        Document document = rich_document();
        NumberWalk([&](double& number) {
            if (random() % 30 == 0) { number = hostile_numbers()[random() % hostile_numbers().size()]; }
        }).document(document);
        CAPTURE(run);
        const Compiled compiled = compile(document, assets);
        if (compiled.character) { REQUIRE(plays_hard(compiled.character, choices)); }
    }
}

TEST_CASE("what is out of bounds is said by compile, with a place where there is one and a path where there is none") {
    const Assets assets = support::machine_assets();
    const auto mistakes = [&](const std::function<void(Document&)>& change) {
        Document document = rich_document();
        document.source = {};
        change(document);
        return format(compile(document, assets).diagnostics);
    };
    constexpr double nan = std::numeric_limits<double>::quiet_NaN();
    CHECK_THAT(mistakes([&](Document& d) { d.layers[1].fade = nan; }),
               Catch::Contains("a fade lasts 0 to 60 seconds; found nan [wrong-range]"));
    CHECK_THAT(mistakes([&](Document& d) { d.forbid[0].fade = Number(-1, {}); }),
               Catch::Contains("a fade lasts 0 to 60 seconds; found -1"));
    CHECK_THAT(mistakes([&](Document& d) { d.masks[0].ramp = nan; }), Catch::Contains("'ramp' is a whole number"));
    CHECK_THAT(mistakes([&](Document& d) { d.masks[1].joints[0].second = nan; }),
               Catch::Contains("a joint's part is 0 to 1; found nan"));
    CHECK_THAT(mistakes([&](Document& d) { d.clips[0].rate = nan; }), Catch::Contains("'rate' is 0.01 to 100"));
    CHECK_THAT(mistakes([&](Document& d) { d.parameters[3].default_value = 2; }),
               Catch::Contains("the default of 'hands' is one of 2 values, counted from 0; found 2"));
    CHECK_THAT(mistakes([&](Document& d) {
                   d.parameters[0].range = {-1e39, 1e39};
               }),
               Catch::Contains("the numbers of 'speed' lie between"));
    CHECK_THAT(mistakes([&](Document& d) {
                   d.feet.planted = "yes";
                   d.feet.most = nan;
               }),
               Catch::Contains("'most' is 0.01 to 10 metres; found nan"));
    const std::string text =
        support::machine_text("speed: {kind: number}", "a: {play: low}", "a", "feet: {planted: yes, most: 11}\n");
    CHECK_THAT(support::diagnose(text, assets),
               Catch::Contains("test.gait.yaml:") && Catch::Contains("'most' is 0.01 to 10 metres; found 11"));
}

TEST_CASE("cells by hand that do not fit a space whose pace is kept are one mistake, and nothing crashes") {
    const std::string mistakes = support::machine_mistakes(
        "  speed: {kind: number, range: [0, 6]}\n  heading: {kind: angle}\n",
        "a: {play: {blend: [heading, speed], keep_pace: yes, cells: [[1, 2, 4]], points: [{at: [0, 0], play: low}, "
        "{at: [0, 2], play: swing}, {at: [90, 2], play: high}, {at: [180, 2], play: low}, {at: [-90, 2], play: "
        "high}]}}");
    CHECK_THAT(mistakes,
               Catch::Contains("these cells do not fit together: the corners of one lie in a line, or it is not "
                               "convex; leave 'cells' out to have them found"));
}

TEST_CASE("what the reader could not read is nothing that compile lets play") {
    const DocumentRead read = read_document_text(support::machine_text("speed: {kind: number}", "a: {play: broken}",
                                                                       "a", "motions: {broken: {of_what: speed}}\n"),
                                                 "test.gait.yaml");
    REQUIRE(has_errors(read.diagnostics));
    const Compiled compiled = compile(read.document, support::machine_assets());
    CHECK_FALSE(compiled.character);
    CHECK_THAT(format(compiled.diagnostics),
               Catch::Contains("what stands here could not be read; mend what was said of it first [not-read]"));
}
