#include "gait/compile.hpp"

#include "character/derive.hpp"
#include "character/fingerprint.hpp"
#include "clip/additive_clip.hpp"
#include "clip/sample_clip.hpp"
#include "compile/check_assets.hpp"
#include "compile/check_size.hpp"
#include "compile/details.hpp"
#include "compile/feet.hpp"
#include "compile/input_rates.hpp"
#include "compile/layers.hpp"
#include "compile/mask_weights.hpp"
#include "compile/one_shots.hpp"
#include "compile/parameters.hpp"
#include "math/pose_kernels.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <map>

namespace gait {
using namespace detail;
namespace {

constexpr std::size_t most_entries = 60'000; ///< of anything that a 16-bit index counts

class Compiler {
public:
    Compiler(const Document& document, const Assets& assets, std::size_t own_layers) : context_(document, assets) {
        context_.first_one_shots = own_layers;
    }
    /// The rig stands in the order of the document's details; see `OrderedRig`.
    void note_details(const std::vector<std::size_t>& joints_left) {
        data_->has_details = document_.details.has_value();
        for (const std::size_t left : joints_left) { data_->joints_at.push_back(std::uint16_t(left)); }
    }

    Compiled run() {
        if (!check_size(document_, sink_)) { return {nullptr, sink_.take()}; }
        check_tolerance();
        for (const ClipPattern& set : document_.clip_patterns) {
            sink_.error(set.pattern.place, "not-read",
                        fmt::format("'{}' was not looked for in its file yet; call expand_clip_sets before compile",
                                    set.pattern.value),
                        "clip_sets");
        }
        compile_parameters(context_);
        collect_clips();
        const bool sound = !assets_.rig || check_rig(*assets_.rig, sink_);
        const bool whole = check_clips();
        if (!sound || !whole) { return {nullptr, sink_.take()}; } // there is nothing that could be measured
        if (assets_.rig) { prepare_clips(); }
        name_clip_events();
        compile_masks();
        compile_feet(context_);
        if (document_.layers.empty()) {
            sink_.error({}, "missing-layer", "nothing is played yet; add a layer with a machine", "layers");
        } else {
            MotionCompiler motions(context_);
            compile_layers(context_, motions);
        }
        order_computed(context_);
        if (!assets_.rig && document_.rig.empty()) {
            if (document_.source.empty()) {
                sink_.error(document_.rig.place, "missing-rig", "there is no rig; give one in the assets", "rig");
            }
        }
        check_sizes();
        if (context_.not_read && !has_errors(sink_.list())) {
            sink_.error(*context_.not_read, "not-read",
                        "what stands here could not be read; mend what was said of it first");
        }
        Compiled result;
        const auto& names = context_.clip_names;
        const bool complete = assets_.rig && std::all_of(names.begin(), names.end(), [&](const auto& name) {
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

    void collect_clips() {
        std::set<std::string> seen;
        for (const ClipDefinition& definition : document_.clips) {
            const std::string& name = definition.name.value;
            if (!seen.insert(name).second) {
                sink_.error(definition.name.place, "doubled-name", fmt::format("two clips are called '{}'", name),
                            "clips." + name);
                continue;
            }
            context_.clip_names.push_back(name);
            context_.clip_definitions.push_back(checked_numbers(definition));
            if (!assets_.clips.contains(name) && !assets_.failed.contains(name)) {
                sink_.error(definition.name.place, "missing-clip",
                            fmt::format("clip '{}' is not among the assets", name), "clips." + name);
            }
        }
    }

    /// The clip, with harmless numbers where some are out of bounds, which is reported.
    [[nodiscard]] const ClipDefinition* checked_numbers(const ClipDefinition& definition) {
        const std::string path = "clips." + definition.name.value;
        ClipDefinition checked = definition;
        checked.rate.value =
            context_.within(definition.rate, 0.01, 100, 1,
                            "'rate' is 0.01 to 100 times as fast; for the way back write 'reverse: yes'", path);
        const auto check_seconds = [&](Number& at) {
            constexpr double longest = 86'400;
            at.value = context_.within(at, -longest, longest, 0, "an instant of a clip is in seconds", path);
        };
        if (checked.cut) {
            check_seconds(checked.cut->first);
            check_seconds(checked.cut->second);
        }
        for (MarkDefinition& mark : checked.marks) { check_seconds(mark.at); }
        for (SpanDefinition& span : checked.spans) {
            check_seconds(span.from);
            check_seconds(span.to);
        }
        return &checked_clips_.emplace_back(std::move(checked));
    }

    void check_sizes() {
        const auto check = [&](std::size_t count, std::string_view what) {
            if (count > most_entries) {
                sink_.error(
                    document_.layers.empty() ? Place{} : document_.layers.front().name.place, "too-many",
                    fmt::format("what is written makes {} {}, and {} are possible; use less of it in fewer places",
                                count, what, most_entries),
                    std::string(what));
            }
        };
        check(data_->states.size(), "states");
        check(data_->transitions.size(), "transitions");
        check(data_->parameters.size() + context_.hidden.size(), "parameters");
        check(context_.clip_names.size(), "clips");
        check(context_.most_leaves, "clips in one motion");
    }

    /// False, and said, when a clip's tracks cannot be read.
    [[nodiscard]] bool check_clips() {
        bool whole = true;
        for (const std::string& name : context_.clip_names) {
            const auto source = assets_.clips.find(name);
            const std::string fault = source == assets_.clips.end() ? std::string() : fault_of(source->second);
            if (fault.empty()) { continue; }
            const auto& definition = *context_.clip_definitions[std::size_t(&name - context_.clip_names.data())];
            sink_.error(definition.name.place, "wrong-clip", fmt::format("clip '{}' cannot be played: {}", name, fault),
                        "clips." + name);
            whole = false;
        }
        return whole;
    }

    /// Cuts, mirrors and so on what the document names; needs the rig.
    void prepare_clips() {
        context_.mirrored_joints = mirror_pairs(document_, *assets_.rig, sink_);
        for (std::size_t c = 0; c < context_.clip_names.size(); ++c) {
            context_.prepared.push_back(context_.prepare(context_.clip_names[c], *context_.clip_definitions[c], sink_));
        }
    }

    /// A weight a lane for each mask; needs the rig.
    void compile_masks() {
        std::set<std::string> seen;
        for (const MaskDefinition& mask : document_.masks) {
            const std::string path = "masks." + mask.name.value;
            if (!seen.insert(mask.name.value).second) {
                sink_.error(mask.name.place, "doubled-name", fmt::format("two masks are called '{}'", mask.name.value),
                            path);
            }
        }
        if (assets_.rig) {
            data_->masks = mask_weights(document_.masks, *assets_.rig, context_.mirrored_joints, sink_);
        }
    }

    /// Every name that some clip's marks and spans have. Mirrored clips have theirs mirrored, which needs the rig.
    void name_clip_events() {
        for (const PreparedClip& clip : context_.prepared) { context_.name_events_of(clip); }
        if (!context_.prepared.empty()) { return; }
        for (const ClipDefinition* clip : context_.clip_definitions) {
            PreparedClip named;
            for (const MarkDefinition& mark : clip->marks) { named.marks.push_back({mark.name.value, 0}); }
            for (const SpanDefinition& span : clip->spans) { named.spans.push_back({span.name.value, 0, 0}); }
            context_.name_events_of(named);
        }
    }

    /// Marks, spans and footfalls of a clip, in cycles from its start.
    [[nodiscard]] ClipEvents clip_events_of(std::uint16_t clip) {
        ClipEvents moments;
        const PreparedClip& prepared = context_.prepared[clip];
        const double seconds = prepared.poses.seconds();
        const auto placed = [&](double at) { return seconds > 0 ? std::clamp(at / seconds, 0.0, 1.0) : 0.0; };
        for (const ClipMark& mark : prepared.marks) {
            moments.marks.push_back({context_.mark_indices.at(mark.name), placed(mark.at)});
        }
        for (const ClipSpan& span : prepared.spans) {
            moments.spans.push_back({context_.span_indices.at(span.name), placed(span.from), placed(span.to)});
        }
        if (context_.wants_footfalls) { moments.footfalls = context_.footfalls(clip); }
        if (!data_->feet.legs.empty()) { moments.downs = context_.downs(clip); }
        return moments;
    }

    [[nodiscard]] SampledClip sampled(const PreparedClip& prepared, const ClipDefinition& definition) {
        constexpr double number_rate = 60; // samples a second
        SampledClip clip = sample_clip(prepared.poses, data_->rig, definition.loop, document_.tolerance.value / 1000);
        clip.name = definition.name.value;
        clip.travel = prepared.travel;
        for (const NumberTrack& track : prepared.numbers) {
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
        bound_input_rates(context_);
        for (std::size_t l = 0; l < data.layers.size(); ++l) {
            const std::uint16_t with = data.layers[l].in_step_with; // a layer below
            data.layers[l].step_group = with == no_index ? std::uint8_t(l) : data.layers[with].step_group;
        }
        for (std::size_t c = 0; c < context_.prepared.size(); ++c) {
            data.clips.push_back(sampled(context_.prepared[c], *context_.clip_definitions[c]));
            data.clip_events.push_back(clip_events_of(std::uint16_t(c)));
        }
        align_signs(data.clips, data.rig.joints.size());
        for (const auto& [clip, against] : context_.additives) {
            data.additives.push_back(difference_of(data.clips[clip], data.clips[against], data.rig.joints.size()));
        }
        for (Leaf& leaf : data.motions.leaves) {
            const ClipEvents& moments = data.clip_events[leaf.clip];
            leaf.has_events = !moments.marks.empty() || !moments.spans.empty();
            // The legs keep the time, not what is laid over or added.
            leaf.keeps_time = leaf.synced && leaf.leads && leaf.rate > 0;
        }
        for (CompiledCursor& cursor : data.cursors) {
            cursor.smooth =
                double(std::max(data.parameters[cursor.number].smooth, data.parameters[cursor.angle].smooth));
            cursor.at_most = double(data.parameters[cursor.number].at_most);
        }
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
        note_what_moves();
        connect_leaves(data);
        keep_true_twins(data);
        note_what_frames_may_skip();
        data.notes.names = context_.scope;
        PerformerNeeds& needs = data.needs;
        needs.joints = data.rig.joints.size();
        needs.parameters = data.parameters.size() + context_.hidden.size();
        for (std::size_t p = 0; p < data.parameters.size(); ++p) {
            const ParameterInfo& info = data.parameters[p];
            const bool follows = info.smooth > 0 || info.at_most > 0;
            data.smoothed_of.push_back(follows ? std::uint16_t(data.smoothed.size()) : no_index);
            if (follows) { data.smoothed.push_back(std::uint16_t(p)); }
        }
        needs.smoothed = data.smoothed.size();
        needs.computed = data.computed.size();
        needs.signals = data.signals.size();
        needs.picks = data.picks.size();
        needs.resumes = context_.resumes;
        needs.values = data.value_info.size();
        needs.cursors = data.cursors.size();
        sort_computed(data);
        sort_transitions(data);
        note_motions(data);
        note_layers(data);
        note_carried(data);
        for (const CompiledLayer& layer : data.layers) { needs.layers.push_back(layer.needs); }
        needs.moved = data.moved.size();
        needs.legs = data.feet.legs.size();
        needs.details = data.has_details;
        note_hips(data, *assets_.rig);
        needs.scales = data.scales;
        data.layout = PerformerLayout::make(needs);
        note_pose_lines(data);
        data_->fingerprint = fingerprint_of(*data_);
        return std::make_shared<const Character>(std::move(data_));
    }

    /// Whether an addition is none: in any of its frames, or in its first where it is held there.
    [[nodiscard]] bool adds_nothing(const Leaf& leaf) const {
        if (leaf.additive == no_index) { return false; }
        const SampledClip& differences = data_->additives[leaf.additive];
        const auto pace = data_->instructions(leaf.pace);
        const bool stands =
            pace.size() == 1 && pace.front().operation == Operation::constant && pace.front().value == 0;
        const bool held = !leaf.synced && (leaf.rate == 0 || stands);
        const auto none = [](const float* values, std::size_t count) {
            return std::all_of(values, values + count, [](float value) { return std::fabs(value) < 1e-6F; });
        };
        const std::size_t frames = held ? 1 : differences.intervals + std::size_t{1};
        const auto rows = [&](const SparseRows& moved) {
            const std::size_t counted = std::min<std::size_t>(moved.frames, frames);
            return none(moved.values.data(), counted * 4 * moved.joints.size());
        };
        return differences.steps.empty() && none(differences.rotations.data(), frames * 4 * differences.stride) &&
               rows(differences.moving_translations) && rows(differences.still_translations) &&
               rows(differences.moving_scales) && rows(differences.still_scales);
    }

    /// What costs a frame nothing because it cannot happen.
    void note_what_frames_may_skip() {
        CharacterData& data = *data_;
        for (const CompiledForbid& forbid : data.forbidden) {
            data.layers[data.states[forbid.yields].layer].yields = true;
        }
        note_what_values_move();
        for (Leaf& leaf : data.motions.leaves) { leaf.adds_nothing = adds_nothing(leaf); }
        for (CompiledState& state : data.states) {
            const bool goes_on = state.kind == NodeKind::pick ||
                                 (state.kind == NodeKind::choose && data.chooses[state.selector].by != no_index);
            state.facts.decides = goes_on || state.transitions.count > 0;
            note_what_decisions_hang_on(state);
            if (state.kind != NodeKind::motion) { continue; }
            const Motion& motion = data.motions.motions[state.motion];
            const auto leaves = data.motions.leaves_of(motion);
            const auto of_all = [&](auto holds) { return std::all_of(leaves.begin(), leaves.end(), holds); };
            state.facts.first_leaf = motion.first_leaf;
            state.facts.nothing = motion.nothing;
            const bool even =
                !motion.nothing && !state.whole_body && of_all([](const Leaf& leaf) { return !leaf.frames.steps; });
            state.facts.plain = even && motion.channel_count == 0;
            state.facts.masked = even && motion.channel_count > 0;
            state.facts.synced = motion.synced;
            state.facts.only_phase = of_all([](const Leaf& leaf) { return leaf.synced && !leaf.has_events; });
            state.facts.endless = !of_all([](const Leaf& leaf) { return !leaf.leads; }) &&
                                  of_all([](const Leaf& leaf) { return leaf.loops || !leaf.leads; });
            CompiledLayer& layer = data.layers[state.layer];
            layer.has_terms = layer.has_terms || motion.term_count > 0;
            layer.has_live_weights = layer.has_live_weights || hangs_on_inputs(motion);
            layer.follows_left = layer.follows_left || (state.live_inputs && hangs_on_inputs(motion));
        }
        for (CompiledLayer& layer : data.layers) {
            const bool alike = layer.mode == LayerMode::replace && layer.space == LayerSpace::local,
                       lowest = &layer == &data.layers.front();
            layer.joins = alike || lowest;
            layer.may_hide = alike && (layer.mask == no_index || layer.has_whole_body);
            data.some_layer_hides = data.some_layer_hides || (layer.may_hide && !lowest);
        }
    }

    /// The values that some expressions read.
    [[nodiscard]] SlotSet slots_in(std::initializer_list<CodeRange> codes) const {
        SlotSet slots = 0;
        for (const CodeRange code : codes) {
            for (const Instruction& instruction : data_->instructions(code)) {
                if (reads_parameter(instruction)) { slots |= slot_set(instruction.slot); }
            }
        }
        return slots;
    }

    /// Whether what another layer does may keep a node from being entered.
    [[nodiscard]] bool may_be_forbidden(std::uint16_t node) const {
        const auto& states = data_->states;
        const auto holds = [&](std::uint16_t outer, std::uint16_t inner) {
            for (; inner != no_index; inner = states[inner].parent) {
                if (inner == outer) { return true; }
            }
            return false;
        };
        return std::any_of(data_->forbidden.begin(), data_->forbidden.end(), [&](const CompiledForbid& forbid) {
            return holds(forbid.yields, node) || holds(node, forbid.yields);
        });
    }

    /// Whether all that a transition reads of its state is held against numbers whose instants are known ahead.
    [[nodiscard]] bool knows_when(const CompiledTransition& transition) const {
        const auto readings = [&](CodeRange range) {
            const auto code = data_->instructions(range);
            return std::count_if(code.begin(), code.end(),
                                 [](const Instruction& i) { return i.operation == Operation::reading; });
        };
        return readings(transition.fade_by) == 0 &&
               readings(transition.when) == std::ptrdiff_t(transition.threshold_count);
    }

    /// What moves a state's decisions, and whether anything does but time and values.
    void note_what_decisions_hang_on(CompiledState& state) {
        CharacterData& data = *data_;
        if (state.kind == NodeKind::choose && data.chooses[state.selector].by != no_index) {
            state.facts.reads |= slot_set(data.chooses[state.selector].by);
        }
        state.facts.poll_uneven = state.kind == NodeKind::pick;
        const auto index = std::size_t(&state - data.states.data());
        state.facts.may_yield = std::any_of(data.forbidden.begin(), data.forbidden.end(),
                                            [&](const CompiledForbid& forbid) { return forbid.yields == index; });
        for (std::size_t t = 0; t < state.transitions.count; ++t) {
            CompiledTransition& transition = data.transitions[state.transitions.first + t];
            transition.reads = slots_in({transition.when, transition.fade_by});
            if (transition.signal != no_index) { transition.reads |= slot_set(data.signals[transition.signal].slot); }
            state.facts.reads |= transition.reads;
            // Ends and marks come sooner or later as rates and weights change.
            const bool moments = transition.at_end || transition.reads_state || transition.mark != no_index ||
                                 transition.span != no_index;
            state.facts.poll_uneven = state.facts.poll_uneven || moments;
            const bool unforeseen = transition.reads_state && !knows_when(transition);
            // What `forbid` says changes with the other layer's states.
            const bool forbidden = may_be_forbidden(transition.target), waits = transition.signal != no_index;
            state.facts.poll_every_step = state.facts.poll_every_step || unforeseen || (forbidden && !waits);
            state.facts.poll_signals = state.facts.poll_signals || (forbidden && waits);
            transition.by_values = !moments && transition.after == 0 && transition.after_more == 0 &&
                                   transition.threshold_count == 0 && !forbidden;
        }
    }

    /// Which values the computed parameters and the weights and rates of motions hang on.
    void note_what_values_move() {
        CharacterData& data = *data_;
        for (ComputedParameter& computed : data.computed) {
            computed.reads = slots_in({computed.value, computed.only_while, computed.clear});
            computed.by_values = computed.source != ParameterSource::since &&
                                 computed.source != ParameterSource::layer_state &&
                                 computed.source != ParameterSource::layer_reading;
            if (computed.source != ParameterSource::flips || computed.value.count != 1) { continue; }
            const Instruction& read = data.instructions(computed.value).front();
            computed.counts_presses = read.operation == Operation::parameter && read.slot < data.signal_of.size() &&
                                      data.signal_of[read.slot] != no_index;
        }
        const auto add_cursor = [&](std::uint16_t cursor) {
            if (cursor != no_index) { data.weights_read |= slot_set(data.cursors[cursor].number); }
        };
        for (const MotionPart& part : data.motions.parts) {
            if (part.kind != PartKind::line && part.kind != PartKind::plane) { continue; }
            data.weights_read |= slot_set(part.parameter) | slot_set(part.second);
            add_cursor(part.cursor);
        }
        for (const PaceGroup& group : data.motions.pace_groups) {
            data.weights_read |= slot_set(group.parameter);
            add_cursor(group.cursor);
        }
        for (const Leaf& leaf : data.motions.leaves) { data.weights_read |= slots_in({leaf.pace}); }
    }

    /// Calls `visit(joint, row, moved)` for each translation and scale that some clip moves: `row` is the first of
    /// three of the pose, `moved` where the clip keeps its place among all.
    template <typename Visit> void each_moved(Visit visit) {
        constexpr std::uint16_t translation = 4, scale = 7;
        for (KeptList<SampledClip>* clips : {&data_->clips, &data_->additives}) {
            for (SampledClip& clip : *clips) {
                const auto visit_rows = [&](SparseRows& rows, std::uint16_t row) {
                    rows.moved.resize(rows.joints.size());
                    for (std::size_t i = 0; i < rows.joints.size(); ++i) { visit(rows.joints[i], row, rows.moved[i]); }
                };
                visit_rows(clip.still_translations, translation);
                visit_rows(clip.moving_translations, translation);
                visit_rows(clip.still_scales, scale);
                visit_rows(clip.moving_scales, scale);
                for (StepTrack& steps : clip.steps) {
                    if (steps.target == StepTrack::Target::rotation) { continue; }
                    visit(steps.joint, steps.target == StepTrack::Target::scale ? scale : translation, steps.moved);
                }
            }
        }
    }

    /// Which translations and scales some clip moves; clips come to know where theirs stand among them.
    void collect_moved() {
        CharacterData& data = *data_;
        std::map<std::pair<std::uint16_t, std::uint16_t>, std::uint16_t> places; // by joint and row
        each_moved([&](std::uint16_t joint, std::uint16_t row, std::uint16_t&) { places[{joint, row}] = 0; });
        for (auto& [key, place] : places) {
            const auto& [joint, row] = key;
            const Transform& rest = data.rig.joints[joint].rest;
            const bool scales = row >= 7;
            const Vec3 at = scales ? rest.scale : rest.translation;
            place = std::uint16_t(data.moved.size());
            data.moved.push_back({joint, row, {at.x, at.y, at.z}});
            data.scales = data.scales || scales;
        }
        each_moved([&](std::uint16_t joint, std::uint16_t row, std::uint16_t& moved) { moved = places[{joint, row}]; });
        for (CompiledLayer& layer : data.layers) {
            layer.moves = layer.mask == no_index || layer.has_whole_body ||
                          std::any_of(data.moved.begin(), data.moved.end(),
                                      [&](const MovedJoint& moved) { return data.masks[layer.mask][moved.joint] > 0; });
        }
    }

    void note_what_moves() {
        collect_moved();
        for (const Joint& joint : data_->rig.joints) {
            data_->scales = data_->scales || length(joint.rest.scale - Vec3{1, 1, 1}) > 1e-6F;
        }
        lay_out_rig(*data_);
    }

    std::deque<ClipDefinition> checked_clips_;
    CompileContext context_;
    const Document& document_ = context_.document;
    const Assets& assets_ = context_.assets;
    DiagnosticSink& sink_ = context_.sink;
    std::unique_ptr<CharacterData>& data_ = context_.data;
};

} // namespace

namespace {

Compiled compile_as_ordered(const Document& document, const Assets& assets,
                            const std::vector<std::size_t>& joints_left) {
    const auto run = [&](const Document& whole) {
        Compiler compiler(whole, assets, document.layers.size());
        compiler.note_details(joints_left);
        return compiler.run();
    };
    return document.one_shots.empty() ? run(document) : run(with_one_shot_layers(document));
}

} // namespace

Compiled compile(const Document& document, const Assets& assets) {
    DiagnosticSink quiet(document.files());
    const bool orders = document.details && assets.rig && check_rig(*assets.rig, quiet);
    if (!orders) { return compile_as_ordered(document, assets, {}); }
    DiagnosticSink sink(document.files());
    OrderedRig ordered = order_by_details(*document.details, *assets.rig, sink);
    Assets ordered_assets = assets;
    ordered_assets.rig = std::move(ordered.rig);
    Compiled result = compile_as_ordered(document, ordered_assets, ordered.joints_left);
    if (has_errors(sink.list())) { result.character = nullptr; }
    Diagnostics found = sink.take();
    result.diagnostics.insert(result.diagnostics.begin(), found.begin(), found.end());
    return result;
}

} // namespace gait
