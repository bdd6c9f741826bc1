// gait completion, gait manual: made from the same texts as --help, so that they cannot disagree.
#include "commands.hpp"
#include "options.hpp"
#include "output.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <memory>

namespace gait::tool {
namespace {

std::vector<const CLI::App*> commands_of(const CLI::App& app) {
    return app.get_subcommands([](const CLI::App* command) { return !command->get_name().empty(); });
}

std::vector<std::string> flags_of(const CLI::App& app) {
    std::vector<std::string> names;
    for (const CLI::Option* option : app.get_options()) {
        for (const std::string& name : option->get_lnames()) { names.push_back("--" + name); }
    }
    return names;
}

std::string completion_script(const CLI::App& app, const std::string& shell) {
    std::string cases;
    std::vector<std::string> commands;
    for (const CLI::App* command : commands_of(app)) {
        commands.push_back(command->get_name());
        cases += fmt::format("    {}) words=\"{}\" ;;\n", command->get_name(), fmt::join(flags_of(*command), " "));
    }
    std::string script;
    // zsh reads bash's completions through its own bashcompinit.
    if (shell == "zsh") {
        script += "#compdef gait\nautoload -U +X compinit && compinit\nautoload -U +X bashcompinit && bashcompinit\n";
    }
    script += "# Completion of gait's commands and options, and of file names.\n_gait() {\n  local "
              "current=${COMP_WORDS[COMP_CWORD]} words\n"
              "  case ${COMP_WORDS[1]:-} in\n" +
              cases;
    script +=
        fmt::format("    *) words=\"{} {}\" ;;\n  esac\n", fmt::join(commands, " "), fmt::join(flags_of(app), " "));
    script += "  COMPREPLY=($(compgen -W \"$words\" -- \"$current\"))\n"
              "  if [ $COMP_CWORD -gt 1 ] && [ \"${current#-}\" = \"$current\" ]; then COMPREPLY=($(compgen -f -- "
              "\"$current\")); fi\n}\n"
              "complete -o filenames -F _gait gait\n";
    return script;
}

/// Text for troff: backslashes, hyphens and leading dots are its own.
std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        if (c == '\\') {
            out += "\\e";
        } else if (c == '-') {
            out += "\\-";
        } else if ((c == '.' || c == '\'') && (out.empty() || out.back() == '\n')) {
            out += "\\&";
            out += c;
        } else {
            out += c;
        }
    }
    return out;
}

std::string options_text(const CLI::App& app) {
    std::string text;
    for (const CLI::Option* option : app.get_options()) {
        const bool positional = option->get_positional();
        std::string name = positional ? option->get_name(true) : option->get_name(false, true);
        if (!positional && option->get_items_expected_max() > 0 && !option->get_type_name().empty()) {
            name += " " + option->get_type_name();
        }
        text += fmt::format(".TP\n.B {}\n{}\n", escaped(name), escaped(option->get_description()));
    }
    return text;
}

std::string manual_page(const CLI::App& app) {
    std::string page = fmt::format(
        ".TH GAIT 1 \"\" \"Pliant Gait {}\"\n.SH NAME\ngait \\- {}\n.SH SYNOPSIS\n.B gait\n.I command\n[options]\n",
        GAIT_VERSION, escaped(app.get_description()));
    page += ".SH OPTIONS\n" + options_text(app) + ".SH COMMANDS\n";
    for (const CLI::App* command : commands_of(app)) {
        page += fmt::format(".SS gait {}\n{}.\n{}", escaped(command->get_name()), escaped(command->get_description()),
                            options_text(*command));
        if (!command->get_footer().empty()) {
            page += fmt::format(".PP\n.nf\n{}\n.fi\n", escaped(command->get_footer()));
        }
    }
    return page + fmt::format(".SH NOTES\n.nf\n{}\n.fi\n", escaped(app.get_footer()));
}

} // namespace

void add_manual(CLI::App& app, Run& run) {
    CLI::App* completion = app.add_subcommand("completion", "Writes a completion script for a shell");
    auto shell = std::make_shared<std::string>();
    completion->add_option("SHELL", *shell, "bash or zsh")->required()->check(one_of({"bash", "zsh"}));
    completion->footer("Example:\n  gait completion bash > ~/.local/share/bash-completion/completions/gait");
    completion->callback([shell, &app, &run] {
        run = [shell, &app] {
            print(completion_script(app, *shell));
            return int(done);
        };
    });
    CLI::App* manual = app.add_subcommand("manual", "Writes the manual page");
    manual->footer("Example:\n  gait manual | man -l -");
    manual->callback([&app, &run] {
        run = [&app] {
            print(manual_page(app));
            return int(done);
        };
    });
}

} // namespace gait::tool
