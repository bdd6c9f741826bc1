// gait begin: from a rig and its clips to a first document.
#include "commands.hpp"
#include "output.hpp"

#include "files/document_text.hpp"
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
#include <set>

namespace gait::tool {
namespace {

struct BeginOptions {
    std::string rig, output;
    std::vector<std::string> clips;
    bool json = false, explain = false;
};

/// The names of joints that a fit leaves out, as a comment.
std::string left_out(const std::string& whose, const std::vector<std::string>& names) {
    if (names.empty()) { return {}; }
    constexpr std::size_t most = 12;
    std::string list;
    for (std::size_t n = 0; n < std::min(most, names.size()); ++n) {
        list += (n > 0 ? ", " : "") + detail::document_text(names[n]);
    }
    if (names.size() > most) { list += fmt::format(" and {} more", names.size() - most); }
    return fmt::format("    # {}: {}\n", whose, list);
}

/// How the clips of another rig come to this one, as an entry of `fits`; empty where names alone tell.
std::string fit_entry(const std::string& name, const std::string& file, const Rig& theirs, const Rig& ours) {
    const std::vector<JointMatch> matches = match_joints(theirs, ours);
    std::set<std::string> matched_theirs, matched_ours;
    std::string joints;
    std::size_t guessed = 0;
    for (const JointMatch& match : matches) {
        matched_theirs.insert(match.theirs);
        matched_ours.insert(match.ours);
        if (match.by != JointMatching::place) { continue; }
        joints += fmt::format("      {}: {}\n", detail::document_text(match.theirs), detail::document_text(match.ours));
        ++guessed;
    }
    if (guessed == 0) { return {}; }
    const auto others = [](const Rig& rig, const std::set<std::string>& known) {
        std::vector<std::string> names;
        for (const Joint& joint : rig.joints) {
            if (!known.contains(joint.name)) { names.push_back(joint.name); }
        }
        return names;
    };
    return fmt::format(
               "  {}:{:>{}}# {}: {} joints were told by their place in the body; where one is wrong, mend it here\n"
               "    joints:\n{}",
               name, "", std::max<std::size_t>(1, 36 - std::min<std::size_t>(35, name.size())),
               detail::document_text(file), guessed, joints) +
           left_out("of theirs nothing takes", others(theirs, matched_theirs)) +
           left_out("of ours these stay at rest", others(ours, matched_ours));
}

/// A name for a document, of a file.
std::string plain_name(const std::filesystem::path& path) {
    std::string name;
    for (const char c : path.stem().string()) {
        const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
        name += plain ? char(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c) : '_';
    }
    return name.empty() || (name[0] >= '0' && name[0] <= '9') ? "fit_" + name : name;
}

std::string at_either_end(double first, double last) { return fmt::format("{:.2f} {:.2f}", first, last); }

/// What was measured of each clip, and what it was taken for by that.
std::string evidence_table(const std::vector<PlacedClip>& clips) {
    Table table({{"clip"},
                 {"length", Table::Align::right},
                 {"round"},
                 {"speed", Table::Align::right},
                 {"toward", Table::Align::right},
                 {"turns", Table::Align::right},
                 {"feet down", Table::Align::right},
                 {"lowest foot", Table::Align::right},
                 {"hips", Table::Align::right},
                 {"legs off", Table::Align::right},
                 {"rest off", Table::Align::right},
                 {"hands", Table::Align::right},
                 {"taken for"}});
    for (const PlacedClip& clip : clips) {
        const ClipEvidence& e = clip.evidence;
        table.add({clip.name, fmt::format("{:.2f} s", e.seconds), e.loops ? "yes" : "no",
                   fmt::format("{:.2f} m/s", e.speed), fmt::format("{:.0f} deg", e.direction),
                   fmt::format("{:.0f} deg", e.turns), fmt::format("{:.0f} %", 100 * e.feet_down),
                   at_either_end(e.lowest_first, e.lowest_last) + " m", fmt::format("{:.2f}", e.hips),
                   at_either_end(e.legs_first, e.legs_last), at_either_end(e.upper_first, e.upper_last),
                   fmt::format("{:.1f} m/s", e.hands_speed), std::string(name_of(clip.role))});
    }
    return table.text() + "\n  lowest foot: over the ground, at the clip's start and end. hips: their mean height, in "
                          "parts of that at rest.\n"
                          "  legs off, rest off: how far the legs, and all above the hips, are from the standing "
                          "clip's at start and end,\n"
                          "  in parts of the hips' height. hands: the faster hand's greatest speed against the hips.\n";
}

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
    // A recording is taken apart; what it shows begins the document with the rest.
    const auto take = [&](BeginningClip clip) {
        std::vector<BeginningClip> cuts = cut_recording(clip, rig.file->rig);
        if (cuts.empty()) { cuts.push_back(std::move(clip)); }
        clips.insert(clips.end(), cuts.begin(), cuts.end());
    };
    for (const ClipSource& clip : rig.file->clips) { take({clip.name, "", clip, "", {}, ""}); }
    std::string fits;
    std::set<std::string> fit_names;
    for (const std::string& path : options.clips) {
        const ImportResult more = import_file(path);
        report(more.diagnostics);
        if (!more.file) { return bad_input; }
        std::string fit = plain_name(path);
        for (int n = 2; fit_names.contains(fit); ++n) { fit = fmt::format("{}_{}", plain_name(path), n); }
        const std::string entry = fit_entry(fit, path, more.file->rig, rig.file->rig);
        if (entry.empty()) { fit.clear(); }
        fit_names.insert(fit);
        fits += entry;
        for (const ClipSource& clip : more.file->clips) {
            take({clip.name, beside(path), fit_clip(clip, more.file->rig, rig.file->rig).clip, fit, {}, ""});
        }
    }
    if (clips.empty()) {
        complain(fmt::format("'{}' holds no animation; name the files that hold the clips after it", options.rig));
        return bad_input;
    }
    const Beginning begun =
        begin_document(rig.file->rig, beside(options.rig), clips, fits.empty() ? "" : "fits:\n" + fits);
    if (const auto problem = detail::write_file(options.output, begun.text)) {
        complain(options.output + " " + *problem);
        return bad_input;
    }
    const Loaded loaded = load(options.output);
    report(loaded.diagnostics);
    if (options.json) {
        nlohmann::json all = nlohmann::json::array();
        for (const PlacedClip& clip : begun.clips) {
            const ClipEvidence& e = clip.evidence;
            all.push_back({{"clip", clip.name},
                           {"role", std::string(name_of(clip.role))},
                           {"why", clip.reason},
                           {"unsure", clip.unsure},
                           {"played_in", clip.state},
                           {"evidence",
                            {{"seconds", e.seconds},
                             {"loops", e.loops},
                             {"speed", e.speed},
                             {"direction", e.direction},
                             {"turns", e.turns},
                             {"feet_down", e.feet_down},
                             {"lowest_foot", {e.lowest_first, e.lowest_last}},
                             {"hips", e.hips},
                             {"legs_off", {e.legs_first, e.legs_last}},
                             {"upper_off", {e.upper_first, e.upper_last}},
                             {"hands_speed", e.hands_speed}}}});
        }
        print_json(nlohmann::json{{"document", options.output}, {"clips", all}});
    } else {
        Table table({{"clip"}, {"taken for"}, {"played in"}, {"because"}});
        for (const PlacedClip& clip : begun.clips) {
            table.add({clip.name, std::string(name_of(clip.role)), clip.state.empty() ? "-" : clip.state,
                       clip.reason + (clip.unsure.empty() ? "" : " (unsure: " + clip.unsure + ")")});
        }
        std::string text = fmt::format("{}: {} clips\n\n", options.rig, begun.clips.size()) +
                           (options.explain ? evidence_table(begun.clips) + "\n" : "") + table.text() + "\n  wrote " +
                           options.output;
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
    command->add_option("CLIPS", options->clips, "further files with clips, also of other rigs; a recording is cut");
    command->add_option("-o,--output", options->output, "the document to write; it must not be there yet")
        ->required()
        ->type_name("NAME.gait.yaml");
    command->add_flag("--explain", options->explain, "show what was measured of each clip, too");
    command->add_flag("--json", options->json, "write JSON");
    command->footer("Example:\n  gait begin demo/lamplighter.glb -o first.gait.yaml\n  gait begin "
                    "demo/harbour_master.glb demo/lamplighter.glb -o his.gait.yaml");
    command->callback([options, &run] { run = [options] { return run_begin(*options); }; });
}

} // namespace gait::tool
