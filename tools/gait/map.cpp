// gait map: a blend space as a picture, with what each point counts where, and how the body really moves there.
#include "commands.hpp"
#include "gnuplot.hpp"
#include "options.hpp"
#include "output.hpp"
#include "overwriting.hpp"
#include "recording.hpp"

#include "gait/cue_player.hpp"
#include "gait/load.hpp"
#include "gait/lone_state.hpp"
#include "gait/space.hpp"
#include "gait/steady_motion.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <tuple>

namespace gait::tool {
namespace {

struct MapOptions {
    std::string document, state, output, cues;
    int samples = 9; ///< a side
    bool json = false;
};

/// What was asked for at a place, and what came of it.
struct Sample {
    SpacePlace drawn{};
    AskedMotion asked;
    SteadyMotion got;
    [[nodiscard]] double speed_off() const { return asked.speed > 0 ? std::fabs(got.speed / asked.speed - 1) : 0; }
    [[nodiscard]] double direction_off() const {
        return std::fabs(std::remainder(got.direction - asked.direction, 360.0));
    }
};

SpacePlace place_of(AskedMotion motion) {
    const double radians = motion.direction / degrees_per_radian;
    return {motion.speed * std::sin(radians), motion.speed * std::cos(radians)};
}

class Map {
public:
    Map(const Loaded& lone, const MapOptions& options, BlendSpaceView view)
        : character_(*lone.character), state_(lone.character->state(lone.character->states().front().name)),
          options_(options), view_(std::move(view)) {
        const ParameterInfo& first = parameter(0);
        by_speed_ = view_.velocities ||
                    (view_.parameters.size() == 1 && first.kind == ParameterKind::number && first.unit == "m/s");
        for (std::size_t axis = 0; axis < 2; ++axis) {
            const double room = std::max(0.08 * (view_.high[axis] - view_.low[axis]), 1e-3);
            low_[axis] = view_.low[axis] - room;
            high_[axis] = view_.high[axis] + room;
        }
        if (!view_.velocities) {
            keep_to_parameters();
            return;
        }
        // Metres are as long upward as they are across, and the page is wide.
        constexpr double page = 1.35;
        for (const auto& [narrow, wide, ratio] : {std::tuple{0, 1, page}, {1, 0, 1 / page}}) {
            const auto n = std::size_t(narrow), w = std::size_t(wide);
            const double missing = ratio * (high_[w] - low_[w]) - (high_[n] - low_[n]);
            if (missing <= 0) { continue; }
            low_[n] -= missing / 2;
            high_[n] += missing / 2;
        }
    }

    void measure() {
        if (!by_speed_) { return; }
        const bool plane = view_.velocities;
        const int columns = plane ? options_.samples : 4 * options_.samples, rows = plane ? options_.samples : 1;
        Progress progress("measuring", std::int64_t(columns) * rows);
        for (int i = 0; i < columns * rows; ++i) {
            progress.at(i);
            const auto at = [&](int index, int count, std::size_t axis) {
                return view_.low[axis] + (view_.high[axis] - view_.low[axis]) * (index + 0.5) / count;
            };
            Sample sample;
            sample.drawn = {at(i % columns, columns, 0), plane ? at(i / columns, rows, 1) : 0};
            if (!inside_hull(character_, state_, sample.drawn)) { continue; }
            std::vector<std::pair<std::string, double>> values;
            if (plane) {
                sample.asked = {std::hypot(sample.drawn[0], sample.drawn[1]),
                                std::atan2(sample.drawn[0], sample.drawn[1]) * degrees_per_radian};
                const bool angle_first = parameter(0).kind == ParameterKind::angle;
                values = {{view_.parameters[angle_first ? 0 : 1], sample.asked.direction},
                          {view_.parameters[angle_first ? 1 : 0], sample.asked.speed}};
            } else {
                sample.asked = {sample.drawn[0], 0};
                values = {{view_.parameters[0], sample.drawn[0]}};
            }
            constexpr double least_speed = 0.15; // metres a second; slower, a part of it says nothing
            if (sample.asked.speed < least_speed) { continue; }
            sample.got = measure_steady(character_, values, sample.asked);
            if (sample.got.cycle > 0) { samples_.push_back(sample); }
        }
    }

    void take_path(const RecordedFrame& frame, std::uint16_t state) {
        if (frame.cursor && frame.cursor->state == state) {
            path_.push_back(frame.cursor->drawn);
        } else if (!path_.empty() && std::isfinite(path_.back()[0])) {
            path_.push_back({std::nan(""), std::nan("")});
        }
    }

    [[nodiscard]] std::string text() const {
        using A = Table::Align;
        std::vector<Table::Column> columns{{"plays"}};
        for (const std::string& name : view_.parameters) { columns.push_back({name, A::right}); }
        Table points(columns);
        for (const SpacePoint& point : view_.points) {
            std::vector<std::string> cells{fmt::format("{}", fmt::join(point.clips, ", "))};
            for (std::size_t axis = 0; axis < view_.parameters.size(); ++axis) {
                cells.push_back(
                    fmt::format("{:.2f}{}{}", point.at[axis], view_.units[axis].empty() ? "" : " ", view_.units[axis]));
            }
            points.add(std::move(cells));
        }
        std::string out = points.text();
        if (samples_.empty()) { return out; }
        const auto worst = [&](auto off) -> const Sample& {
            return *std::max_element(samples_.begin(), samples_.end(),
                                     [&](const Sample& a, const Sample& b) { return off(a) < off(b); });
        };
        const Sample& slow = worst([](const Sample& s) { return s.speed_off(); });
        const Sample& aside = worst([](const Sample& s) { return s.direction_off(); });
        const Sample& slides = worst([](const Sample& s) { return s.got.slide; });
        const auto where = [&](const Sample& s) {
            return view_.velocities ? fmt::format("{:.2f} m/s toward {:.0f} deg", s.asked.speed, s.asked.direction)
                                    : fmt::format("{:.2f} m/s", s.asked.speed);
        };
        Table off({{"between the points"}, {"worst", A::right}, {"where it is asked for"}});
        off.add({"speed by the feet", fmt::format("{:.1f} % off", 100 * slow.speed_off()), where(slow)});
        if (view_.velocities) {
            off.add({"direction", fmt::format("{:.1f} deg off", aside.direction_off()), where(aside)});
        }
        off.add({"a planted foot's slide", fmt::format("{:.1f} mm", 1000 * slides.got.slide), where(slides)});
        return out + fmt::format("\n  measured at {} places\n\n", samples_.size()) + off.text();
    }

    [[nodiscard]] nlohmann::json json() const {
        nlohmann::json points = nlohmann::json::array(), samples = nlohmann::json::array();
        for (const SpacePoint& point : view_.points) {
            nlohmann::json at = nlohmann::json::object();
            for (std::size_t axis = 0; axis < view_.parameters.size(); ++axis) {
                at[view_.parameters[axis]] = point.at[axis];
            }
            points.push_back({{"clips", point.clips}, {"at", at}});
        }
        for (const Sample& s : samples_) {
            samples.push_back({{"asked", {{"speed_m_per_s", s.asked.speed}, {"direction_deg", s.asked.direction}}},
                               {"got", {{"speed_m_per_s", s.got.speed}, {"direction_deg", s.got.direction}}},
                               {"slide_m", s.got.slide},
                               {"cycle_s", s.got.cycle}});
        }
        return {{"document", options_.document},
                {"state", options_.state},
                {"parameters", view_.parameters},
                {"weigh", view_.bands ? "bands" : "cells"},
                {"points", points},
                {"measured", samples}};
    }

    [[nodiscard]] std::optional<std::string> draw() const {
        return draw_plot(options_.output, [&](const std::string& output) {
            return view_.parameters.size() == 2 ? plane_script(output) : line_script(output);
        });
    }

private:
    /// Where a parameter never is, nothing is drawn; an angle goes all the way round.
    void keep_to_parameters() {
        for (std::size_t axis = 0; axis < view_.parameters.size(); ++axis) {
            const ParameterInfo& info = parameter(axis);
            const bool angle = info.kind == ParameterKind::angle;
            low_[axis] = angle ? -180 : std::max(low_[axis], double(info.low));
            high_[axis] = angle ? 180 : std::min(high_[axis], double(info.high));
        }
    }

    [[nodiscard]] const ParameterInfo& parameter(std::size_t axis) const {
        const auto all = character_.parameters();
        return *std::find_if(all.begin(), all.end(),
                             [&](const ParameterInfo& p) { return p.name == view_.parameters[axis]; });
    }

    [[nodiscard]] std::string title() const {
        return fmt::format("{}, {}: {} by {}{}", options_.document, options_.state,
                           view_.points.size() == 1 ? "1 point" : fmt::format("{} points", view_.points.size()),
                           fmt::join(view_.parameters, " and "), view_.bands ? ", gradient bands" : "");
    }

    [[nodiscard]] std::string label(std::size_t axis) const {
        return view_.parameters[axis] + (view_.units[axis].empty() ? "" : " (" + view_.units[axis] + ")");
    }

    /// Each point's colour where it counts in full, mixed in between; paler beyond the hull.
    [[nodiscard]] std::string field() const {
        constexpr int columns = 240, rows = 200;
        std::vector<std::array<double, 3>> colours;
        for (std::size_t p = 0; p < view_.points.size(); ++p) {
            // Hues by the golden angle, so that neighbours in the list are far apart whatever their number.
            std::array<double, 3>& colour = colours.emplace_back();
            for (std::size_t c = 0; c < 3; ++c) {
                const double turn = double(p) * 0.618034 + double(c) / 3;
                colour[c] = 255 * (0.45 + 0.45 * std::cos(2 * pi * turn));
            }
        }
        std::string data = "$field << END\n";
        for (int i = 0; i < columns * rows; ++i) {
            const int column = i % columns, row = i / columns;
            const SpacePlace at{low_[0] + (high_[0] - low_[0]) * (column + 0.5) / columns,
                                low_[1] + (high_[1] - low_[1]) * (row + 0.5) / rows};
            const std::vector<double> shares = shares_at(character_, state_, at);
            const double strength = inside_hull(character_, state_, at) ? 0.5 : 0.16;
            std::array<double, 3> mixed{};
            for (std::size_t p = 0; p < shares.size(); ++p) {
                for (std::size_t c = 0; c < 3; ++c) { mixed[c] += shares[p] * colours[p][c]; }
            }
            for (double& c : mixed) { c = 255 + strength * (c - 255); }
            data += fmt::format("{:.5g} {:.5g} {:.0f} {:.0f} {:.0f}\n", at[0], at[1], mixed[0], mixed[1], mixed[2]);
        }
        return data + "END\n";
    }

    /// The points' names, each beside its point where it runs over no other one; far from it a line leads there.
    [[nodiscard]] std::string names_script() const {
        struct Box {
            double left, right, bottom, top; ///< pixels
            [[nodiscard]] bool meets(const Box& other) const {
                return left < other.right && other.left < right && bottom < other.top && other.bottom < top;
            }
        };
        // About what gnuplot draws into, and how large it writes.
        constexpr double width = 1080, height = 690, letter = 6.4, line = 14, column_unit = 7.5, line_unit = 15;
        const double across = width / std::max(1e-9, high_[0] - low_[0]),
                     up = height / std::max(1e-9, high_[1] - low_[1]);
        const std::array<double, 2> scale =
            view_.velocities ? std::array{std::min(across, up), std::min(across, up)} : std::array{across, up};
        std::vector<Box> taken;
        for (const SpacePoint& point : view_.points) {
            const double x = point.drawn[0] * scale[0], y = point.drawn[1] * scale[1];
            taken.push_back({x - 4, x + 4, y - 4, y + 4});
        }
        std::string script;
        for (std::size_t p = 0; p < view_.points.size(); ++p) {
            const SpacePoint& point = view_.points[p];
            std::string name = point.clips.empty() ? "" : point.clips.front();
            if (point.clips.size() > 1) { name += fmt::format(" +{}", point.clips.size() - 1); }
            const double x = point.drawn[0] * scale[0], y = point.drawn[1] * scale[1];
            const double half = letter * double(name.size()) / 2;
            const auto box_at = [&](double right, double above) {
                const double middle = x + right * column_unit, level = y + above * line_unit;
                return Box{middle - half, middle + half, level - line / 2, level + line / 2};
            };
            // Above, below, to the right and to the left, and then farther out in each of these ways.
            double right = 0, above = 0.9;
            for (int ring = 0, found = 0; ring < 6 && found == 0; ++ring) {
                const double far = 0.9 + ring, beside = half / column_unit + 1 + 2 * ring;
                for (const auto& [dx, dy] : {std::pair{0.0, far},
                                             {0.0, -far},
                                             {beside, 0.0},
                                             {-beside, 0.0},
                                             {beside, far},
                                             {-beside, far},
                                             {beside, -far},
                                             {-beside, -far}}) {
                    const Box box = box_at(dx, dy);
                    if (std::any_of(taken.begin(), taken.end(), [&](const Box& other) { return box.meets(other); })) {
                        continue;
                    }
                    right = dx, above = dy, found = 1;
                    break;
                }
            }
            taken.push_back(box_at(right, above));
            script +=
                fmt::format("set label {} at {:.5g},{:.5g} center offset {:.2f},{:.2f} front noenhanced font ',9'\n",
                            plot_text(name), point.drawn[0], point.drawn[1], right, above);
            if (std::abs(above) > 1.5 || std::abs(right) > half / column_unit + 2) {
                script +=
                    fmt::format("set arrow from {:.5g},{:.5g} to {:.5g},{:.5g} nohead lw 0.7 lc rgb '#555555' front\n",
                                point.drawn[0], point.drawn[1], point.drawn[0] + 0.8 * right * column_unit / scale[0],
                                point.drawn[1] + 0.8 * above * line_unit / scale[1]);
            }
        }
        return script;
    }

    [[nodiscard]] std::string plane_script(const std::string& output) const {
        std::string script = field() + "$sides << END\n";
        const auto side = [&](std::size_t a, std::size_t b) {
            const SpacePlace &from = view_.points[a].drawn, &to = view_.points[b].drawn;
            script += fmt::format("{:.5g} {:.5g}\n{:.5g} {:.5g}\n\n", from[0], from[1], to[0], to[1]);
        };
        for (const auto& cell : view_.cells) {
            for (std::size_t i = 0; i < cell.size(); ++i) { side(cell[i], cell[(i + 1) % cell.size()]); }
        }
        for (const auto& edge : view_.rim) { side(edge[0], edge[1]); }
        script += "END\n$points << END\n";
        for (const SpacePoint& point : view_.points) {
            script += fmt::format("{:.5g} {:.5g}\n", point.drawn[0], point.drawn[1]);
        }
        script += "END\n$off << END\n";
        for (const Sample& s : samples_) {
            const SpacePlace got = place_of({s.got.speed, s.got.direction});
            script += fmt::format("{:.5g} {:.5g} {:.5g} {:.5g}\n", s.drawn[0], s.drawn[1], got[0] - s.drawn[0],
                                  got[1] - s.drawn[1]);
        }
        script += "END\n$path << END\n";
        for (const SpacePlace& at : path_) {
            script += std::isfinite(at[0]) ? fmt::format("{:.5g} {:.5g}\n", at[0], at[1]) : "\n";
        }
        script += "END\n" + plot_head(options_.output, output) + "set title " + plot_text(title()) +
                  " noenhanced font ',12'\n";
        script += fmt::format("set xrange [{}:{}]\nset yrange [{}:{}]\n", low_[0], high_[0], low_[1], high_[1]);
        if (view_.velocities) {
            script += "set size ratio -1\nset xlabel 'to the right (m/s)'\nset ylabel 'ahead (m/s)'\n";
        } else {
            script += "set xlabel " + plot_text(label(0)) + " noenhanced\nset ylabel " + plot_text(label(1)) +
                      " noenhanced\n";
        }
        script += names_script();
        script += "set key outside right top samplen 2 noenhanced\nset tics out scale 0.5\nplot $field with rgbimage "
                  "notitle, $sides with lines lw 1 lc rgb '#777777' title 'cells', $points with points pt 7 ps 0.9 lc "
                  "rgb '#222222' title 'motions'";
        if (!path_.empty()) { script += ", $path with lines lw 2 lc rgb '#b34700' title 'the cue sheet'"; }
        if (!samples_.empty()) {
            script += ", $off using 1:2 with points pt 6 ps 0.5 lc rgb '#444444' title 'asked for', $off with vectors "
                      "head filled size screen 0.006,20 lw 2 lc rgb '#cc0000' title 'to what the feet do'";
        }
        return script + "\n";
    }

    [[nodiscard]] std::string line_script(const std::string& output) const {
        constexpr int columns = 400;
        std::string script = "$shares << END\n";
        for (int i = 0; i <= columns; ++i) {
            const double at = low_[0] + (high_[0] - low_[0]) * i / columns;
            script += fmt::format("{:.5g}", at);
            for (const double share : shares_at(character_, state_, {at, 0})) {
                script += fmt::format(" {:.5f}", share);
            }
            script += '\n';
        }
        script += "END\n$got << END\n";
        for (const Sample& s : samples_) {
            script += fmt::format("{:.5g} {:.5g} {:.5g}\n", s.asked.speed, s.got.speed, 1000 * s.got.slide);
        }
        script += "END\n" + plot_head(options_.output, output) + "set multiplot title " + plot_text(title()) +
                  " noenhanced font ',12'\n";
        script += fmt::format("set xrange [{}:{}]\nset lmargin at screen 0.08\nset rmargin at screen 0.86\nset key "
                              "outside right noenhanced\n",
                              low_[0], high_[0]);
        if (parameter(0).kind == ParameterKind::angle) { script += "set xtics 45\n"; }
        const bool measured = !samples_.empty();
        script += fmt::format("set tmargin at screen 0.92\nset bmargin at screen {}\nset ylabel 'share of each point'\n"
                              "set yrange [0:1.05]\n",
                              measured ? 0.56 : 0.09);
        if (!measured) { script += "set xlabel " + plot_text(label(0)) + " noenhanced\n"; }
        std::string plots;
        for (std::size_t p = 0; p < view_.points.size(); ++p) {
            plots += fmt::format("{}$shares using 1:{} with lines lw 3 lc rgb '{}' title {}", p == 0 ? "" : ", ", p + 2,
                                 plot_colour(p),
                                 plot_text(view_.points[p].clips.empty() ? "" : view_.points[p].clips.front()));
        }
        script += "plot " + plots + "\n";
        if (measured) {
            script +=
                "set tmargin at screen 0.5\nset bmargin at screen 0.09\nset ylabel 'by the feet (m/s)'\nset yrange "
                "[*:*]\nset xlabel " +
                plot_text(label(0)) +
                " noenhanced\nplot x with lines dt 2 lc rgb '#888888' title 'as asked', $got using 1:2 with "
                "linespoints pt 7 ps 0.6 lw 2 lc rgb '#cc0000' title 'what the feet do'\n";
        }
        return script + "unset multiplot\n";
    }

    const Character& character_; ///< of the one state
    StateHandle state_;
    const MapOptions& options_;
    BlendSpaceView view_;
    SpacePlace low_{}, high_{};
    bool by_speed_ = false;
    std::vector<Sample> samples_;
    std::vector<SpacePlace> path_; ///< not a number where it leaves the state
};

int run_map(const MapOptions& options) {
    const Loaded loaded = load(options.document);
    report(loaded.diagnostics);
    if (!loaded.character) { return exit_code(loaded.diagnostics); }
    const Character& character = *loaded.character;
    const StateHandle state = character.state(options.state);
    if (!state) {
        std::vector<std::string> names;
        for (const StateInfo& info : character.states()) { names.push_back(info.name); }
        const std::string near = nearest_name(options.state, names);
        complain(near.empty() ? fmt::format("no state '{}'; there are {}", options.state, fmt::join(names, ", "))
                              : fmt::format("no state '{}'; did you mean '{}'?", options.state, near));
        return bad_input;
    }
    const auto view = blend_space(character, state);
    if (!view) {
        complain(fmt::format("state '{}' plays no blend space; name one that does", options.state));
        return bad_input;
    }
    const auto document = lone_state(loaded.document, character.full_name(state.index));
    if (!document) {
        complain(fmt::format("state '{}' stands in a machine that takes arguments, and its space hangs on them; map a "
                             "state that stands in the layer's own machine",
                             options.state));
        return bad_input;
    }
    Loaded lone;
    const Compiled compiled = compile(*document, load_assets(*document).assets);
    lone.character = compiled.character;
    if (!lone.character) {
        const auto wrong = std::find_if(compiled.diagnostics.begin(), compiled.diagnostics.end(),
                                        [](const Diagnostic& d) { return d.severity == Severity::error; });
        complain(fmt::format("state '{}' cannot be looked at alone: {}", options.state,
                             wrong == compiled.diagnostics.end() ? "it does not compile" : wrong->message));
        return bad_input;
    }
    if (overwrites({{"--output", options.output}}, with(loaded.files, options.cues))) { return bad_input; }
    Map map(lone, options, *view);
    map.measure();
    if (!options.cues.empty()) {
        CueSheetRead read = read_cue_sheet(options.cues);
        std::optional<CuePlayer> player;
        if (!has_errors(read.diagnostics)) { player.emplace(read.sheet, character, read.diagnostics); }
        report(read.diagnostics);
        if (has_errors(read.diagnostics)) { return exit_code(read.diagnostics); }
        const double seconds = read.sheet.seconds > 0 ? read.sheet.seconds : player->last() + 2;
        constexpr double frames_per_second = 60;
        if (const auto problem = too_much(character, seconds, frames_per_second, {})) {
            complain(*problem);
            return bad_input;
        }
        const FrameWatch watch = [&](const Performer&, const RecordedFrame& frame) {
            map.take_path(frame, state.index);
        };
        record(Performer(loaded.character), &*player, seconds, frames_per_second, {}, watch);
    }
    std::string written;
    if (!options.output.empty()) {
        if (const auto problem = map.draw()) {
            complain(options.output + " " + *problem);
            return bad_input;
        }
        written = fmt::format("\n  map {}\n", options.output);
    }
    if (options.json) {
        print_json(map.json());
    } else {
        print_report(fmt::format("{}, {}\n\n", options.document, options.state) + map.text() + written);
    }
    return done;
}

} // namespace

void add_map(CLI::App& app, Run& run) {
    auto options = std::make_shared<MapOptions>();
    CLI::App* command = app.add_subcommand(
        "map", "Shows a state's blend space: its motions' places, their shares, and how the body really moves");
    command->add_option("DOCUMENT", options->document, "the document, NAME.gait.yaml")->required();
    command->add_option("STATE", options->state, "a state that plays a blend space")->required();
    command->add_option("-o,--output", options->output, "draw it")
        ->check(file_as("a map is drawn", {"png", "svg"}))
        ->type_name("FILE.png|svg");
    command->add_option("--cues", options->cues, "a cue sheet whose way through the space is drawn")->type_name("FILE");
    command->add_option("--samples", options->samples, "how many places a side are measured")
        ->check(CLI::Range(1, 60))
        ->capture_default_str();
    command->add_flag("--json", options->json, "write JSON");
    command->footer("Example:\n  gait map demo/lamplighter.gait.yaml moving -o moving.png --cues demo/round.cues.yaml");
    command->callback([options, &run] { run = [options] { return run_map(*options); }; });
}

} // namespace gait::tool
