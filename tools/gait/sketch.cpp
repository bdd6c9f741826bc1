// gait sketch: the machine as a diagram of states and the ways between them, laid out by Graphviz.
#include "commands.hpp"
#include "draw_with.hpp"
#include "output.hpp"

#include "files/write_file.hpp"
#include "gait/compile.hpp"

#include <fmt/format.h>

#include <memory>

namespace gait::tool {
namespace {

struct SketchOptions {
    std::string document;
    std::string out;
};

/// A text inside Graphviz's double quotes; long ones are broken where `and` or `or` stands.
std::string quoted(const std::string& text) {
    std::string out;
    std::size_t line = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const std::string_view rest = std::string_view(text).substr(i);
        if (line > 18 && (rest.starts_with(" and ") || rest.starts_with(" or "))) {
            out += "\\n";
            line = 0;
            continue;
        }
        if (text[i] == '"' || text[i] == '\\') { out += '\\'; }
        out += text[i] == '\n' ? ' ' : text[i];
        ++line;
    }
    return out;
}

std::string describe(const MotionDefinition& motion, int depth) {
    if (motion.blend) {
        std::string text = "by " + motion.blend->parameter.value + ":";
        for (const PointDefinition& point : motion.blend->points) {
            text += fmt::format("{}{:g} {}", depth == 0 ? "\\n" : " ", point.at.value, describe(point.play, depth + 1));
        }
        return text;
    }
    return quoted(motion.clip.value);
}

std::string describe(const TransitionDefinition& transition) {
    std::string text = quoted(transition.when.value);
    const auto add = [&](const std::string& more) { text += (text.empty() ? "" : "\\n") + more; };
    if (transition.after) { add(fmt::format("after {:g} s", transition.after->value)); }
    if (transition.at_end || (transition.when.empty() && !transition.after)) { add("at its end"); }
    if (!transition.except.empty()) {
        std::string names;
        for (const Text& name : transition.except) { names += (names.empty() ? "" : ", ") + quoted(name.value); }
        add("not from " + names);
    }
    add(transition.fade.value > 0 ? fmt::format("{:g} s", transition.fade.value) : "a cut");
    return text;
}

/// Graphviz's own language. Names of nodes carry the layer, so that layers do not meet.
std::string dot_of(const Document& document) {
    std::string out =
        "digraph machine {\n"
        "  graph [rankdir=LR, size=\"13.1,8.1\", dpi=96, pad=0.25, nodesep=0.5, ranksep=0.3, fontname=\"DejaVu "
        "Sans\", "
        "fontsize=15, labelloc=t, splines=spline];\n"
        "  node [shape=box, style=\"rounded,filled\", fillcolor=\"#eaf1f7\", color=\"#31577a\", penwidth=1.4, "
        "fontname=\"DejaVu Sans\", fontsize=13, margin=\"0.18,0.10\"];\n"
        "  edge [color=\"#555555\", fontname=\"DejaVu Sans\", fontsize=10.5, fontcolor=\"#222222\", arrowsize=0.8];\n";
    out += fmt::format("  label=\"{}\";\n", quoted(document.about.empty() ? document.file : document.about));
    for (std::size_t l = 0; l < document.layers.size(); ++l) {
        const LayerDefinition& layer = document.layers[l];
        const MachineDefinition& machine = layer.machine;
        const auto node = [&](const std::string& state) { return fmt::format("\"{}/{}\"", l, quoted(state)); };
        out += fmt::format("  subgraph cluster_{} {{\n    label=\"{}\"; color=\"#bbbbbb\"; style=rounded;\n", l,
                           quoted(layer.name.value));
        for (const StateDefinition& state : machine.states) {
            out += fmt::format("    {} [label=\"{}\\n({}{})\"];\n", node(state.name.value), quoted(state.name.value),
                               describe(state.play, 0), state.game_moves ? "\\nthe game moves" : "");
        }
        if (!machine.start.empty()) {
            out += fmt::format(
                "    \"{}/start\" [shape=circle, label=\"\", width=0.17, fixedsize=true, fillcolor=\"#31577a\"];\n"
                "    \"{}/start\" -> {} [label=\"start\"];\n",
                l, l, node(machine.start.value));
        }
        if (!machine.always.empty()) {
            out += fmt::format("    \"{}/always\" [shape=plaintext, style=\"\", label=\"always, from\\nwhichever is "
                               "active\", fontsize=11];\n",
                               l);
            for (const TransitionDefinition& always : machine.always) {
                out += fmt::format("    \"{}/always\" -> {} [style=dashed, label=\"{}\"];\n", l, node(always.to.value),
                                   describe(always));
            }
        }
        for (const StateDefinition& state : machine.states) {
            for (const TransitionDefinition& transition : state.go) {
                out += fmt::format("    {} -> {} [label=\"{}\"];\n", node(state.name.value), node(transition.to.value),
                                   describe(transition));
            }
        }
        out += "  }\n";
    }
    return out + "}\n";
}

int run_sketch(const SketchOptions& options) {
    const Loaded loaded = load(options.document);
    report(loaded.diagnostics);
    if (!loaded.character) { return exit_code(loaded.diagnostics); }
    const std::string dot = dot_of(loaded.document);
    if (options.out.empty()) {
        print(dot);
        return done;
    }
    const std::string form = options.out.substr(options.out.rfind('.') + 1);
    const auto problem = form == "dot"
                             ? write_file(options.out, dot)
                             : draw_with({"dot", "graphviz",
                                          [&](const std::string& script, const std::string& picture) {
                                              return std::vector<std::string>{"-T" + form, "-o", picture, script};
                                          }},
                                         options.out, [&](const std::string&) { return dot; });
    if (!problem) { return done; }
    complain(options.out + " " + *problem);
    return bad_input;
}

} // namespace

void add_sketch(CLI::App& app, Run& run) {
    auto options = std::make_shared<SketchOptions>();
    CLI::App* command =
        app.add_subcommand("sketch", "Draws the machine: states, the ways between them, their conditions and fades");
    command->add_option("DOCUMENT", options->document, "the document, NAME.gait.yaml")->required();
    command->add_option("-o,--out", options->out, "the drawing; without it, Graphviz's text is printed")
        ->check(CLI::Validator(
            [](std::string& path) {
                return path.ends_with(".svg") || path.ends_with(".png") || path.ends_with(".dot")
                           ? std::string{}
                           : "a sketch is drawn as .svg, .png or .dot; found '" + path + "'";
            },
            ""))
        ->type_name("FILE.svg|png|dot");
    command->footer("Example:\n  gait sketch demo/crossing.gait.yaml -o crossing.svg");
    command->callback([options, &run] { run = [options] { return run_sketch(*options); }; });
}

} // namespace gait::tool
