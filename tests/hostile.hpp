/// What tests and fuzzes attack the library with: numbers nobody means, documents that hold them, and any call in any
/// order. Knows no test framework: what is found wrong is given back in words.
#pragma once

#include "gait/gait.hpp"

#include <cstdint>
#include <functional>
#include <memory>
#include <random>
#include <span>
#include <string>
#include <vector>

namespace support {

/// Where an attack takes its decisions from: a fuzzer's bytes, which end, or random numbers, which do not.
class Choices {
public:
    explicit Choices(std::span<const std::uint8_t> bytes) : bytes_(bytes) {}
    explicit Choices(std::uint32_t seed) : random_(seed), endless_(true) {}

    [[nodiscard]] bool ended() const { return !endless_ && at_ >= bytes_.size(); }
    std::uint8_t byte();
    /// 0 to `count` - 1.
    std::size_t below(std::size_t count);
    double unit(); ///< 0 to 1
    bool one_in(std::size_t count) { return below(count) == 0; }
    /// Any double at all.
    double any_bits();
    /// A number as a game has it, one of `hostile_numbers()`, or any.
    double number();

private:
    std::span<const std::uint8_t> bytes_;
    std::size_t at_ = 0;
    std::mt19937 random_;
    bool endless_ = false;
};

/// NaN, infinities, and what lies at the edge of one thing or another.
[[nodiscard]] const std::vector<double>& hostile_numbers();

/// Shows every number of a document to `visit`.
class NumberWalk {
public:
    explicit NumberWalk(std::function<void(double&)> visit) : visit_(std::move(visit)) {}
    void document(gait::Document& document);

private:
    void number(gait::Number& number) { visit_(number.value); }
    void number(std::optional<gait::Number>& number);
    void pair(std::pair<gait::Number, gait::Number>& pair);
    void clip(gait::ClipDefinition& clip);
    void parameter(gait::ParameterDefinition& parameter);
    void motion(gait::MotionDefinition& motion);
    void transition(gait::TransitionDefinition& transition);
    void machine(gait::MachineDefinition& machine);
    std::function<void(double&)> visit_;
};

/// A document in which every kind of number stands, for `machine_assets()`; and what it is compiled to.
[[nodiscard]] const gait::Document& rich_document();
[[nodiscard]] const std::shared_ptr<const gait::Character>& rich_character();

/// What a performer shows that cannot be: a number that is not finite, a rotation that is not of unit length. Empty
/// when all is well.
[[nodiscard]] std::string fault_of(const gait::Performer& performer);

/// One call of the performer's whole face, with whatever arguments; what comes out of it is asked for too.
void call_anything(gait::Performer& performer, Choices& choices);

/// Plays on for so many frames as a wild game would, with `call_anything` where `calls` are wanted. What went wrong
/// first; empty when nothing did.
[[nodiscard]] std::string play_hard(gait::Performer& performer, Choices& choices, int frames, bool calls);

} // namespace support
