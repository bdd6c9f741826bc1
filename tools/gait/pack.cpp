// gait pack: a document, its rig and its clips as one file that a game opens without them.
#include "commands.hpp"
#include "depfile.hpp"
#include "options.hpp"
#include "output.hpp"
#include "overwriting.hpp"

#include "character/pack_format.hpp"
#include "files/write_file.hpp"
#include "gait/load.hpp"
#include "gait/pack.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <memory>

namespace gait::tool {
namespace {

struct Options {
    std::string document, out, depfile, clips;
    double tolerance = 0;
    bool strip = false, report = false, json = false;
};

/// One number for what is in all the files that the document took.
std::uint64_t sources_of(const std::vector<std::filesystem::path>& files) {
    std::vector<std::uint64_t> sums;
    for (const std::filesystem::path& file : files) {
        const detail::FileContents contents = detail::read_file(file);
        sums.push_back(detail::checksum_of(std::as_bytes(std::span(contents.bytes))));
    }
    return detail::checksum_of(std::as_bytes(std::span(sums)));
}

/// Bytes as people read them.
std::string size_of(std::size_t bytes) {
    return bytes < 10'000 ? fmt::format("{} B", bytes) : fmt::format("{:.0f} kB", double(bytes) / 1000);
}

void say(const Options& options, const Packed& packed, const PackOptions& how) {
    std::size_t as_played = 0, written = 0;
    const PackedClip* worst = nullptr;
    for (const PackedClip& clip : packed.clips) {
        as_played += clip.bytes_as_played;
        written += clip.bytes;
        if (worst == nullptr || clip.worst_millimetres > worst->worst_millimetres) { worst = &clip; }
    }
    const bool small = how.clips == ClipPacking::small;
    if (options.json) {
        nlohmann::json clips = nlohmann::json::array();
        for (const PackedClip& clip : packed.clips) {
            clips.push_back({{"name", clip.name},
                             {"bytes_as_played", clip.bytes_as_played},
                             {"bytes", clip.bytes},
                             {"worst_mm", clip.worst_millimetres}});
        }
        print_json({{"pack", options.out},
                    {"bytes", packed.bytes.size()},
                    {"clips_are", small ? "small" : "fast"},
                    {"tolerance_mm", small ? how.tolerance : 0},
                    {"bytes_of_clips_as_played", as_played},
                    {"bytes_of_clips", written},
                    {"worst_mm", worst == nullptr ? 0 : worst->worst_millimetres},
                    {"clips", clips}});
        return;
    }
    std::string text =
        fmt::format("{}: {}, of which clips {}", options.out, size_of(packed.bytes.size()), size_of(written));
    if (small) {
        text += fmt::format(" instead of {}; no joint is off by more than {:.3f} mm", size_of(as_played),
                            worst == nullptr ? 0 : worst->worst_millimetres);
    }
    text += "\n";
    if (options.report) {
        using A = Table::Align;
        Table table({{"clip"}, {"as played", A::right}, {"packed", A::right}, {"worst", A::right}});
        for (const PackedClip& clip : packed.clips) {
            table.add({clip.name, size_of(clip.bytes_as_played), size_of(clip.bytes),
                       small ? fmt::format("{:.3f} mm", clip.worst_millimetres) : "-"});
        }
        text += "\n" + table.text();
    }
    print_report(text);
}

int run_pack(const Options& options) {
    const Loaded loaded = load(options.document);
    report(loaded.diagnostics);
    if (!loaded.character) { return exit_code(loaded.diagnostics); }
    if (overwrites({{"--out", options.out}, {"--depfile", options.depfile}}, loaded.files)) { return bad_input; }
    PackOptions how;
    how.strip = options.strip;
    how.clips = options.clips.empty() ? loaded.document.pack
                                      : (options.clips == "small" ? ClipPacking::small : ClipPacking::fast);
    // The samples are within the document's tolerance already: a fifth of it more is not seen beside that.
    how.tolerance = options.tolerance > 0 ? options.tolerance : loaded.document.tolerance.value / 5;
    how.made_from = sources_of(loaded.files);
    const Packed packed = pack(*loaded.character, how);
    const std::string_view bytes(reinterpret_cast<const char*>(packed.bytes.data()), packed.bytes.size());
    auto problem = detail::write_file(options.out, bytes);
    if (!problem && !options.depfile.empty()) {
        problem = detail::write_file(options.depfile, dependencies(options.out, loaded.files));
    }
    if (problem) {
        complain(options.out + " " + *problem);
        return bad_input;
    }
    say(options, packed, how);
    return done;
}

} // namespace

void add_pack(CLI::App& app, Run& run) {
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand(
        "pack", "Packs a document, its rig and its clips into one small file, which a game opens by the runtime alone");
    command->add_option("DOCUMENT", options->document, "the document, NAME.gait.yaml")->required();
    command->add_option("-o,--out", options->out, "the packed character")
        ->required()
        ->check(file_as("a packed character is written", {"gaitpack"}))
        ->type_name("FILE.gaitpack");
    command
        ->add_option("--clips", options->clips,
                     "fast: as they are played, opened without a copy; small: a tenth of that, made anew as the pack "
                     "is opened; else as the document's 'pack' says")
        ->check(CLI::IsMember({"fast", "small"}))
        ->type_name("fast|small");
    command
        ->add_option("--tolerance", options->tolerance,
                     "millimetres that a joint of a small clip may be off; else a fifth of the document's")
        ->check(CLI::Range(0.001, 1000.0))
        ->type_name("MM");
    command->add_flag("--strip", options->strip,
                      "leave out what only people read: places, conditions in words, notes; names stay");
    command->add_flag("--report", options->report, "say the size and the worst error of each clip");
    command->add_option("--depfile", options->depfile, "write the files it was made from, as Make and Ninja read them")
        ->type_name("FILE");
    command->add_flag("--json", options->json, "print the report as JSON");
    command->footer("Example:\n  gait pack demo/lamplighter.gait.yaml --clips small --strip -o lamplighter.gaitpack");
    command->callback([options, &run] { run = [options] { return run_pack(*options); }; });
}

} // namespace gait::tool
