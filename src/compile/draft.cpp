#include "compile/call.hpp"
#include "diagnostics/sink.hpp"
#include "gait/compile.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <set>

namespace gait {
using namespace detail;
namespace {

constexpr double rest_seconds = 1; ///< how long a rest pose that stands in for a clip lasts, where its end matters

class GapFiller {
public:
    GapFiller(Document& document, Assets& assets) : document_(document), assets_(assets), sink_(document.files()) {}

    Diagnostics run() {
        for (const ClipDefinition& clip : document_.clips) {
            if (!assets_.clips.contains(clip.name.value)) {
                add_rest(clip.name.value);
                sink_.warn(clip.name.place, "draft-clip",
                           fmt::format("clip '{}' is missing; the rest pose stands in for it", clip.name.value),
                           "clips." + clip.name.value);
            }
        }
        for (const NamedMotion& motion : document_.motions) { motions_.insert(motion.name.value); }
        // By index: stand-ins may be added while they are walked.
        for (std::size_t m = 0; m < document_.motions.size(); ++m) {
            arguments_ = document_.motions[m].arguments;
            fill_motion(document_.motions[m].play, false);
        }
        for (NamedMachine& named : document_.machines) {
            arguments_ = named.arguments;
            fill_machine(named.machine);
        }
        arguments_.clear();
        for (LayerDefinition& layer : document_.layers) { fill_machine(layer.machine); }
        for (OneShotDefinition& shot : document_.one_shots) { fill_motion(shot.play, shot.until.empty()); }
        return sink_.take();
    }

private:
    void add_rest(const std::string& name) {
        ClipSource rest;
        rest.name = name;
        rest.seconds = rest_seconds;
        if (assets_.rig) {
            for (const Joint& joint : assets_.rig->joints) { rest.joints.push_back(joint.name); }
        }
        rest.tracks.resize(rest.joints.size());
        assets_.clips.insert_or_assign(name, rest);
    }

    void fill_machine(MachineDefinition& machine) {
        for (StateDefinition& state : machine.states) {
            if (!state.junction.empty() || !state.machine_name.empty()) { continue; }
            if (state.machine) {
                fill_machine(*state.machine);
                continue;
            }
            if (state.play.empty()) {
                sink_.warn(state.name.place, "draft-motion",
                           fmt::format("state '{}' plays nothing yet; the rest pose stands in", state.name.value));
                state.play = MotionDefinition(Text("rest pose", state.name.place));
            }
            const bool waits_for_end = std::any_of(state.go.begin(), state.go.end(), [](const TransitionDefinition& t) {
                return t.at_end || t.when.empty();
            });
            fill_motion(state.play, waits_for_end);
        }
        const auto first = std::find_if(machine.states.begin(), machine.states.end(),
                                        [](const StateDefinition& s) { return s.junction.empty(); });
        if (machine.start.empty() && first != machine.states.end()) {
            machine.start = first->name;
            sink_.warn(machine.place, "draft-start",
                       fmt::format("no start is named yet; this draft starts in '{}'", machine.start.value));
        }
        machines_.push_back(&machine);
        // States may be added while they are walked.
        std::vector<Text> wanted{machine.start};
        for (const TransitionDefinition& t : machine.always) { wanted.push_back(t.to); }
        for (const StateDefinition& state : machine.states) {
            for (const TransitionDefinition& t : state.go) { wanted.push_back(t.to); }
            for (const BranchDefinition& branch : state.junction) { wanted.push_back(branch.to); }
        }
        for (const Text& name : wanted) {
            // What leads into a state's machine, or to a state around this one, is for `compile` to judge.
            if (name.empty() || name.value.find('.') != std::string::npos || is_known(name.value)) { continue; }
            sink_.warn(
                name.place, "draft-state",
                fmt::format(
                    "there is no state '{}' yet; this draft waits in one with the rest pose, and does not leave it",
                    name.value));
            StateDefinition waiting;
            waiting.name = name;
            waiting.play = MotionDefinition(Text("rest pose", name.place));
            fill_motion(waiting.play, false);
            machine.states.push_back(waiting);
        }
        machines_.pop_back();
    }

    [[nodiscard]] bool is_known(const std::string& name) const {
        return std::any_of(machines_.begin(), machines_.end(), [&](const MachineDefinition* machine) {
            return std::any_of(machine->states.begin(), machine->states.end(),
                               [&](const StateDefinition& s) { return s.name.value == name; });
        });
    }

    void fill_motion(MotionDefinition& motion, bool waits_for_end) {
        switch (motion.kind().value_or(MotionKind::clip)) {
        case MotionKind::clip:
            return fill_clip(motion, waits_for_end);
        case MotionKind::blend:
            for (PointDefinition& point : motion.blend->points) { fill_motion(point.play, false); }
            return;
        case MotionKind::mix:
            for (MixEntryDefinition& entry : motion.mix->of) { fill_motion(entry.play, waits_for_end); }
            return;
        case MotionKind::add:
            fill_motion(motion.add->what, false);
            fill_motion(motion.add->to, waits_for_end);
            return;
        case MotionKind::pick:
            for (PickEntry& entry : motion.pick->of) { fill_motion(entry.play, false); }
            if (motion.pick->between) { fill_motion(*motion.pick->between, false); }
            return;
        case MotionKind::choose:
            for (ChooseEntry& entry : motion.choose->of) { fill_motion(entry.play, waits_for_end); }
            return;
        case MotionKind::nothing:
            return;
        }
    }

    void fill_clip(MotionDefinition& motion, bool waits_for_end) {
        const auto call = split_call(motion.clip);
        if (!call) { return; } // `compile` says so
        for (const Text& argument : call->arguments) {
            MotionDefinition handed_in(argument);
            fill_clip(handed_in, false);
        }
        const std::string& name = call->name.value;
        const bool argument =
            std::any_of(arguments_.begin(), arguments_.end(), [&](const Text& a) { return a.value == name; });
        if (argument || motions_.contains(name)) { return; }
        const bool known = std::any_of(document_.clips.begin(), document_.clips.end(),
                                       [&](const ClipDefinition& c) { return c.name.value == name; });
        if (!known) {
            if (name != "rest pose") {
                sink_.warn(motion.clip.place, "draft-clip",
                           fmt::format("there is no clip '{}' yet; the rest pose stands in for it", name));
            }
            ClipDefinition& stand_in = document_.clips.emplace_back();
            stand_in.name = name;
            stand_in.loop = true;
            add_rest(name);
        }
        // A stand-in loops, unless somebody waits for its end.
        const auto source = assets_.clips.find(name);
        const bool stands_in = source != assets_.clips.end() && source->second.keys == 0;
        if (stands_in && waits_for_end) { motion.loop = false; }
    }

    Document& document_;
    Assets& assets_;
    DiagnosticSink sink_;
    std::set<std::string> motions_;                  ///< names of the document's motions
    std::vector<Text> arguments_;                    ///< of what is being filled
    std::vector<const MachineDefinition*> machines_; ///< from the outermost to the one being filled
};

} // namespace

Diagnostics fill_gaps(Document& document, Assets& assets) { return GapFiller(document, assets).run(); }

} // namespace gait
