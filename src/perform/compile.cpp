#include "gait/compile.hpp"

#include "check/sink.hpp"
#include "clip/prepared_clip.hpp"
#include "machine/expression_parser.hpp"
#include "math/pose_kernels.hpp"
#include "perform/character_data.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <set>

namespace gait {
namespace {

constexpr double default_blend_smoothing = 0.1; ///< seconds
constexpr double longest_fade = 60;             ///< seconds
constexpr double longest_after = 86'400;        ///< seconds
constexpr std::size_t most_entries = 60'000;    ///< of anything that a 16-bit index counts

bool is_identifier(const std::string& name) {
    const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_'; };
    return !name.empty() && letter(name[0]) &&
           std::all_of(name.begin(), name.end(), [&](char c) { return letter(c) || (c >= '0' && c <= '9'); });
}

const std::set<std::string>& reserved_words() {
    static const std::set<std::string> words{"and", "or", "not", "true", "false", "yes", "no", "state", "raw"};
    return words;
}

class Compiler {
public:
    Compiler(const Document& document, const Assets& assets)
        : document_(document), assets_(assets), sink_(document), data_(std::make_unique<CharacterData>()) {}

    Compiled run() {
        check_tolerance();
        compile_parameters();
        collect_clips();
        if (assets_.rig && rig_is_sound()) { prepare_clips(); }
        if (document_.layers.size() == 1) {
            compile_layer(document_.layers.front());
        } else if (document_.layers.empty()) {
            sink_.error({}, "missing-layer", "nothing is played yet; add a layer with a machine", "layers");
        } else {
            sink_.error(document_.layers[1].place, "too-many-layers",
                        "this version plays one layer; join its machine with the first or remove it", "layers");
        }
        if (!assets_.rig && document_.rig.empty()) {
            if (document_.source.empty()) {
                sink_.error(document_.rig.place, "missing-rig", "there is no rig; give one in the assets", "rig");
            }
        }
        check_sizes();
        Compiled result;
        const bool complete = assets_.rig && std::all_of(clip_names_.begin(), clip_names_.end(), [&](const auto& name) {
                                  return assets_.clips.contains(name);
                              });
        if (!has_errors(sink_.list()) && complete) { result.character = finish(); }
        result.diagnostics = sink_.take();
        return result;
    }

private:
    void check_tolerance() {
        if (!(document_.tolerance.value > 0) || document_.tolerance.value > 1000) {
            sink_.error(document_.tolerance.place, "wrong-range",
                        fmt::format("the tolerance is more than 0 millimetres and at most 1000; found {}",
                                    document_.tolerance.value),
                        "tolerance");
        }
    }

    void compile_parameters() {
        std::set<std::string> seen;
        for (const ParameterDefinition& definition : document_.parameters) {
            const std::string& name = definition.name.value;
            const std::string path = "parameters." + name;
            if (!is_identifier(name) || reserved_words().contains(name)) {
                sink_.error(
                    definition.name.place, "wrong-name",
                    reserved_words().contains(name)
                        ? fmt::format("'{}' is a word of the expressions; choose another name", name)
                        : fmt::format(
                              "'{}' cannot stand in a condition; use letters, digits and _, beginning with a letter",
                              name),
                    path);
            }
            if (!seen.insert(name).second) {
                sink_.error(definition.name.place, "doubled-name", fmt::format("two parameters are called '{}'", name),
                            path);
            }
            ParameterInfo info;
            info.name = name;
            info.kind = definition.kind;
            info.unit = definition.unit;
            info.note = definition.note;
            info.tune = definition.tune;
            info.low = -std::numeric_limits<float>::infinity();
            info.high = std::numeric_limits<float>::infinity();
            if (definition.kind == ParameterKind::flag) {
                info.low = 0;
                info.high = 1;
            } else if (definition.range) {
                info.low = float(definition.range->first);
                info.high = float(definition.range->second);
                if (!(info.low < info.high)) {
                    sink_.error(definition.name.place, "wrong-range", "the range is empty; write the lower value first",
                                path);
                    info.high = info.low;
                }
            }
            info.default_value = std::clamp(float(definition.default_value.value_or(0)), info.low, info.high);
            if (definition.smooth) {
                if (definition.smooth->value < 0 || definition.smooth->value > 10 ||
                    std::isnan(definition.smooth->value)) {
                    sink_.error(definition.smooth->place, "wrong-range",
                                fmt::format("'smooth' is 0 to 10 seconds; found {}", definition.smooth->value), path);
                } else {
                    info.smooth = float(definition.smooth->value);
                }
            }
            data_->parameters.push_back(info);
            scope_.parameters.push_back(
                {name, definition.kind == ParameterKind::flag ? ValueType::flag : ValueType::number});
        }
    }

    void collect_clips() {
        std::set<std::string> seen;
        for (const ClipDefinition& definition : document_.clips) {
            const std::string& name = definition.name.value;
            if (!seen.insert(name).second) {
                sink_.error(definition.name.place, "doubled-name", fmt::format("two clips are called '{}'", name),
                            "clips." + name);
                continue;
            }
            clip_names_.push_back(name);
            clip_of_[name] = std::uint16_t(clip_names_.size() - 1);
            clip_definitions_.push_back(&definition);
            if (!assets_.clips.contains(name) && !assets_.failed.contains(name)) {
                sink_.error(definition.name.place, "missing-clip",
                            fmt::format("clip '{}' is not among the assets", name), "clips." + name);
            }
        }
    }

    // ---- motions ----------------------------------------------------------------------------------------------------

    /// A motion that is being compiled.
    struct Building {
        std::vector<Leaf> leaves;
    };

    [[nodiscard]] double clip_seconds(std::uint16_t clip) const {
        return clip < prepared_.size() && prepared_[clip].source.seconds > 0 ? prepared_[clip].source.seconds : 0;
    }

    std::uint16_t add_leaf(Building& building, Leaf leaf) {
        // One clip in several places of a motion is one playhead with their weights added up.
        for (std::size_t l = 0; l < building.leaves.size(); ++l) {
            const Leaf& known = building.leaves[l];
            if (known.clip == leaf.clip && known.loops == leaf.loops && known.synced == leaf.synced) {
                return std::uint16_t(l);
            }
        }
        building.leaves.push_back(leaf);
        return std::uint16_t(building.leaves.size() - 1);
    }

    /// Returns the part's index.
    std::uint32_t compile_part(const MotionDefinition& definition, Building& building, bool synced, int depth,
                               const std::string& path) {
        MotionPart part;
        if (depth > deepest_motion) {
            sink_.error(definition.place, "too-deep", fmt::format("blend spaces nest deeper than {}", deepest_motion),
                        path);
        } else if (definition.blend) {
            return compile_blend(definition, building, synced, depth, path);
        } else if (definition.clip.empty()) {
            if (definition.place.line == 0) { sink_.error({}, "missing-key", "this motion plays nothing", path); }
        } else if (const auto found = clip_of_.find(definition.clip.value); found == clip_of_.end()) {
            sink_.unknown(definition.clip.place, "clip", definition.clip.value, clip_names_, path);
        } else {
            const bool loops = definition.loop.value_or(clip_definitions_[found->second]->loop);
            if (synced && !loops) {
                sink_.error(definition.clip.place, "wrong-sync",
                            fmt::format("clip '{}' does not loop, so it cannot share a cycle; add 'loop: yes' to the "
                                        "clip or 'sync: off' to the blend space",
                                        definition.clip.value),
                            path);
            }
            part.leaf = add_leaf(building, {found->second, loops, synced && loops});
        }
        data_->motions.parts.push_back(part);
        return std::uint32_t(data_->motions.parts.size() - 1);
    }

    std::uint32_t compile_blend(const MotionDefinition& definition, Building& building, bool synced, int depth,
                                const std::string& path) {
        const BlendDefinition& blend = *definition.blend;
        MotionPart part;
        part.is_leaf = false;
        const auto& parameters = data_->parameters;
        const auto found = std::find_if(parameters.begin(), parameters.end(),
                                        [&](const auto& p) { return p.name == blend.parameter.value; });
        if (found == parameters.end()) {
            std::vector<std::string> names;
            for (const auto& p : parameters) { names.push_back(p.name); }
            if (!blend.parameter.empty()) {
                sink_.unknown(blend.parameter.place, "parameter", blend.parameter.value, names, path);
            }
        } else if (found->kind != ParameterKind::number) {
            sink_.error(blend.parameter.place, "wrong-type",
                        fmt::format("'{}' is a flag and a blend space runs along a number", found->name), path);
        } else {
            part.parameter = std::uint16_t(found - parameters.begin());
            blend_parameters_.insert(part.parameter);
        }
        if (blend.points.empty()) {
            sink_.error(definition.place, "missing-key", "a blend space needs at least one point", path);
        }
        std::vector<BlendPoint> points;
        for (std::size_t i = 0; i < blend.points.size(); ++i) {
            const PointDefinition& point = blend.points[i];
            for (const BlendPoint& other : points) {
                if (other.at == float(point.at.value)) {
                    sink_.error(point.at.place, "doubled-point",
                                fmt::format("two points stand at {}; move one of them", point.at.value), path);
                }
            }
            points.push_back({float(point.at.value), compile_part(point.play, building, synced || blend.sync_cycle,
                                                                  depth + 1, fmt::format("{}.points[{}]", path, i))});
        }
        std::stable_sort(points.begin(), points.end(),
                         [](const BlendPoint& a, const BlendPoint& b) { return a.at < b.at; });
        part.first_point = std::uint32_t(data_->motions.points.size());
        part.point_count = std::uint32_t(points.size());
        data_->motions.points.insert(data_->motions.points.end(), points.begin(), points.end());
        data_->motions.parts.push_back(part);
        return std::uint32_t(data_->motions.parts.size() - 1);
    }

    std::uint16_t compile_motion(const MotionDefinition& definition, const std::string& path) {
        Building building;
        Motion motion;
        motion.root = compile_part(definition, building, false, 0, path);
        motion.first_leaf = std::uint32_t(data_->motions.leaves.size());
        motion.leaf_count = std::uint32_t(building.leaves.size());
        motion.synced =
            std::any_of(building.leaves.begin(), building.leaves.end(), [](const Leaf& l) { return l.synced; });
        most_leaves_ = std::max<std::size_t>(most_leaves_, building.leaves.size());
        for (Leaf& leaf : building.leaves) {
            const double seconds = clip_seconds(leaf.clip);
            leaf.rate = seconds > 0 ? 1 / seconds : 0;
        }
        auto& leaves = data_->motions.leaves;
        leaves.insert(leaves.end(), building.leaves.begin(), building.leaves.end());
        data_->motions.motions.push_back(motion);
        return std::uint16_t(data_->motions.motions.size() - 1);
    }

    // ---- the machine
    // --------------------------------------------------------------------------------------------------

    void compile_layer(const LayerDefinition& layer) {
        data_->layer_name = layer.name.value;
        const MachineDefinition& machine = layer.machine;
        const std::string path = fmt::format("layers.{}", layer.name.value);
        std::vector<std::string> names;
        for (const StateDefinition& state : machine.states) {
            if (std::find(names.begin(), names.end(), state.name.value) != names.end()) {
                sink_.error(state.name.place, "doubled-name",
                            fmt::format("two states are called '{}'", state.name.value), path);
            }
            names.push_back(state.name.value);
        }
        if (machine.states.empty()) {
            sink_.error(machine.place, "missing-key",
                        "this machine has no states; add 'states:' with a name and a 'play' each", path);
            return;
        }
        if (machine.start.empty()) {
            sink_.error(machine.place, "missing-start",
                        fmt::format("this machine does not say where it starts; add 'start: {}'", names.front()), path);
        } else if (const auto start = index_of(names, machine.start.value)) {
            data_->start = *start;
        } else {
            sink_.unknown(machine.start.place, "state", machine.start.value, names, path);
        }
        machine_ = &machine;
        check_always(machine, names, path);
        for (std::size_t s = 0; s < machine.states.size(); ++s) {
            compile_state(machine.states[s], std::uint16_t(s), names, path);
        }
    }

    static std::optional<std::uint16_t> index_of(const std::vector<std::string>& names, const std::string& name) {
        const auto found = std::find(names.begin(), names.end(), name);
        if (found == names.end()) { return std::nullopt; }
        return std::uint16_t(found - names.begin());
    }

    void compile_state(const StateDefinition& definition, std::uint16_t index, const std::vector<std::string>& names,
                       const std::string& machine_path) {
        const std::string path = fmt::format("{}.states.{}", machine_path, definition.name.value);
        CompiledState state;
        if (definition.play.empty()) {
            if (definition.play.place.line == 0) {
                sink_.error(definition.name.place, "missing-key",
                            fmt::format("state '{}' plays nothing; add 'play: CLIP'", definition.name.value), path);
            }
        }
        state.motion = compile_motion(definition.play.empty() ? MotionDefinition{} : definition.play, path + ".play");
        const Motion& motion = data_->motions.motions[state.motion];
        const auto leaves = data_->motions.leaves_of(motion);
        const bool loops = std::any_of(leaves.begin(), leaves.end(), [](const Leaf& l) { return l.loops; });
        state.game_moves = definition.game_moves;
        state.first_transition = std::uint16_t(data_->transitions.size());
        // What leaves from every state stands before each state's own: a frame walks one list.
        for (std::size_t t = 0; t < machine_->always.size(); ++t) {
            const TransitionDefinition& always = machine_->always[t];
            if (leaves_always(always, definition.name.value)) {
                add_always(always, index, names, fmt::format("{}.always[{}]", machine_path, t));
            }
        }
        for (std::size_t t = 0; t < definition.go.size(); ++t) {
            compile_transition(definition.go[t], index, loops, names, fmt::format("{}.go[{}]", path, t));
        }
        state.transition_count = std::uint16_t(data_->transitions.size() - state.first_transition);
        data_->states.push_back(state);
        data_->state_info.push_back({definition.name.value});
    }

    [[nodiscard]] static bool leaves_always(const TransitionDefinition& always, const std::string& state) {
        const bool excepted = std::any_of(always.except.begin(), always.except.end(),
                                          [&](const Text& name) { return name.value == state; });
        return !excepted && (always.again || always.to.value != state);
    }

    /// Compiles a transition of `always` once, and gives every state that it leaves a copy.
    void add_always(const TransitionDefinition& always, std::uint16_t from, const std::vector<std::string>& names,
                    const std::string& path) {
        const auto known = always_.find(&always);
        if (known != always_.end()) {
            data_->transitions.push_back(known->second.first);
            data_->transition_info.push_back(known->second.second);
            data_->transition_info.back().from = from;
            return;
        }
        compile_transition(always, from, false, names, path);
        always_[&always] = {data_->transitions.back(), data_->transition_info.back()};
    }

    /// What is wrong with `always` is said once, not once a state.
    void check_always(const MachineDefinition& machine, const std::vector<std::string>& names,
                      const std::string& path) {
        for (std::size_t t = 0; t < machine.always.size(); ++t) {
            const TransitionDefinition& always = machine.always[t];
            const std::string own = fmt::format("{}.always[{}]", path, t);
            for (const Text& name : always.except) {
                if (!index_of(names, name.value)) { sink_.unknown(name.place, "state", name.value, names, own); }
            }
            if (always.when.empty()) {
                sink_.error(
                    always.place, "missing-key",
                    "a transition of 'always' leaves from whichever state is active, so it needs a condition; add "
                    "'when: CONDITION'",
                    own);
            }
        }
    }

    void compile_transition(const TransitionDefinition& definition, std::uint16_t from, bool loops,
                            const std::vector<std::string>& names, const std::string& path) {
        CompiledTransition transition;
        if (const auto target = index_of(names, definition.to.value)) {
            transition.target = *target;
        } else if (!definition.to.empty()) {
            sink_.unknown(definition.to.place, "state", definition.to.value, names, path);
        } else if (definition.place.line == 0) {
            sink_.error({}, "missing-key", "this transition leads nowhere", path);
        }
        transition.at_end = definition.at_end || (definition.when.empty() && !definition.after);
        if (definition.after) {
            if (!(definition.after->value >= 0) || definition.after->value > longest_after) {
                sink_.error(definition.after->place, "wrong-range",
                            fmt::format("'after' is 0 to {} seconds; found {}", longest_after, definition.after->value),
                            path);
            } else {
                transition.after = definition.after->value;
            }
        }
        if (transition.at_end && loops) {
            sink_.error(definition.place, "never-ends",
                        "this transition waits for the motion's end, and the motion loops; add 'when: CONDITION', or "
                        "play the clip with 'loop: no'",
                        path);
        }
        if (!definition.when.empty()) { transition.when = compile_condition(definition.when, path + ".when"); }
        if (!(definition.fade.value >= 0) || definition.fade.value > longest_fade) {
            sink_.error(definition.fade.place, "wrong-range",
                        fmt::format("a fade lasts 0 to {} seconds; found {}", longest_fade, definition.fade.value),
                        path + ".fade");
        }
        transition.fade = definition.fade.value;
        transition.ease = definition.ease;
        data_->transitions.push_back(transition);
        std::string when = definition.when.value;
        if (definition.after) {
            when += fmt::format("{}after {:g} s", when.empty() ? "" : ", ", definition.after->value);
        }
        if (transition.at_end) { when += when.empty() ? "at end" : ", at end"; }
        data_->transition_info.push_back({from, transition.target, when, definition.fade.value, definition.ease});
    }

    CodeRange compile_condition(const Text& text, const std::string& path) {
        const ParsedExpression parsed = parse_expression(text.value, scope_, ValueType::flag);
        if (parsed.error) {
            const Place place =
                text.place.line == 0
                    ? Place{}
                    : Place{text.place.line, text.place.column + int(parsed.error->offset), text.place.file};
            sink_.error(place, parsed.error->code, parsed.error->message, path);
            return {};
        }
        const CodeRange range{std::uint32_t(data_->code.size()), std::uint32_t(parsed.code.size())};
        data_->code.insert(data_->code.end(), parsed.code.begin(), parsed.code.end());
        return range;
    }

    // ---- putting it together
    // ------------------------------------------------------------------------------------------

    void check_sizes() {
        const auto check = [&](std::size_t count, std::string_view what) {
            if (count > most_entries) {
                sink_.error({}, "too-many", fmt::format("{} {} and {} are possible", count, what, most_entries),
                            std::string(what));
            }
        };
        check(data_->states.size(), "states");
        check(data_->transitions.size(), "transitions");
        check(data_->parameters.size(), "parameters");
        check(clip_names_.size(), "clips");
        check(most_leaves_, "clips in one motion");
    }

    [[nodiscard]] bool rig_is_sound() {
        const auto& joints = assets_.rig->joints;
        if (joints.empty() || joints.size() > most_entries) {
            sink_.error({}, "wrong-rig", fmt::format("the rig has {} joints", joints.size()), "rig");
            return false;
        }
        for (std::size_t j = 0; j < joints.size(); ++j) {
            if (joints[j].parent >= int(j)) {
                sink_.error({}, "wrong-rig", fmt::format("joint '{}' stands before its parent", joints[j].name), "rig");
                return false;
            }
        }
        return true;
    }

    /// Cuts, mirrors and so on what the document names; needs the rig.
    void prepare_clips() {
        const auto pairs = mirror_pairs(document_, *assets_.rig, sink_);
        for (std::size_t c = 0; c < clip_names_.size(); ++c) {
            const auto source = assets_.clips.find(clip_names_[c]);
            prepared_.push_back(source == assets_.clips.end()
                                    ? PreparedClip{}
                                    : prepare_clip(source->second, *assets_.rig, *clip_definitions_[c], pairs, sink_));
        }
    }

    [[nodiscard]] SampledClip sampled(const PreparedClip& prepared, const ClipDefinition& definition) {
        constexpr double number_rate = 60; // samples a second
        SampledClip clip = sample_clip(prepared.source, data_->rig, definition.loop, document_.tolerance.value / 1000);
        clip.name = definition.name.value;
        clip.travel = prepared.travel;
        clip.marks = prepared.marks;
        clip.spans = prepared.spans;
        for (const NumberTrack& track : prepared.source.numbers) {
            auto& names = data_->number_tracks;
            const auto known = std::find(names.begin(), names.end(), track.name);
            NumberRow row;
            row.number = std::uint16_t(known - names.begin());
            if (known == names.end()) { names.push_back(track.name); }
            const auto intervals = std::max(1, int(std::ceil(clip.seconds * number_rate)));
            for (int i = 0; i <= intervals; ++i) {
                row.values.push_back(number_at(track, clip.seconds * i / intervals));
            }
            clip.numbers.push_back(std::move(row));
        }
        return clip;
    }

    std::shared_ptr<const Character> finish() {
        CharacterData& data = *data_;
        data.rig = *assets_.rig;
        for (const std::uint16_t p : blend_parameters_) {
            if (!document_.parameters[p].smooth) { data.parameters[p].smooth = float(default_blend_smoothing); }
        }
        for (std::size_t c = 0; c < prepared_.size(); ++c) {
            data.clips.push_back(sampled(prepared_[c], *clip_definitions_[c]));
        }
        align_signs(data.clips, data.rig.joints.size());
        data.travels =
            std::any_of(data.clips.begin(), data.clips.end(), [](const auto& c) { return c.travel.travels; });
        for (const SampledClip& clip : data.clips) {
            ClipInfo info{clip.name, clip.seconds, clip.loops, clip.intervals, clip.bytes(), clip.travel.travels, {}};
            if (info.travels) {
                const BodyStep way = exponential(travel_between(clip.travel, 0, 1));
                info.way = {way.x, way.y, way.z, -way.yaw * degrees_per_radian};
            }
            data.clip_info.push_back(info);
        }
        collect_rest_and_moved();
        data.layout = PerformerLayout::make(data.rig.joints.size(), data.parameters.size(),
                                            std::max<std::size_t>(most_leaves_, 1), data.moved.size(), data.scales);
        return std::make_shared<const Character>(std::move(data_));
    }

    void collect_rest_and_moved() {
        CharacterData& data = *data_;
        const std::size_t joints = data.rig.joints.size(), lanes = round_up(joints, lane_padding);
        std::set<std::pair<std::uint16_t, std::uint16_t>> moved;
        const auto mark = [&](const SparseRows& rows, int first_row) {
            for (const std::uint16_t joint : rows.joints) {
                for (int axis = 0; axis < 3; ++axis) { moved.insert({std::uint16_t(first_row + axis), joint}); }
            }
        };
        for (const SampledClip& clip : data.clips) {
            mark(clip.still_translations, 4);
            mark(clip.moving_translations, 4);
            mark(clip.still_scales, 7);
            mark(clip.moving_scales, 7);
            for (const StepTrack& steps : clip.steps) {
                if (steps.target == StepTrack::Target::rotation) { continue; }
                for (int axis = 0; axis < 3; ++axis) {
                    moved.insert(
                        {std::uint16_t((steps.target == StepTrack::Target::translation ? 4 : 7) + axis), steps.joint});
                }
            }
        }
        for (const auto& [row, joint] : moved) {
            data.moved.push_back({row, joint});
            data.scales = data.scales || row >= 7;
        }
        for (const Joint& joint : data.rig.joints) {
            data.scales = data.scales || length(joint.rest.scale - Vec3{1, 1, 1}) > 1e-6F;
        }
        std::vector<int> levels;
        for (const Joint& joint : data.rig.joints) {
            levels.push_back(joint.parent < 0 ? 0 : levels[std::size_t(joint.parent)] + 1);
            data.level_order.push_back(std::uint16_t(levels.size() - 1));
            data.parents.push_back(std::int16_t(joint.parent));
            data.inverse_bind.insert(data.inverse_bind.end(), std::begin(joint.inverse_bind.elements),
                                     std::end(joint.inverse_bind.elements));
        }
        std::stable_sort(data.level_order.begin(), data.level_order.end(), [&](std::uint16_t a, std::uint16_t b) {
            const auto key = [&](std::uint16_t joint) {
                return std::pair(joint / kernels::level_order_chunk, levels[joint]);
            };
            return key(a) < key(b);
        });
        // Where in the order each joint's matrix is needed last: by itself or by its last child.
        std::vector<std::size_t> last_use(joints);
        for (std::size_t i = 0; i < joints; ++i) {
            const std::uint16_t joint = data.level_order[i];
            last_use[joint] = i;
            if (data.parents[joint] >= 0) { last_use[std::size_t(data.parents[joint])] = i; }
        }
        std::size_t done = 0;
        for (std::size_t i = 0; i < joints; ++i) {
            while (done < i && last_use[data.level_order[done]] < i) { ++done; }
            data.done_before.push_back(std::uint16_t(done));
        }
        data.rest.assign((data.scales ? 6 : 3) * lanes, 0.0F);
        for (std::size_t j = 0; j < joints; ++j) {
            const Transform& rest = data.rig.joints[j].rest;
            const std::array<float, 6> values{rest.translation.x, rest.translation.y, rest.translation.z,
                                              rest.scale.x,       rest.scale.y,       rest.scale.z};
            for (std::size_t row = 0; row < (data.scales ? 6U : 3U); ++row) {
                data.rest[row * lanes + j] = values[row];
            }
        }
    }

    const Document& document_;
    const Assets& assets_;
    DiagnosticSink sink_;
    std::unique_ptr<CharacterData> data_;
    ExpressionScope scope_;
    std::vector<std::string> clip_names_;
    std::map<std::string, std::uint16_t> clip_of_;
    std::vector<const ClipDefinition*> clip_definitions_;
    std::vector<PreparedClip> prepared_; ///< a clip each, when there is a rig
    std::set<std::uint16_t> blend_parameters_;
    std::map<const TransitionDefinition*, std::pair<CompiledTransition, TransitionInfo>> always_;
    const MachineDefinition* machine_ = nullptr; ///< the one whose states are being compiled
    std::size_t most_leaves_ = 0;
};

} // namespace

Compiled compile(const Document& document, const Assets& assets) { return Compiler(document, assets).run(); }

} // namespace gait
