#include "perform/compile_machine.hpp"

#include "perform/lay_over.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

namespace gait {
namespace {

constexpr double longest_fade = 60;      ///< seconds
constexpr double longest_after = 86'400; ///< seconds
constexpr std::size_t most_pick_entries = 64;
constexpr std::size_t deepest_junctions = 16;

class MachineCompiler {
public:
    MachineCompiler(CompileContext& context, MotionCompiler& motions)
        : context_(context), motions_(motions), data_(*context.data) {}

    void run(const std::vector<LayerDefinition>& layers) {
        for (const LayerDefinition& layer : layers) { add_layer(layer); }
        if (roots_.size() != layers.size()) { return; }
        fill_values();
        for (std::size_t node = 0; node < data_.states.size(); ++node) { compile_ways(std::uint16_t(node)); }
        for (std::size_t node = 0; node < data_.states.size(); ++node) { compile_leads(std::uint16_t(node)); }
        for (const ForbidDefinition& forbid : context_.document.forbid) { compile_forbid(forbid); }
        order_layers();
        for (std::size_t l = 0; l < layers.size(); ++l) { compile_steps(layers[l], l); }
        find_looked_at();
    }

private:
    /// A machine that is being compiled; what takes arguments is one for each use.
    struct Machine {
        const MachineDefinition* definition = nullptr;
        Arguments arguments;
        std::vector<CompileContext::Use> uses;
        int around = -1; ///< the machine that holds it
        std::string path;
        std::vector<std::string> names;   ///< of its states, as the document lists them
        std::vector<std::uint16_t> nodes; ///< beside `names`; nothing for a junction
        std::uint16_t start = 0;
    };
    /// What stands beside a node of the character while it is compiled.
    struct Node {
        const StateDefinition* definition = nullptr; ///< null inside a pick or choose
        int machine = -1;                            ///< that it stands in
        int inner = -1;                              ///< that it holds
        std::string path;
    };
    struct Around {
        std::uint16_t node = nothing;
        int machine = -1;
    };
    /// Where a transition leads: a node, or a junction of a machine.
    struct Target {
        std::uint16_t node = nothing;
        const StateDefinition* junction = nullptr;
        int machine = -1;
    };
    struct Way {
        CompiledTransition compiled;
        TransitionInfo info;
    };

    /// While it lives, findings name the uses of what is being compiled.
    class UsesOf {
    public:
        UsesOf(CompileContext& context, const std::vector<CompileContext::Use>& uses)
            : context_(context), before_(context.uses) {
            context.uses = uses;
        }
        ~UsesOf() { context_.uses = before_; }
        UsesOf(const UsesOf&) = delete;
        UsesOf& operator=(const UsesOf&) = delete;

    private:
        CompileContext& context_;
        std::vector<CompileContext::Use> before_;
    };

    // ---- layers -----------------------------------------------------------------------------------------------------

    void add_layer(const LayerDefinition& definition) {
        const std::string path = fmt::format("layers.{}", definition.name.value);
        layer_ = data_.layers.size();
        if (layer_ == most_layers) {
            return context_.error(
                definition.place, "too-many",
                fmt::format("a document has at most {} layers, those of its one-shots among them", most_layers),
                "layers");
        }
        CompiledLayer layer;
        layer.name = definition.name.value;
        layer.mode = definition.mode;
        layer.space = definition.space;
        layer.takes_travel = definition.takes_travel;
        LayerInfo info;
        info.name = layer.name;
        info.mask = definition.mask.value;
        info.weight = definition.weight.value;
        info.mode = layer.mode;
        info.space = layer.space;
        info.one_shots = layer_ >= context_.first_one_shots;
        if (std::any_of(data_.layers.begin(), data_.layers.end(),
                        [&](const auto& l) { return l.name == layer.name; })) {
            context_.error(definition.name.place, "doubled-name", fmt::format("two layers are called '{}'", layer.name),
                           path);
        }
        if (!info.one_shots) { check_layer_name(definition.name, path); }
        if (layer_ == 0) {
            check_lowest(definition, path);
        } else {
            if (!definition.mask.empty()) { layer.mask = motions_.mask_named(definition.mask, {}, path + ".mask"); }
            if (!definition.weight.empty()) {
                layer.weight.weight = context_.weight(definition.weight, {}, path + ".weight");
            }
            layer.weight.fade = definition.fade.value;
            if (layer.space == LayerSpace::model && context_.assets.rig &&
                context_.assets.rig->joints.size() > most_model_joints) {
                context_.error(
                    definition.place, "too-many",
                    fmt::format("a layer in model space plays on rigs of at most {} joints, and this one has "
                                "{}; write 'space: local'",
                                most_model_joints, context_.assets.rig->joints.size()),
                    path);
            }
            if (layer.mask != nothing && layer.mask < data_.masks.size() && context_.assets.rig) {
                const AlignedFloats& mask = data_.masks[layer.mask];
                info.mask_weights.assign(mask.begin(),
                                         mask.begin() + std::ptrdiff_t(context_.assets.rig->joints.size()));
            }
        }
        data_.layers.push_back(layer);
        data_.layer_info.push_back(info);
        if (layer.mode == LayerMode::add) { motions_.as_differences(definition.against, path + ".against"); }
        const std::size_t first = data_.states.size();
        const int root = add_machine(definition.machine, {}, {nothing, -1}, path, "");
        motions_.as_poses();
        if (machines_[std::size_t(root)].names.empty()) { return; }
        CompiledLayer& added = data_.layers.back();
        added.start = machines_[std::size_t(root)].start;
        for (std::size_t node = first; node < data_.states.size(); ++node) {
            const CompiledState& state = data_.states[node];
            if (state.kind != NodeKind::motion || state.motion >= data_.motions.motions.size()) { continue; }
            const Motion& motion = data_.motions.motions[state.motion];
            added.needs.playing = std::max<std::size_t>(added.needs.playing, motion.most_playing);
            added.needs.terms = std::max<std::size_t>(added.needs.terms, motion.term_count);
            added.has_nothing = added.has_nothing || motion.nothing;
            added.has_whole_body = added.has_whole_body || state.whole_body;
        }
        if (added.mask < data_.masks.size() && !added.has_whole_body && added.space == LayerSpace::local) {
            const AlignedFloats& mask = data_.masks[added.mask];
            const auto covered = [](float weight) { return weight > 0; };
            const auto first_covered = std::find_if(mask.begin(), mask.end(), covered);
            const auto behind = std::find_if(mask.rbegin(), mask.rend(), covered);
            added.needs.first_joint = std::size_t(first_covered - mask.begin());
            added.needs.last_joint = mask.size() - std::size_t(behind - mask.rbegin());
        }
        roots_.push_back(root);
    }

    /// Whether some state of a layer plays what keeps step.
    [[nodiscard]] bool keeps_step(std::size_t layer) const {
        return std::any_of(data_.states.begin(), data_.states.end(), [&](const CompiledState& state) {
            return state.layer == layer && state.kind == NodeKind::motion &&
                   state.motion < data_.motions.motions.size() && data_.motions.motions[state.motion].synced;
        });
    }

    void compile_steps(const LayerDefinition& definition, std::size_t index) {
        const Text& name = definition.in_step_with;
        if (name.empty()) { return; }
        const std::string path = fmt::format("layers.{}.in_step_with", definition.name.value);
        const auto leader = layer_named(name, path);
        if (!leader) { return; }
        if (*leader >= index) {
            return context_.error(name.place, "wrong-layer",
                                  fmt::format("'{}' keeps in step with a layer below it; '{}' is not below",
                                              definition.name.value, name.value),
                                  path);
        }
        for (const std::size_t layer : {*leader, index}) {
            if (keeps_step(layer)) { continue; }
            return context_.error(name.place, "wrong-layer",
                                  fmt::format("nothing that '{}' plays keeps step; write 'sync: footfall' or 'sync: "
                                              "cycle' where it plays, or remove 'in_step_with'",
                                              data_.layers[layer].name),
                                  path);
        }
        data_.layers[index].in_step_with = std::uint16_t(*leader);
        data_.layers[*leader].gives_step = true;
        data_.layer_info[index].in_step_with = name.value;
    }

    void check_layer_name(const Text& name, const std::string& path) {
        const auto& parameters = data_.parameters;
        const bool parameter = std::any_of(parameters.begin(), parameters.end(),
                                           [&](const ParameterInfo& p) { return p.name == name.value; });
        if (parameter && context_.document.layers.size() > 1) {
            context_.error(name.place, "doubled-name",
                           fmt::format("'{}' is a parameter too, and conditions may ask for both; call the layer "
                                       "something else",
                                       name.value),
                           path);
        } else if (context_.document.layers.size() > 1 &&
                   (!is_identifier(name.value) || reserved_words().contains(name.value))) {
            context_.error(name.place, "wrong-name",
                           fmt::format("a layer's name is one word of letters, digits and _; found '{}'", name.value),
                           path);
        }
    }

    /// Below the lowest layer is nothing that could show.
    void check_lowest(const LayerDefinition& layer, const std::string& path) {
        const auto refuse = [&](Place place, const char* what) {
            context_.error(place, "wrong-layer",
                           fmt::format("below the lowest layer is nothing that could show, so it has no {}; move it to "
                                       "a layer above, or remove it",
                                       what),
                           path);
        };
        if (!layer.mask.empty()) { refuse(layer.mask.place, "'mask'"); }
        if (!layer.weight.empty()) { refuse(layer.weight.place, "'weight'"); }
        if (layer.mode == LayerMode::add) { refuse(layer.place, "'mode: add'"); }
        if (layer.space == LayerSpace::model) { refuse(layer.place, "'space: model'"); }
    }

    /// `arms.raised`: a layer, and a state of it.
    std::optional<std::uint16_t> state_of_layer(const Text& name, const std::string& path) {
        const std::size_t dot = name.value.find('.');
        const auto layer = layer_named(Text(name.value.substr(0, dot), name.place), path);
        if (!layer) { return std::nullopt; }
        if (dot == std::string::npos) {
            context_.error(
                name.place, "wrong-name",
                fmt::format("'{0}' is a whole layer and a state of it is wanted; write {0}.STATE", name.value), path);
            return std::nullopt;
        }
        return node_in_layer(*layer, Text(name.value.substr(dot + 1), name.place), path);
    }

    std::optional<std::size_t> layer_named(const Text& name, const std::string& path) {
        std::vector<std::string> known;
        for (const CompiledLayer& layer : data_.layers) { known.push_back(layer.name); }
        const auto found = std::find(known.begin(), known.end(), name.value);
        if (found != known.end()) { return std::size_t(found - known.begin()); }
        context_.unknown(name.place, "layer", name.value, known, path);
        return std::nullopt;
    }

    /// A state of a layer that is no junction.
    std::optional<std::uint16_t> node_in_layer(std::size_t layer, const Text& name, const std::string& path) {
        const auto target = find_target(name, roots_[layer], path);
        if (!target) { return std::nullopt; }
        if (target->node != nothing) { return target->node; }
        context_.error(name.place, "wrong-name",
                       fmt::format("'{}' is a junction, in which a layer never stands; name a state", name.value),
                       path);
        return std::nullopt;
    }

    void compile_leads(std::uint16_t index) {
        const Node node = nodes_[index];
        if (node.definition == nullptr || node.definition->leads.empty()) { return; }
        const UsesOf here(context_, machines_[std::size_t(node.machine)].uses);
        const auto first = std::uint16_t(data_.leads.size());
        for (std::size_t l = 0; l < node.definition->leads.size(); ++l) {
            const LeadDefinition& definition = node.definition->leads[l];
            const std::string path = fmt::format("{}.leads[{}]", node.path, l);
            if (definition.layer.empty() || definition.to.empty()) { continue; }
            const auto layer = layer_named(definition.layer, path);
            if (!layer) { continue; }
            if (*layer == data_.states[index].layer) {
                context_.error(definition.layer.place, "wrong-layer",
                               "a state leads other layers; in its own write a transition", path);
                continue;
            }
            CompiledLead lead;
            const auto target = node_in_layer(*layer, definition.to, path);
            if (!target) { continue; }
            lead.target = *target;
            lead.fade = definition.fade.value;
            if (!definition.when.empty()) {
                lead.when =
                    context_.expression(definition.when, ValueType::flag, CompileContext::StateReadings::refused,
                                        machines_[std::size_t(node.machine)].arguments, path + ".when");
            }
            TransitionInfo info;
            info.kind = TransitionKind::lead;
            info.from = nothing;
            info.to = data_.states[*target].visible;
            info.when = "led by " + full_name(data_.states[index].visible);
            if (!definition.when.empty()) {
                info.when +=
                    ", " + words_substituted(definition.when.value, machines_[std::size_t(node.machine)].arguments);
            }
            info.fade = lead.fade;
            info.place = definition.place;
            lead.record = add_record(std::move(info));
            data_.leads.push_back(lead);
        }
        data_.states[index].first_lead = first;
        data_.states[index].lead_count = std::uint16_t(data_.leads.size() - first);
    }

    /// A group is a pair for each of its states.
    void compile_forbid(const ForbidDefinition& definition) {
        const std::string path = "forbid";
        if (definition.yields.empty() || definition.while_active.empty()) { return; }
        const auto rules = state_of_layer(definition.while_active, path);
        std::vector<std::uint16_t> yielding;
        std::optional<std::size_t> layer;
        if (definition.yields.value.find('.') == std::string::npos) {
            layer = layer_named(definition.yields, path);
            if (!layer) { return; }
            for (std::size_t node = 0; node < data_.states.size(); ++node) {
                const CompiledState& state = data_.states[node];
                const StateDefinition* known = nodes_[node].definition;
                const bool empty = known != nullptr && known->play.nothing;
                if (state.layer == *layer && state.level == 0 && !empty) { yielding.push_back(std::uint16_t(node)); }
            }
        } else if (const auto node = state_of_layer(definition.yields, path)) {
            yielding.push_back(*node);
            layer = data_.states[*node].layer;
        }
        if (!rules || !layer) { return; }
        if (data_.states[*rules].layer == *layer) {
            return context_.error(definition.place, "wrong-layer",
                                  "one layer is in one state at a time anyhow; 'forbid' names states of two layers",
                                  path);
        }
        for (const Text& except : definition.except) {
            if (const auto node = node_in_layer(*layer, except, path)) { std::erase(yielding, *node); }
        }
        CompiledForbid forbid;
        forbid.rules = *rules;
        forbid.fade = definition.fade.value;
        if (!definition.when.empty()) {
            forbid.when = context_.expression(definition.when, ValueType::flag, CompileContext::StateReadings::refused,
                                              {}, path + ".when");
        }
        forbid.to = data_.layers[*layer].start;
        if (!definition.to.empty()) {
            const auto to = node_in_layer(*layer, definition.to, path);
            if (!to) { return; }
            forbid.to = *to;
        }
        for (const std::uint16_t node : yielding) {
            if (forbid.to == node) {
                return context_.error(definition.place, "wrong-forbid",
                                      fmt::format("where '{}' yields, it would go to itself; write 'to: STATE'",
                                                  data_.state_info[data_.states[node].visible].name),
                                      path);
            }
            forbid.yields = node;
            TransitionInfo info;
            info.kind = TransitionKind::yield;
            info.from = data_.states[node].visible;
            info.to = data_.states[forbid.to].visible;
            info.when = fmt::format("not beside {}", full_name(data_.states[*rules].visible));
            if (!definition.when.empty()) { info.when += " while " + definition.when.value; }
            info.fade = forbid.fade;
            info.place = definition.place;
            forbid.record = add_record(std::move(info));
            data_.forbidden.push_back(forbid);
            data_.forbid_conditions.push_back(definition.when.value);
        }
    }

    /// The layers decide as the document says, and those that it does not name after them, from the lowest up.
    void order_layers() {
        for (const Text& name : context_.document.decide) {
            const auto layer = layer_named(name, "decide");
            if (!layer) { continue; }
            const auto known = std::find(data_.decide_order.begin(), data_.decide_order.end(), *layer);
            if (known != data_.decide_order.end()) {
                context_.error(name.place, "doubled-name", fmt::format("'{}' decides once a step", name.value),
                               "decide");
                continue;
            }
            data_.decide_order.push_back(std::uint8_t(*layer));
        }
        for (std::size_t l = 0; l < data_.layers.size(); ++l) {
            const auto known = std::find(data_.decide_order.begin(), data_.decide_order.end(), l);
            if (known == data_.decide_order.end()) { data_.decide_order.push_back(std::uint8_t(l)); }
        }
    }

    /// The states that expressions ask for.
    void find_looked_at() {
        for (HiddenParameter& hidden : context_.hidden) {
            if (hidden.source != ParameterSource::layer_state) { continue; }
            if (const auto node = node_in_layer(hidden.layer, hidden.state, "conditions")) { hidden.node = *node; }
        }
    }

    // ---- the tree of states -----------------------------------------------------------------------------------------

    int add_machine(const MachineDefinition& definition, const Arguments& arguments, Around around,
                    const std::string& path, const std::string& prefix) {
        const int index = int(machines_.size());
        Machine machine;
        machine.definition = &definition;
        machine.arguments = arguments;
        machine.uses = context_.uses;
        machine.around = around.machine;
        machine.path = path;
        for (const StateDefinition& state : definition.states) {
            const std::string& name = state.name.value;
            if (std::find(machine.names.begin(), machine.names.end(), name) != machine.names.end()) {
                context_.error(state.name.place, "doubled-name", fmt::format("two states are called '{}'", name), path);
            }
            if (name.find('.') != std::string::npos) {
                context_.error(state.name.place, "wrong-name",
                               fmt::format("'{}' has a dot, which leads into a state's machine; leave it out", name),
                               path);
            }
            machine.names.push_back(name);
        }
        machines_.push_back(machine);
        if (definition.states.empty()) {
            context_.error(definition.place, "missing-key",
                           "this machine has no states; add 'states:' with a name and a 'play' each", path);
            return index;
        }
        for (const StateDefinition& state : definition.states) {
            machines_[std::size_t(index)].nodes.push_back(nothing);
            if (context_.too_many(data_.states.size(), "states")) { continue; }
            if (state.junction.empty()) {
                const std::uint16_t node = add_state(state, index, around.node, path, prefix);
                machines_[std::size_t(index)].nodes.back() = node;
            }
        }
        find_start(machines_[std::size_t(index)]);
        return index;
    }

    void find_start(Machine& machine) {
        const MachineDefinition& definition = *machine.definition;
        const auto first = std::find_if(machine.nodes.begin(), machine.nodes.end(),
                                        [](std::uint16_t node) { return node != nothing; });
        machine.start = first == machine.nodes.end() ? std::uint16_t{0} : *first;
        if (definition.start.empty()) {
            context_.error(
                definition.place, "missing-start",
                fmt::format("this machine does not say where it starts; add 'start: {}'", machine.names.front()),
                machine.path);
            return;
        }
        const auto found = std::find(machine.names.begin(), machine.names.end(), definition.start.value);
        if (found == machine.names.end()) {
            context_.unknown(definition.start.place, "state", definition.start.value, machine.names, machine.path);
            return;
        }
        machine.start = machine.nodes[std::size_t(found - machine.names.begin())];
        if (machine.start == nothing) {
            context_.error(definition.start.place, "wrong-start",
                           fmt::format("'{}' is a junction and a machine starts in a state; start in one of those it "
                                       "leads to",
                                       definition.start.value),
                           machine.path);
            machine.start = 0;
        }
    }

    std::uint16_t add_node(std::uint16_t parent, Node node) {
        CompiledState state;
        state.parent = parent;
        state.layer = std::uint8_t(layer_);
        if (parent != nothing) {
            const CompiledState& outer = data_.states[parent];
            state.level = std::uint8_t(outer.level + 1);
            state.visible = outer.visible;
            state.game_moves = outer.game_moves;
            state.whole_body = outer.whole_body;
            state.takes_travel = outer.takes_travel;
        }
        if (state.level >= most_levels) {
            const Place place = node.definition != nullptr ? node.definition->name.place : Place{};
            context_.error(place, "too-deep", fmt::format("states nest deeper than {}", most_levels), node.path);
            state.level = most_levels - 1;
        }
        data_.states.push_back(state);
        nodes_.push_back(std::move(node));
        return std::uint16_t(data_.states.size() - 1);
    }

    std::uint16_t add_state(const StateDefinition& definition, int machine, std::uint16_t parent,
                            const std::string& machine_path, const std::string& prefix) {
        const std::string path = fmt::format("{}.states.{}", machine_path, definition.name.value);
        const std::uint16_t index = add_node(parent, {&definition, machine, -1, path});
        CompiledState& state = data_.states[index];
        state.visible = std::uint16_t(data_.state_info.size());
        state.game_moves = state.game_moves || definition.game_moves;
        state.whole_body = state.whole_body || definition.whole_body;
        state.takes_travel = state.takes_travel || definition.takes_travel || definition.whole_body;
        if ((definition.whole_body || definition.takes_travel) && layer_ == 0) {
            context_.error(definition.name.place, "wrong-layer",
                           fmt::format("'{}' stands in the lowest layer, which has the whole body and its way anyhow; "
                                       "remove 'whole_body' and 'travel'",
                                       definition.name.value),
                           path);
        }
        if (definition.whole_body && data_.layers.back().mode == LayerMode::add) {
            context_.error(definition.name.place, "wrong-layer",
                           "a layer that adds counts on top of the others; it has no state that needs the whole body",
                           path);
        }
        state.final = parent != nothing && definition.go.empty();
        StateInfo info;
        info.name = prefix + definition.name.value;
        info.place = definition.name.place;
        if (parent != nothing) { info.parent = data_.states[parent].visible; }
        info.layer = std::uint16_t(layer_);
        info.nothing = definition.play.nothing;
        info.machine = definition.machine || !definition.machine_name.empty();
        data_.state_info.push_back(info);
        if (info.machine) {
            add_inner_machine(definition, index, path, info.name + ".");
        } else if (definition.play.nothing) {
            data_.states[index].motion = motions_.nothing_at_all();
            // Nothing after nothing is the same nothing: what fades out above it goes on doing so.
            data_.states[index].passes_on =
                alike_.try_emplace(fmt::format("{}", layer_), std::uint16_t(alike_.size())).first->second;
            if (layer_ == 0) {
                context_.error(definition.name.place, "wrong-layer",
                               fmt::format("below the lowest layer is nothing that could show; let '{}' play a clip",
                                           definition.name.value),
                               path);
            }
        } else if (definition.play.empty()) {
            if (definition.play.place.line == 0) {
                context_.error(definition.name.place, "missing-key",
                               fmt::format("state '{}' plays nothing; add 'play: CLIP'", definition.name.value), path);
            }
        } else {
            const Arguments arguments = machines_[std::size_t(machine)].arguments;
            const ResolvedMotion resolved = motions_.resolve(definition.play, arguments, path + ".play");
            data_.states[index].passes_on = named_alike(definition.play, resolved, arguments);
            add_motion(index, resolved, path + ".play");
        }
        return index;
    }

    void add_inner_machine(const StateDefinition& definition, std::uint16_t index, const std::string& path,
                           const std::string& prefix) {
        data_.states[index].kind = NodeKind::machine;
        if (definition.resume) { data_.states[index].resume = std::uint16_t(context_.resumes++); }
        if (data_.states[index].level + 1U >= most_levels) {
            context_.error(definition.name.place, "too-deep", fmt::format("states nest deeper than {}", most_levels),
                           path);
            return;
        }
        const int around = nodes_[index].machine;
        Arguments arguments = machines_[std::size_t(around)].arguments;
        const MachineDefinition* inner = definition.machine ? &*definition.machine : nullptr;
        std::vector<CompileContext::Use> uses = context_.uses;
        if (inner == nullptr) {
            const Text text = substituted(definition.machine_name, arguments);
            inner = named_machine(text, arguments, path);
            if (inner == nullptr) { return; }
            uses.push_back({text.value, definition.machine_name.place});
        }
        const UsesOf here(context_, uses);
        const int machine = add_machine(*inner, arguments, {index, around}, path, prefix);
        nodes_[index].inner = machine;
        data_.states[index].start = machines_[std::size_t(machine)].start;
        data_.states[index].starts_here = inner->from_here;
    }

    /// Follows `NAME(one, other)`; `arguments` become those of the machine.
    const MachineDefinition* named_machine(const Text& text, Arguments& arguments, const std::string& path) {
        const auto call = split_call(text);
        std::vector<std::string> names;
        const NamedMachine* found = nullptr;
        for (const NamedMachine& named : context_.document.machines) {
            names.push_back(named.name.value);
            if (call && named.name.value == call->name.value) { found = &named; }
        }
        if (found == nullptr) {
            context_.unknown(text.place, "machine", call ? call->name.value : text.value, names, path);
            return nullptr;
        }
        Arguments inner;
        if (!bind_arguments(context_, found->arguments, *call, inner, path)) { return nullptr; }
        arguments = std::move(inner);
        return &found->machine;
    }

    // ---- motions ----------------------------------------------------------------------------------------------------

    /// One number for all states of a layer that play the same entry of `motions`; nothing where it is none, or is
    /// played in a way of its own.
    std::uint16_t named_alike(const MotionDefinition& play, const ResolvedMotion& resolved,
                              const Arguments& arguments) {
        const bool own_way =
            !play.rate.empty() || play.loop || play.sync != SyncMode::automatic || play.mirror || play.reverse;
        if (resolved.uses.empty() || own_way || resolved.definition == nullptr) { return nothing; }
        const std::string key = fmt::format("{} {}", layer_, words_substituted(play.clip.value, arguments));
        return alike_.try_emplace(key, std::uint16_t(alike_.size())).first->second;
    }

    void add_motion(std::uint16_t index, const ResolvedMotion& resolved, const std::string& path) {
        if (resolved.definition != nullptr && resolved.definition->pick) {
            add_pick(index, resolved, path);
        } else if (resolved.definition != nullptr && resolved.definition->choose) {
            add_choose(index, resolved, path);
        } else {
            data_.states[index].motion = motions_.compile(resolved, path);
        }
    }

    /// A node inside a pick or choose.
    std::uint16_t add_entry(std::uint16_t around, const ResolvedMotion& resolved, const MotionDefinition& play,
                            const std::string& path) {
        const std::uint16_t index = add_node(around, {nullptr, nodes_[around].machine, -1, path});
        // As the motion that was chosen ends, so does the choose; a pick goes on.
        data_.states[index].final = data_.states[around].kind == NodeKind::choose;
        if (play.nothing) {
            data_.states[index].motion = motions_.nothing_at_all();
            if (layer_ == 0 || data_.states[around].kind == NodeKind::pick) {
                context_.error(play.place, "wrong-shape",
                               "nothing is played in a state, or in a choose, of a layer that lies over others", path);
            }
            return index;
        }
        ResolvedMotion inner = motions_.resolve(play, resolved.arguments, path);
        inner.pace = context_.product(resolved.pace, inner.pace);
        if (play.empty()) {
            if (play.place.line == 0) { context_.error({}, "missing-key", "this entry plays nothing", path); }
            return index;
        }
        if (data_.states[around].level + 2U >= most_levels) { return index; } // too deep, which was said
        add_motion(index, inner, path);
        return index;
    }

    /// A transition that no state's list holds: it stands for what happens by other means.
    std::uint16_t add_record(TransitionInfo info) {
        data_.transitions.push_back({});
        data_.transition_info.push_back(std::move(info));
        return std::uint16_t(data_.transitions.size() - 1);
    }

    /// The one for changes inside a state.
    std::uint16_t add_record(std::uint16_t index, const char* what, double fade) {
        TransitionInfo info;
        info.kind = TransitionKind::within;
        info.from = info.to = data_.states[index].visible;
        info.when = what;
        info.fade = fade;
        return add_record(std::move(info));
    }

    /// A state with its layer's name before it.
    [[nodiscard]] std::string full_name(std::uint16_t visible) const {
        const StateInfo& info = data_.state_info[visible];
        return data_.layers[info.layer].name + "." + info.name;
    }

    double checked_fade(const Number& fade, const std::string& path) {
        if (!(fade.value >= 0) || fade.value > longest_fade) {
            context_.error(fade.place, "wrong-range",
                           fmt::format("a fade lasts 0 to {} seconds; found {}", longest_fade, fade.value),
                           path + ".fade");
            return 0;
        }
        return fade.value;
    }

    void add_pick(std::uint16_t index, const ResolvedMotion& resolved, const std::string& path) {
        const PickDefinition& pick = *resolved.definition->pick;
        const UsesOf here(context_, with(resolved.uses));
        CompiledPick compiled;
        compiled.order = pick.order;
        compiled.between = bool(pick.between);
        if (pick.of.empty()) {
            context_.error(resolved.definition->place, "missing-key",
                           "a pick needs motions; add 'of: [CLIP, {play: CLIP}]'", path);
            return;
        }
        if (pick.of.size() > most_pick_entries) {
            context_.error(resolved.definition->place, "too-many",
                           fmt::format("a pick has at most {} entries", most_pick_entries), path);
            return;
        }
        data_.states[index].kind = NodeKind::pick;
        const double fade = checked_fade(pick.fade, path);
        for (std::size_t e = 0; e < pick.of.size(); ++e) {
            const PickEntry& entry = pick.of[e];
            const std::string own = fmt::format("{}.of[{}]", path, e);
            CompiledPickEntry added;
            added.share = checked_share(pick.order, entry, own);
            added.least_loops = checked_loops(entry.loops.first, own);
            added.greatest_loops = std::max(added.least_loops, checked_loops(entry.loops.second, own));
            added.fade = entry.fade ? checked_fade(*entry.fade, own) : fade;
            added.node = add_entry(index, resolved, entry.play, own);
            if (data_.states[added.node].kind == NodeKind::pick) {
                context_.error(entry.place, "wrong-shape", "a pick inside a pick never ends; write its entries here",
                               own);
            }
            compiled.entries.push_back(added);
        }
        if (pick.between) {
            compiled.entries.push_back({add_entry(index, resolved, *pick.between, path + ".between"), 1, 1, 1, fade});
        }
        compiled.record = add_record(index, "the next of its pick", fade);
        data_.states[index].selector = std::uint16_t(data_.picks.size());
        data_.picks.push_back(std::move(compiled));
    }

    double checked_share(PickOrder order, const PickEntry& entry, const std::string& path) {
        const double share = entry.share.value;
        const bool whole = order != PickOrder::in_turn || share == std::floor(share);
        if (share > 0 && share <= 1000 && whole) { return share; }
        context_.error(entry.share.place, "wrong-range",
                       whole ? fmt::format("a share is more than 0 and at most 1000; found {}", share)
                             : fmt::format("in turn, a share is how many times in a row; found {}", share),
                       path);
        return 1;
    }

    int checked_loops(const Number& loops, const std::string& path) {
        if (loops.value >= 1 && loops.value <= 10'000 && loops.value == std::floor(loops.value)) {
            return int(loops.value);
        }
        context_.error(loops.place, "wrong-range",
                       fmt::format("'loops' is a whole number of rounds from 1; found {}", loops.value), path);
        return 1;
    }

    [[nodiscard]] std::vector<CompileContext::Use> with(const std::vector<CompileContext::Use>& more) const {
        std::vector<CompileContext::Use> uses = context_.uses;
        uses.insert(uses.end(), more.begin(), more.end());
        return uses;
    }

    void add_choose(std::uint16_t index, const ResolvedMotion& resolved, const std::string& path) {
        const ChooseDefinition& choose = *resolved.definition->choose;
        const UsesOf here(context_, with(resolved.uses));
        if (choose.of.empty()) {
            context_.error(resolved.definition->place, "missing-key", "a choose needs motions; add 'of:'", path);
            return;
        }
        data_.states[index].kind = NodeKind::choose;
        CompiledChoose compiled;
        compiled.fade = checked_fade(choose.fade, path);
        if (choose.by.empty()) {
            choose_on_entry(index, resolved, compiled, path);
        } else {
            choose_by_value(index, resolved, compiled, path);
        }
        compiled.record = add_record(index, "its choose", compiled.fade);
        data_.states[index].selector = std::uint16_t(data_.chooses.size());
        data_.chooses.push_back(std::move(compiled));
    }

    void choose_on_entry(std::uint16_t index, const ResolvedMotion& resolved, CompiledChoose& compiled,
                         const std::string& path) {
        const ChooseDefinition& choose = *resolved.definition->choose;
        for (std::size_t e = 0; e < choose.of.size(); ++e) {
            const std::string own = fmt::format("{}.of[{}]", path, e);
            const Text& when = choose.of[e].when;
            compiled.when.push_back(when.empty() ? CodeRange{}
                                                 : context_.expression(when, ValueType::flag,
                                                                       CompileContext::StateReadings::refused,
                                                                       resolved.arguments, own));
            compiled.nodes.push_back(add_entry(index, resolved, choose.of[e].play, own));
        }
        if (!choose.of.back().when.empty()) {
            context_.error(choose.place, "missing-else",
                           "nothing is played when none of the conditions holds; add a last {play: CLIP} without "
                           "'when'",
                           path);
        }
    }

    void choose_by_value(std::uint16_t index, const ResolvedMotion& resolved, CompiledChoose& compiled,
                         const std::string& path) {
        const ChooseDefinition& choose = *resolved.definition->choose;
        const Text by = substituted(choose.by, resolved.arguments);
        const auto& parameters = data_.parameters;
        const auto found =
            std::find_if(parameters.begin(), parameters.end(), [&](const auto& p) { return p.name == by.value; });
        if (found == parameters.end()) {
            return context_.unknown(by.place, "parameter", by.value, names_of(parameters), path);
        }
        if (found->kind != ParameterKind::flag && found->kind != ParameterKind::choice) {
            return context_.error(by.place, "wrong-type",
                                  fmt::format("'{}' is neither a flag nor a choice; choose 'on_entry' by conditions, "
                                              "or use a blend space",
                                              by.value),
                                  path);
        }
        const std::vector<std::string> values =
            found->kind == ParameterKind::flag ? std::vector<std::string>{"no", "yes"} : found->of;
        compiled.by = std::uint16_t(found - parameters.begin());
        compiled.nodes.assign(values.size(), nothing);
        std::uint16_t otherwise = nothing;
        for (const ChooseEntry& entry : choose.of) {
            const std::string own = fmt::format("{}.of.{}", path, entry.value.value);
            std::string word = entry.value.value;
            if (found->kind == ParameterKind::flag && (word == "true" || word == "false")) {
                word = word == "true" ? "yes" : "no";
            }
            const std::uint16_t node = add_entry(index, resolved, entry.play, own);
            const auto value = std::find(values.begin(), values.end(), word);
            if (word == "else") {
                otherwise = node;
            } else if (value == values.end()) {
                context_.unknown(entry.value.place, "value", entry.value.value, values, own);
            } else {
                compiled.nodes[std::size_t(value - values.begin())] = node;
            }
        }
        for (std::size_t v = 0; v < values.size(); ++v) {
            if (compiled.nodes[v] == nothing) { compiled.nodes[v] = otherwise; }
            if (compiled.nodes[v] == nothing) {
                context_.error(by.place, "missing-else",
                               fmt::format("nothing is played while '{}' is {}; add '{}: CLIP', or 'else: CLIP'",
                                           by.value, values[v], values[v]),
                               path);
                compiled.nodes[v] = index;
            }
        }
    }

    // ---- values -----------------------------------------------------------------------------------------------------

    void fill_values() {
        const std::size_t count = data_.value_info.size();
        for (std::size_t node = 0; node < data_.states.size(); ++node) {
            const std::uint16_t parent = data_.states[node].parent;
            for (std::size_t v = 0; v < count; ++v) {
                data_.state_gives.push_back(parent == nothing ? std::uint8_t{0}
                                                              : data_.state_gives[parent * count + v]);
                data_.state_values.push_back(parent == nothing ? data_.value_info[v].default_value
                                                               : data_.state_values[parent * count + v]);
            }
            const StateDefinition* definition = nodes_[node].definition;
            if (definition == nullptr) { continue; }
            const UsesOf here(context_, machines_[std::size_t(nodes_[node].machine)].uses);
            for (const auto& [name, text] : definition->values) {
                if (const auto value = value_of(name, text, nodes_[node].path)) {
                    data_.state_values[node * count + value->first] = value->second;
                    data_.state_gives[node * count + value->first] = 1;
                }
            }
        }
    }

    std::optional<std::pair<std::size_t, float>> value_of(const Text& name, const Text& text, const std::string& path) {
        const auto& all = data_.value_info;
        const auto found =
            std::find_if(all.begin(), all.end(), [&](const ValueInfo& v) { return v.name == name.value; });
        if (found == all.end()) {
            std::vector<std::string> names;
            for (const ValueInfo& value : all) { names.push_back(value.name); }
            context_.unknown(name.place, "value", name.value, names, path);
            return std::nullopt;
        }
        const auto index = std::size_t(found - all.begin());
        const std::string& word = text.value;
        if (found->kind == ParameterKind::choice) {
            const auto one = std::find(found->of.begin(), found->of.end(), word);
            if (one != found->of.end()) { return std::pair(index, float(one - found->of.begin())); }
            context_.unknown(text.place, "value", word, found->of, path);
            return std::nullopt;
        }
        if (found->kind == ParameterKind::flag) {
            if (word == "yes" || word == "true") { return std::pair(index, 1.0F); }
            if (word == "no" || word == "false") { return std::pair(index, 0.0F); }
            context_.error(text.place, "wrong-type", fmt::format("'{}' is a flag; write yes or no", found->name), path);
            return std::nullopt;
        }
        float number = 0;
        const auto [end, problem] = std::from_chars(word.data(), word.data() + word.size(), number);
        if (problem == std::errc{} && end == word.data() + word.size() && std::isfinite(number)) {
            return std::pair(index, number);
        }
        context_.error(text.place, "wrong-type",
                       fmt::format("'{}' is a number; write one such as 1.4; found '{}'", found->name, word), path);
        return std::nullopt;
    }

    // ---- transitions ------------------------------------------------------------------------------------------------

    void compile_ways(std::uint16_t index) {
        const Node node = nodes_[index];
        if (node.definition == nullptr) { return; }
        const Machine& machine = machines_[std::size_t(node.machine)];
        const UsesOf here(context_, machine.uses);
        const auto first = std::uint16_t(data_.transitions.size());
        // What leaves from every state stands before each state's own: a frame walks one list.
        for (std::size_t t = 0; t < machine.definition->always.size(); ++t) {
            const TransitionDefinition& always = machine.definition->always[t];
            const std::string path = fmt::format("{}.always[{}]", machine.path, t);
            check_always(always, machine, path);
            if (leaves_always(always, node.definition->name.value)) {
                compile_transition(always, index, Kind::always, path);
            }
        }
        for (std::size_t t = 0; t < node.definition->go.size(); ++t) {
            compile_transition(node.definition->go[t], index, Kind::own, fmt::format("{}.go[{}]", node.path, t));
        }
        data_.states[index].first_transition = first;
        data_.states[index].transition_count = std::uint16_t(data_.transitions.size() - first);
    }

    [[nodiscard]] static bool leaves_always(const TransitionDefinition& always, const std::string& state) {
        const bool excepted = std::any_of(always.except.begin(), always.except.end(),
                                          [&](const Text& name) { return name.value == state; });
        return !excepted && (always.again || always.to.value != state);
    }

    void check_always(const TransitionDefinition& always, const Machine& machine, const std::string& path) {
        for (const Text& name : always.except) {
            if (std::find(machine.names.begin(), machine.names.end(), name.value) == machine.names.end()) {
                context_.unknown(name.place, "state", name.value, machine.names, path);
            }
        }
        if (always.when.empty() && always.signal.empty()) {
            context_.error(
                always.place, "missing-key",
                "a transition of 'always' leaves from whichever state is active, so it needs a condition; add "
                "'when: CONDITION'",
                path);
        }
    }

    /// Finds `air.take_off`, its first name in the machine itself or in those around it.
    std::optional<Target> find_target(const Text& to, int machine, const std::string& path) {
        std::vector<std::string> known;
        const std::size_t dot = to.value.find('.');
        const std::string first = to.value.substr(0, dot);
        for (int m = machine; m >= 0; m = machines_[std::size_t(m)].around) {
            if (auto target = find_in(m, first)) {
                if (dot == std::string::npos) { return target; }
                return find_inside(*target, to, dot + 1, path);
            }
            const auto& names = machines_[std::size_t(m)].names;
            known.insert(known.end(), names.begin(), names.end());
        }
        context_.unknown(to.place, "state", to.value, known, path);
        return std::nullopt;
    }

    std::optional<Target> find_in(int machine, const std::string& name) const {
        const Machine& in = machines_[std::size_t(machine)];
        const auto found = std::find(in.names.begin(), in.names.end(), name);
        if (found == in.names.end()) { return std::nullopt; }
        const auto index = std::size_t(found - in.names.begin());
        if (index >= in.nodes.size()) { return std::nullopt; }
        if (in.nodes[index] != nothing) { return Target{in.nodes[index], nullptr, machine}; }
        return Target{nothing, &in.definition->states[index], machine};
    }

    std::optional<Target> find_inside(Target target, const Text& to, std::size_t start, const std::string& path) {
        while (true) {
            const std::size_t dot = to.value.find('.', start);
            const std::string name = to.value.substr(start, dot == std::string::npos ? dot : dot - start);
            const int inner = target.junction != nullptr ? -1 : nodes_[target.node].inner;
            if (inner < 0) {
                context_.error(to.place, "unknown-state",
                               fmt::format("'{}' has no machine inside it, so there is no '{}'",
                                           to.value.substr(0, start - 1), to.value),
                               path);
                return std::nullopt;
            }
            const auto next = find_in(inner, name);
            if (!next) {
                context_.unknown(to.place, "state", name, machines_[std::size_t(inner)].names, path);
                return std::nullopt;
            }
            if (dot == std::string::npos) { return next; }
            target = *next;
            start = dot + 1;
        }
    }

    /// Whether what a node plays comes to an end by itself.
    [[nodiscard]] bool can_end(std::uint16_t index) const {
        const CompiledState& state = data_.states[index];
        const auto children_end = [&](bool only_final, bool all) {
            bool any = false;
            for (std::size_t child = index + 1U; child < data_.states.size(); ++child) {
                if (data_.states[child].parent != index || (only_final && !data_.states[child].final)) { continue; }
                const bool ends = can_end(std::uint16_t(child));
                if (all && !ends) { return false; }
                any = any || ends;
            }
            return any;
        };
        switch (state.kind) {
        case NodeKind::pick:
            return false;
        case NodeKind::choose:
            return children_end(false, false);
        case NodeKind::machine:
            return children_end(true, false);
        case NodeKind::motion:
            break;
        }
        if (state.motion >= data_.motions.motions.size()) { return true; }
        if (data_.motions.motions[state.motion].nothing) { return false; }
        const auto leaves = data_.motions.leaves_of(data_.motions.motions[state.motion]);
        return std::none_of(leaves.begin(), leaves.end(), [](const Leaf& l) { return l.loops && l.leads; });
    }

    enum class Kind { own, always };

    void compile_transition(const TransitionDefinition& definition, std::uint16_t owner, Kind kind,
                            const std::string& path) {
        const int machine = nodes_[owner].machine;
        Way way;
        way.compiled = compile_conditions(definition, machine, path);
        way.compiled.not_again = kind == Kind::always && !definition.again;
        way.compiled.draws_as = std::uint16_t(data_.transitions.size());
        compile_look(definition, machine, way, path);
        way.info.from = data_.states[owner].visible;
        way.info.condition = words_substituted(definition.when.value, machines_[std::size_t(machine)].arguments);
        way.info.when = words_for(definition, way);
        way.info.place = definition.place;
        // A one-shot that waits for a condition may loop until then.
        if (definition.if_it_ends && !can_end(owner)) { return; }
        if (way.compiled.at_end && kind == Kind::own && !can_end(owner)) {
            const bool machine_inside = data_.states[owner].kind == NodeKind::machine;
            context_.error(definition.place, "never-ends",
                           machine_inside
                               ? "this transition waits for the machine's end, and none of its states is a last one: "
                                 "one without 'go', whose clip ends"
                               : "this transition waits for the motion's end, and the motion loops; add 'when: "
                                 "CONDITION', or play the clip with 'loop: no'",
                           path);
        }
        if (definition.to.empty()) {
            if (definition.place.line == 0) {
                context_.error({}, "missing-key", "this transition leads nowhere", path);
            }
            return;
        }
        if (const auto target = find_target(definition.to, machine, path)) { add_ways(way, *target, 0); }
    }

    /// Adds the transition, or, where it leads to a junction, one for each branch: tried in order they do what the
    /// junction says, and a frame knows no junctions.
    void add_ways(const Way& way, const Target& target, std::size_t depth) {
        if (context_.too_many(data_.transitions.size(), "ways")) { return; }
        if (target.junction == nullptr) {
            Way added = way;
            added.compiled.target = target.node;
            added.info.to = data_.states[target.node].visible;
            add_thresholds(added.compiled);
            added.compiled.reads_state = reads_state(added.compiled.when) || reads_state(added.compiled.fade_by);
            data_.transitions.push_back(added.compiled);
            data_.transition_info.push_back(added.info);
            return;
        }
        const StateDefinition& junction = *target.junction;
        const Machine& machine = machines_[std::size_t(target.machine)];
        const UsesOf here(context_, machine.uses);
        const std::string junction_path = fmt::format("{}.states.{}", machine.path, junction.name.value);
        if (depth == deepest_junctions) {
            context_.error(junction.name.place, "circular-junction",
                           fmt::format("from '{}' junctions lead to one another in a circle, or more than {} deep",
                                       junction.name.value, deepest_junctions),
                           junction_path);
            return;
        }
        for (std::size_t b = 0; b < junction.junction.size(); ++b) {
            const BranchDefinition& branch = junction.junction[b];
            const std::string own = fmt::format("{}.junction[{}]", junction_path, b);
            Way next = way;
            if (!branch.when.empty()) {
                const CodeRange code = context_.expression(
                    branch.when, ValueType::flag, CompileContext::StateReadings::allowed, machine.arguments, own);
                next.compiled.when = context_.both(way.compiled.when, code);
                const std::string text = words_substituted(branch.when.value, machine.arguments);
                next.info.when += (next.info.when.empty() ? "" : "; ") + text;
                next.info.condition =
                    next.info.condition.empty() ? text : fmt::format("({}) and ({})", next.info.condition, text);
            }
            if (branch.fade) {
                next.compiled.fade = next.info.fade = checked_fade(*branch.fade, own);
                next.compiled.fade_by = {};
                next.info.fade_by.clear();
            }
            if (branch.to.empty()) { continue; }
            if (const auto to = find_target(branch.to, target.machine, own)) { add_ways(next, *to, depth + 1); }
        }
    }

    CompiledTransition compile_conditions(const TransitionDefinition& definition, int machine,
                                          const std::string& path) {
        const Arguments& arguments = machines_[std::size_t(machine)].arguments;
        CompiledTransition transition;
        transition.at_end = definition.at_end || definition.waits_for_end_alone();
        if (definition.after) {
            for (const Number& seconds : {definition.after->first, definition.after->second}) {
                if (!(seconds.value >= 0) || seconds.value > longest_after) {
                    context_.error(seconds.place, "wrong-range",
                                   fmt::format("'after' is 0 to {} seconds; found {}", longest_after, seconds.value),
                                   path);
                }
            }
            transition.after = definition.after->first.value;
            transition.after_more = definition.after->second.value - definition.after->first.value;
        }
        if (!definition.when.empty()) {
            transition.when = context_.expression(definition.when, ValueType::flag,
                                                  CompileContext::StateReadings::allowed, arguments, path + ".when");
        }
        if (!definition.signal.empty()) {
            const Text name = substituted(definition.signal, arguments);
            std::vector<std::string> known;
            for (const CompiledSignal& signal : data_.signals) { known.push_back(data_.parameters[signal.slot].name); }
            const auto found = std::find(known.begin(), known.end(), name.value);
            if (found == known.end()) {
                context_.unknown(name.place, "signal", name.value, known, path);
            } else {
                transition.signal = std::uint16_t(found - known.begin());
            }
        }
        transition.mark = named_moment(definition.at_mark, "mark", data_.mark_names, path);
        transition.span = named_moment(definition.inside, "span", data_.span_names, path);
        return transition;
    }

    std::uint16_t named_moment(const Text& name, const char* kind, const std::vector<std::string>& known,
                               const std::string& path) {
        if (name.empty()) { return nothing; }
        const auto found = std::find(known.begin(), known.end(), name.value);
        if (found != known.end()) { return std::uint16_t(found - known.begin()); }
        context_.unknown(name.place, kind, name.value, known, path);
        return nothing;
    }

    void compile_look(const TransitionDefinition& definition, int machine, Way& way, const std::string& path) {
        CompiledTransition& transition = way.compiled;
        const Arguments& arguments = machines_[std::size_t(machine)].arguments;
        if (!definition.fade_by.empty()) {
            transition.fade_by = context_.expression(definition.fade_by, ValueType::number,
                                                     CompileContext::StateReadings::allowed, arguments, path + ".fade");
            way.info.fade_by = words_substituted(definition.fade_by.value, arguments);
        }
        transition.fade = checked_fade(definition.fade, path);
        transition.ease = definition.ease;
        transition.style = definition.style;
        transition.settle = definition.settle;
        way.info.fade = transition.fade;
        way.info.ease = definition.ease;
        way.info.style = definition.style;
        const std::string& where = definition.enter_at.value;
        if (where.empty()) { return; }
        double fraction = 0;
        const auto [end, problem] = std::from_chars(where.data(), where.data() + where.size(), fraction);
        if (problem == std::errc{} && end == where.data() + where.size()) {
            transition.enter_at = EnterAt::fraction;
            transition.enter_fraction = fraction;
            if (!(fraction >= 0) || fraction > 1) {
                context_.error(definition.enter_at.place, "wrong-range",
                               fmt::format("'enter_at' is a fraction of the motion, 0 to 1; found {}", where), path);
                transition.enter_fraction = 0;
            }
        } else if (where == "phase") {
            transition.enter_at = EnterAt::phase;
        } else if (where == "footfall") {
            transition.enter_at = EnterAt::footfall;
            context_.wants_footfalls = true;
        } else {
            transition.enter_at = EnterAt::mark;
            std::vector<std::string> known = data_.mark_names;
            known.insert(known.end(), {"phase", "footfall"});
            transition.enter_mark = named_moment(definition.enter_at, "mark", known, path);
        }
    }

    [[nodiscard]] static std::string words_for(const TransitionDefinition& definition, const Way& way) {
        std::string words = way.info.condition;
        const auto add = [&](const std::string& more) { words += (words.empty() ? "" : ", ") + more; };
        if (!definition.signal.empty()) { add("signal " + definition.signal.value); }
        if (definition.after) {
            const auto& [low, high] = *definition.after;
            add(low.value == high.value ? fmt::format("after {:g} s", low.value)
                                        : fmt::format("after {:g} to {:g} s", low.value, high.value));
        }
        if (!definition.at_mark.empty()) { add("at " + definition.at_mark.value); }
        if (!definition.inside.empty()) { add("inside " + definition.inside.value); }
        if (way.compiled.at_end) { add("at end"); }
        return words;
    }

    [[nodiscard]] bool reads_state(CodeRange range) const {
        const auto code = data_.instructions(range);
        return std::any_of(code.begin(), code.end(),
                           [](const Instruction& i) { return i.operation == Operation::reading; });
    }

    /// Finds comparisons of `state.left` or `state.elapsed` with a number: their instants split a step.
    void add_thresholds(CompiledTransition& transition) {
        transition.first_threshold = std::uint32_t(data_.thresholds.size());
        const auto code = data_.instructions(transition.when);
        for (std::size_t i = 0; i + 2 < code.size(); ++i) {
            const Operation comparison = code[i + 2].operation;
            const bool compares = comparison == Operation::less || comparison == Operation::less_equal ||
                                  comparison == Operation::greater || comparison == Operation::greater_equal;
            if (!compares) { continue; }
            for (const auto& [reading, constant] : {std::pair(code[i], code[i + 1]), std::pair(code[i + 1], code[i])}) {
                if (reading.operation != Operation::reading || constant.operation != Operation::constant) { continue; }
                const auto which = Reading(reading.slot);
                if (which == Reading::left || which == Reading::elapsed) {
                    data_.thresholds.push_back({which, constant.value});
                }
            }
        }
        transition.threshold_count = std::uint32_t(data_.thresholds.size()) - transition.first_threshold;
    }

    CompileContext& context_;
    MotionCompiler& motions_;
    CharacterData& data_;
    std::vector<Machine> machines_;
    std::vector<Node> nodes_;                    ///< beside the character's states
    std::map<std::string, std::uint16_t> alike_; ///< by layer and name
    std::vector<int> roots_;                     ///< the machine of each layer
    std::size_t layer_ = 0;                      ///< that is being compiled
};

} // namespace

void compile_layers(CompileContext& context, MotionCompiler& motions) {
    MachineCompiler(context, motions).run(context.document.layers);
}

} // namespace gait
