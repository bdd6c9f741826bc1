/// What options of several commands take: numbers within bounds, and files to draw into.
#pragma once

#include <CLI/CLI.hpp>

#include <string>
#include <vector>

namespace gait::tool {

/// A number from `low` to `high`, and so no infinity and nothing that is no number.
[[nodiscard]] CLI::Validator number_between(double low, double high);

/// A file whose name ends in one of `endings` ("png"); `what` begins the message: "a chart is drawn".
[[nodiscard]] CLI::Validator file_as(const std::string& what, const std::vector<std::string>& endings);

/// One of some words.
[[nodiscard]] CLI::Validator one_of(const std::vector<std::string>& words);

} // namespace gait::tool
