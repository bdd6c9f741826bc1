// gait perform: plays a document without a game, and tells what happened.
#include "commands.hpp"
#include "cost.hpp"
#include "film.hpp"
#include "mask_on.hpp"
#include "options.hpp"
#include "output.hpp"
#include "overwriting.hpp"
#include "recording.hpp"
#include "state_names.hpp"
#include "weighing.hpp"

#include "files/write_file.hpp"
#include "gait/bvh.hpp"
#include "gait/cue_player.hpp"
#include "gait/load.hpp"

#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <filesystem>
#include <memory>

namespace gait::tool {
namespace {

struct PerformOptions {
    std::string document;
    std::string cues;
    std::vector<std::string> set;
    double seconds = 0;
    double frames_per_second = 60;
    std::string trace, bake, chart, film;
    View view = View::three_quarters;
    double slow = 1;                                          ///< times, of a moving film
    std::string tint;                                         ///< `layers`, or a mask
    double film_from = 0;                                     ///< seconds
    double film_to = std::numeric_limits<double>::infinity(); ///< seconds
    bool json = false;
    bool draft = false;
    std::string enter;
    bool cost = false;
    bool why = false;
    std::string why_of; ///< a state or seconds; empty for the end
};

/// Sets `NAME=VALUE` and keeps it. Returns what is wrong with it.
std::optional<std::string> set_value(Performer& performer, const std::string& assignment) {
    const std::size_t equals = assignment.find('=');
    if (equals == std::string::npos || equals == 0) {
        return fmt::format("--set takes NAME=VALUE, such as speed=1.4; found '{}'", assignment);
    }
    const std::string name = assignment.substr(0, equals), value = assignment.substr(equals + 1);
    const auto all = performer.character().parameters();
    const auto found = std::find_if(all.begin(), all.end(), [&](const ParameterInfo& p) { return p.name == name; });
    if (found == all.end()) {
        std::vector<std::string> known;
        for (const ParameterInfo& p : all) { known.push_back(p.name); }
        if (known.empty()) { return fmt::format("no parameter '{}'; the document has none", name); }
        const std::string near = nearest_name(name, known);
        return near.empty() ? fmt::format("no parameter '{}'; there are {}", name, fmt::join(known, ", "))
                            : fmt::format("no parameter '{}'; did you mean '{}'?", name, near);
    }
    const CuePlayer::Meaning meaning = CuePlayer::meaning_of(value, *found);
    if (!meaning.problem.empty()) { return meaning.problem; }
    const auto index = std::uint16_t(found - all.begin());
    switch (found->kind) {
    case ParameterKind::flag:
        performer.set(FlagParameter{index}, meaning.value != 0);
        break;
    case ParameterKind::choice:
        performer.set(ChoiceParameter{index}, value);
        break;
    default:
        performer.set(NumberParameter{index}, meaning.value);
        break;
    }
    return std::nullopt;
}

std::string joint_name(const Character& character, int joint) {
    return joint < 0 ? "no joint" : character.rig().joints[std::size_t(joint)].name;
}

bool within_bounds(const Recording& r) {
    return r.seam.degrees <= seam_bound && r.seam.millimetres <= seam_bound && r.seam.speed <= seam_bound &&
           r.seam.turn_rate <= turn_rate_bound && r.worst_snap.ratio <= snap_ratio_bound && r.pop.ratio <= pop_bound;
}

/// In a line, for those who asked for nothing else.
void say_missed(const Recording& r, const Character& character) {
    const auto missed = [](const char* what, double value, double bound, const std::string& joint, double time) {
        if (value > bound) {
            complain_quietly(fmt::format("{}: {:.3g}, where {} is the bound{} at {:.3f} s", what, value, bound,
                                         joint.empty() ? "" : ": " + joint, time));
        }
    };
    missed("the seam is missed, degrees", r.seam.degrees, seam_bound, joint_name(character, r.seam.joint), r.seam.time);
    missed("the seam of the root is missed, millimetres", r.seam.millimetres, seam_bound, "", r.seam.time);
    missed("the seam of the body's speed is missed, metres a second", r.seam.speed, seam_bound, "", r.seam.speed_time);
    missed("the seam of the body's turn is missed, degrees a second", r.seam.turn_rate, turn_rate_bound, "",
           r.seam.turn_time);
    missed("the snap ratio is missed", r.worst_snap.ratio, snap_ratio_bound, joint_name(character, r.worst_snap.joint),
           r.worst_snap.time);
    missed("it pops", r.pop.ratio, pop_bound, joint_name(character, r.pop.joint), r.pop.time);
}

std::string describe_fade(const TransitionInfo& info, double fade) {
    if (!(fade > 0)) { return "none"; }
    const FadeStyleInfo& style = info_of(info.style);
    std::string how(style.is_usual ? std::string_view() : style.name);
    if (style.has_ease) { how += (how.empty() ? "" : ", ") + std::string(name_of(info.ease)); }
    return fmt::format("{:.2f} s {}", fade, how);
}

/// The clips that a transition brought, in as many words as fit: `land_roll`, `stroll, trot`.
std::string describe_clips(const Character& character, const Taken& taken) {
    constexpr std::size_t most = 2;
    std::string text;
    for (std::size_t c = 0; c < std::min(most, taken.clips.size()); ++c) {
        text += (c > 0 ? ", " : "") + character.clips()[taken.clips[c]].name;
    }
    return taken.clips.size() > most ? text + " ..." : text;
}

/// The state that a transition leaves: the one that it is written in, or, led from elsewhere, the one that was active.
std::uint16_t left_by(const TransitionRecord& record, const TransitionInfo& info) {
    return info.kind == TransitionKind::lead ? record.from : info.from;
}

std::string story(const Recording& recording, const Character& character) {
    using A = Table::Align;
    std::string text;
    Table changes({{"time", A::right}, {"from"}, {"to"}, {"because"}, {"fade"}, {"plays"}});
    for (std::size_t t = 0; t < recording.transitions.size(); ++t) {
        const TransitionRecord& record = recording.transitions[t];
        const TransitionInfo& info = character.transitions()[record.transition];
        const StateInfo &from = character.states()[left_by(record, info)], &to = character.states()[info.to];
        const bool shot = character.layers()[to.layer].one_shots;
        changes.add({fmt::format("{:.3f} s", record.time),
                     is_between_shots(character, from) ? "" : shown_name(character, left_by(record, info)),
                     info.kind == TransitionKind::within || is_between_shots(character, to) ? ""
                     : shot ? shown_name(character, info.to)
                            : std::string(to.name),
                     info.when, describe_fade(info, recording.taken[t].fade),
                     describe_clips(character, recording.taken[t])});
    }
    text += changes.empty() ? fmt::format("  no transition; it stayed in '{}'\n",
                                          character.states()[recording.frames.back().state].name)
                            : changes.text();

    Table states({{"state"}, {"time in it", A::right}, {"share", A::right}});
    std::string never;
    for (std::size_t s = 0; s < character.states().size(); ++s) {
        if (is_between_shots(character, character.states()[s])) { continue; }
        if (!(recording.seconds_in_state[s] > 0)) {
            // Of a machine that was never entered its own name says enough.
            const std::uint16_t parent = character.states()[s].parent;
            if (parent == 0xFFFF || recording.seconds_in_state[parent] > 0) {
                never += (never.empty() ? "" : ", ") + shown_name(character, std::uint16_t(s));
            }
            continue;
        }
        states.add({shown_name(character, std::uint16_t(s)), fmt::format("{:.2f} s", recording.seconds_in_state[s]),
                    fmt::format("{:.0f} %",
                                recording.seconds > 0 ? 100 * recording.seconds_in_state[s] / recording.seconds : 0)});
    }
    text += "\n" + states.text();
    if (!never.empty()) { text += fmt::format("  never active: {}\n", never); }
    text += "\n";

    const auto clips = character.clips();
    const bool travels = std::any_of(clips.begin(), clips.end(), [](const ClipInfo& c) { return c.travels; });
    constexpr double least_way = 5e-4; // metres; less is nothing to tell
    if ((travels || recording.game_body) &&
        (recording.path_length > least_way || std::abs(recording.frames.back().place.heading) > 0.05)) {
        const GroundPlace& end = recording.frames.back().place;
        const auto way = [](double metres, const char* one, const char* other) {
            return fmt::format("{:.3f} m {}", std::abs(metres), metres < 0 ? other : one);
        };
        text +=
            fmt::format("  {} the body {:.3f} m: to {} and {} of where it began, turned by {:.1f} deg to the {}\n\n",
                        recording.game_body ? "the clips and the cue sheet carried" : "the clips carried",
                        recording.path_length, way(end.z, "ahead", "behind"), way(end.x, "to the left", "to the right"),
                        std::abs(end.heading), end.heading < 0 ? "left" : "right");
    }

    const Seam& seam = recording.seam;
    const Snap& snap = recording.worst_snap;
    Table smooth({{"smoothness"}, {"worst", A::right}, {"bound", A::right}, {""}, {"where"}});
    smooth.add({"seam, a joint's turn", fmt::format("{:.4f} deg", seam.degrees), fmt::format("{} deg", seam_bound),
                seam.degrees <= seam_bound ? "holds" : "MISSED",
                fmt::format("{} at {:.3f} s, after {}", joint_name(character, seam.joint), seam.time,
                            transition_name(character, seam.transition))});
    smooth.add({"seam, the root's move", fmt::format("{:.4f} mm", seam.millimetres), fmt::format("{} mm", seam_bound),
                seam.millimetres <= seam_bound ? "holds" : "MISSED", ""});
    if (seam.speed > 0) {
        smooth.add({"seam, the body's speed", fmt::format("{:.4f} m/s", seam.speed), fmt::format("{} m/s", seam_bound),
                    seam.speed <= seam_bound ? "holds" : "MISSED", fmt::format("at {:.3f} s", seam.speed_time)});
    }
    if (seam.turn_rate > 0) {
        smooth.add({"seam, the body's turn", fmt::format("{:.3f} deg/s", seam.turn_rate),
                    fmt::format("{} deg/s", turn_rate_bound), seam.turn_rate <= turn_rate_bound ? "holds" : "MISSED",
                    fmt::format("at {:.3f} s", seam.turn_time)});
    }
    if (snap.joint < 0) {
        smooth.add({"snap ratio", "-", fmt::format("{}", snap_ratio_bound), "holds", "no transition to measure"});
    } else {
        smooth.add({"snap ratio", fmt::format("{:.2f}", snap.ratio), fmt::format("{}", snap_ratio_bound),
                    snap.ratio <= snap_ratio_bound ? "holds" : "MISSED",
                    fmt::format("{} at {:.3f} s, {}: a jolt of {:.0f} deg/s where {:.0f} are needed",
                                joint_name(character, snap.joint), snap.time,
                                transition_name(character, snap.transition), snap.jolt, snap.allowed)});
    }
    const Pop& pop = recording.pop;
    if (pop.joint >= 0) {
        std::string where = fmt::format("{} at {:.3f} s, after {}: {:.0f} deg/s where {:.0f} are usual",
                                        joint_name(character, pop.joint), pop.time,
                                        transition_name(character, pop.transition), pop.jolt, pop.usual);
        if (pop.fade_needed > 0) {
            where += fmt::format("; a fade of {:.2f} s would not show", pop.fade_needed);
        } else if (pop.ratio > pop_bound) {
            where += "; nothing fades then: an input jumps, or a foot is held";
        }
        smooth.add({"pop", fmt::format("{:.2f}", pop.ratio), fmt::format("{}", pop_bound),
                    pop.ratio <= pop_bound ? "holds" : "MISSED", where});
    }
    if (!recording.footprints.empty() && recording.path_length > least_way) {
        const Footprint& worst = *std::max_element(recording.footprints.begin(), recording.footprints.end(),
                                                   [](const auto& a, const auto& b) { return a.slide < b.slide; });
        smooth.add({"a planted foot's slide", fmt::format("{:.1f} mm", 1000 * worst.slide), "-", "",
                    fmt::format("{} foot at {:.3f} s; {} footprints", recording.feet[worst.foot], worst.from,
                                recording.footprints.size())});
    }
    text += smooth.text();
    if (recording.faults.refused_values + recording.faults.refused_steps + recording.faults.cut_chains > 0) {
        text +=
            fmt::format("\n  faults: {} values and {} steps refused, {} chains cut short\n",
                        recording.faults.refused_values, recording.faults.refused_steps, recording.faults.cut_chains);
    }
    return text;
}

nlohmann::json json_of(const Recording& recording, const Character& character, const PerformOptions& options) {
    nlohmann::json transitions = nlohmann::json::array(), states = nlohmann::json::object();
    for (std::size_t t = 0; t < recording.transitions.size(); ++t) {
        const TransitionRecord& record = recording.transitions[t];
        const TransitionInfo& info = character.transitions()[record.transition];
        nlohmann::json clips = nlohmann::json::array();
        for (const std::uint16_t clip : recording.taken[t].clips) { clips.push_back(character.clips()[clip].name); }
        transitions.push_back({{"time_s", record.time},
                               {"from", character.full_name(left_by(record, info))},
                               {"to", character.full_name(info.to)},
                               {"because", info.when},
                               {"fade_s", recording.taken[t].fade},
                               {"plays", clips},
                               {"ease", std::string(name_of(info.ease))}});
    }
    for (std::size_t s = 0; s < character.states().size(); ++s) {
        states[character.full_name(std::uint16_t(s))] = recording.seconds_in_state[s];
    }
    const Seam& seam = recording.seam;
    const Snap& snap = recording.worst_snap;
    nlohmann::json result{{"document", options.document},
                          {"seconds", recording.seconds},
                          {"frames_per_second", recording.frames_per_second},
                          {"transitions", transitions},
                          {"seconds_in_state", states},
                          {"within_bounds", within_bounds(recording)}};
    result["seam"] = {{"degrees", seam.degrees},    {"millimetres", seam.millimetres},
                      {"bound", seam_bound},        {"joint", joint_name(character, seam.joint)},
                      {"time_s", seam.time},        {"transition", transition_name(character, seam.transition)},
                      {"metres_per_s", seam.speed}, {"turn_deg_per_s", seam.turn_rate}};
    result["snap"] = {{"ratio", snap.ratio},
                      {"bound", snap_ratio_bound},
                      {"joint", joint_name(character, snap.joint)},
                      {"time_s", snap.time},
                      {"transition", transition_name(character, snap.transition)},
                      {"jolt_deg_per_s", snap.jolt},
                      {"needed_deg_per_s", snap.allowed}};
    const Pop& pop = recording.pop;
    result["pop"] = {{"ratio", pop.ratio},
                     {"bound", pop_bound},
                     {"joint", joint_name(character, pop.joint)},
                     {"time_s", pop.time},
                     {"transition", transition_name(character, pop.transition)},
                     {"jolt_deg_per_s", pop.jolt},
                     {"usual_deg_per_s", pop.usual},
                     {"fade_needed_s", pop.fade_needed}};
    nlohmann::json events = nlohmann::json::array(), values = nlohmann::json::object();
    for (const Event& event : recording.events) {
        events.push_back({{"time_s", event.time},
                          {"event", event_text(character, event)},
                          {"state", character.full_name(event.state)},
                          {"clip", event.clip < character.clips().size() ? character.clips()[event.clip].name : ""},
                          {"weight", event.weight}});
    }
    result["events"] = events;
    nlohmann::json signals = nlohmann::json::array();
    for (const auto& [time, signal] : recording.signals) {
        signals.push_back({{"time_s", time}, {"signal", character.parameters()[signal].name}});
    }
    result["signals"] = signals;
    for (std::size_t v = 0; v < character.values().size(); ++v) {
        values[character.values()[v].name] = value_text(character.values()[v], recording.frames.back().values[v]);
    }
    result["values_at_the_end"] = values;
    const GroundPlace& end = recording.frames.back().place;
    nlohmann::json prints = nlohmann::json::array();
    for (const Footprint& print : recording.footprints) {
        prints.push_back({{"foot", recording.feet[print.foot]},
                          {"from_s", print.from},
                          {"to_s", print.to},
                          {"x_m", print.place.x},
                          {"z_m", print.place.z},
                          {"slide_m", print.slide}});
    }
    result["footprints"] = prints;
    result["travel"] = {{"path_m", recording.path_length},
                        {"x_m", end.x},
                        {"y_m", end.y},
                        {"z_m", end.z},
                        {"heading_deg", end.heading}};
    result["faults"] = {{"refused_values", recording.faults.refused_values},
                        {"refused_steps", recording.faults.refused_steps},
                        {"cut_chains", recording.faults.cut_chains}};
    return result;
}

/// Whether a file is BVH, by its ending.
bool is_bvh(const std::filesystem::path& path) {
    std::string ending = path.extension().string();
    for (char& c : ending) { c = c >= 'A' && c <= 'Z' ? char(c - 'A' + 'a') : c; }
    return ending == ".bvh";
}

std::filesystem::path rig_path(const Loaded& loaded, const PerformOptions& options) {
    return std::filesystem::path(options.document).parent_path() / loaded.document.rig.value;
}

/// Colours the bodies of a film by the layers that move them, or by a mask. Returns what is wrong with it.
bool tint_film(Film& film, const std::vector<const RecordedFrame*>& frames, const Loaded& loaded,
               const PerformOptions& options) {
    const Character& character = *loaded.character;
    if (options.tint != "layers") {
        const auto mask = mask_on(loaded.document, options.tint, character.rig());
        if (!mask) { return false; }
        for (FilmBody& body : film.bodies) {
            for (const float weight : *mask) { body.tint.push_back(mask_tint(double(weight))); }
        }
        film.key = mask_key(options.tint);
        return true;
    }
    for (std::size_t b = 0; b < film.bodies.size(); ++b) {
        std::vector<Colour>& tint = film.bodies[b].tint;
        tint.assign(character.joint_count(), layer_colour(0));
        for (std::size_t l = 1; l < character.layers().size(); ++l) {
            for (std::size_t j = 0; j < tint.size(); ++j) {
                tint[j] = mixed(tint[j], layer_colour(l), double(frames[b]->joint_weights[l][j]));
            }
        }
        std::string states;
        for (std::size_t l = 0; l < character.layers().size(); ++l) {
            if (l > 0 && !(frames[b]->layer_weights[l] > 0)) { continue; }
            states += (states.empty() ? "" : " + ") + character.states()[frames[b]->states[l]].name;
        }
        film.bodies[b].second_label = states;
    }
    for (std::size_t l = 0; l < character.layers().size(); ++l) {
        film.key.emplace_back(layer_colour(l), shown_layer(character.layers()[l]));
    }
    return true;
}

/// The performance at even instants, or all of it where it moves.
std::optional<Film> film_of(const Recording& recording, const Loaded& loaded, const PerformOptions& options) {
    const Character& character = *loaded.character;
    const bool animated = options.film.ends_with(".gif");
    const auto after = [&](double seconds) {
        const auto found = std::partition_point(recording.frames.begin(), recording.frames.end(),
                                                [&](const RecordedFrame& f) { return f.time < seconds; });
        return std::size_t(found - recording.frames.begin());
    };
    constexpr double same = 1e-6; // seconds
    const std::size_t first = after(options.film_from - same), last = after(options.film_to + same);
    if (first >= last) {
        const std::string to = std::isinf(options.film_to) ? " s on" : fmt::format(" to {:g} s", options.film_to);
        complain(
            fmt::format("nothing is played from {:g}{}; it lasts {:g} s", options.film_from, to, recording.seconds));
        return std::nullopt;
    }
    const std::size_t frames = last - first;
    const double seconds = recording.frames[last - 1].time - recording.frames[first].time;
    const std::size_t count = std::min(frames, animated ? moving_pictures(seconds, options.slow) : 12);
    Film film;
    film.title = fmt::format("{}: {:.1f} s", options.document, recording.seconds);
    if (frames < recording.frames.size()) {
        film.title +=
            fmt::format(", {:.1f} to {:.1f} s of them", recording.frames[first].time, recording.frames[last - 1].time);
    }
    film.seconds_between = options.slow * seconds / double(count);
    std::vector<const RecordedFrame*> shown;
    for (std::size_t i = 0; i < count; ++i) {
        const std::size_t index = animated || count < 2 ? i * frames / count : i * (frames - 1) / (count - 1);
        const RecordedFrame& frame = recording.frames[first + index];
        shown.push_back(&frame);
        film.bodies.push_back(
            {frame.pose, fmt::format("{:.2f} s", frame.time), character.states()[frame.state].name, frame.place});
    }
    for (const RecordedFrame& frame : recording.frames) { film.way.push_back(frame.place); }
    film.footprints = recording.footprints;
    if (!options.tint.empty() && !tint_film(film, shown, loaded, options)) { return std::nullopt; }
    return film;
}

/// Writes what was asked for; says each file, or why not.
int write_outputs(const Recording& recording, const Trace& trace, const Loaded& loaded, const PerformOptions& options,
                  std::string& said) {
    const Character& character = *loaded.character;
    int code = done;
    const auto finish = [&](const std::string& path, const std::string& what,
                            const std::optional<std::string>& problem) {
        if (problem) {
            complain(path + " " + *problem);
            code = bad_input;
        } else {
            said += fmt::format("  {} {}\n", what, path);
        }
    };
    if (!options.trace.empty()) { finish(options.trace, "trace", detail::write_file(options.trace, trace.csv())); }
    if (!options.bake.empty()) {
        BakedMotion motion{std::filesystem::path(options.bake).stem().string(), recording.frames_per_second, {}, {}};
        for (const Joint& joint : character.rig().joints) { motion.joints.push_back(joint.name); }
        for (const RecordedFrame& frame : recording.frames) {
            // The way is given back to the roots, so that the baked body goes where the clips carried it.
            motion.frames.push_back(frame.pose);
            const Transform place = frame.place.transform();
            for (std::size_t j = 0; j < character.joint_count(); ++j) {
                Transform& joint = motion.frames.back()[j];
                if (character.rig().joints[j].parent < 0) { joint = place * joint; }
            }
        }
        const Diagnostics problems =
            options.bake.ends_with(".bvh") ? bake_bvh(character.rig(), motion, options.bake)
            : is_bvh(rig_path(loaded, options)) // which has nothing but a skeleton
                ? bake_gltf(character.rig(), motion, options.bake)
                : bake_gltf(rig_path(loaded, options), motion, options.bake, {}, loaded.document.rig_reading);
        report(problems);
        if (has_errors(problems)) {
            code = bad_input;
        } else {
            finish(options.bake, "bake ", std::nullopt);
        }
    }
    if (!options.chart.empty()) {
        std::string title = options.document;
        if (!options.cues.empty()) { title += " with " + options.cues; }
        finish(options.chart, "chart", draw_chart(recording, character, title, options.chart));
    }
    if (!options.film.empty()) {
        const auto film = film_of(recording, loaded, options);
        if (!film) { return bad_input; }
        finish(options.film, "film ",
               draw_film(*film, character.rig(), detail::read_skinned_mesh(rig_path(loaded, options), character.rig()),
                         options.view, options.film));
    }
    return code;
}

int run_perform(const PerformOptions& options) {
    const Loaded loaded = load(options.document, options.draft ? Completeness::draft : Completeness::complete);
    report(loaded.diagnostics);
    if (!loaded.character) { return exit_code(loaded.diagnostics); }
    const std::vector<Output> outputs{
        {"--trace", options.trace}, {"--bake", options.bake}, {"--chart", options.chart}, {"--film", options.film}};
    if (overwrites(outputs, with(loaded.files, options.cues))) { return bad_input; }
    const Character& character = *loaded.character;
    Performer performer(loaded.character);

    std::optional<CuePlayer> player;
    CueSheet sheet;
    double seconds = 10;
    if (!options.cues.empty()) {
        CueSheetRead read = read_cue_sheet(options.cues);
        if (!has_errors(read.diagnostics)) {
            player.emplace(read.sheet, character, read.diagnostics);
            sheet = read.sheet;
            seconds = read.sheet.seconds > 0 ? read.sheet.seconds : player->last() + 2;
        }
        report(read.diagnostics);
        if (has_errors(read.diagnostics)) { return exit_code(read.diagnostics); }
    }
    for (const std::string& assignment : options.set) {
        if (const auto problem = set_value(performer, assignment)) {
            complain(*problem);
            return bad_input;
        }
    }
    if (!options.enter.empty()) {
        const StateHandle state = character.state(options.enter);
        if (!state) {
            std::vector<std::string> names;
            for (const StateInfo& info : character.states()) { names.push_back(info.name); }
            const std::string near = nearest_name(options.enter, names);
            complain(near.empty() ? fmt::format("no state '{}'; there {} {}", options.enter,
                                                names.size() == 1 ? "is only" : "are", fmt::join(names, ", "))
                                  : fmt::format("no state '{}'; did you mean '{}'?", options.enter, near));
            return bad_input;
        }
        performer.enter(state, 0);
    }
    const bool by_mask = !options.tint.empty() && options.tint != "layers";
    if (by_mask && !mask_on(loaded.document, options.tint, character.rig())) { return bad_input; }
    if (options.seconds > 0) { seconds = options.seconds; }
    const bool poses = !options.bake.empty() || !options.film.empty();
    const Keeping keeping{.frames = poses || !options.chart.empty(),
                          .poses = poses,
                          .joint_weights = !options.tint.empty(),
                          .rows = !options.trace.empty(),
                          .events = options.json || !options.chart.empty()};
    if (const auto problem = too_much(character, seconds, options.frames_per_second, keeping)) {
        complain(*problem);
        return bad_input;
    }
    std::optional<Weighing> weighing;
    if (options.why) {
        std::string problem;
        weighing = Weighing::of(options.why_of, character, problem);
        if (!weighing) {
            complain(problem);
            return bad_input;
        }
    }
    std::optional<Costing> costing;
    if (options.cost) {
        const auto begin = [&](const std::shared_ptr<const Character>& of) {
            Performer fresh(of);
            for (const std::string& assignment : options.set) { (void)set_value(fresh, assignment); }
            if (!options.enter.empty()) { fresh.enter(of->state(options.enter), 0); }
            return fresh;
        };
        costing.emplace(loaded, player ? &sheet : nullptr, begin, seconds, options.frames_per_second);
    }
    Trace trace(character);
    const FrameWatch watch = [&, first = true](const Performer& now, const RecordedFrame& frame) mutable {
        if (keeping.rows) { trace.add(frame); }
        if (weighing && !std::exchange(first, false)) { weighing->watch(now); }
    };
    const Recording recording =
        record(performer, player ? &*player : nullptr, seconds, options.frames_per_second, keeping, watch);
    std::string written;
    const int code = write_outputs(recording, trace, loaded, options, written);
    if (options.json) {
        nlohmann::json result = json_of(recording, character, options);
        if (weighing) { result["why"] = weighing->json(character); }
        if (costing) { result["cost"] = costing->json(); }
        print_json(result);
    } else {
        std::string text = options.document;
        if (!options.cues.empty()) { text += " with " + options.cues; }
        text += fmt::format(": {:.2f} s at {:g} frames a second\n\n", seconds, options.frames_per_second);
        text += weighing ? weighing->text(character) : costing ? costing->text() : story(recording, character);
        if (!written.empty()) { text += "\n" + written; }
        print_report(text);
    }
    if (code != done) { return code; }
    if (within_bounds(recording)) { return done; }
    if (!options.json) { say_missed(recording, character); }
    return found_errors;
}

} // namespace

void add_perform(CLI::App& app, Run& run) {
    auto options = std::make_shared<PerformOptions>();
    CLI::App* command = app.add_subcommand(
        "perform", "Plays a document and tells what happened: transitions, time in each state, smoothness");
    command->add_option("DOCUMENT", options->document, "the document, NAME.gait.yaml");
    command->add_option("--cues", options->cues, "a cue sheet, NAME.cues.yaml, that sets the parameters over time")
        ->type_name("FILE");
    command->add_option("--set", options->set, "set a parameter at the start, such as --set speed=1.4; may be repeated")
        ->take_all()
        ->expected(1)
        ->type_name("NAME=VALUE");
    command->add_option("--seconds", options->seconds, "how long to play; else the cue sheet's own length, or 10")
        ->check(number_between(0.001, 86400))
        ->type_name("SECONDS");
    command->add_option("--fps", options->frames_per_second, "frames a second")
        ->check(number_between(1, 1000))
        ->type_name("RATE")
        ->capture_default_str();
    command
        ->add_option("--trace", options->trace,
                     "write a row a frame: parameters, state, clips with weights and phases (.csv)")
        ->type_name("FILE.csv");
    command
        ->add_option("--bake", options->bake,
                     "write the rig and one animation as played (.glb, with its skin, or .bvh)")
        ->check(file_as("a bake is written", {"glb", "bvh"}))
        ->type_name("FILE.glb|bvh");
    command->add_option("--chart", options->chart, "draw parameters, states, clip weights and jolts over time")
        ->check(file_as("a chart is drawn", {"png", "svg"}))
        ->type_name("FILE.png|svg");
    command->add_option("--enter", options->enter, "begin in this state, such as body.moving")->type_name("STATE");
    CLI::Option* why = command
                           ->add_option("--why", options->why_of,
                                        "tell which transitions were weighed and what stopped each: while a state was "
                                        "active, at an instant, or at the end")
                           ->expected(0, 1)
                           ->type_name("[STATE|SECONDS]");
    command->add_flag("--cost", options->cost,
                      "tell what the frames take on this machine, state by state, and what they would without each "
                      "layer, mix and addition");
    command->add_flag("--draft", options->draft,
                      "fill what is missing: the rest pose for a clip, a waiting state for a state");
    add_film_options(*command, options->film, options->view, options->slow);
    command->add_option("--film-from", options->film_from, "film from this second on")
        ->check(number_between(0, 86400))
        ->needs("--film");
    command->add_option("--film-to", options->film_to, "film up to this second")
        ->check(number_between(0, 86400))
        ->needs("--film");
    command
        ->add_option("--tint", options->tint,
                     "colour the film's bodies by 'layers': which one moves what; or by a mask of the document")
        ->type_name("layers|MASK")
        ->needs("--film");
    command->add_flag("--json", options->json, "write JSON");
    command->footer("Example:\n  gait perform demo/lamplighter.gait.yaml --cues demo/round.cues.yaml --chart round.png "
                    "--bake round.glb\n\n"
                    "Exit code 1 means a bound of smoothness was missed.");
    command->callback([options, why, &run] {
        options->why = why->count() > 0;
        // Written before the document '--why' takes it for a state.
        if (options->document.empty() && options->why_of.ends_with(".yaml")) {
            options->document.swap(options->why_of);
        }
        if (options->document.empty()) { throw CLI::RequiredError("DOCUMENT"); }
        run = [options] { return run_perform(*options); };
    });
}

} // namespace gait::tool
