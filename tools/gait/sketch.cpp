// gait sketch: the machine as a diagram of states and the ways between them, laid out by Graphviz.
#include "commands.hpp"
#include "draw_with.hpp"
#include "options.hpp"
#include "output.hpp"
#include "overwriting.hpp"

#include "compile/call.hpp"
#include "files/write_file.hpp"
#include "gait/compile.hpp"
#include "gait/load.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <memory>
#include <optional>

namespace gait::tool {
namespace {

struct SketchOptions {
    std::string document;
    std::string out;
};

/// A list that breaks its line where it grows long.
class Listing {
public:
    void add(const std::string& item) {
        const std::size_t most = 26;
        if (!text_.empty()) { text_ += line_ + item.size() > most ? ",\\n" : ", "; }
        line_ = line_ + item.size() > most ? item.size() : line_ + item.size() + 2;
        text_ += item;
    }
    [[nodiscard]] const std::string& text() const { return text_; }

private:
    std::string text_;
    std::size_t line_ = 0;
};

std::string describe(const MotionDefinition& motion, const detail::Arguments& arguments) {
    const std::string rate =
        motion.rate.empty()
            ? ""
            : fmt::format("\\nat {} times", graph_text(detail::words_substituted(motion.rate.value, arguments)));
    if (motion.blend) {
        const BlendDefinition& blend = *motion.blend;
        Listing points;
        for (const PointDefinition& point : blend.points) {
            // On two parameters the map shows where; here the names do.
            const std::string at = point.at.size() == 1 ? fmt::format("{:g} ", point.at.front().value) : std::string();
            points.add(at + describe(point.play, arguments));
        }
        const std::string axes =
            graph_text(detail::substituted(blend.parameter, arguments).value) +
            (blend.second.empty() ? "" : " and " + graph_text(detail::substituted(blend.second, arguments).value));
        return "by " + axes + ":\\n" + points.text() + rate;
    }
    if (motion.mix) {
        Listing entries;
        for (const MixEntryDefinition& entry : motion.mix->of) {
            const std::string mask = entry.mask.empty() ? "" : " on " + graph_text(entry.mask.value);
            const std::string weight =
                entry.weight.empty() ? ""
                                     : " by " + graph_text(detail::words_substituted(entry.weight.value, arguments));
            entries.add(describe(entry.play, arguments) + mask + weight);
        }
        return "mixed:\\n" + entries.text() + rate;
    }
    if (motion.add) {
        return describe(motion.add->to, arguments) + "\\nwith " + describe(motion.add->what, arguments) + " added" +
               rate;
    }
    if (motion.pick) {
        const char* order = motion.pick->order == PickOrder::dealt    ? "dealt"
                            : motion.pick->order == PickOrder::random ? "at random"
                                                                      : "in turn";
        Listing entries;
        for (const PickEntry& entry : motion.pick->of) { entries.add(describe(entry.play, arguments)); }
        const std::string between =
            motion.pick->between ? "\\nbetween: " + describe(*motion.pick->between, arguments) : "";
        return fmt::format("{}:\\n{}{}", order, entries.text(), between);
    }
    if (motion.choose) {
        Listing entries;
        for (const ChooseEntry& entry : motion.choose->of) {
            const std::string& key = motion.choose->by.empty() ? entry.when.value : entry.value.value;
            entries.add((key.empty() ? "else" : graph_text(key)) + ": " + describe(entry.play, arguments));
        }
        return (motion.choose->by.empty() ? "on entry" : "by " + graph_text(motion.choose->by.value)) + ":\\n" +
               entries.text();
    }
    if (motion.nothing) { return "nothing: what is below shows"; }
    return graph_text(detail::substituted(motion.clip, arguments).value) + rate;
}

/// What a layer is, beside its machine.
std::string describe(const LayerDefinition& layer) {
    std::string text = graph_text(layer.name.value);
    if (!layer.mask.empty()) { text += " on " + graph_text(layer.mask.value); }
    if (!layer.weight.empty()) { text += ", by " + graph_text(layer.weight.value); }
    if (layer.mode == LayerMode::add) { text += ", added"; }
    if (layer.space == LayerSpace::model) { text += ", in model space"; }
    if (!layer.in_step_with.empty()) { text += ", in step with " + graph_text(layer.in_step_with.value); }
    return text;
}

std::string describe(const TransitionDefinition& transition, const detail::Arguments& arguments) {
    std::string text = graph_text(detail::words_substituted(transition.when.value, arguments));
    const auto add = [&](const std::string& more) { text += (text.empty() ? "" : "\\n") + more; };
    if (!transition.signal.empty()) { add("signal " + graph_text(transition.signal.value)); }
    if (transition.after) {
        const auto& [low, high] = *transition.after;
        add(low.value == high.value ? fmt::format("after {:g} s", low.value)
                                    : fmt::format("after {:g} to {:g} s", low.value, high.value));
    }
    if (!transition.at_mark.empty()) { add("at " + graph_text(transition.at_mark.value)); }
    if (!transition.inside.empty()) { add("inside " + graph_text(transition.inside.value)); }
    if (transition.at_end || text.empty()) { add("at its end"); }
    if (!transition.except.empty()) {
        std::string names;
        for (const Text& name : transition.except) { names += (names.empty() ? "" : ", ") + graph_text(name.value); }
        add("not from " + names);
    }
    std::string fade = !transition.fade_by.empty()
                           ? graph_text(detail::words_substituted(transition.fade_by.value, arguments)) + " s"
                       : transition.fade.value > 0 ? fmt::format("{:g} s", transition.fade.value)
                                                   : "a cut";
    const FadeStyleInfo& style = info_of(transition.style);
    if (!style.is_usual) { fade += " " + std::string(style.name); }
    add(fade);
    return text;
}

/// Writes Graphviz's own language. Names of nodes carry the way to them, so that machines do not meet.
class StateDiagram {
public:
    explicit StateDiagram(const Document& document) : document_(document) {}

    std::string text() {
        out_ = "digraph machine {\n"
               "  graph [rankdir=LR, compound=true, size=\"20,20\", dpi=96, pad=0.25, nodesep=0.27, ranksep=0.12, "
               "fontname=\"DejaVu Sans\", fontsize=15, labelloc=t, splines=spline];\n"
               "  node [shape=box, style=\"rounded,filled\", fillcolor=\"#eaf1f7\", color=\"#31577a\", penwidth=1.4, "
               "fontname=\"DejaVu Sans\", fontsize=14.5, margin=\"0.12,0.07\"];\n"
               "  edge [color=\"#555555\", fontname=\"DejaVu Sans\", fontsize=12.5, fontcolor=\"#222222\", "
               "arrowsize=0.8];\n";
        out_ +=
            fmt::format("  label=\"{}\";\n", graph_text(document_.about.empty() ? document_.file : document_.about));
        for (std::size_t l = 0; l < document_.layers.size(); ++l) {
            const LayerDefinition& layer = document_.layers[l];
            out_ += fmt::format("  subgraph cluster_{} {{\n    label=\"{}\"; color=\"#bbbbbb\"; style=rounded;\n", l,
                                describe(layer));
            roots_.push_back(draw_machine(layer.machine, {}, -1, std::to_string(l), 0));
            out_ += "  }\n";
            draw_ways(roots_.back());
        }
        draw_one_shots();
        for (std::size_t l = 0; l < document_.layers.size(); ++l) { draw_leads(roots_[l]); }
        for (const ForbidDefinition& forbid : document_.forbid) { draw_forbid(forbid); }
        return out_ + "}\n";
    }

private:
    struct Machine {
        const MachineDefinition* definition = nullptr;
        detail::Arguments arguments;
        int around = -1;
        std::string path;
        std::map<std::string, int> inner; ///< the machines that its states hold
    };
    /// The end of an arrow: a node, and the box that it stands for.
    struct End {
        std::string node, box;
    };

    static std::string id(const std::string& path, const std::string& state) { return path + "/" + state; }

    int draw_machine(const MachineDefinition& definition, const detail::Arguments& arguments, int around,
                     const std::string& path, int depth) {
        const int index = int(machines_.size());
        machines_.push_back({&definition, arguments, around, path, {}});
        if (depth >= 8) { return index; }
        for (const StateDefinition& state : definition.states) { draw_state(state, index, depth); }
        if (!definition.start.empty()) {
            out_ += fmt::format("    \"{}/start\" [shape=circle, label=\"\", width=0.17, fixedsize=true, "
                                "fillcolor=\"#31577a\"];\n",
                                graph_text(path));
        }
        if (!definition.always.empty()) {
            out_ += fmt::format("    \"{}/always\" [shape=plaintext, style=\"\", label=\"always, from\\nwhichever is "
                                "active\", fontsize=11];\n",
                                graph_text(path));
        }
        return index;
    }

    void draw_state(const StateDefinition& state, int machine, int depth) {
        const detail::Arguments arguments = machines_[std::size_t(machine)].arguments;
        const std::string name = state.name.value, own = id(machines_[std::size_t(machine)].path, name);
        if (!state.junction.empty()) {
            out_ += fmt::format("    \"{}\" [shape=diamond, style=filled, label=\"{}\", fontsize=11, "
                                "margin=\"0.02,0.02\"];\n",
                                graph_text(own), graph_text(name));
            return;
        }
        detail::Arguments inner_arguments = arguments;
        const MachineDefinition* inner = state.machine ? &*state.machine : nullptr;
        std::string title = graph_text(name);
        if (!state.machine_name.empty()) {
            const Text text = detail::substituted(state.machine_name, arguments);
            if (const auto call = detail::split_call(text)) {
                for (const NamedMachine& named : document_.machines) {
                    if (named.name.value != call->name.value) { continue; }
                    inner = &named.machine;
                    inner_arguments.clear();
                    for (std::size_t i = 0; i < std::min(named.arguments.size(), call->arguments.size()); ++i) {
                        inner_arguments[named.arguments[i].value] = call->arguments[i];
                    }
                }
            }
            title += ": " + graph_text(text.value);
        }
        if (inner == nullptr) {
            out_ += fmt::format("    \"{}\" [label=\"{}\\n({}{})\"];\n", graph_text(own), title,
                                describe(state.play, arguments),
                                state.whole_body   ? "\\nthe whole body"
                                : state.game_moves ? "\\nthe game moves"
                                                   : "");
            return;
        }
        if (state.resume) { title += " (resumes)"; }
        if (inner->from_here) { title += " (from where the body is)"; }
        out_ += fmt::format("    subgraph \"cluster_{}\" {{\n    label=\"{}\"; color=\"#31577a\"; style=rounded; "
                            "fontsize=14.5;\n",
                            graph_text(own), title);
        const int drawn = draw_machine(*inner, inner_arguments, machine, own, depth + 1);
        machines_[std::size_t(machine)].inner[name] = drawn;
        out_ += "    }\n";
    }

    void arrow(const End& from, const End& to, const std::string& label, const std::string& more) {
        out_ += fmt::format("    \"{}\" -> \"{}\" [label=\"{}\"{}{}{}];\n", graph_text(from.node), graph_text(to.node),
                            label, from.box.empty() ? "" : fmt::format(", ltail=\"cluster_{}\"", graph_text(from.box)),
                            to.box.empty() ? "" : fmt::format(", lhead=\"cluster_{}\"", graph_text(to.box)), more);
    }

    void draw_ways(int index) {
        const Machine machine = machines_[std::size_t(index)];
        const MachineDefinition& definition = *machine.definition;
        if (!definition.start.empty()) {
            arrow({machine.path + "/start", ""}, end_at(index, definition.start.value), "start", "");
        }
        for (const TransitionDefinition& always : definition.always) {
            arrow({machine.path + "/always", ""}, end_at(index, always.to.value), describe(always, machine.arguments),
                  ", style=dashed");
        }
        for (const StateDefinition& state : definition.states) {
            const End from = end_at(index, state.name.value);
            for (const TransitionDefinition& transition : state.go) {
                arrow(from, end_at(index, transition.to.value), describe(transition, machine.arguments), "");
            }
            for (const BranchDefinition& branch : state.junction) {
                std::string label = branch.when.empty()
                                        ? "else"
                                        : graph_text(detail::words_substituted(branch.when.value, machine.arguments));
                if (branch.fade) { label += fmt::format("\\n{:g} s", branch.fade->value); }
                arrow(from, end_at(index, branch.to.value), label, "");
            }
        }
        for (const auto& [name, inner] : machine.inner) { draw_ways(inner); }
    }

    void draw_one_shots() {
        if (document_.one_shots.empty()) { return; }
        out_ += "  subgraph cluster_once { label=\"one-shots\"; color=\"#bbbbbb\"; style=rounded;\n";
        for (const OneShotDefinition& shot : document_.one_shots) {
            const char* again = shot.again == OneShotAgain::restart ? "restarts"
                                : shot.again == OneShotAgain::queue ? "queues one"
                                                                    : "ignores a second call";
            out_ +=
                fmt::format("    \"once/{0}\" [label=\"{0}\\n({1}{2})\\n{3}\", shape=box, fillcolor=\"#f7f1e4\"];\n",
                            graph_text(shot.name.value), describe(shot.play, {}),
                            shot.mask.empty() ? "" : " on " + graph_text(shot.mask.value), again);
        }
        out_ += "  }\n";
    }

    /// The machine of a layer by its name; -1 for none.
    [[nodiscard]] int root_of(const std::string& layer) const {
        for (std::size_t l = 0; l < document_.layers.size(); ++l) {
            if (document_.layers[l].name.value == layer) { return roots_[l]; }
        }
        return -1;
    }

    void draw_leads(int index) {
        const Machine machine = machines_[std::size_t(index)];
        for (const StateDefinition& state : machine.definition->states) {
            for (const LeadDefinition& lead : state.leads) {
                const int root = root_of(lead.layer.value);
                if (root < 0) { continue; }
                const std::string when =
                    lead.when.empty()
                        ? ""
                        : "\\n" + graph_text(detail::words_substituted(lead.when.value, machine.arguments));
                arrow(end_at(index, state.name.value), end_at(root, lead.to.value), "leads" + when,
                      ", color=\"#b35900\", fontcolor=\"#b35900\", style=bold, constraint=false");
            }
        }
        for (const auto& [name, inner] : machine.inner) { draw_leads(inner); }
    }

    /// The end for `arms.lighting`, or for a whole layer.
    std::optional<End> end_in_layer(const std::string& name) {
        const std::size_t dot = name.find('.');
        const int root = root_of(name.substr(0, dot));
        if (root < 0) { return std::nullopt; }
        if (dot != std::string::npos) { return end_at(root, name.substr(dot + 1)); }
        const Machine& machine = machines_[std::size_t(root)];
        return End{end_at(root, machine.definition->start.value).node, machine.path};
    }

    void draw_forbid(const ForbidDefinition& forbid) {
        const auto from = end_in_layer(forbid.yields.value), to = end_in_layer(forbid.while_active.value);
        if (!from || !to) { return; }
        std::string label = "not while" + (forbid.when.empty() ? "" : "\\n" + graph_text(forbid.when.value));
        for (const Text& except : forbid.except) { label += "\\nbut " + graph_text(except.value); }
        // Of an arrow out of a box only what lies outside it is drawn, so that its middle is no place for words.
        const bool from_box = !from->box.empty();
        arrow(*from, *to, from_box ? "" : label,
              fmt::format(", color=\"#b3003c\", fontcolor=\"#b3003c\", style=dotted, arrowhead=tee, constraint=false{}",
                          from_box ? fmt::format(", headlabel=\"{}\", labeldistance=3.2", label) : ""));
    }

    /// Where an arrow to `name` ends, looked for in a machine and those around it.
    End end_at(int machine, const std::string& name) {
        const std::string first = name.substr(0, name.find('.'));
        for (int m = machine; m >= 0; m = machines_[std::size_t(m)].around) {
            const Machine& in = machines_[std::size_t(m)];
            const bool here = std::any_of(in.definition->states.begin(), in.definition->states.end(),
                                          [&](const StateDefinition& s) { return s.name.value == first; });
            if (!here) { continue; }
            const auto inner = in.inner.find(first);
            if (inner == in.inner.end()) { return {id(in.path, first), ""}; }
            if (name.size() > first.size()) { return end_at(inner->second, name.substr(first.size() + 1)); }
            // A box has no node of its own: the arrow ends at its edge, on the way to what it starts.
            End end = end_at(inner->second, machines_[std::size_t(inner->second)].definition->start.value);
            end.box = id(in.path, first);
            return end;
        }
        return {name, ""};
    }

    const Document& document_;
    std::vector<Machine> machines_;
    std::vector<int> roots_; ///< the machine of each layer
    std::string out_;
};

int run_sketch(const SketchOptions& options) {
    const Loaded loaded = load(options.document);
    report(loaded.diagnostics);
    if (!loaded.character) { return exit_code(loaded.diagnostics); }
    if (overwrites({{"--out", options.out}}, loaded.files)) { return bad_input; }
    std::string dot = StateDiagram(loaded.document).text();
    if (options.out.empty()) {
        print(dot);
        return done;
    }
    const std::string form = options.out.substr(options.out.rfind('.') + 1);
    const auto problem = form == "dot"
                             ? detail::write_file(options.out, dot)
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
        ->check(file_as("a sketch is drawn", {"svg", "png", "dot"}))
        ->type_name("FILE.svg|png|dot");
    command->footer("Example:\n  gait sketch demo/crossing.gait.yaml -o crossing.svg");
    command->callback([options, &run] { run = [options] { return run_sketch(*options); }; });
}

} // namespace gait::tool
