// The chart of a performance: parameters, states, clips and jolts over one time axis, drawn by gnuplot.
#include "gnuplot.hpp"
#include "recording.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gait::tool {
namespace {

bool is_constant(const Recording& recording, std::size_t parameter) {
    return std::all_of(recording.frames.begin(), recording.frames.end(), [&](const RecordedFrame& f) {
        return f.set[parameter] == recording.frames.front().set[parameter];
    });
}

std::string data_block(const Recording& recording, const Character& character) {
    std::string data = "$frames << END\n";
    for (const RecordedFrame& frame : recording.frames) {
        data += fmt::format("{:.5f} {:.4f}", frame.time, frame.jolt);
        for (std::size_t p = 0; p < frame.set.size(); ++p) {
            data += fmt::format(" {:.5g} {:.5g}", frame.set[p], frame.smoothed[p]);
        }
        double stacked = 0;
        for (const double share : clip_shares(frame, character)) {
            stacked += share;
            data += fmt::format(" {:.5f}", stacked);
        }
        data += '\n';
    }
    return data + "END\n";
}

struct Panel {
    double top, bottom; ///< of the page
};

/// Places a panel, with its key in the strip above it.
std::string margins(Panel panel) {
    return fmt::format("set tmargin at screen {}\nset bmargin at screen {}\nset key at screen 0.98, screen {} right "
                       "center horizontal maxrows 1 samplen 2 noenhanced\n",
                       panel.top, panel.bottom, panel.top + 0.02);
}

std::string parameters_panel(const Recording& recording, const Character& character) {
    std::string plots;
    for (std::size_t p = 0; p < character.parameters().size(); ++p) {
        const ParameterInfo& info = character.parameters()[p];
        if (is_constant(recording, p)) { continue; }
        const std::string name = info.unit.empty() ? info.name : fmt::format("{} ({})", info.name, info.unit);
        const std::size_t set = 3 + 2 * p, smoothed = set + 1;
        if (!plots.empty()) { plots += ", "; }
        if (info.smooth > 0) {
            plots += fmt::format("$frames using 1:{} with steps lw 1 lc rgb '#999999' title {}, ", set,
                                 plot_text(info.name + " as set"));
        }
        plots += fmt::format("$frames using 1:{} with {} lw 2 lc rgb '{}' title {}", smoothed,
                             info.kind == ParameterKind::flag ? "steps" : "lines", plot_colour(p), plot_text(name));
    }
    if (plots.empty()) { plots = "0 with lines lc rgb '#999999' title 'no parameter was set'"; }
    return "set ylabel 'parameters'\nset yrange [0:*]\nunset ytics\nset ytics\nplot " + plots + "\n";
}

std::string states_panel(const Recording& recording, const Character& character) {
    std::string out = "set ylabel 'state'\nset yrange [0:1]\nunset ytics\n";
    const auto& frames = recording.frames;
    int object = 1;
    for (std::size_t start = 0; start < frames.size();) {
        std::size_t end = start;
        while (end + 1 < frames.size() && frames[end + 1].state == frames[start].state) { ++end; }
        const double from = frames[start].time, to = frames[std::min(end + 1, frames.size() - 1)].time;
        out += fmt::format("set object {} rectangle from {:.4f},0.12 to {:.4f},0.88 fc rgb '{}' fs solid 0.35 border "
                           "lc rgb '#555555'\n",
                           object, from, to, plot_colour(frames[start].state));
        const std::string& name = character.states()[frames[start].state].name;
        // A name stands where it has room.
        if ((to - from) / std::max(recording.seconds, 1e-9) * 160 > double(name.size()) + 1) {
            out += fmt::format("set label {} {} at {:.4f},0.5 center font ',9' noenhanced\n", object, plot_text(name),
                               (from + to) / 2);
        }
        ++object;
        start = end + 1;
    }
    return out + "plot -1 notitle\nunset object\nunset label\n";
}

std::string clips_panel(const Character& character) {
    std::string plots;
    const std::size_t first = 3 + 2 * character.parameters().size();
    for (std::size_t c = character.clips().size(); c-- > 0;) {
        plots +=
            fmt::format("{}$frames using 1:{} with filledcurves y1=0 lc rgb '{}' fs solid 0.75 title {}",
                        plots.empty() ? "" : ", ", first + c, plot_colour(c), plot_text(character.clips()[c].name));
    }
    return "set ylabel 'share of each clip'\nset yrange [0:1]\nset ytics 0.5\nplot " + plots + "\n";
}

std::string jolt_panel(const Recording& recording) {
    std::string out = "set ylabel 'jolt (deg/s)'\nset yrange [0:*]\nset ytics autofreq\n";
    if (recording.worst_snap.joint >= 0) {
        out += fmt::format("set label 1 'worst snap ratio {:.2f}, at {:.2f} s' at screen 0.07, screen 0.29 left font "
                           "',10' tc rgb '#b34700'\n",
                           recording.worst_snap.ratio, recording.worst_snap.time);
        out += fmt::format("set arrow 1 from {0:.4f},graph 0.99 to {0:.4f},graph 0.88 lc rgb '#d55e00' lw 2 front\n",
                           recording.worst_snap.time);
    }
    return out + "set xlabel 'seconds'\nset format x '%g'\nplot $frames using 1:2 with lines lw 1 lc rgb '#333333' "
                 "title 'greatest change of a joint''s angular velocity between two frames'\n";
}

std::string script_for(const Recording& recording, const Character& character, const std::string& title,
                       const std::string& path, const std::string& output) {
    std::string script = data_block(recording, character);
    script += plot_head(path, output);
    script += "set multiplot title " + plot_text(title) + " noenhanced font ',12'\n";
    script += fmt::format("set xrange [0:{:.5f}]\nset lmargin at screen 0.07\nset rmargin at screen 0.98\n",
                          std::max(recording.seconds, 1e-3));
    script += "set grid xtics lc rgb '#dddddd'\nset format x ''\nset tics scale 0.5\n";
    for (std::size_t i = 0; i < recording.transitions.size(); ++i) {
        script += fmt::format("set arrow {} from {:.4f},graph 0 to {:.4f},graph 1 nohead lc rgb '#bbbbbb' dt 2 back\n",
                              1000 + i, recording.transitions[i].time, recording.transitions[i].time);
    }
    script += margins({0.92, 0.70}) + parameters_panel(recording, character);
    script += margins({0.655, 0.575}) + states_panel(recording, character);
    script += margins({0.52, 0.33}) + clips_panel(character);
    script += margins({0.27, 0.07}) + jolt_panel(recording);
    return script + "unset multiplot\n";
}

} // namespace

std::optional<std::string> draw_chart(const Recording& recording, const Character& character, const std::string& title,
                                      const std::string& path) {
    return draw_plot(path,
                     [&](const std::string& output) { return script_for(recording, character, title, path, output); });
}

} // namespace gait::tool
