#include "files/read_machines.hpp"

#include "files/read_motions.hpp"
#include "files/yaml_values.hpp"
#include "gait/eases.hpp"

#include <fmt/core.h>

#include <charconv>

namespace gait::detail {
namespace {

class MachineReader {
public:
    explicit MachineReader(DiagnosticSink& sink) : sink_(sink) {}

    MachineDefinition read_machine(const YamlNode& node, int depth) {
        MachineDefinition machine;
        machine.place = node.place;
        constexpr int deepest = 64; // far beyond what compiles, and no stack's end
        if (depth > deepest) {
            sink_.error(node.place, "too-deep", "machines nest too deeply here");
            return machine;
        }
        const YamlMap map(node, "a machine", {"start", "from_here", "always", "states"}, sink_);
        const YamlNode* start = map.find("start");
        const YamlNode* named = map.find("states");
        if (start != nullptr && start->kind == YamlNode::Kind::null && named != nullptr && named->is_map() &&
            !named->entries.empty()) {
            const std::string& first = named->entries.front().key.scalar;
            sink_.error(start->place, "missing-start", fmt::format("'start' names no state; write 'start: {}'", first));
            machine.start = Text(first, start->place);
        } else {
            machine.start = map.text("start");
        }
        machine.from_here = map.flag("from_here").value_or(false);
        if (const YamlNode* always = map.find("always")) {
            for (const YamlNode* item : list_items(*always, "'always'", sink_)) {
                machine.always.push_back(read_transition(*item, true));
            }
        }
        if (const YamlNode* states = map.find("states")) {
            for (const auto& [name, value] : named_entries(*states, "states", sink_)) {
                machine.states.push_back(read_state(name, *value, depth));
            }
        }
        return machine;
    }

private:
    StateDefinition read_state(const Text& name, const YamlNode& node, int depth) {
        StateDefinition state;
        state.name = name;
        const YamlMap map(node, fmt::format("state '{}'", name.value),
                          {"play", "machine", "junction", "resume", "moved_by", "inputs", "travel", "whole_body",
                           "leads", "values", "go"},
                          sink_);
        state.takes_travel = map.flag("travel").value_or(false);
        state.whole_body = map.flag("whole_body").value_or(false);
        if (const YamlNode* leads = map.find("leads")) {
            for (const YamlNode* item : list_items(*leads, "'leads'", sink_)) {
                LeadDefinition lead;
                lead.place = item->place;
                const YamlMap lead_map(*item, "a lead", {"layer", "to", "when", "fade"}, sink_);
                lead.layer = lead_map.text("layer");
                lead.to = lead_map.text("to");
                lead.when = lead_map.text("when");
                if (const auto seconds = lead_map.number("fade", "seconds")) { lead.fade = *seconds; }
                if (lead_map.is_map() && (lead.layer.empty() || lead.to.empty())) {
                    sink_.error(item->place, "missing-key",
                                "a lead sends another layer to a state; write {layer: legs, to: still}");
                }
                state.leads.push_back(std::move(lead));
            }
        }
        read_word(map, "moved_by", "mover", {{"clip", false}, {"game", true}}, state.game_moves, sink_);
        read_word(map, "inputs", "inputs", {{"kept", false}, {"live", true}}, state.live_inputs, sink_);
        const YamlNode *play = map.find("play"), *machine = map.find("machine"), *junction = map.find("junction");
        if (int(play != nullptr) + int(machine != nullptr) + int(junction != nullptr) > 1) {
            sink_.error(
                node.place, "wrong-shape",
                fmt::format("state '{}' is one thing: write 'play', 'machine' or 'junction', not several", name.value));
        }
        if (play != nullptr) { state.play = read_motion(*play, sink_); }
        if (machine != nullptr && machine->is_scalar()) {
            state.machine_name = to_text(*machine, "'machine'", sink_);
        } else if (machine != nullptr) {
            state.machine = read_machine(*machine, depth + 1);
        }
        state.resume = map.flag("resume").value_or(false);
        if (state.resume && machine == nullptr) {
            sink_.error(map.find("resume")->place, "wrong-shape",
                        "'resume' goes on where a machine was left, and this state has none; remove it");
        }
        if (junction != nullptr) { read_junction(*junction, map, state); }
        if (const YamlNode* values = map.find("values")) {
            for (const auto& [value_name, value] : named_entries(*values, "values of a state", sink_)) {
                state.values.emplace_back(value_name, to_text(*value, "a value", sink_));
            }
        }
        if (const YamlNode* go = map.find("go")) {
            for (const YamlNode* item : list_items(*go, "'go'", sink_)) {
                state.go.push_back(read_transition(*item, false));
            }
        }
        return state;
    }

    void read_junction(const YamlNode& node, const YamlMap& state_map, StateDefinition& state) {
        for (const char* key : {"go", "values", "moved_by", "inputs", "leads", "whole_body", "travel"}) {
            if (const YamlNode* extra = state_map.find(key)) {
                sink_.error(extra->place, "wrong-shape",
                            fmt::format("a junction is passed at once and has no '{}'; remove it", key));
            }
        }
        for (const YamlNode* item : list_items(node, "'junction'", sink_)) {
            BranchDefinition branch;
            branch.place = item->place;
            const YamlMap map(*item, "a branch", {"to", "when", "fade"}, sink_);
            branch.to = map.text("to");
            if (map.is_map() && map.find("to") == nullptr) {
                sink_.error(item->place, "missing-key", "this branch leads nowhere; add 'to: STATE'");
            }
            branch.when = map.text("when");
            branch.fade = map.number("fade", "seconds");
            state.junction.push_back(std::move(branch));
        }
        if (state.junction.empty()) {
            sink_.error(node.place, "missing-key", "a junction needs branches, such as [{to: A, when: wet}, {to: B}]");
        }
    }

    TransitionDefinition read_transition(const YamlNode& node, bool always) {
        TransitionDefinition transition;
        transition.place = node.place;
        std::vector<std::string> keys{"to",   "when", "signal", "at",       "inside", "after",
                                      "fade", "ease", "style",  "enter_at", "settle"};
        if (always) { keys.insert(keys.end(), {"except", "again"}); }
        const YamlMap map(node, always ? "a transition of 'always'" : "a transition", std::move(keys), sink_);
        transition.to = map.text("to");
        if (map.is_map() && map.find("to") == nullptr) {
            sink_.error(node.place, "missing-key", "this transition leads nowhere; add 'to: STATE'");
        }
        transition.when = map.text("when");
        transition.signal = map.text("signal");
        transition.inside = map.text("inside");
        if (const Text at = map.text("at"); at.value == "end") {
            transition.at_end = true;
        } else {
            transition.at_mark = at;
        }
        if (const YamlNode* after = map.find("after")) { transition.after = read_one_or_two(*after, "seconds", sink_); }
        if (const YamlNode* except = map.find("except")) {
            transition.except = read_names(*except, "'except'", "a state's name", sink_);
        }
        transition.again = map.flag("again").value_or(false);
        if (const YamlNode* fade = map.find("fade")) {
            const Text text = to_text(*fade, "'fade'", sink_);
            double seconds = 0;
            const auto [end, problem] =
                std::from_chars(text.value.data(), text.value.data() + text.value.size(), seconds);
            if (problem == std::errc{} && end == text.value.data() + text.value.size()) {
                transition.fade = Number(seconds, fade->place);
            } else {
                transition.fade.place = fade->place;
                transition.fade_by = text;
            }
        }
        read_look(map, transition);
        return transition;
    }

    void read_look(const YamlMap& map, TransitionDefinition& transition) {
        read_word(map, "ease", "ease", eases, &EaseInfo::ease, transition.ease, sink_);
        read_word(map, "style", "style", fade_styles, &FadeStyleInfo::style, transition.style, sink_);
        transition.enter_at = map.text("enter_at");
        transition.settle = map.flag("settle").value_or(false);
    }

    DiagnosticSink& sink_;
};

} // namespace

MachineDefinition read_machine(const YamlNode& node, DiagnosticSink& sink) {
    return MachineReader(sink).read_machine(node, 0);
}

} // namespace gait::detail
