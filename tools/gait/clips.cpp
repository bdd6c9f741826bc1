// gait clips: what a file holds, and whether it fits and loops.
#include "commands.hpp"
#include "feet_chart.hpp"
#include "film.hpp"
#include "mask_on.hpp"
#include "options.hpp"
#include "output.hpp"
#include "overwriting.hpp"
#include "quoting.hpp"

#include "files/document_text.hpp"
#include "rig/body_parts.hpp"

#include "gait/bvh.hpp"
#include "gait/compile.hpp"
#include "gait/cut.hpp"
#include "gait/fit.hpp"
#include "gait/load.hpp"
#include "gait/measure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <optional>

namespace gait::tool {
namespace {

struct ClipsOptions {
    std::vector<std::string> files;
    std::string skin;
    std::string clip;
    std::string film;
    View view = View::three_quarters;
    double slow = 1; ///< times, of a moving film
    bool view_given = false;
    std::string chart;
    std::vector<std::string> feet;
    std::string up, faces;
    double scale = 0;
    std::string mask; ///< DOCUMENT:NAME
    bool tree = false;
    bool mirror = false;
    bool marks = false;
    bool cuts = false;
    std::optional<double> from, to; ///< seconds of the clip
    bool json = false;
};

/// The tree of joints; with a mask, its weight on each.
std::string tree_text(const Rig& rig, const std::vector<float>& mask = {}) {
    std::string text;
    std::vector<int> depth(rig.joints.size(), 0);
    std::vector<Table::Column> columns{{"joint"}, {"at rest (x, y, z)", Table::Align::right}};
    if (!mask.empty()) { columns.insert(columns.end(), {{"weight", Table::Align::right}, {""}}); }
    Table table(columns);
    const auto model = model_space(rig, rest_pose(rig));
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const Joint& joint = rig.joints[j];
        depth[j] = joint.parent < 0 ? 0 : depth[std::size_t(joint.parent)] + 1;
        const Vec3 at = model[j].translation;
        std::vector<std::string> cells{std::string(std::size_t(depth[j]) * 2, ' ') + joint.name,
                                       fmt::format("{:7.3f} {:7.3f} {:7.3f} m", at.x, at.y, at.z)};
        if (!mask.empty()) {
            constexpr float longest = 20; // characters
            cells.push_back(fmt::format("{:.2f}", mask[j]));
            cells.push_back(std::string(std::size_t(std::lround(longest * mask[j])), '#'));
        }
        table.add(cells);
    }
    return table.text();
}

/// The weights that `--mask` names, on this rig.
std::optional<std::vector<float>> asked_mask(const std::string& asked, const Rig& rig) {
    const std::size_t colon = asked.rfind(':');
    if (colon == std::string::npos) {
        complain(fmt::format("--mask takes DOCUMENT:NAME, such as lamplighter.gait.yaml:trunk; found '{}'", asked));
        return std::nullopt;
    }
    const DocumentRead read = read_document(asked.substr(0, colon));
    report(read.diagnostics);
    if (has_errors(read.diagnostics)) { return std::nullopt; }
    return mask_on(read.document, asked.substr(colon + 1), rig);
}

std::string describe_loop(const ClipMeasure& m) {
    const LoopGap& gap = m.gap;
    if (gap.meets()) { return "yes"; }
    if (m.left_out > 0) { return fmt::format("a frame of {:.3f} s after it", m.left_out); }
    return gap.millimetres > 5 ? fmt::format("no: {} is {:.1f} mm off", gap.moved_joint, gap.millimetres)
                               : fmt::format("no: {} is turned {:.1f} deg", gap.turned_joint, gap.degrees);
}

std::string describe_way(const ClipMeasure& m) {
    if (!m.travels) { return "in place"; }
    const double distance = std::hypot(m.way.x, m.way.z);
    std::string text = distance > 0.005 ? fmt::format("{:.2f} m", distance) : "";
    if (std::abs(m.way.heading) > 0.5) {
        text += fmt::format("{}turns {:.0f} deg", text.empty() ? "" : ", ", m.way.heading);
    }
    return text.empty() ? "travels" : text;
}

/// The first few instants, and how many come after them; `--json` has them all.
std::string instants_of(const FootMeasure& foot, double Contact::*which) {
    constexpr std::size_t most = 6;
    std::string text;
    for (std::size_t i = 0; i < std::min(most, foot.contacts.size()); ++i) {
        text += fmt::format("{}{:.3f}", text.empty() ? "" : ", ", foot.contacts[i].*which);
    }
    if (text.empty()) { return "-"; }
    return text + " s" +
           (foot.contacts.size() > most ? fmt::format(" and {} more", foot.contacts.size() - most) : std::string());
}

std::string text_of(const std::string& path, const ImportedFile& file, const ClipsOptions& options) {
    const Rig& rig = file.rig;
    std::string text =
        fmt::format("{}: rig '{}', {} joints, {:.2f} m from the lowest to the highest, {} clip{}\n", path, rig.name,
                    rig.joints.size(), rest_height(rig), file.clips.size(), file.clips.size() == 1 ? "" : "s");
    if (options.tree) { text += "\n" + tree_text(rig); }
    if (options.mirror) {
        Table pairs({{"left"}, {"right"}});
        for (const auto& [left, right] : mirrored_joints(rig)) { pairs.add({left, right}); }
        text += "\n" + (pairs.empty() ? std::string("  no two joints are named as left and right\n") : pairs.text());
    }
    if (file.clips.empty()) { return text; }
    using A = Table::Align;
    Table clips({{"clip"},
                 {"length", A::right},
                 {"keys", A::right},
                 {"speed", A::right},
                 {"toward", A::right},
                 {"way"},
                 {"stride", A::right},
                 {"steps", A::right},
                 {"last frame meets first"}});
    Table feet({{"clip"},
                {"foot"},
                {"strikes", A::right},
                {"lifts off", A::right},
                {"down", A::right},
                {"slides", A::right},
                {"above ground", A::right}});
    for (const ClipSource& clip : file.clips) {
        const ClipMeasure m = measure_clip(clip, rig, options.feet);
        clips.add({clip.name, fmt::format("{:.3f} s", clip.seconds), fmt::format("{}", clip.keys),
                   m.speed > 0 ? fmt::format("{:.2f} m/s", m.speed) : "stands",
                   m.speed > 0 ? fmt::format("{:.0f} deg", std::round(m.direction) + 0.0) : "-", describe_way(m),
                   m.stride > 0 ? fmt::format("{:.2f} m", m.stride) : "-",
                   m.steps_a_minute > 0 ? fmt::format("{:.0f}/min", m.steps_a_minute) : "-", describe_loop(m)});
        for (const FootMeasure& foot : m.feet) {
            const bool stays = foot.down > 0.999;
            feet.add({clip.name, foot.side, stays ? "stays down" : instants_of(foot, &Contact::strike),
                      stays ? "" : instants_of(foot, &Contact::lift_off), fmt::format("{:.0f} %", 100 * foot.down),
                      fmt::format("{:.1f} mm", 1000 * foot.slide),
                      fmt::format("{:.1f} mm", std::round(10000 * foot.height) / 10 + 0.0)});
        }
    }
    text += "\n" + clips.text();
    if (!feet.empty()) { text += "\n" + feet.text(); }
    return text;
}

/// Footfalls as a document has them, ready to paste.
std::string marks_of(const ImportedFile& file, const ClipsOptions& options) {
    std::string text = "clips:\n";
    for (const ClipSource& clip : file.clips) {
        const ClipMeasure m = measure_clip(clip, file.rig, options.feet);
        std::map<std::string, std::vector<double>> marks; // instants by name
        for (const FootMeasure& foot : m.feet) {
            if (foot.down > 0.999) { continue; }
            for (const Contact& contact : foot.contacts) {
                marks[foot.side + "_down"].push_back(contact.strike);
                marks[foot.side + "_up"].push_back(contact.lift_off);
            }
        }
        // In the order in which they first come.
        std::vector<std::pair<double, std::string>> written;
        for (auto& [name, instants] : marks) {
            std::sort(instants.begin(), instants.end());
            const bool one = instants.size() == 1;
            written.emplace_back(instants.front(), fmt::format("{}: {}{:.3f}{}", name, one ? "" : "[",
                                                               fmt::join(instants, ", "), one ? "" : "]"));
        }
        std::sort(written.begin(), written.end());
        std::string list;
        for (const auto& [at, text_of_mark] : written) { list += (list.empty() ? "" : ", ") + text_of_mark; }
        text += fmt::format("  {}: {{{}marks: {{{}}}}}\n", detail::document_text(clip.name),
                            m.loops ? "loop: yes, " : "", list);
    }
    return text;
}

/// Stretches that loop, as a document has them, ready to paste.
std::string cuts_of(const std::string& path, const ImportedFile& file, const ClipsOptions& options) {
    std::string text = "clips:\n";
    const std::string from_file = "file: " + detail::document_text(std::filesystem::path(path).filename().string());
    const int hips = detail::body_parts(file.rig).hips;
    const std::string hips_name = hips < 0 ? "hips" : detail::document_text(file.rig.joints[std::size_t(hips)].name);
    for (const ClipSource& clip : file.clips) {
        const ClipMeasure whole = measure_clip(clip, file.rig, options.feet);
        if (whole.loops) {
            text += fmt::format("  {}: {{{}, loop: yes}}   # comes round as it is\n", detail::document_text(clip.name),
                                from_file);
            continue;
        }
        const std::vector<ClipCut> cuts = find_cuts(clip, file.rig, options.feet);
        if (cuts.empty()) { text += fmt::format("  # {}: nothing of it comes round\n", printable(clip.name)); }
        for (const ClipCut& cut : cuts) {
            const ClipMeasure& m = cut.measure;
            const LoopGap& gap = m.gap;
            std::string strides;
            if (cut.strides > 0) { strides = fmt::format("{} stride{}, ", cut.strides, cut.strides == 1 ? "" : "s"); }
            const std::string speed = m.speed > 0 ? fmt::format("{:.2f} m/s, ", m.speed) : "";
            const std::string open = gap.meets()
                                         ? "closes"
                                         : fmt::format("leaves {:.1f} deg open at {} and {:.0f} mm at {}", gap.degrees,
                                                       gap.turned_joint, gap.millimetres, gap.moved_joint);
            text +=
                fmt::format("  {}{}: {{{}, cut: [{:.3f}, {:.3f}], loop: yes{}}}   # {}{}{}\n",
                            &cut == &cuts.front() ? "" : "# or ", detail::document_text(clip.name), from_file, cut.from,
                            cut.to, m.travels ? ", travel: " + hips_name : "", strides, speed, printable(open));
        }
    }
    return text;
}

nlohmann::json json_of(const std::string& path, const ImportedFile& file, const ClipsOptions& options) {
    nlohmann::json joints = nlohmann::json::array(), clips = nlohmann::json::array(), pairs = nlohmann::json::array();
    for (const Joint& joint : file.rig.joints) {
        joints.push_back(
            {{"name", joint.name},
             {"parent",
              joint.parent < 0 ? nlohmann::json() : nlohmann::json(file.rig.joints[std::size_t(joint.parent)].name)}});
    }
    for (const auto& [left, right] : mirrored_joints(file.rig)) { pairs.push_back({left, right}); }
    for (const ClipSource& clip : file.clips) {
        const ClipMeasure m = measure_clip(clip, file.rig, options.feet);
        nlohmann::json feet = nlohmann::json::array(), numbers = nlohmann::json::array();
        for (const FootMeasure& foot : m.feet) {
            nlohmann::json contacts = nlohmann::json::array();
            for (const Contact& contact : foot.contacts) {
                contacts.push_back(
                    {{"strike_s", contact.strike}, {"lift_off_s", contact.lift_off}, {"slide_m", contact.slide}});
            }
            feet.push_back({{"side", foot.side},
                            {"joint", foot.joint},
                            {"contacts", contacts},
                            {"down", foot.down},
                            {"slide_m", foot.slide},
                            {"height_m", foot.height}});
        }
        for (const NumberTrack& track : clip.numbers) { numbers.push_back(track.name); }
        clips.push_back({{"name", clip.name},
                         {"seconds", clip.seconds},
                         {"keys", clip.keys},
                         {"rate_hz", clip.seconds > 0 ? (clip.keys - 1) / clip.seconds : 0},
                         {"speed_m_s", m.speed},
                         {"direction_deg", m.direction},
                         {"travels", m.travels},
                         {"way", {{"x_m", m.way.x}, {"y_m", m.way.y}, {"z_m", m.way.z}, {"turn_deg", m.way.heading}}},
                         {"stride_m", m.stride},
                         {"steps_a_minute", m.steps_a_minute},
                         {"feet", feet},
                         {"number_tracks", numbers},
                         {"loop",
                          {{"meets", m.gap.meets()},
                           {"left_out_s", m.left_out},
                           {"degrees", m.gap.degrees},
                           {"turned_joint", m.gap.turned_joint},
                           {"millimetres", m.gap.millimetres},
                           {"moved_joint", m.gap.moved_joint}}}});
    }
    return {
        {"file", path},
        {"rig", {{"name", file.rig.name}, {"height_m", rest_height(file.rig)}, {"joints", joints}, {"mirror", pairs}}},
        {"clips", clips}};
}

/// The clip that `--clip` names; nothing, and said, when there is none.
const ClipSource* chosen_clip(const ClipsOptions& options, const std::string& path, const ImportedFile& file) {
    std::vector<std::string> names;
    for (const ClipSource& candidate : file.clips) {
        if (candidate.name == options.clip) { return &candidate; }
        names.push_back(candidate.name);
    }
    const std::string near = nearest_name(options.clip, names);
    complain(near.empty()
                 ? fmt::format("{} holds no clip '{}'; it holds {}", path, options.clip, fmt::join(names, ", "))
                 : fmt::format("{} holds no clip '{}'; did you mean '{}'?", path, options.clip, near));
    return nullptr;
}

/// Leaves of a file's clips the one that was asked for, cut as asked; false, and said, where that cannot be.
bool narrow(const ClipsOptions& options, const std::string& path, ImportedFile& file) {
    if (options.clip.empty()) { return true; }
    const ClipSource* chosen = chosen_clip(options, path, file);
    if (chosen == nullptr) { return false; }
    ClipSource clip = *chosen;
    if (options.from || options.to) {
        const double from = options.from.value_or(0), to = options.to.value_or(clip.seconds);
        if (!(from < to) || to > clip.seconds + 1e-3) {
            complain(fmt::format("'{}' lasts {:.3f} s; a cut runs from one instant of it to a later one, found {:g} to "
                                 "{:g}",
                                 clip.name, clip.seconds, from, to));
            return false;
        }
        clip = cut_clip(clip, file.rig, from, to);
    }
    file.clips = {std::move(clip)};
    return true;
}

/// The heights and speeds of the feet over one clip, with the contacts that were found.
int chart_clip(const ClipsOptions& options, const std::string& path, const ImportedFile& file) {
    const ClipSource* clip = chosen_clip(options, path, file);
    if (clip == nullptr) { return bad_input; }
    if (const auto problem = draw_feet_chart(*clip, measure_clip(*clip, file.rig, options.feet),
                                             fmt::format("{}: {}", path, clip->name), options.chart)) {
        complain(options.chart + " " + *problem);
        return bad_input;
    }
    return done;
}

/// A mask on the body at rest, from four sides.
int film_mask(const ClipsOptions& options, const std::string& path, const Rig& rig, const std::vector<Colour>& tint) {
    Film film;
    film.title = fmt::format("{}: the mask {}", path, options.mask);
    film.key = mask_key(options.mask.substr(options.mask.rfind(':') + 1));
    for (const auto& [heading, label] : {std::pair{90.0, "from the front"},
                                         {0.0, "from its right"},
                                         {-90.0, "from behind"},
                                         {180.0, "from its left"}}) {
        GroundPlace facing;
        facing.heading = heading;
        film.bodies.push_back({turned(rest_pose(rig), rig, facing), label, "", {}, tint});
    }
    if (const auto problem =
            draw_film(film, rig, detail::read_skinned_mesh(path, rig, options.skin), View::side, options.film)) {
        complain(options.film + " " + *problem);
        return bad_input;
    }
    return done;
}

/// Poses in which the hips stay where they begin, seen from above: a body that goes far is filmed from beside it.
class Beside {
public:
    Beside(const Rig& rig, const ClipSource& clip)
        : rig_(rig), clip_(clip), hips_(std::size_t(std::max(0, detail::body_parts(rig).hips))),
          start_(hips_of(pose(0))) {
        constexpr int looks = 64;
        constexpr float near = 1.5F; // heights of the body
        for (int i = 1; i <= looks; ++i) {
            const Vec3 way = hips_of(pose(clip.seconds * i / looks)) - start_;
            goes_far_ = goes_far_ || std::hypot(way.x, way.z) > near * float(rest_height(rig));
        }
    }
    [[nodiscard]] std::vector<Transform> at(double seconds) const {
        std::vector<Transform> shown = pose(seconds);
        if (!goes_far_) { return shown; }
        const Vec3 way = hips_of(shown) - start_;
        for (std::size_t j = 0; j < shown.size(); ++j) {
            if (rig_.joints[j].parent >= 0) { continue; }
            shown[j].translation.x -= way.x;
            shown[j].translation.z -= way.z;
        }
        return shown;
    }

private:
    [[nodiscard]] std::vector<Transform> pose(double seconds) const { return pose_at(clip_, rest_pose(rig_), seconds); }
    [[nodiscard]] Vec3 hips_of(const std::vector<Transform>& shown) const {
        return model_space(rig_, shown)[hips_].translation;
    }
    const Rig& rig_;
    const ClipSource& clip_;
    std::size_t hips_;
    Vec3 start_;
    bool goes_far_ = false;
};

/// A film of one clip: a cycle at even instants, and its end over its start.
int film_clip(const ClipsOptions& options, const std::string& path, const ImportedFile& file,
              const std::vector<Colour>& tint) {
    const ClipSource* clip = chosen_clip(options, path, file);
    if (clip == nullptr) { return bad_input; }
    const Beside beside(file.rig, *clip);
    const bool animated = options.film.ends_with(".gif");
    const int count = animated ? int(moving_pictures(clip->seconds, options.slow)) : 11;
    Film film;
    film.title = fmt::format("{}: {}, {:.3f} s", path, clip->name, clip->seconds);
    film.seconds_between = options.slow * clip->seconds / count;
    for (int i = 0; i < count; ++i) {
        const double at = clip->seconds * i / count;
        film.bodies.push_back(
            {beside.at(at), fmt::format("{:.3f} s", at), fmt::format("{:.0f} %", 100.0 * i / count), {}, tint});
    }
    if (!tint.empty()) { film.key = mask_key(options.mask.substr(options.mask.rfind(':') + 1)); }
    const LoopGap gap = measure_clip(*clip, file.rig).gap;
    film.start = film.bodies.front();
    film.end = FilmBody{beside.at(clip->seconds), "end (red) over start",
                        fmt::format("{:.2f} deg, {:.1f} mm off", gap.degrees, gap.millimetres)};
    if (const auto problem = draw_film(film, file.rig, detail::read_skinned_mesh(path, file.rig, options.skin),
                                       options.view, options.film)) {
        complain(options.film + " " + *problem);
        return bad_input;
    }
    return done;
}

int run_clips(const ClipsOptions& options) {
    int code = done;
    const bool draws = !options.film.empty() || !options.chart.empty();
    const bool mask_at_rest =
        !options.film.empty() && options.chart.empty() && !options.mask.empty() && options.clip.empty();
    if ((draws && options.clip.empty() && !mask_at_rest) || (draws && options.files.size() != 1)) {
        complain(
            "a film or a chart is made of one clip of one file; write 'gait clips FILE --clip NAME --film OUT.png', or "
            "'gait clips FILE --mask DOCUMENT:NAME --film OUT.png' for a mask at rest");
        return bad_input;
    }
    if (mask_at_rest && options.view_given) {
        complain("a mask at rest is shown from four sides; leave --view out, or name a clip with --clip");
        return bad_input;
    }
    if ((options.from || options.to) && options.clip.empty()) {
        complain("--from and --to cut one clip; name it with --clip");
        return bad_input;
    }
    BodyReading reading;
    if (options.scale > 0) { reading.scale = options.scale; }
    reading.up = options.up;
    reading.faces = options.faces;
    nlohmann::json all = nlohmann::json::array();
    std::string text;
    for (const std::string& path : options.files) {
        ImportResult result = import_file(path, options.skin, reading);
        report(result.diagnostics);
        code = std::max(code, exit_code(result.diagnostics));
        if (!result.file) { continue; }
        std::vector<std::filesystem::path> read = result.file->files;
        if (!options.mask.empty()) { read.emplace_back(options.mask.substr(0, options.mask.rfind(':'))); }
        if (overwrites({{"--film", options.film}, {"--chart", options.chart}}, read)) { return bad_input; }
        std::optional<std::vector<float>> mask;
        std::vector<Colour> tint;
        if (!options.mask.empty()) {
            mask = asked_mask(options.mask, result.file->rig);
            if (!mask) { return bad_input; }
            for (const float weight : *mask) { tint.push_back(mask_tint(double(weight))); }
        }
        if (!narrow(options, path, *result.file)) { return bad_input; }
        if (!options.film.empty()) {
            code = std::max(code, mask_at_rest ? film_mask(options, path, result.file->rig, tint)
                                               : film_clip(options, path, *result.file, tint));
        }
        if (!options.chart.empty()) { code = std::max(code, chart_clip(options, path, *result.file)); }
        if (mask) {
            print(tree_text(result.file->rig, *mask));
        } else if (options.json) {
            all.push_back(json_of(path, *result.file, options));
        } else if (options.cuts) {
            print(cuts_of(path, *result.file, options));
        } else if (options.marks) {
            print(marks_of(*result.file, options));
        } else {
            text += (text.empty() ? "" : "\n") + text_of(path, *result.file, options);
        }
    }
    if (options.json) {
        print_json(all);
    } else {
        print_report(text);
    }
    return code;
}

} // namespace

void add_clips(CLI::App& app, Run& run) {
    auto options = std::make_shared<ClipsOptions>();
    CLI::App* command = app.add_subcommand(
        "clips",
        "Tells what animation files hold: the rig, and of each clip its speed, its steps and whether it loops");
    command->add_option("FILE", options->files, "glTF or BVH files (.glb, .gltf, .bvh)")->required();
    command->add_option("--skin", options->skin, "the skin to take where a file has several")->type_name("NAME");
    command->add_option("--clip", options->clip, "this clip alone; the one that --film and --chart show")
        ->type_name("NAME");
    command->add_option("--from", options->from, "where a cut of that clip begins, to be measured and shown")
        ->type_name("SECONDS")
        ->check(number_between(0, 1e6));
    command->add_option("--to", options->to, "and where it ends")->type_name("SECONDS")->check(number_between(0, 1e6));
    add_film_options(*command, options->film, options->view, options->slow);
    command->add_option("--chart", options->chart, "draw the height and speed of that clip's feet, with their contacts")
        ->check(file_as("a chart is drawn", {"png", "svg"}))
        ->type_name("FILE.png|svg");
    command->add_option("--feet", options->feet, "the ankles' joints, left and right, where they are not found")
        ->type_name("NAME")
        ->expected(2);
    command->add_option("--scale", options->scale, "metres a unit, where that is not to be guessed")
        ->type_name("METRES")
        ->check(number_between(1e-6, 1e6));
    command->add_option("--up", options->up, "the axis of the file on which the body stands")
        ->check(one_of({"x", "y", "z", "-x", "-y", "-z"}));
    command->add_option("--faces", options->faces, "the axis of the file that the body faces")
        ->check(one_of({"x", "y", "z", "-x", "-y", "-z"}));
    command->add_flag("--cuts", options->cuts,
                      "find the stretches that loop best, of whole strides, and print them ready to paste");
    command->add_flag("--marks", options->marks, "print footfalls as a document's marks, ready to paste");
    command->add_flag("--mirror", options->mirror, "list the joints that mirror each other");
    command
        ->add_option("--mask", options->mask,
                     "show a document's mask on the tree of joints, and with --film on the body")
        ->type_name("DOCUMENT:NAME");
    command->add_flag("--tree", options->tree, "list the joints as a tree");
    command->add_flag("--json", options->json, "write JSON");
    command->footer("Example:\n  gait clips demo/lamplighter.glb --tree\n  gait clips demo/lamplighter.glb --clip "
                    "stroll --film stroll.png --view side\n  gait clips demo/lamplighter.glb --marks\n  gait clips "
                    "demo/lamplighter.glb --mask demo/lamplighter.gait.yaml:trunk --film trunk.png");
    const CLI::Option* view = command->get_option("--view");
    command->callback([options, view, &run] {
        options->view_given = view->count() > 0;
        run = [options] { return run_clips(*options); };
    });
}

} // namespace gait::tool
