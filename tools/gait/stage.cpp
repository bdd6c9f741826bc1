// gait stage: a document played live, in a page of this machine's browser.
#include "commands.hpp"
#include "interruption.hpp"
#include "options.hpp"
#include "output.hpp"
#include "overwriting.hpp"
#include "spawn.hpp"

#include "files/write_file.hpp"
#include "gait/stage.hpp"

#include <fmt/format.h>

#include <memory>
#include <string>

namespace gait::tool {
namespace {

struct StageOptions {
    std::string document;
    std::string cues;
    unsigned port = 0;
    bool no_open = false;
    bool draft = false;
    std::string save;
    double seconds = 0;
};

int save_page(const StageOptions& options, const StageDefinition& definition) {
    const Loaded loaded = load(definition.document, definition.completeness);
    auto read = loaded.files;
    if (!options.cues.empty()) { read.emplace_back(options.cues); }
    if (overwrites({{"--save", options.save}}, read)) { return bad_input; }
    const std::string page = saved_stage(definition, options.seconds);
    if (const auto problem = detail::write_file(options.save, page)) {
        complain(options.save + " " + *problem);
        return bad_input;
    }
    print_report(fmt::format("wrote {}: {:.1f} MB, which any browser shows by itself\n", options.save,
                             double(page.size()) / 1e6));
    return done;
}

int run_stage(const StageOptions& options) {
    StageDefinition definition;
    definition.document = options.document;
    definition.cues = options.cues;
    definition.completeness = options.draft ? Completeness::draft : Completeness::complete;
    definition.port = std::uint16_t(options.port);
    try {
        if (!options.save.empty()) { return save_page(options, definition); }
        Stage stage(definition);
        report(stage.diagnostics());
        end_when_interrupted([&] { stage.stop(); });
        print(stage.address() + "\n");
        // Where a desktop has a browser; elsewhere the address is enough.
        if (!options.no_open) { (void)spawn({"xdg-open", stage.address()}, ""); }
        stage.run();
        end_when_interrupted(nullptr);
        return done;
    } catch (const StageError& error) {
        report(error.diagnostics);
        complain(error.what());
        return error.diagnostics.empty() ? int(bad_input) : exit_code(error.diagnostics);
    }
}

} // namespace

void add_stage(CLI::App& app, Run& run) {
    auto options = std::make_shared<StageOptions>();
    CLI::App* command = app.add_subcommand(
        "stage", "Plays a document live in a page of your browser: drive it, tune it, see why, go back");
    command->add_option("DOCUMENT", options->document, "the document, NAME.gait.yaml; saved, it is reloaded")
        ->required();
    command->add_option("--cues", options->cues, "a cue sheet to begin with")->type_name("FILE.cues.yaml");
    command->add_option("--port", options->port, "of 127.0.0.1; without it one that is free")
        ->check(number_between(1, 65535))
        ->type_name("N");
    command->add_flag("--no-open", options->no_open, "print the address, and open no browser");
    command->add_flag("--draft", options->draft, "play what is there of a document that is not finished");
    command->add_option("--save", options->save, "play the cue sheet, and write one page of it that needs no server")
        ->check(file_as("a page is saved", {"html"}))
        ->type_name("FILE.html");
    command->add_option("--seconds", options->seconds, "of --save: how long, where the cue sheet does not say")
        ->check(number_between(0.1, 600))
        ->type_name("S");
    command->footer("Example:\n  gait stage demo/lamplighter.gait.yaml\n"
                    "  gait stage demo/lamplighter.gait.yaml --cues demo/evening.cues.yaml --save evening.html");
    command->callback([options, &run] { run = [options] { return run_stage(*options); }; });
}

} // namespace gait::tool
