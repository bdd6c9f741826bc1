#include "gait/inspect.hpp"

#include "check/machine_checks.hpp"
#include "check/space_checks.hpp"
#include "clip/measure_poses.hpp"
#include "compile/call.hpp"
#include "compile/prepared_clip.hpp"
#include "diagnostics/sink.hpp"
#include "gait/measure.hpp"
#include "rig/body_parts.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace gait {
using namespace detail;
namespace {

/// Differences in speed below both of these are not worth a word.
constexpr double least_speed_off = 0.12, least_part_off = 0.08; // metres a second; of the clip's own speed

struct Inspected {
    const ClipDefinition* definition = nullptr;
    ClipMeasure measure;
    LoopClosing closing;
    double speed = 0; ///< metres a second, as it is played
    bool travels = false, loops = false, close = false;
    bool drifts = false;   ///< it carries the body away in its pose
    double drift = 0;      ///< metres
    std::size_t steps = 0; ///< of the left foot, a cycle
};

class Inspector {
public:
    Inspector(const Document& document, const Assets& assets)
        : document_(document), assets_(assets), sink_(document.files()) {}

    Diagnostics run(const Character* character, const std::vector<CueSheet>& sheets) {
        if (character != nullptr) { check_machine(document_, *character, sheets, sink_); }
        if (!assets_.rig || assets_.rig->joints.empty()) { return sink_.take(); }
        for (const LayerDefinition& layer : document_.layers) { inspect_machine(layer.machine, 0); }
        for (const NamedMachine& named : document_.machines) { inspect_machine(named.machine, 1); }
        if (character != nullptr) {
            constexpr double least_speed = 0.2; // metres a second; slower is a shuffle on the spot
            check_spaces(
                *character,
                [&](const std::string& name) {
                    const Inspected* clip = find(name);
                    return clip != nullptr && clip->steps > 0 && clip->speed > least_speed;
                },
                sink_);
        }
        const StateDefinition nowhere;
        for (const NamedMotion& named : document_.motions) { inspect_motion(named.play, nowhere); }
        return sink_.take();
    }

private:
    /// Measures a clip once, and says what is wrong with it by itself. `looped`: where it is played so, whatever it
    /// says.
    const Inspected* find(const std::string& name, bool looped = false) {
        const auto known = clips_.find({name, looped});
        if (known != clips_.end()) { return &known->second; }
        const auto definition = std::find_if(document_.clips.begin(), document_.clips.end(),
                                             [&](const ClipDefinition& c) { return c.name.value == name; });
        const auto source = assets_.clips.find(name);
        if (definition == document_.clips.end() || source == assets_.clips.end()) { return nullptr; }
        Inspected clip;
        clip.definition = &*definition;
        if (looped && definition->loop) { return find(name); }
        ClipDefinition settings = *definition;
        settings.loop = settings.loop || looped;
        DiagnosticSink unheard(document_.files()); // `compile` has said it
        const PreparedClip prepared = prepare_clip(source->second, *assets_.rig, settings,
                                                   mirror_pairs(document_, *assets_.rig, unheard), unheard);
        clip.measure = measure_poses(prepared.poses.poses(), *assets_.rig);
        clip.closing = prepared.closing;
        clip.loops = settings.loop;
        clip.close = settings.close;
        clip.travels = prepared.travel.travels;
        clip.speed = clip.measure.speed;
        if (clip.loops && !clip.travels) {
            // As it is cut, before its end was brought to its start.
            settings.close = false;
            const PreparedClip open = prepare_clip(source->second, *assets_.rig, settings,
                                                   mirror_pairs(document_, *assets_.rig, unheard), unheard);
            const ClipMeasure own = measure_poses(open.poses.poses(), *assets_.rig);
            clip.drift = std::hypot(own.way.x, own.way.z);
            clip.drifts = own.travels;
        }
        if (clip.travels && prepared.poses.seconds() > 0) {
            const BodyStep way = exponential(travel_between(prepared.travel, 0, 1));
            clip.speed = std::hypot(way.x, way.z) / prepared.poses.seconds();
        }
        if (!clip.measure.feet.empty() && clip.measure.feet[0].down < 0.999) {
            clip.steps = clip.measure.feet[0].contacts.size();
        }
        inspect_clip(clip);
        return &(clips_[{name, looped}] = std::move(clip));
    }

    void inspect_clip(const Inspected& clip) {
        const ClipDefinition& definition = *clip.definition;
        const std::string& name = definition.name.value;
        if (!clip.loops) { return; }
        const std::string path = "clips." + name;
        const LoopClosing& closing = clip.closing;
        if (closing.added > 0) {
            sink_.add(
                Severity::note, definition.name.place, "closing-frame",
                fmt::format("clip '{}' lacks its closing frame: its first pose comes {:.3f} s after its last one, "
                            "which was added",
                            name, closing.added),
                path);
        }
        // What is spread bends the whole clip: a little is nobody's business, much is no loop.
        constexpr double most_degrees = 25, most_millimetres = 100;
        const bool is_much = closing.gap.degrees > most_degrees || closing.gap.millimetres > most_millimetres;
        if (!clip.close ? closing.gap.meets() : !is_much) { return; }
        const std::string off = closing.gap.degrees > 0.5
                                    ? fmt::format("'{}' ends {:.1f} degrees off where it starts",
                                                  closing.gap.turned_joint, closing.gap.degrees)
                                    : fmt::format("'{}' ends {:.0f} mm off where it starts", closing.gap.moved_joint,
                                                  closing.gap.millimetres);
        if (!clip.close) {
            sink_.warn(definition.name.place, "open-loop",
                       fmt::format("clip '{}' loops, but {}, which shows each time round; remove 'close: no', or cut "
                                   "it where it meets itself",
                                   name, off),
                       path);
        } else if (!clip.travels && clip.drifts) {
            sink_.warn(definition.name.place, "drifting-clip",
                       fmt::format("clip '{}' carries the body {:.2f} m away, which was taken out so that it does not "
                                   "jump back each time round; add 'travel: {}' to give that way to the game",
                                   name, clip.drift, hips_name()),
                       path);
        } else {
            sink_.warn(definition.name.place, "wide-loop",
                       fmt::format("clip '{}' loops, but {}; that was spread over the whole loop and bends it: cut it "
                                   "where it meets itself, or play it once",
                                   name, off),
                       path);
        }
    }

    [[nodiscard]] std::string hips_name() const {
        const int hips = body_parts(*assets_.rig).hips;
        return hips < 0 ? "hips" : assets_.rig->joints[std::size_t(hips)].name;
    }

    void inspect_machine(const MachineDefinition& machine, int depth) {
        for (const StateDefinition& state : machine.states) {
            // The last state of a machine that is inside another ends that.
            if (depth == 0 || !state.go.empty()) { inspect_end(state); }
            inspect_motion(state.play, state);
            if (state.machine) { inspect_machine(*state.machine, depth + 1); }
            // What is handed in to something written once is played there.
            inspect_arguments(state.machine_name);
        }
    }

    void inspect_arguments(const Text& text) {
        const auto call = split_call(text);
        if (!call) { return; }
        for (const Text& argument : call->arguments) {
            (void)find(argument.value);
            inspect_arguments(argument);
        }
    }

    /// A clip that is played once, in a state that nothing leaves as it ends.
    void inspect_end(const StateDefinition& state) {
        if (state.play.clip.empty()) { return; }
        const Inspected* clip = find(state.play.clip.value);
        if (clip == nullptr || state.play.loop.value_or(clip->definition->loop)) { return; }
        const bool ends = std::any_of(state.go.begin(), state.go.end(), [](const TransitionDefinition& t) {
            return t.at_end || t.waits_for_end_alone() || t.after || !t.at_mark.empty() ||
                   t.when.value.find("state.") != std::string::npos;
        });
        // A single pose is held on purpose.
        const auto source = assets_.clips.find(state.play.clip.value);
        const bool moves = source != assets_.clips.end() && source->second.seconds > 0.2;
        if (ends || !moves) { return; }
        const std::string& name = clip->definition->name.value;
        sink_.warn(
            state.play.clip.place, "stuck-at-end",
            clip->measure.loops && !clip->measure.travels
                ? fmt::format(
                      "clip '{}' is played once and then stands still in '{}'; its end meets its start: add 'loop: "
                      "yes' to the clip, or a transition with 'at: end'",
                      name, state.name.value)
                : fmt::format(
                      "clip '{}' is played once and then stands still in '{}', which nothing leaves as it ends; "
                      "add a transition with 'at: end'",
                      name, state.name.value),
            "states." + state.name.value);
    }

    void inspect_motion(const MotionDefinition& motion, const StateDefinition& state) {
        if (!motion.clip.empty()) {
            const Inspected* clip = find(motion.clip.value, motion.loop.value_or(false));
            const bool held = motion.rate.value == "0"; // which goes nowhere
            if (clip != nullptr && clip->travels && state.game_moves && !held) {
                sink_.warn(motion.clip.place, "unused-travel",
                           fmt::format(
                               "clip '{}' travels at {:.2f} m/s, and state '{}' leaves moving to the game: unless that "
                               "moves as fast, the feet slide; remove 'moved_by: game', or set the speed to match",
                               clip->definition->name.value, clip->speed, state.name.value),
                           "states." + state.name.value);
            }
            inspect_arguments(motion.clip);
            return;
        }
        if (motion.blend) { inspect_blend(motion, state); }
        if (motion.pick) {
            for (const PickEntry& entry : motion.pick->of) { inspect_motion(entry.play, state); }
            if (motion.pick->between) { inspect_motion(*motion.pick->between, state); }
        }
        if (motion.mix) {
            for (const MixEntryDefinition& entry : motion.mix->of) { inspect_motion(entry.play, state); }
        }
        if (motion.add) { inspect_motion(motion.add->to, state); }
        if (motion.choose) {
            for (const ChooseEntry& entry : motion.choose->of) { inspect_motion(entry.play, state); }
        }
    }

    void inspect_blend(const MotionDefinition& motion, const StateDefinition& state) {
        const BlendDefinition& blend = *motion.blend;
        const auto parameter =
            std::find_if(document_.parameters.begin(), document_.parameters.end(),
                         [&](const ParameterDefinition& p) { return p.name.value == blend.parameter.value; });
        const bool by_speed = parameter != document_.parameters.end() && parameter->unit == "m/s";
        const Inspected* stepping = nullptr;
        for (const PointDefinition& point : blend.points) {
            inspect_motion(point.play, state);
            if (point.play.clip.empty()) { continue; }
            const Inspected* clip = find(point.play.clip.value);
            if (clip == nullptr) { continue; }
            const std::string& name = clip->definition->name.value;
            const double at = point.at.size() == 1 ? point.at.front().value : clip->speed;
            const double off = std::abs(std::abs(at) - clip->speed);
            if (by_speed && off > least_speed_off && off > least_part_off * clip->speed) {
                sink_.warn(
                    point.at.front().place, "off-speed",
                    fmt::format(
                        "'{}' goes at {:.2f} m/s and stands at {} on '{}', so its feet slide there; write {:.2f}", name,
                        clip->speed, at, blend.parameter.value, clip->speed),
                    "states." + state.name.value);
            }
            if (clip->steps == 0) { continue; }
            if (stepping != nullptr && stepping->steps != clip->steps && motion.sync == SyncMode::cycle) {
                sink_.warn(
                    point.play.clip.place, "unlike-steps",
                    fmt::format(
                        "'{}' takes {} step{} of each foot a cycle and '{}' {}, so they cannot keep step; cut one to "
                        "as many as the other",
                        stepping->definition->name.value, stepping->steps, stepping->steps == 1 ? "" : "s", name,
                        clip->steps),
                    "states." + state.name.value);
            }
            stepping = stepping == nullptr ? clip : stepping;
        }
    }

    const Document& document_;
    const Assets& assets_;
    DiagnosticSink sink_;
    std::map<std::pair<std::string, bool>, Inspected> clips_; ///< by name, and whether it is looped where it is played
};

} // namespace

Diagnostics inspect(const Document& document, const Assets& assets, const Character* character,
                    const std::vector<CueSheet>& sheets) {
    return Inspector(document, assets).run(character, sheets);
}

} // namespace gait
