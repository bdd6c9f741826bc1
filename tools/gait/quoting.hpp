/// Texts of somebody's, made harmless for whatever reads them: a terminal, or a program that draws.
#pragma once

#include <string>
#include <string_view>

namespace gait::tool {

/// A text of somebody's as it may be shown: control characters, and bytes that are no UTF-8, become U+FFFD. Ends of
/// lines are kept where they are asked for.
[[nodiscard]] std::string printable(std::string_view text, bool keeps_lines = false);

/// A text as gnuplot takes it, whatever it holds: none of it is run or read as a format.
[[nodiscard]] std::string plot_text(const std::string& text);
/// The same of a label at an axis, where `%` would begin a format.
[[nodiscard]] std::string tic_text(const std::string& text);

/// A text inside Graphviz's double quotes; long ones are broken where `and` or `or` stands.
[[nodiscard]] std::string graph_text(std::string text);

} // namespace gait::tool
