// gait begin: from a rig and its clips to a first document.
#include "commands.hpp"
#include "output.hpp"

#include "files/write_file.hpp"
#include "gait/begin.hpp"
#include "gait/bvh.hpp"
#include "gait/compile.hpp"
#include "gait/fit.hpp"
#include "gait/load.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <filesystem>
#include <memory>

namespace gait::tool {
namespace {

struct BeginOptions {
    std::string rig, output;
    std::vector<std::string> clips;
    bool json = false;
};

int run_begin(const BeginOptions& options) {
    if (std::filesystem::exists(options.output)) {
        complain(fmt::format("'{}' is there already; name another file, or move it away", options.output));
        return bad_input;
    }
    const ImportResult rig = import_file(options.rig);
    report(rig.diagnostics);
    if (!rig.file) { return bad_input; }
    const std::filesystem::path folder = std::filesystem::path(options.output).parent_path();
    const auto beside = [&](const std::string& path) {
        const auto base =
            std::filesystem::absolute(folder.empty() ? std::filesystem::path(".") : folder).lexically_normal();
        return std::filesystem::absolute(path).lexically_normal().lexically_relative(base).generic_string();
    };
    std::vector<BeginningClip> clips;
    for (const ClipSource& clip : rig.file->clips) { clips.push_back({clip.name, "", clip}); }
    for (const std::string& path : options.clips) {
        const ImportResult more = import_file(path);
        report(more.diagnostics);
        if (!more.file) { return bad_input; }
        for (const ClipSource& clip : more.file->clips) {
            clips.push_back({clip.name, beside(path), fit_clip(clip, more.file->rig, rig.file->rig).clip});
        }
    }
    if (clips.empty()) {
        complain(fmt::format("'{}' holds no animation; name the files that hold the clips after it", options.rig));
        return bad_input;
    }
    const Beginning begun = begin_document(rig.file->rig, beside(options.rig), clips);
    if (const auto problem = detail::write_file(options.output, begun.text)) {
        complain(options.output + " " + *problem);
        return bad_input;
    }
    const Loaded loaded = load(options.output);
    report(loaded.diagnostics);
    if (options.json) {
        nlohmann::json all = nlohmann::json::array();
        for (const PlacedClip& clip : begun.clips) {
            all.push_back({{"clip", clip.name}, {"role", std::string(name_of(clip.role))}, {"why", clip.reason}});
        }
        print_json(nlohmann::json{{"document", options.output}, {"clips", all}});
    } else {
        Table table({{"clip"}, {"taken for"}, {"because"}});
        for (const PlacedClip& clip : begun.clips) {
            table.add({clip.name, std::string(name_of(clip.role)), clip.reason});
        }
        std::string text = fmt::format("{}: {} clips\n\n", options.rig, begun.clips.size()) + table.text() +
                           "\n  wrote " + options.output;
        if (loaded.character) {
            text += fmt::format(": {} states, {} transitions; next: gait check {}", loaded.character->states().size(),
                                loaded.character->transitions().size(), options.output);
        }
        print_report(text + "\n");
    }
    return loaded.character ? done : found_errors;
}

} // namespace

void add_begin(CLI::App& app, Run& run) {
    auto options = std::make_shared<BeginOptions>();
    CLI::App* command = app.add_subcommand(
        "begin", "Measures a rig's clips, recognises what it can, and writes a first document to go on from");
    command->add_option("RIG", options->rig, "the rig's file, .glb, .gltf or .bvh; the clips in it are taken too")
        ->required();
    command->add_option("CLIPS", options->clips, "further files with clips");
    command->add_option("-o,--output", options->output, "the document to write; it must not be there yet")
        ->required()
        ->type_name("NAME.gait.yaml");
    command->add_flag("--json", options->json, "write JSON");
    command->footer("Example:\n  gait begin demo/lamplighter.glb -o first.gait.yaml");
    command->callback([options, &run] { run = [options] { return run_begin(*options); }; });
}

} // namespace gait::tool
