// Any call with any arguments in any order, and any bytes as a stored block.
#include "hostile.hpp"
#include "machine_support.hpp"
#include "support.hpp"

#include <catch2/catch.hpp>

#include <cmath>
#include <limits>

using namespace gait;

namespace {

constexpr double not_a_number = std::numeric_limits<double>::quiet_NaN();
constexpr double infinite = std::numeric_limits<double>::infinity();

bool is_well(const Performer& performer) {
    const std::string fault = support::fault_of(performer);
    UNSCOPED_INFO(fault);
    return fault.empty();
}

bool all_equal(const Performer& a, const Performer& b) { return std::ranges::equal(a.bytes(), b.bytes()); }

} // namespace

TEST_CASE("steps beyond an hour, below zero or of no number are refused and counted, and nothing is played") {
    Performer performer(support::rich_character());
    performer.advance(0.1);
    for (const double step : {2e306, 1e300, 3600.001, -1e-9, not_a_number, infinite, -infinite}) {
        const double before = performer.time();
        const auto refused = performer.faults().refused_steps;
        CAPTURE(step);
        CHECK_FALSE(performer.advance(step));
        CHECK(performer.faults().refused_steps == refused + 1);
        CHECK(performer.time() == before);
        CHECK(is_well(performer));
    }
    CHECK(performer.advance(longest_step));
    CHECK(performer.time() == Approx(3600.1));
    CHECK(is_well(performer));
}

TEST_CASE("fades and scales out of bounds are refused and counted") {
    Performer performer(support::rich_character());
    const StateHandle plane = performer.character().state("plane");
    for (const double fade : {1e39, 60.001, -0.1, not_a_number, infinite}) {
        const auto refused = performer.faults().refused_values;
        CAPTURE(fade);
        CHECK_FALSE(performer.enter(plane, fade));
        CHECK(performer.faults().refused_values == refused + 1);
        performer.advance(0.1);
        CHECK(is_well(performer));
    }
    CHECK_FALSE(performer.enter(plane, 0.2, Ease(200)));
    CHECK(performer.enter(plane, longest_fade));
    for (const float scale : {3.4e38F, 1001.0F, 0.0009F, 0.0F, -1.0F, float(not_a_number)}) {
        const auto refused = performer.faults().refused_values;
        CAPTURE(scale);
        CHECK_FALSE(performer.set_scale(scale));
        CHECK(performer.faults().refused_values == refused + 1);
    }
    CHECK(performer.set_scale(greatest_scale));
    CHECK(performer.set_scale(smallest_scale));
    performer.advance(0.1);
    CHECK(is_well(performer));
}

TEST_CASE("any calls in any order with any arguments leave finite unit poses", "[long]") {
    const auto character = GENERATE(true, false) ? support::rich_character() : support::lamplighter().character;
    Performer performer(character);
    for (std::uint32_t run = 0; run < 40; ++run) {
        support::Choices choices(run);
        CAPTURE(run);
        CHECK(support::play_hard(performer, choices, 250, true).empty());
    }
}

TEST_CASE("a number that is none is never kept by what is computed", "[long]") {
    const auto character = support::machine(
        "  a: {kind: number, smooth: 0}\n  b: {kind: number, smooth: 0}\n"
        "  pace: {kind: number, range: [0, 6], smooth: 0.2, from: a / b}\n"
        "  most: {kind: number, greatest: a / b - a * b}\n  kept: {kind: number, remember: (a / b) * b * b}\n"
        "  bent: {kind: number, from: \"remap(a, -b, b, -a, a) - sqrt(a) / b\"}\n",
        "a: {play: {blend: pace, points: {0: low, 6: high}}}");
    Performer performer(character);
    for (const float b : {1e-40F, 1e-38F, 0.0F, -1e-45F, 3.4e38F, 1.0F}) {
        for (const float a : {1.0F, 3.4e38F, -3.4e38F, 0.0F}) {
            performer.set("a", a);
            performer.set("b", b);
            performer.advance(0.1);
            CAPTURE(a, b);
            CHECK(is_well(performer));
        }
    }
    performer.set("a", 2.0F);
    performer.set("b", 1.0F);
    for (int i = 0; i < 300; ++i) { performer.advance(0.1); }
    CHECK(performer.smoothed(character->number("pace")) == Approx(2));
}

TEST_CASE("a stored block is taken over again, to the last bit") {
    for (const auto& character : {support::rich_character(), support::lamplighter().character}) {
        Performer performer(character);
        support::Choices choices(3);
        for (int i = 0; i < 400; ++i) {
            (void)support::play_hard(performer, choices, 1, false);
            Performer other(character);
            CAPTURE(i);
            REQUIRE(other.restore(performer.bytes()));
            REQUIRE(all_equal(other, performer));
        }
    }
}

TEST_CASE("a block of any bytes is refused and changes nothing, or plays on with finite unit poses", "[long]") {
    const auto character = GENERATE(true, false) ? support::rich_character() : support::lamplighter().character;
    Performer performer(character);
    support::Choices choices(8);
    (void)support::play_hard(performer, choices, 50, false);
    std::size_t refused = 0, taken = 0;
    for (int run = 0; run < 6000; ++run) {
        if (run % 100 == 0) { (void)support::play_hard(performer, choices, 20, false); }
        std::vector<std::byte> bytes(performer.bytes().begin(), performer.bytes().end());
        for (std::size_t changes = 1 + choices.below(3); changes > 0; --changes) {
            bytes[choices.below(bytes.size())] = std::byte{choices.byte()};
        }
        Performer other = performer;
        CAPTURE(run);
        if (!other.restore(bytes)) {
            ++refused;
            REQUIRE(all_equal(other, performer));
            continue;
        }
        ++taken;
        const std::string fault = support::play_hard(other, choices, 6, false);
        CAPTURE(fault);
        REQUIRE(fault.empty());
    }
    CHECK(refused > 500);
    CHECK(taken > 500);
    Performer other(character);
    CHECK_FALSE(other.restore(performer.bytes().first(10)));
    CHECK_FALSE(other.restore(std::vector<std::byte>(performer.bytes().size(), std::byte{0})));
    CHECK_FALSE(other.restore(std::vector<std::byte>(performer.bytes().size(), std::byte{0xFF})));
}
