/// Drawing by gnuplot: a script in, a picture out.
#pragma once

#include "quoting.hpp"

#include <functional>
#include <optional>
#include <string>

namespace gait::tool {

/// Told apart by people who see colours differently, too (Okabe and Ito 2008).
[[nodiscard]] std::string plot_colour(std::size_t index);

/// The head of every script: the terminal for .png or .svg by the name of `path`, and where it draws to.
[[nodiscard]] std::string plot_head(const std::string& path, const std::string& output);

/// Runs the script that `script_for(output)` gives, and puts the picture at `path`. Returns what went wrong.
[[nodiscard]] std::optional<std::string>
draw_plot(const std::string& path, const std::function<std::string(const std::string& output)>& script_for);

} // namespace gait::tool
