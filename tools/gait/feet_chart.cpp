// The chart of one clip's feet: heights and speeds over the clip, and when each foot is down.
#include "feet_chart.hpp"

#include "gnuplot.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::tool {
namespace {

/// Left and right have the same colours here as on the body of a film.
const char* side_colour(const std::string& side) { return side == "left" ? "#ed992e" : "#3875b8"; }

/// The stretches of a contact within the clip: two, when it lasts over a loop's end.
std::vector<std::pair<double, double>> stretches(const Contact& contact, double seconds) {
    if (contact.lift_off >= contact.strike) { return {{contact.strike, contact.lift_off}}; }
    return {{contact.strike, seconds}, {0, contact.lift_off}};
}

std::string shaded(const ClipMeasure& measure, double seconds) {
    std::string out;
    int object = 1;
    for (std::size_t f = 0; f < measure.feet.size(); ++f) {
        // The left foot's contacts stand in the upper half of a strip under the curves, the right foot's in the lower.
        const double top = f == 0 ? 1.0 : 0.5, bottom = top - 0.42;
        for (const Contact& contact : measure.feet[f].contacts) {
            for (const auto& [from, to] : stretches(contact, seconds)) {
                out += fmt::format(
                    "set object {} rectangle from {:.5f},{} to {:.5f},{} fc rgb '{}' fs solid 0.45 border lc "
                    "rgb '#555555'\n",
                    object++, from, bottom, to, top, side_colour(measure.feet[f].side));
            }
        }
    }
    return out;
}

std::string script_for(const ClipSource& clip, const ClipMeasure& measure, const std::string& title,
                       const std::string& path, const std::string& output) {
    std::string script = "$feet << END\n";
    const std::size_t count = measure.feet.empty() ? 0 : measure.feet.front().heights.size();
    for (std::size_t i = 0; i < count; ++i) {
        script += fmt::format("{:.5f}", clip.seconds * double(i) / double(std::max<std::size_t>(count - 1, 1)));
        for (const FootMeasure& foot : measure.feet) {
            script += fmt::format(" {:.3f} {:.4f}", 1000 * foot.heights[i], foot.speeds[i]);
        }
        script += '\n';
    }
    script += "END\n" + plot_head(path, output) + "set multiplot title " +
              plot_text(fmt::format("{}, {:.3f} s: {:.2f} m/s toward {:.0f} deg, {:.0f} steps a minute", title,
                                    clip.seconds, measure.speed, measure.direction, measure.steps_a_minute)) +
              " noenhanced font ',12'\n";
    script +=
        fmt::format("set xrange [0:{:.5f}]\nset lmargin at screen 0.08\nset rmargin at screen 0.97\nset grid lc rgb "
                    "'#dddddd'\nset tics scale 0.5\nset key top right horizontal\n",
                    std::max(clip.seconds, 1e-3));
    const auto curves = [&](std::size_t column) {
        std::string plots;
        for (std::size_t f = 0; f < measure.feet.size(); ++f) {
            plots += fmt::format("{}$feet using 1:{} with lines lw 2 dt {} lc rgb '{}' title '{} foot'",
                                 plots.empty() ? "" : ", ", 2 + 2 * f + column, f + 1,
                                 side_colour(measure.feet[f].side), measure.feet[f].side);
        }
        return plots.empty() ? std::string("0 with lines lc rgb '#999999' title 'no feet were found'") : plots;
    };
    script += "set format x ''\nset tmargin at screen 0.92\nset bmargin at screen 0.56\nset ylabel 'lower of heel and "
              "ball above "
              "the ground (mm)'\nplot " +
              curves(0) + "\n";
    script +=
        "set tmargin at screen 0.53\nset bmargin at screen 0.19\nset ylabel 'speed over the ground (m/s)'\nset yrange "
        "[0:*]\nplot " +
        curves(1) + "\n";
    script += "set tmargin at screen 0.165\nset bmargin at screen 0.08\nset ylabel 'down'\nset yrange [0:1.08]\nunset "
              "ytics\nset "
              "format x '%g'\nset xlabel 'seconds'\n" +
              shaded(measure, clip.seconds) + "plot -1 notitle\n";
    return script + "unset multiplot\n";
}

} // namespace

std::optional<std::string> draw_feet_chart(const ClipSource& clip, const ClipMeasure& measure, const std::string& title,
                                           const std::string& path) {
    return draw_plot(path, [&](const std::string& output) { return script_for(clip, measure, title, path, output); });
}

} // namespace gait::tool
