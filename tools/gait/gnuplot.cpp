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

std::string plot_text(const std::string& text) {
    // In single quotes nothing is run, and no character has a meaning but the quote itself. Written twice it should
    // stand for one, but not everywhere it does: an apostrophe looks the same. A statement ends with its line, so that
    // no control character may be among them.
    std::string out = "'";
    for (const char c : printable(text)) {
        if (c == '\'') {
            out += "\xE2\x80\x99"; // U+2019
        } else {
            out += c;
        }
    }
    return out + "'";
}

std::string tic_text(const std::string& text) {
    std::string doubled;
    for (const char c : text) {
        if (c == '%') { doubled += '%'; } // else it begins a format
        doubled += c;
    }
    return plot_text(doubled);
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
