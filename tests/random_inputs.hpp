/// Inputs at random for any character, by the kinds of its parameters.
#pragma once

#include "gait/character.hpp"
#include "gait/performer.hpp"

#include <functional>
#include <memory>
#include <random>

namespace support {

/// Gives a performer what hands and sticks may give it in a frame; two of one seed give the same.
class RandomInputs {
public:
    /// `enters`: how likely in a frame the game jumps to some state.
    explicit RandomInputs(unsigned seed, double enters = 0) : random_(seed), enters_(enters) {}

    void give(gait::Performer& performer);

private:
    double unit() { return std::uniform_real_distribution<double>(0, 1)(random_); }
    void give(gait::Performer& performer, const gait::ParameterInfo& parameter);

    std::mt19937 random_;
    double enters_;
};

/// Plays twenty seconds of a character whose parameters change at random, as fast as hands and sticks do, and checks
/// that the three measures hold: the seam as it is, the others to within `nearly`, which is what chance finds now and
/// then.
void check_random_inputs(const std::shared_ptr<const gait::Character>& character, unsigned seed, double nearly = 1.05);

} // namespace support
