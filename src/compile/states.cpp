#include "compile/states.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait::detail {
namespace {

constexpr std::size_t most_pick_entries = 64;

} // namespace

int StateCompiler::add_layer(const MachineDefinition& machine, const std::string& path) {
    layer_ = data_.layers.size() - 1;
    return add_machine(machine, {}, {no_index, -1}, path, "");
}

int StateCompiler::add_machine(const MachineDefinition& definition, const Arguments& arguments, Around around,
                               const std::string& path, const std::string& prefix) {
    const int index = int(tree_.machines.size());
    StateTree::Machine machine;
    machine.definition = &definition;
    machine.arguments = arguments;
    machine.uses = context_.uses;
    machine.around = around.machine;
    machine.path = path;
    for (const StateDefinition& state : definition.states) {
        const std::string& name = state.name.value;
        if (!machine.by_name.try_emplace(name, machine.names.size()).second) {
            context_.error(state.name.place, "doubled-name", fmt::format("two states are called '{}'", name), path);
        }
        if (name.find('.') != std::string::npos) {
            context_.error(state.name.place, "wrong-name",
                           fmt::format("'{}' has a dot, which leads into a state's machine; leave it out", name), path);
        }
        machine.names.push_back(name);
    }
    tree_.machines.push_back(machine);
    if (definition.states.empty()) {
        context_.error(definition.place, "missing-key",
                       "this machine has no states; add 'states:' with a name and a 'play' each", path);
        return index;
    }
    for (const StateDefinition& state : definition.states) {
        tree_.machines[std::size_t(index)].nodes.push_back(no_index);
        if (context_.too_many(data_.states.size(), "states")) { continue; }
        if (state.junction.empty()) {
            const std::uint16_t node = add_state(state, index, around.node, path, prefix);
            tree_.machines[std::size_t(index)].nodes.back() = node;
        }
    }
    find_start(tree_.machines[std::size_t(index)]);
    return index;
}

void StateCompiler::find_start(StateTree::Machine& machine) {
    const MachineDefinition& definition = *machine.definition;
    const auto first =
        std::find_if(machine.nodes.begin(), machine.nodes.end(), [](std::uint16_t node) { return node != no_index; });
    machine.start = first == machine.nodes.end() ? std::uint16_t{0} : *first;
    if (definition.start.empty()) {
        context_.error(definition.place, "missing-start",
                       fmt::format("this machine does not say where it starts; add 'start: {}'", machine.names.front()),
                       machine.path);
        return;
    }
    const auto found = machine.by_name.find(definition.start.value);
    if (found == machine.by_name.end()) {
        context_.unknown(definition.start.place, "state", definition.start.value, machine.names, machine.path);
        return;
    }
    machine.start = machine.nodes[found->second];
    if (machine.start != no_index) { return; }
    machine.start = first == machine.nodes.end() ? std::uint16_t{0} : *first;
    // Else it was one state too many.
    const StateDefinition& start = definition.states[found->second];
    if (start.junction.empty()) { return; }
    machine.start_junction = &start;
    machine.start = branch_by_default(machine, start);
}

std::uint16_t StateCompiler::branch_by_default(const StateTree::Machine& machine, const StateDefinition& junction) {
    std::vector<float> defaults;
    for (const ParameterInfo& info : data_.parameters) { defaults.push_back(info.default_value); }
    defaults.push_back(0); // never of no length
    for (const BranchDefinition& branch : junction.junction) {
        const auto to = machine.by_name.find(branch.to.value);
        if (to == machine.by_name.end() || machine.nodes[to->second] == no_index) { continue; }
        const bool last = &branch == &junction.junction.back();
        if (last || branch.when.empty()) { return machine.nodes[to->second]; }
        const std::string path = machine.path + ".states." + junction.name.value;
        const CodeRange when = context_.expression(branch.when, ValueType::flag, CompileContext::StateReadings::allowed,
                                                   machine.arguments, path);
        if (evaluate(data_.instructions(when), {defaults.data(), defaults.data(), {}}) > 0.5F) {
            return machine.nodes[to->second];
        }
    }
    return machine.start;
}

std::uint16_t StateCompiler::add_node(std::uint16_t parent, StateTree::Node node) {
    CompiledState state;
    state.parent = parent;
    state.layer = std::uint8_t(layer_);
    if (parent != no_index) {
        const CompiledState& outer = data_.states[parent];
        state.level = std::uint8_t(outer.level + 1);
        state.visible = outer.visible;
        state.game_moves = outer.game_moves;
        state.whole_body = outer.whole_body;
        state.takes_travel = outer.takes_travel;
        state.live_inputs = outer.live_inputs;
    }
    if (state.level >= most_levels) {
        const Place place = node.definition != nullptr ? node.definition->name.place : Place{};
        context_.error(place, "too-deep", fmt::format("states nest deeper than {}", most_levels), node.path);
        state.level = most_levels - 1;
    }
    data_.states.push_back(state);
    tree_.nodes.push_back(std::move(node));
    return std::uint16_t(data_.states.size() - 1);
}

std::uint16_t StateCompiler::add_state(const StateDefinition& definition, int machine, std::uint16_t parent,
                                       const std::string& machine_path, const std::string& prefix) {
    const std::string path = fmt::format("{}.states.{}", machine_path, definition.name.value);
    const std::uint16_t index = add_node(parent, {&definition, machine, -1, path});
    CompiledState& state = data_.states[index];
    state.visible = std::uint16_t(data_.state_info.size());
    state.game_moves = state.game_moves || definition.game_moves;
    state.whole_body = state.whole_body || definition.whole_body;
    state.takes_travel = state.takes_travel || definition.takes_travel || definition.whole_body;
    state.live_inputs = state.live_inputs || definition.live_inputs;
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
    state.final = parent != no_index && definition.go.empty();
    StateInfo info;
    info.name = prefix + definition.name.value;
    info.place = definition.name.place;
    if (parent != no_index) { info.parent = data_.states[parent].visible; }
    info.layer = std::uint16_t(layer_);
    info.nothing = definition.play.nothing;
    info.machine = definition.machine || !definition.machine_name.empty();
    data_.state_info.push_back(info);
    if (info.machine) {
        add_inner_machine(definition, index, path, info.name + ".");
    } else if (definition.play.nothing) {
        data_.states[index].motion = motions_.nothing_at_all();
        // Nothing after nothing is the same nothing: what fades out above it goes on doing so.
        data_.states[index].shared_motion =
            alike_.try_emplace(fmt::format("{}", layer_), std::uint16_t(alike_.size())).first->second;
        if (layer_ == 0) {
            context_.error(definition.name.place, "wrong-layer",
                           fmt::format("below the lowest layer is nothing that could show; let '{}' play a clip",
                                       definition.name.value),
                           path);
        }
    } else if (definition.play.empty()) {
        context_.incomplete(definition.play.place, definition.name.place,
                            fmt::format("state '{}' plays nothing; add 'play: CLIP'", definition.name.value), path);
    } else {
        const Arguments arguments = tree_.machines[std::size_t(machine)].arguments;
        const ResolvedMotion resolved = motions_.resolve(definition.play, arguments, path + ".play");
        data_.states[index].shared_motion = named_alike(definition.play, resolved, arguments);
        add_motion(index, resolved, path + ".play");
    }
    if (definition.live_inputs) { check_live_inputs(definition, index, path); }
    return index;
}

void StateCompiler::check_live_inputs(const StateDefinition& definition, std::uint16_t index, const std::string& path) {
    // All that was added since stands inside it.
    const bool some_blend = std::any_of(data_.states.begin() + index, data_.states.end(), [&](const CompiledState& s) {
        return s.kind == NodeKind::motion && s.motion < data_.motions.motions.size() &&
               hangs_on_inputs(data_.motions.motions[s.motion]);
    });
    if (some_blend || has_errors(context_.sink.list())) { return; }
    context_.error(definition.name.place, "no-effect",
                   fmt::format("'inputs: live' lets blends follow their inputs while they are left, and '{}' plays "
                               "none; remove it",
                               definition.name.value),
                   path);
}

void StateCompiler::add_inner_machine(const StateDefinition& definition, std::uint16_t index, const std::string& path,
                                      const std::string& prefix) {
    data_.states[index].kind = NodeKind::machine;
    if (definition.resume) { data_.states[index].resume = std::uint16_t(context_.resumes++); }
    if (data_.states[index].level + 1U >= most_levels) {
        context_.error(definition.name.place, "too-deep", fmt::format("states nest deeper than {}", most_levels), path);
        return;
    }
    const int around = tree_.nodes[index].machine;
    Arguments arguments = tree_.machines[std::size_t(around)].arguments;
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
    tree_.nodes[index].inner = machine;
    data_.states[index].start = tree_.machines[std::size_t(machine)].start;
    data_.states[index].starts_here = inner->from_here;
}

const MachineDefinition* StateCompiler::named_machine(const Text& text, Arguments& arguments, const std::string& path) {
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

std::uint16_t StateCompiler::named_alike(const MotionDefinition& play, const ResolvedMotion& resolved,
                                         const Arguments& arguments) {
    const bool own_way =
        !play.rate.empty() || play.loop || play.sync != SyncMode::automatic || play.mirror || play.reverse;
    if (resolved.uses.empty() || own_way || resolved.definition == nullptr) { return no_index; }
    const std::string key = fmt::format("{} {}", layer_, words_substituted(play.clip.value, arguments));
    return alike_.try_emplace(key, std::uint16_t(alike_.size())).first->second;
}

void StateCompiler::add_motion(std::uint16_t index, const ResolvedMotion& resolved, const std::string& path) {
    if (resolved.definition != nullptr && resolved.definition->pick) {
        add_pick(index, resolved, path);
    } else if (resolved.definition != nullptr && resolved.definition->choose) {
        add_choose(index, resolved, path);
    } else {
        data_.states[index].motion = motions_.compile(resolved, path);
    }
}

std::uint16_t StateCompiler::add_entry(std::uint16_t around, const ResolvedMotion& resolved,
                                       const MotionDefinition& play, const std::string& path) {
    const std::uint16_t index = add_node(around, {nullptr, tree_.nodes[around].machine, -1, path});
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
        context_.incomplete(play.place, {}, "this entry plays nothing", path);
        return index;
    }
    if (data_.states[around].level + 2U >= most_levels) { return index; } // too deep, which was reported
    add_motion(index, inner, path);
    return index;
}

std::uint16_t StateCompiler::add_record(std::uint16_t index, const char* what, double fade) {
    TransitionInfo info;
    info.kind = TransitionKind::within;
    info.from = info.to = data_.states[index].visible;
    info.when = what;
    info.fade = fade;
    return tree_.add_record(std::move(info));
}

void StateCompiler::add_pick(std::uint16_t index, const ResolvedMotion& resolved, const std::string& path) {
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
    const double fade = checked_fade(context_, pick.fade, path);
    for (std::size_t e = 0; e < pick.of.size(); ++e) {
        const PickEntry& entry = pick.of[e];
        const std::string own = fmt::format("{}.of[{}]", path, e);
        CompiledPickEntry added;
        added.share = checked_share(pick.order, entry, own);
        added.least_loops = checked_loops(entry.loops.first, own);
        added.greatest_loops = std::max(added.least_loops, checked_loops(entry.loops.second, own));
        added.fade = entry.fade ? checked_fade(context_, *entry.fade, own) : fade;
        added.node = add_entry(index, resolved, entry.play, own);
        if (data_.states[added.node].kind == NodeKind::pick) {
            context_.error(entry.place, "wrong-shape", "a pick inside a pick never ends; write its entries here", own);
        }
        check_rounds(entry, data_.states[added.node], own);
        compiled.entries.push_back(added);
    }
    if (pick.between) {
        compiled.entries.push_back({add_entry(index, resolved, *pick.between, path + ".between"), 1, 1, 1, fade});
    }
    compiled.record = add_record(index, "the next of its pick", fade);
    data_.states[index].selector = std::uint16_t(data_.picks.size());
    data_.picks.push_back(std::move(compiled));
}

double StateCompiler::checked_share(PickOrder order, const PickEntry& entry, const std::string& path) {
    const double share = entry.share.value;
    const bool whole = order != PickOrder::in_turn || share == std::floor(share);
    if (share > 0 && share <= 1000 && whole) { return share; }
    context_.error(entry.share.place, "wrong-range",
                   whole ? fmt::format("a share is more than 0 and at most 1000; found {}", share)
                         : fmt::format("in turn, a share is how many times in a row; found {}", share),
                   path);
    return 1;
}

void StateCompiler::check_rounds(const PickEntry& entry, const CompiledState& node, const std::string& path) {
    if (entry.loops.first.place.line == 0 || node.kind != NodeKind::motion) { return; }
    const auto leaves = data_.motions.leaves_of(data_.motions.motions[node.motion]);
    const bool goes_round = std::any_of(leaves.begin(), leaves.end(), [](const Leaf& leaf) { return leaf.loops; });
    if (goes_round || leaves.empty()) { return; }
    context_.error(entry.loops.first.place, "no-effect",
                   "'loops' counts the rounds of a motion that loops, and this one is played once; write 'loop: yes' "
                   "beside it, or leave 'loops' out",
                   path);
}

int StateCompiler::checked_loops(const Number& loops, const std::string& path) {
    if (loops.value >= 1 && loops.value <= 10'000 && loops.value == std::floor(loops.value)) {
        return int(loops.value);
    }
    context_.error(loops.place, "wrong-range",
                   fmt::format("'loops' is a whole number of rounds from 1; found {}", loops.value), path);
    return 1;
}

std::vector<CompileContext::Use> StateCompiler::with(const std::vector<CompileContext::Use>& more) const {
    std::vector<CompileContext::Use> uses = context_.uses;
    uses.insert(uses.end(), more.begin(), more.end());
    return uses;
}

void StateCompiler::add_choose(std::uint16_t index, const ResolvedMotion& resolved, const std::string& path) {
    const ChooseDefinition& choose = *resolved.definition->choose;
    const UsesOf here(context_, with(resolved.uses));
    if (choose.of.empty()) {
        context_.error(resolved.definition->place, "missing-key", "a choose needs motions; add 'of:'", path);
        return;
    }
    data_.states[index].kind = NodeKind::choose;
    CompiledChoose compiled;
    compiled.fade = checked_fade(context_, choose.fade, path);
    if (choose.by.empty()) {
        choose_on_entry(index, resolved, compiled, path);
    } else {
        choose_by_value(index, resolved, compiled, path);
    }
    compiled.record = add_record(index, "its choose", compiled.fade);
    data_.states[index].selector = std::uint16_t(data_.chooses.size());
    data_.chooses.push_back(std::move(compiled));
}

void StateCompiler::choose_on_entry(std::uint16_t index, const ResolvedMotion& resolved, CompiledChoose& compiled,
                                    const std::string& path) {
    const ChooseDefinition& choose = *resolved.definition->choose;
    for (std::size_t e = 0; e < choose.of.size(); ++e) {
        const std::string own = fmt::format("{}.of[{}]", path, e);
        const Text& when = choose.of[e].when;
        compiled.when.push_back(when.empty()
                                    ? CodeRange{}
                                    : context_.expression(when, ValueType::flag, CompileContext::StateReadings::refused,
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

void StateCompiler::choose_by_value(std::uint16_t index, const ResolvedMotion& resolved, CompiledChoose& compiled,
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
    const auto values =
        found->kind == ParameterKind::flag ? std::vector<std::string>{"no", "yes"} : strings_of(found->of);
    compiled.by = std::uint16_t(found - parameters.begin());
    compiled.nodes.assign(values.size(), no_index);
    std::uint16_t otherwise = no_index;
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
        if (compiled.nodes[v] == no_index) { compiled.nodes[v] = otherwise; }
        if (compiled.nodes[v] == no_index) {
            context_.error(by.place, "missing-else",
                           fmt::format("nothing is played while '{}' is {}; add '{}: CLIP', or 'else: CLIP'", by.value,
                                       values[v], values[v]),
                           path);
            compiled.nodes[v] = index;
        }
    }
}

} // namespace gait::detail
