// gait check: everything that is wrong with a document, before it plays.
#include "commands.hpp"
#include "output.hpp"
#include "state_names.hpp"

#include "gait/cue_player.hpp"
#include "gait/inspect.hpp"
#include "gait/load.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <memory>

namespace gait::tool {
namespace {

struct CheckOptions {
    std::string document;
    std::vector<std::string> cues;
    bool json = false;
    bool draft = false;
};

/// The transitions that lead to a forbidden pair, one after another.
std::string way_text(const Character& character, const ForbiddenPair& pair) {
    std::string way;
    for (const std::uint16_t index : pair.route) {
        const TransitionInfo& info = character.transitions()[index];
        way += fmt::format("{}{} to {}{}", way.empty() ? "" : ", then ", character.full_name(info.from),
                           character.states()[info.to].name, info.when.empty() ? "" : fmt::format(" ({})", info.when));
    }
    return way;
}

/// Whether what `forbid` keeps apart could meet, and how.
std::string forbidden_text(const Character& character) {
    std::string text;
    for (const ForbiddenPair& pair : forbidden_pairs(character)) {
        text += fmt::format("  {} beside {}{}: ", character.full_name(pair.yields), character.full_name(pair.rules),
                            pair.when.empty() ? "" : " while " + pair.when);
        if (!pair.possible) {
            text += "no way leads there\n";
            continue;
        }
        const std::string way = way_text(character, pair);
        text += fmt::format("possible{}{}; it yields and goes to {}\n", way.empty() ? "" : ", by ", way,
                            character.full_name(pair.to));
    }
    return text.empty() ? text : "forbidden at once:\n" + text;
}

int run_check(const CheckOptions& options) {
    Loaded loaded = load(options.document, options.draft ? Completeness::draft : Completeness::complete);
    if (loaded.character && !options.draft) {
        // What it would do, too: the clips are measured, the machine is looked through.
        std::vector<CueSheet> sheets;
        for (const std::string& path : options.cues) {
            CueSheetRead read = read_cue_sheet(path);
            if (!has_errors(read.diagnostics)) {
                (void)CuePlayer(read.sheet, *loaded.character, read.diagnostics); // says what does not fit
            }
            loaded.unreadable = loaded.unreadable || has_errors(read.diagnostics);
            loaded.diagnostics.insert(loaded.diagnostics.end(), read.diagnostics.begin(), read.diagnostics.end());
            sheets.push_back(std::move(read.sheet));
        }
        Diagnostics remarks =
            inspect(loaded.document, load_assets(loaded.document).assets, loaded.character.get(), sheets);
        answer_warnings(loaded.document.accepted, remarks);
        const Diagnostics unmet = unmet_acceptances(loaded.document.accepted, loaded.document.files());
        remarks.insert(remarks.end(), unmet.begin(), unmet.end());
        loaded.diagnostics.insert(loaded.diagnostics.end(), remarks.begin(), remarks.end());
    }
    const auto count = [&](Severity severity) {
        return std::count_if(loaded.diagnostics.begin(), loaded.diagnostics.end(),
                             [&](const Diagnostic& d) { return d.severity == severity; });
    };
    const auto errors = count(Severity::error), warnings = count(Severity::warning);
    if (options.json) {
        nlohmann::json pairs = nlohmann::json::array();
        if (loaded.character) {
            for (const ForbiddenPair& pair : forbidden_pairs(*loaded.character)) {
                pairs.push_back({{"yields", loaded.character->full_name(pair.yields)},
                                 {"while", loaded.character->full_name(pair.rules)},
                                 {"when", pair.when},
                                 {"goes_to", loaded.character->full_name(pair.to)},
                                 {"possible", pair.possible},
                                 {"way", way_text(*loaded.character, pair)}});
            }
        }
        print_json(nlohmann::json{{"document", options.document},
                                  {"forbidden", pairs},
                                  {"errors", errors},
                                  {"warnings", warnings},
                                  {"diagnostics", to_json(loaded.diagnostics)}});
        return exit_code(loaded.diagnostics);
    }
    report(loaded.diagnostics);
    const auto answered = std::count_if(loaded.document.accepted.begin(), loaded.document.accepted.end(),
                                        [](const Acceptance& acceptance) { return acceptance.met; });
    std::string summary = options.document + ": ";
    if (loaded.character && warnings == 0) {
        const Character& character = *loaded.character;
        const auto counted = [](std::size_t many, const char* what) {
            return fmt::format("{} {}{}", many, what, many == 1 ? "" : "s");
        };
        const auto ways =
            std::count_if(character.transitions().begin(), character.transitions().end(),
                          [](const TransitionInfo& info) { return info.kind == TransitionKind::written; });
        const auto states = std::count_if(character.states().begin(), character.states().end(),
                                          [&](const StateInfo& state) { return !is_between_shots(character, state); });
        summary += fmt::format(
            "no errors; {}, {}, {}, {}, {} joints, {} bytes a performer\n", counted(std::size_t(states), "state"),
            counted(std::size_t(ways), "transition"), counted(character.parameters().size(), "parameter"),
            counted(character.clips().size(), "clip"), character.joint_count(), character.performer_bytes());
    } else {
        summary += fmt::format("{} error{}, {} warning{}\n", errors, errors == 1 ? "" : "s", warnings,
                               warnings == 1 ? "" : "s");
    }
    if (answered > 0) {
        summary += "accepted:\n";
        for (const Acceptance& acceptance : loaded.document.accepted) {
            if (!acceptance.met) { continue; }
            summary +=
                fmt::format("  {}{}\n", acceptance.code, acceptance.reason.empty() ? "" : ": " + acceptance.reason);
        }
    }
    if (loaded.character) { summary += forbidden_text(*loaded.character); }
    print_report(summary);
    return exit_code(loaded.diagnostics);
}

} // namespace

void add_check(CLI::App& app, Run& run) {
    auto options = std::make_shared<CheckOptions>();
    CLI::App* command = app.add_subcommand(
        "check", "Says everything that is wrong with a document, each with its place and what to do");
    command->add_option("DOCUMENT", options->document, "the document, NAME.gait.yaml")->required();
    command
        ->add_option("--cues", options->cues,
                     "a cue sheet it is played with: what no sheet sets or sends is said too; may be repeated")
        ->take_all()
        ->expected(1)
        ->type_name("FILE");
    command->add_flag("--draft", options->draft,
                      "fill what is missing: the rest pose for a clip, a waiting state for a state");
    command->add_flag("--json", options->json, "write JSON");
    command->footer("Example:\n  gait check demo/lamplighter.gait.yaml");
    command->callback([options, &run] { run = [options] { return run_check(*options); }; });
}

} // namespace gait::tool
