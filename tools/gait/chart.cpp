// The chart of a performance: parameters, states, clips and jolts over one time axis, drawn by gnuplot.
#include "gnuplot.hpp"
#include "recording.hpp"
#include "state_names.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::tool {
namespace {

bool is_constant(const Recording& recording, std::size_t parameter) {
    return std::all_of(recording.frames.begin(), recording.frames.end(), [&](const RecordedFrame& f) {
        return f.set[parameter] == recording.frames.front().set[parameter];
    });
}

/// The jolts at the rate of what plays: a clip goes in straight lines from sample to sample, so that of the frames
/// between two only one bends. Each frame has the greatest of the time that a sample of the slowest clip takes.
std::vector<double> drawn_jolts(const Recording& recording, const Character& character) {
    const auto& frames = recording.frames;
    std::vector<double> drawn;
    for (std::size_t f = 0; f < frames.size(); ++f) {
        double sample = 0; // seconds
        for (const auto& layer : frames[f].instances) {
            for (const RecordedInstance& instance : layer) {
                for (const ClipView& clip : instance.clips) {
                    const ClipInfo& info = character.clips()[clip.clip];
                    if (info.intervals > 0 && clip.weight * instance.view.weight > 0.02F) {
                        sample = std::max(sample, info.seconds / info.intervals);
                    }
                }
            }
        }
        double jolt = frames[f].jolt;
        for (std::size_t back = f; back-- > 0 && frames[back].time > frames[f].time - sample;) {
            jolt = std::max(jolt, frames[back].jolt);
        }
        drawn.push_back(jolt);
    }
    return drawn;
}

std::string data_block(const Recording& recording, const Character& character) {
    std::string data = "$frames << END\n";
    const std::vector<double> jolts = drawn_jolts(recording, character);
    for (std::size_t f = 0; f < recording.frames.size(); ++f) {
        const RecordedFrame& frame = recording.frames[f];
        data += fmt::format("{:.5f} {:.4f}", frame.time, jolts[f]);
        for (std::size_t p = 0; p < frame.set.size(); ++p) {
            data += fmt::format(" {:.5g} {:.5g}", frame.set[p], frame.smoothed[p]);
        }
        const std::optional<BlendCursor>& cursor = frame.cursor;
        data +=
            cursor && cursor->velocity ? fmt::format(" {:.5g} {:.5g}", cursor->drawn[1], cursor->drawn[0]) : " NaN NaN";
        for (const float value : frame.values) { data += fmt::format(" {:.5g}", value); }
        data += '\n';
    }
    data += "END\n$marks << END\n";
    for (const Event& event : recording.events) {
        if (event.kind == EventKind::mark) { data += fmt::format("{:.4f}\n", event.time); }
    }
    data += "-1\nEND\n$signals << END\n"; // never of nothing
    for (const auto& [time, signal] : recording.signals) { data += fmt::format("{:.4f}\n", time); }
    return data + "-1\nEND\n";
}

struct Panel {
    double top, bottom; ///< of the page
};

/// Places a panel.
std::string margins(Panel panel) {
    return fmt::format("set tmargin at screen {}\nset bmargin at screen {}\n", panel.top, panel.bottom);
}

/// The parameters that change, each in a lane of its own, since their units have nothing in common.
struct Lane {
    std::size_t parameter = 0;
    double low = 0, high = 0; ///< of what is shown
};

std::vector<Lane> lanes_of(const Recording& recording, const Character& character) {
    std::vector<Lane> lanes;
    for (std::size_t p = 0; p < character.parameters().size(); ++p) {
        if (is_constant(recording, p)) { continue; }
        Lane lane{p, 0, 0};
        for (const RecordedFrame& frame : recording.frames) {
            lane.low = std::min({lane.low, double(frame.set[p]), double(frame.smoothed[p])});
            lane.high = std::max({lane.high, double(frame.set[p]), double(frame.smoothed[p])});
        }
        lanes.push_back(lane);
    }
    return lanes;
}

/// The velocity that a plane of velocities is asked for: ahead and to the right, each in a lane below the parameters'.
struct CursorLane {
    const char* name;
    std::size_t axis;
    double low = 0, high = 0;
};

std::vector<CursorLane> cursor_lanes(const Recording& recording) {
    std::vector<CursorLane> lanes;
    for (CursorLane lane : {CursorLane{"cursor ahead", 1}, {"cursor right", 0}}) {
        for (const RecordedFrame& frame : recording.frames) {
            if (!frame.cursor || !frame.cursor->velocity) { continue; }
            lane.low = std::min(lane.low, frame.cursor->drawn[lane.axis]);
            lane.high = std::max(lane.high, frame.cursor->drawn[lane.axis]);
        }
        if (lane.high - lane.low > 0.01) { lanes.push_back(lane); }
    }
    return lanes;
}

/// The values that states give, where they change: a lane each, below all others.
std::vector<Lane> value_lanes(const Recording& recording, const Character& character) {
    std::vector<Lane> lanes;
    for (std::size_t v = 0; v < character.values().size(); ++v) {
        Lane lane{v, 0, 0};
        bool changes = false;
        for (const RecordedFrame& frame : recording.frames) {
            lane.low = std::min(lane.low, double(frame.values[v]));
            lane.high = std::max(lane.high, double(frame.values[v]));
            changes = changes || frame.values[v] != recording.frames.front().values[v];
        }
        if (changes) { lanes.push_back(lane); }
    }
    return lanes;
}

std::string lane_name(const Lane& lane, const ParameterInfo& info) {
    switch (info.kind) {
    case ParameterKind::flag:
    case ParameterKind::signal:
        return info.name;
    case ParameterKind::choice:
        return fmt::format("{}: {} to {}", info.name, info.of.front(), info.of[std::size_t(lane.high)]);
    case ParameterKind::number:
    case ParameterKind::angle:
        break;
    }
    return fmt::format("{} {:.3g} to {:.3g}{}{}", info.name, lane.low, lane.high, info.unit.empty() ? "" : " ",
                       info.unit);
}

std::string parameters_panel(const Recording& recording, const Character& character) {
    const std::vector<Lane> lanes = lanes_of(recording, character);
    const std::vector<CursorLane> cursors = cursor_lanes(recording);
    const std::vector<Lane> values = value_lanes(recording, character);
    const bool marks = std::any_of(recording.events.begin(), recording.events.end(),
                                   [](const Event& event) { return event.kind == EventKind::mark; });
    const bool signals = !recording.signals.empty();
    const std::size_t below = values.size() + (marks ? 1 : 0) + (signals ? 1 : 0);
    const std::size_t count = lanes.size() + cursors.size() + below;
    std::string names, plots;
    std::string labels;
    if (signals) {
        names = tic_text("signals") + " 0.5";
        plots = "$signals using 1:(0.05):(0):(0.9) with vectors nohead lw 1.5 lc rgb '#b34700' notitle, ";
        double free = -1; // from there on there is room for a name
        for (const auto& [time, signal] : recording.signals) {
            const std::string& name = character.parameters()[signal].name;
            if (time < free) { continue; }
            labels += fmt::format(
                "set label {} at {:.4f},0.45 left offset 0.4,0 font ',7' tc rgb '#b34700' noenhanced front\n",
                plot_text(name), time);
            free = time + recording.seconds * double(name.size() + 2) / 190;
        }
    }
    if (marks) {
        names += fmt::format("{}{} {}.5", names.empty() ? "" : ", ", tic_text("marks"), signals ? 1 : 0);
        plots += fmt::format("$marks using 1:({}.2):(0):(0.6) with vectors nohead lw 1 lc rgb '#333333' notitle, ",
                             signals ? 1 : 0);
    }
    for (std::size_t v = 0; v < values.size(); ++v) {
        const Lane& lane = values[v];
        const ValueInfo& info = character.values()[lane.parameter];
        const double foot = double(below - 1 - v) + 0.12;
        const std::size_t column = 5 + 2 * character.parameters().size() + lane.parameter;
        names += fmt::format("{}{} {:.3f}", names.empty() ? "" : ", ",
                             tic_text(fmt::format("gives {}, {} to {}", info.name, value_text(info, float(lane.low)),
                                                  value_text(info, float(lane.high)))),
                             foot + 0.38);
        plots +=
            fmt::format("$frames using 1:({:.3f} + (${} - {:.6g}) * {:.6g}) with {} lw 2 lc rgb '#117733' notitle, ",
                        foot, column, lane.low, 0.76 / std::max(lane.high - lane.low, 1e-9),
                        info.kind == ParameterKind::number ? "lines" : "steps");
    }
    for (std::size_t c = 0; c < cursors.size(); ++c) {
        const CursorLane& lane = cursors[c];
        const double foot = double(below + cursors.size() - 1 - c) + 0.12;
        const std::size_t column = 3 + 2 * character.parameters().size() + (lane.axis == 1 ? 0 : 1);
        names +=
            fmt::format("{}{} {:.3f}", names.empty() ? "" : ", ",
                        tic_text(fmt::format("{} {:.3g} to {:.3g} m/s", lane.name, lane.low, lane.high)), foot + 0.38);
        plots +=
            fmt::format("$frames using 1:({:.3f} + (${} - {:.6g}) * {:.6g}) with lines lw 2 lc rgb '#333333' notitle, ",
                        foot, column, lane.low, 0.76 / std::max(lane.high - lane.low, 1e-9));
    }
    for (std::size_t l = 0; l < lanes.size(); ++l) {
        const Lane& lane = lanes[l];
        const ParameterInfo& info = character.parameters()[lane.parameter];
        const double foot = double(count - 1 - l) + 0.12;
        const double scale = 0.76 / std::max(lane.high - lane.low, 1e-9);
        names += fmt::format("{}{} {:.3f}", names.empty() ? "" : ", ", tic_text(lane_name(lane, info)), foot + 0.38);
        const std::size_t set = 3 + 2 * lane.parameter, smoothed = set + 1;
        const auto value = [&](std::size_t column) {
            return fmt::format("$frames using 1:({:.3f} + (${} - {:.6g}) * {:.6g})", foot, column, lane.low, scale);
        };
        if (info.smooth > 0 || info.at_most > 0) {
            plots += fmt::format("{} with steps lw 1 lc rgb '#aaaaaa' notitle, ", value(set));
        }
        const bool steps = !info_of(info.kind).continuous;
        plots += fmt::format("{} with {} lw 2 lc rgb '{}' notitle, ", value(smoothed), steps ? "steps" : "lines",
                             plot_colour(l));
    }
    plots += "-9 notitle";
    return labels +
           fmt::format("set ylabel ''\nset yrange [0:{}]\nset ytics ({}) font ',{}' noenhanced\nplot {}\nunset label\n",
                       std::max<std::size_t>(count, 1), names.empty() ? "\"no parameter was set\" 0.5" : names,
                       count > 20 ? 7 : 9, plots);
}

/// A name stands where it has room between two instants.
bool has_room(const Recording& recording, double from, double to, const std::string& name) {
    return (to - from) / std::max(recording.seconds, 1e-9) * 150 > double(name.size()) + 1;
}

/// A lane a layer: its states, the paler the less it counts.
std::string states_panel(const Recording& recording, const Character& character) {
    const auto layers = character.layers();
    std::string names;
    for (std::size_t l = 0; l < layers.size(); ++l) {
        names += fmt::format("{}{} {}", l == 0 ? "" : ", ", tic_text(shown_layer(layers[l])), double(l) + 0.5);
    }
    std::string out =
        fmt::format("set ylabel '{}'\nset yrange [0:{}]\n", layers.size() == 1 ? "state" : "layers", layers.size());
    out += layers.size() == 1 ? "unset ytics\n" : "set ytics (" + names + ") font ',9' noenhanced\n";
    const auto& frames = recording.frames;
    int object = 1;
    for (std::size_t l = 0; l < layers.size(); ++l) {
        for (std::size_t start = 0; start < frames.size();) {
            std::size_t end = start;
            const std::uint16_t state = frames[start].states[l];
            double weight = frames[start].layer_weights[l];
            while (end + 1 < frames.size() && frames[end + 1].states[l] == state) {
                weight = std::max(weight, frames[++end].layer_weights[l]);
            }
            const double from = frames[start].time, to = frames[std::min(end + 1, frames.size() - 1)].time;
            const StateInfo& info = character.states()[state];
            start = end + 1;
            if (info.nothing) { continue; }
            out +=
                fmt::format("set object {} rectangle from {:.4f},{:.2f} to {:.4f},{:.2f} fc rgb '{}' fs solid {:.2f} "
                            "border lc rgb '#555555'\n",
                            object, from, double(l) + 0.12, to, double(l) + 0.88, plot_colour(state), 0.35 * weight);
            const std::string_view full = info.name;
            const std::string name(full.substr(full.rfind('.') + 1));
            if (has_room(recording, from, to, name)) {
                out += fmt::format("set label {} {} at {:.4f},{} center font ',9' noenhanced\n", object,
                                   plot_text(name), (from + to) / 2, double(l) + 0.5);
            }
            ++object;
        }
    }
    return out + "plot -1 notitle\nunset object\nunset label\n";
}

/// The clips of a layer, each with its share of the layer at each frame.
struct LayerClips {
    std::size_t layer = 0;
    std::vector<std::size_t> clips;          ///< that have any
    std::vector<std::vector<double>> shares; ///< [frame], beside `clips`
};

std::vector<LayerClips> clips_played(const Recording& recording, const Character& character) {
    std::vector<LayerClips> all;
    for (std::size_t l = 0; l < character.layers().size(); ++l) {
        LayerClips layer{l, {}, {}};
        std::vector<std::vector<double>> frames;
        std::vector<bool> played(character.clips().size(), false);
        for (const RecordedFrame& frame : recording.frames) {
            frames.push_back(clip_shares(frame, character, l));
            for (std::size_t c = 0; c < played.size(); ++c) { played[c] = played[c] || frames.back()[c] > 0; }
        }
        for (std::size_t c = 0; c < played.size(); ++c) {
            if (played[c]) { layer.clips.push_back(c); }
        }
        if (layer.clips.empty() && l > 0) { continue; }
        for (const std::vector<double>& frame : frames) {
            layer.shares.emplace_back();
            for (const std::size_t c : layer.clips) { layer.shares.back().push_back(frame[c]); }
        }
        all.push_back(std::move(layer));
    }
    return all;
}

/// Where a layer's clips are drawn.
struct ClipLane {
    double foot, height;
};

/// Each clip is named in the middle of the stretches in which it has most of its layer.
std::string clip_labels(const Recording& recording, const Character& character, const LayerClips& layer,
                        ClipLane lane) {
    std::string labels;
    constexpr std::size_t none = ~std::size_t{0};
    std::size_t most = none, since = 0;
    double height = 0;
    for (std::size_t f = 0; f <= recording.frames.size(); ++f) {
        std::size_t now = none;
        double below = 0;
        if (f < recording.frames.size()) {
            const std::vector<double>& shares = layer.shares[f];
            for (std::size_t c = 0; c < shares.size() && now == none; ++c) {
                if (shares[c] > 0.5) { now = c; }
                if (now == none) { below += shares[c]; }
            }
        }
        if (now == most) { continue; }
        if (most != none) {
            const double from = recording.frames[since].time, to = recording.frames[f - 1].time;
            const std::string& name = character.clips()[layer.clips[most]].name;
            // Upright where there is no room to lie down.
            const bool lies = has_room(recording, from, to, name);
            const bool stands = layer.layer == 0 && name.size() <= 13 && has_room(recording, from, to, "");
            if (lies || stands) {
                labels += fmt::format("set label {} at {:.4f},{:.3f} center {} noenhanced front\n", plot_text(name),
                                      (from + to) / 2, lane.foot + lane.height * (lies ? height : 0.5),
                                      lies ? "font ',9'" : "rotate by 90 font ',8'");
            }
        }
        most = now;
        since = f;
        height = below + 0.5 * (1 - below);
    }
    return labels;
}

/// The clips of each layer by their shares, one over another; the lowest layer's three times as high.
std::string clips_panel(const Recording& recording, const Character& character) {
    const std::vector<LayerClips> layers = clips_played(recording, character);
    std::string data = "$clips << END\n", plots, labels, names;
    for (std::size_t f = 0; f < recording.frames.size(); ++f) {
        data += fmt::format("{:.5f}", recording.frames[f].time);
        for (const LayerClips& layer : layers) {
            double stacked = 0;
            for (const double share : layer.shares[f]) { data += fmt::format(" {:.5f}", stacked += share); }
        }
        data += '\n';
    }
    std::size_t column = 2;
    double foot = 0;
    for (const LayerClips& layer : layers) {
        const ClipLane lane{foot, layer.layer == 0 && layers.size() > 1 ? 3.0 : 1.0};
        for (std::size_t c = layer.clips.size(); c-- > 0;) {
            plots += fmt::format("{0}$clips using 1:({1:.3f} + {2:.3f} * ${3}) with filledcurves y1={1:.3f} lc rgb "
                                 "'{4}' fs solid 0.75 notitle",
                                 plots.empty() ? "" : ", ", lane.foot, 0.94 * lane.height, column + c,
                                 plot_colour(layer.clips[c]));
        }
        column += layer.clips.size();
        labels += clip_labels(recording, character, layer, lane);
        names += fmt::format("{}{} {:.3f}", names.empty() ? "" : ", ",
                             tic_text(shown_layer(character.layers()[layer.layer])), lane.foot + lane.height / 2);
        foot += lane.height;
    }
    if (plots.empty()) { plots = "-1 notitle"; }
    const std::string tics = layers.size() > 1 ? "(" + names + ") font ',9' noenhanced" : "autofreq 0.5 font ',10'";
    return data + fmt::format("END\nset ylabel 'clips'\nset yrange [0:{}]\nset ytics {}\n{}plot {}\nunset label\n",
                              foot, tics, labels, plots);
}

/// When each foot is down, and how far it slides while it is.
std::string feet_panel(const Recording& recording) {
    std::string out = "set ylabel 'feet'\nset yrange [0:" + std::to_string(recording.feet.size()) + "]\nset ytics (";
    for (std::size_t f = 0; f < recording.feet.size(); ++f) {
        out += fmt::format("{}{} {}", f == 0 ? "" : ", ", tic_text(recording.feet[f]),
                           double(recording.feet.size() - f) - 0.5);
    }
    out += ") font ',9' noenhanced\n";
    int object = 1;
    constexpr double told = 0.02; // metres; less is not worth a word
    for (const Footprint& print : recording.footprints) {
        const double low = double(recording.feet.size() - 1 - print.foot) + 0.15, high = low + 0.7;
        out += fmt::format(
            "set object {} rectangle from {:.4f},{:.2f} to {:.4f},{:.2f} fc rgb '{}' fs solid 0.6 noborder\n", object,
            print.from, low, print.to, high, print.slide > told ? "#d55e00" : "#009e73");
        const std::string words = fmt::format("{:.0f}", 1000 * print.slide);
        if (print.slide > told && has_room(recording, print.from, print.to, words)) {
            out += fmt::format("set label {} '{}' at {:.4f},{:.2f} center font ',8'\n", object, words,
                               (print.from + print.to) / 2, (low + high) / 2);
        }
        ++object;
    }
    return out + "plot -1 notitle\nunset object\nunset label\n";
}

std::string jolt_panel(const Recording& recording) {
    std::string out = "set ylabel 'jolt (deg/s)'\nset yrange [0:*]\nset ytics autofreq\n";
    if (recording.worst_snap.joint >= 0) {
        out += fmt::format("set label 1 'worst snap ratio {:.2f}, at {:.2f} s' at screen 0.15, screen 0.235 left font "
                           "',10' tc rgb '#b34700'\n",
                           recording.worst_snap.ratio, recording.worst_snap.time);
        out += fmt::format("set arrow 1 from {0:.4f},graph 0.99 to {0:.4f},graph 0.88 lc rgb '#d55e00' lw 2 front\n",
                           recording.worst_snap.time);
    }
    return out + "set xlabel 'seconds'\nset format x '%g'\nplot $frames using 1:2 with lines lw 1 lc rgb '#333333' "
                 "title 'greatest change of a joint''s angular velocity between two samples'\n";
}

std::string script_for(const Recording& recording, const Character& character, const std::string& title,
                       const std::string& path, const std::string& output) {
    std::string script = data_block(recording, character);
    script += plot_head(path, output);
    script += "set multiplot title " + plot_text(title) + " noenhanced font ',12'\n";
    script += fmt::format("set xrange [0:{:.5f}]\nset lmargin at screen 0.15\nset rmargin at screen 0.98\n",
                          std::max(recording.seconds, 1e-3));
    script += "set grid xtics lc rgb '#dddddd'\nset format x ''\nset tics scale 0.5\n";
    for (std::size_t i = 0; i < recording.transitions.size(); ++i) {
        script += fmt::format("set arrow {} from {:.4f},graph 0 to {:.4f},graph 1 nohead lc rgb '#bbbbbb' dt 2 back\n",
                              1000 + i, recording.transitions[i].time, recording.transitions[i].time);
    }
    // The more layers, the less room for the parameters.
    const double lanes = 0.555 + 0.03 * double(std::min<std::size_t>(character.layers().size() - 1, 6));
    script += margins({0.95, lanes + 0.02}) + parameters_panel(recording, character);
    script += margins({lanes, 0.5}) + states_panel(recording, character);
    // Feet are shown where the body goes somewhere.
    const bool feet = !recording.footprints.empty() && recording.path_length > 0.5;
    script += margins({0.485, feet ? 0.325 : 0.265}) + clips_panel(recording, character);
    if (feet) { script += margins({0.315, 0.26}) + feet_panel(recording); }
    script += "set key at screen 0.98, screen 0.235 right center horizontal samplen 2 noenhanced\n";
    script += margins({0.215, 0.07}) + jolt_panel(recording);
    return script + "unset multiplot\n";
}

} // namespace

std::optional<std::string> draw_chart(const Recording& recording, const Character& character, const std::string& title,
                                      const std::string& path) {
    return draw_plot(path,
                     [&](const std::string& output) { return script_for(recording, character, title, path, output); });
}

} // namespace gait::tool
