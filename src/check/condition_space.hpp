/// The values that decide conditions: every corner of their parameters' space at which one may change.
#pragma once

#include "character/character_data.hpp"

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace gait::detail {

/// What some conditions read, and the values worth trying for each: a little to either side of every number they are
/// compared with, the ends of the range, each value of a flag or choice. For conditions that only compare, what no
/// corner shows does not happen.
class ConditionSpace {
public:
    ConditionSpace(const CharacterData& data, const std::vector<CodeRange>& conditions);

    /// Whether trying the corners is enough to be sure.
    [[nodiscard]] bool is_exact() const { return exact_; }
    /// Whether the conditions look at edges or at readings of a state, which do not stay as they are.
    [[nodiscard]] bool is_passing() const { return passing_; }

    /// Calls `visit` with every corner until it returns true; gives back whether it did.
    bool any(const std::function<bool()>& visit);
    /// At the present corner.
    [[nodiscard]] bool holds(CodeRange condition) const;
    /// The values of the present corner, for people: `speed = 0.2, halt = no`.
    [[nodiscard]] std::string values() const;

    /// Where the conditions may change: calls `visit` at each corner and number, with the two sides of each threshold
    /// of that number, until it returns true. `side(false)` and `side(true)` move to just below and just above.
    struct Threshold {
        std::string name; ///< of the parameter
        float at = 0;
        std::function<void(bool above)> side;
    };
    bool any_threshold(const std::function<bool(const Threshold&)>& visit);

private:
    struct Axis {
        std::uint16_t slot = 0;
        bool reading = false; ///< `slot` is a `Reading`
        bool number = false;
        std::vector<float> thresholds; ///< of a number
        std::vector<float> tries;
    };
    void add_code(CodeRange code);
    void add_slot(std::uint16_t slot, bool reading);
    /// What is asked of another layer through this slot; nothing where it is asked which state it is in.
    [[nodiscard]] std::optional<Reading> reading_of_layer(std::uint16_t slot) const;
    void fill_tries(Axis& axis, const std::vector<float>& constants);
    void set(const Axis& axis, float value);
    void derive();
    bool walk(std::size_t axis, const std::function<bool()>& visit);

    const CharacterData& data_;
    std::vector<Axis> axes_;
    std::vector<std::uint16_t> derived_; ///< indices into `computed`, in order
    std::vector<float> constants_;
    std::vector<float> values_; ///< a slot each
    StateReadings readings_;
    bool exact_ = true, passing_ = false;
    std::size_t visits_ = 0, instructions_ = 0;
};

} // namespace gait::detail
