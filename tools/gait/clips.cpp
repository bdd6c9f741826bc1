// gait clips: what a file holds, and whether it fits and loops.
#include "commands.hpp"
#include "film.hpp"
#include "output.hpp"

#include "gait/gltf.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

namespace gait::tool {
namespace {

struct ClipsOptions {
    std::vector<std::string> files;
    std::string skin;
    std::string clip;
    std::string film;
    View view = View::three_quarters;
    bool tree = false;
    bool json = false;
};

std::string tree_text(const Rig& rig) {
    std::string text;
    std::vector<int> depth(rig.joints.size(), 0);
    Table table({{"joint"}, {"at rest (x, y, z)", Table::Align::right}});
    const auto model = model_space(rig, rest_pose(rig));
    for (std::size_t j = 0; j < rig.joints.size(); ++j) {
        const Joint& joint = rig.joints[j];
        depth[j] = joint.parent < 0 ? 0 : depth[std::size_t(joint.parent)] + 1;
        const Vec3 at = model[j].translation;
        table.add({std::string(std::size_t(depth[j]) * 2, ' ') + joint.name,
                   fmt::format("{:7.3f} {:7.3f} {:7.3f} m", at.x, at.y, at.z)});
    }
    return table.text();
}

std::string describe_loop(const LoopGap& gap) {
    if (gap.meets()) { return "yes"; }
    return gap.millimetres > 5 ? fmt::format("no: {} is {:.1f} mm off", gap.moved_joint, gap.millimetres)
                               : fmt::format("no: {} is turned {:.1f} deg", gap.turned_joint, gap.degrees);
}

std::string text_of(const std::string& path, const ImportedFile& file, bool tree) {
    const Rig& rig = file.rig;
    std::string text =
        fmt::format("{}: rig '{}', {} joints, {:.2f} m from the lowest to the highest, {} clip{}\n", path, rig.name,
                    rig.joints.size(), rest_height(rig), file.clips.size(), file.clips.size() == 1 ? "" : "s");
    if (tree) { text += "\n" + tree_text(rig); }
    if (file.clips.empty()) { return text; }
    using A = Table::Align;
    Table table({{"clip"},
                 {"length", A::right},
                 {"keys", A::right},
                 {"rate", A::right},
                 {"end off start", A::right},
                 {"", A::right},
                 {"last frame meets first"}});
    for (const ClipSource& clip : file.clips) {
        const LoopGap gap = loop_gap(clip, rig);
        const double rate = clip.seconds > 0 ? (clip.keys - 1) / clip.seconds : 0;
        table.add({clip.name, fmt::format("{:.3f} s", clip.seconds), fmt::format("{}", clip.keys),
                   fmt::format("{:.0f} Hz", rate), fmt::format("{:.2f} deg", gap.degrees),
                   fmt::format("{:.1f} mm", gap.millimetres), describe_loop(gap)});
    }
    return text + "\n" + table.text();
}

nlohmann::json json_of(const std::string& path, const ImportedFile& file) {
    nlohmann::json joints = nlohmann::json::array(), clips = nlohmann::json::array();
    for (const Joint& joint : file.rig.joints) {
        joints.push_back(
            {{"name", joint.name},
             {"parent",
              joint.parent < 0 ? nlohmann::json() : nlohmann::json(file.rig.joints[std::size_t(joint.parent)].name)}});
    }
    for (const ClipSource& clip : file.clips) {
        const LoopGap gap = loop_gap(clip, file.rig);
        clips.push_back({{"name", clip.name},
                         {"seconds", clip.seconds},
                         {"keys", clip.keys},
                         {"rate_hz", clip.seconds > 0 ? (clip.keys - 1) / clip.seconds : 0},
                         {"loop",
                          {{"meets", gap.meets()},
                           {"degrees", gap.degrees},
                           {"turned_joint", gap.turned_joint},
                           {"millimetres", gap.millimetres},
                           {"moved_joint", gap.moved_joint}}}});
    }
    return {{"file", path},
            {"rig", {{"name", file.rig.name}, {"height_m", rest_height(file.rig)}, {"joints", joints}}},
            {"clips", clips}};
}

/// A film of one clip: a cycle at even instants, and its end over its start.
int film_clip(const ClipsOptions& options, const std::string& path, const ImportedFile& file) {
    std::vector<std::string> names;
    const ClipSource* clip = nullptr;
    for (const ClipSource& candidate : file.clips) {
        names.push_back(candidate.name);
        if (candidate.name == options.clip) { clip = &candidate; }
    }
    if (clip == nullptr) {
        const std::string near = nearest_name(options.clip, names);
        complain(near.empty()
                     ? fmt::format("{} holds no clip '{}'; it holds {}", path, options.clip, fmt::join(names, ", "))
                     : fmt::format("{} holds no clip '{}'; did you mean '{}'?", path, options.clip, near));
        return bad_input;
    }
    const auto rest = rest_pose(file.rig);
    const bool animated = options.film.ends_with(".gif");
    const int count = animated ? std::clamp(int(std::ceil(clip->seconds * 25)), 2, 400) : 11;
    Film film;
    film.title = fmt::format("{}: {}, {:.3f} s", path, clip->name, clip->seconds);
    film.seconds_between = clip->seconds / count;
    for (int i = 0; i < count; ++i) {
        const double at = clip->seconds * i / count;
        film.bodies.push_back(
            {pose_at(*clip, rest, at), fmt::format("{:.3f} s", at), fmt::format("{:.0f} %", 100.0 * i / count)});
    }
    const LoopGap gap = loop_gap(*clip, file.rig);
    film.start = film.bodies.front();
    film.end = FilmBody{pose_at(*clip, rest, clip->seconds), "end (red) over start",
                        fmt::format("{:.2f} deg, {:.1f} mm off", gap.degrees, gap.millimetres)};
    if (const auto problem =
            draw_film(film, file.rig, read_skinned_mesh(path, options.skin), options.view, options.film)) {
        complain(options.film + " " + *problem);
        return bad_input;
    }
    return done;
}

int run_clips(const ClipsOptions& options) {
    int code = done;
    if (options.film.empty() != options.clip.empty() || (!options.film.empty() && options.files.size() != 1)) {
        complain("a film is made of one clip of one file; write 'gait clips FILE --clip NAME --film OUT.png'");
        return bad_input;
    }
    nlohmann::json all = nlohmann::json::array();
    std::string text;
    for (const std::string& path : options.files) {
        const ImportResult result = import_gltf(path, options.skin);
        report(result.diagnostics);
        code = std::max(code, exit_code(result.diagnostics));
        if (!result.file) { continue; }
        if (!options.film.empty()) { code = std::max(code, film_clip(options, path, *result.file)); }
        if (options.json) {
            all.push_back(json_of(path, *result.file));
        } else {
            text += (text.empty() ? "" : "\n") + text_of(path, *result.file, options.tree);
        }
    }
    if (options.json) {
        print(all.dump(2) + "\n");
    } else {
        print_report(text);
    }
    return code;
}

} // namespace

void add_clips(CLI::App& app, Run& run) {
    auto options = std::make_shared<ClipsOptions>();
    CLI::App* command =
        app.add_subcommand("clips", "Tells what animation files hold: the rig, each clip, and whether it loops");
    command->add_option("FILE", options->files, "glTF files (.glb, .gltf)")->required();
    command->add_option("--skin", options->skin, "the skin to take where a file has several")->type_name("NAME");
    command->add_option("--clip", options->clip, "the clip that --film shows")->type_name("NAME");
    add_film_options(*command, options->film, options->view);
    command->add_flag("--tree", options->tree, "list the joints as a tree");
    command->add_flag("--json", options->json, "write JSON");
    command->footer("Example:\n  gait clips demo/lamplighter.glb --tree\n  gait clips demo/lamplighter.glb --clip "
                    "stroll --film stroll.png --view side");
    command->callback([options, &run] { run = [options] { return run_clips(*options); }; });
}

} // namespace gait::tool
