/// Small machines for tests: a chain of two joints, clips that hold an angle, and documents in a few lines.
#pragma once

#include "support.hpp"

#include <cmath>
#include <string>

namespace support {

/// `low` and `high` loop at 0 and 30 degrees; `side` (60 degrees, one second) and `spin` (turning, two seconds) play
/// once; `swing` loops, turning to and fro; `marked` loops over one second with marks and a span.
[[nodiscard]] gait::Assets machine_assets();

/// A character with these parameters (a map's inside, or lines), states (a line each, indented as they come) and start.
[[nodiscard]] std::shared_ptr<const gait::Character> machine(const std::string& parameters, const std::string& states,
                                                             const std::string& start = {},
                                                             const std::string& more = {});
/// The document's text. `more` stands before the layers.
[[nodiscard]] std::string machine_text(const std::string& parameters, const std::string& states,
                                       const std::string& start = {}, const std::string& more = {});
/// What is wrong with it, formatted.
[[nodiscard]] std::string machine_mistakes(const std::string& parameters, const std::string& states,
                                           const std::string& start = {}, const std::string& more = {});

/// Advances and gives the active state's name.
std::string at(gait::Performer& performer, double seconds);

/// Plays from the start in even steps and gives the instants of all transitions.
[[nodiscard]] std::vector<double> transition_times(const std::shared_ptr<const gait::Character>& character,
                                                   double seconds, double rate);

/// Plays on in steps and gives the names of the states entered, in order.
std::vector<std::string> entered(gait::Performer& performer, double seconds, double dt = 1.0 / 60);

} // namespace support
