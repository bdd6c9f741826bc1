/// What `gait perform --why` tells: the transitions that were weighed, and what held them up.
#pragma once

#include "gait/character.hpp"
#include "gait/performer.hpp"
#include "gait/why.hpp"

#include <nlohmann/json.hpp>

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace gait::tool {

/// Collects over the frames in which a state is active, or at one instant.
class Weighing {
public:
    /// `asked` is a state's name or a number of seconds; empty for the end. Says what is wrong with it.
    static std::optional<Weighing> of(const std::string& asked, const Character& character, std::string& problem);

    /// Looks at a frame.
    void watch(const Performer& performer);

    /// For people.
    [[nodiscard]] std::string text(const Character& character) const;
    [[nodiscard]] nlohmann::json json(const Character& character) const;

private:
    /// A part of a transition's conditions over the frames.
    struct Part {
        ConditionPart last;
        int held = 0;
    };
    struct Way {
        std::uint16_t transition = 0;
        std::vector<Part> parts;
        int weighed = 0;
        int taken = 0;
    };

    Way& way_of(std::uint16_t transition);

    StateHandle state_;
    std::optional<double> instant_;
    bool done_ = false; ///< the instant was seen
    int frames_ = 0;
    double time_ = 0;
    std::string where_; ///< the active state's name
    std::string gives_; ///< the values that states give then; empty for none
    std::vector<Way> ways_;
};

} // namespace gait::tool
