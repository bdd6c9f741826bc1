#include "gnuplot.hpp"

#include "draw_with.hpp"
#include "output.hpp"

#include <array>

namespace gait::tool {

std::string plot_colour(std::size_t index) {
    constexpr std::array<const char*, 7> colours{"#0072b2", "#e69f00", "#009e73", "#cc79a7",
                                                 "#56b4e9", "#d55e00", "#999999"};
    return colours[index % colours.size()];
}

std::string plot_head(const std::string& path, const std::string& output) {
    return std::string(path.ends_with(".svg")
                           ? "set terminal svg size 1280,800 font 'DejaVu Sans,11' background '#ffffff'\n"
                           : "set terminal pngcairo size 1280,800 font 'DejaVu Sans,10' noenhanced\n") +
           "set output " + plot_text(output) + "\n";
}

std::optional<std::string> draw_plot(const std::string& path,
                                     const std::function<std::string(const std::string& output)>& script_for) {
    return draw_with(
        {"gnuplot", "gnuplot-nox", [](const std::string& script, const std::string&) { return std::vector{script}; }},
        path, script_for);
}

} // namespace gait::tool
