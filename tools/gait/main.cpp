#include "commands.hpp"
#include "interruption.hpp"
#include "output.hpp"

#include "gait/diagnostic.hpp"

#include <csignal>
#include <exception>
#include <new>
#include <sstream>

namespace {

/// What is wrong with the arguments: of a command that there is not, the nearest.
std::string words_for(const CLI::ParseError& problem, const CLI::App& app, int count, char** arguments) {
    std::vector<std::string> commands;
    for (const CLI::App* command : app.get_subcommands({})) { commands.push_back(command->get_name()); }
    const bool chosen = !app.get_subcommands().empty();
    if (!chosen && count > 1 && arguments[1][0] != '-') {
        const std::string name = arguments[1], near = gait::nearest_name(name, commands);
        return "there is no command '" + name + "'" + (near.empty() ? "" : "; did you mean '" + near + "'?");
    }
    if (!chosen && count <= 1) {
        std::string list;
        for (const std::string& command : commands) { list += (list.empty() ? "" : ", ") + command; }
        return "a command is wanted: " + list;
    }
    return problem.what();
}

} // namespace

int main(int argument_count, char** arguments) {
    using namespace gait::tool;
    std::signal(SIGPIPE, SIG_IGN); // a closed pipe is an ordinary failed write
    clean_up_when_interrupted();
    CLI::App app{"Plays, measures and checks the state machines of rigged characters."};
    app.name("gait");
    app.set_version_flag("--version", "gait " GAIT_VERSION);
    app.require_subcommand(1);
    app.fallthrough(); // so that options of the whole may follow a command
    app.footer("Example:\n  gait perform demo/lamplighter.gait.yaml --cues demo/round.cues.yaml --chart round.png\n\n"
               "Exit codes: 0 done; 1 the document has errors or a bound was missed; 2 bad usage or unreadable input.");
    Run run;
    add_begin(app, run);
    add_clips(app, run);
    add_check(app, run);
    add_perform(app, run);
    add_sketch(app, run);
    add_map(app, run);
    add_pack(app, run);
    add_header(app, run);
#ifdef GAIT_HAS_STAGE
    add_stage(app, run);
#endif
    add_manual(app, run);
    bool quiet = false;
    app.add_flag("-q,--quiet", quiet, "write only findings, and JSON where it is asked for");
    try {
        app.parse(argument_count, arguments);
    } catch (const CLI::ParseError& problem) {
        if (problem.get_exit_code() == 0) {
            std::ostringstream text;
            app.exit(problem, text, text);
            print(text.str());
            return done;
        }
        const std::string words = words_for(problem, app, argument_count, arguments);
        complain(words + (words.ends_with('?') ? "" : "; 'gait --help' lists what there is"));
        return bad_input;
    }
    try {
        set_quiet(quiet);
        return run();
    } catch (const std::bad_alloc&) {
        complain("there is not enough memory for this");
    } catch (const std::exception& problem) {
        complain(std::string("this should not happen, please report it: ") + problem.what());
    }
    return bad_input;
}
