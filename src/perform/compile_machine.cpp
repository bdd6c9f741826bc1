#include "perform/compile_machine.hpp"

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

    void run(const LayerDefinition& layer) {
        data_.layer_name = layer.name.value;
        const int root = add_machine(layer.machine, {}, {nothing, -1}, fmt::format("layers.{}", layer.name.value), "");
        if (machines_[std::size_t(root)].names.empty()) { return; }
        data_.start = machines_[std::size_t(root)].start;
        fill_values();
        for (std::size_t node = 0; node < data_.states.size(); ++node) { compile_ways(std::uint16_t(node)); }
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
        if (parent != nothing) {
            const CompiledState& outer = data_.states[parent];
            state.level = std::uint8_t(outer.level + 1);
            state.visible = outer.visible;
            state.game_moves = outer.game_moves;
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
        state.final = parent != nothing && definition.go.empty();
        StateInfo info;
        info.name = prefix + definition.name.value;
        info.place = definition.name.place;
        if (parent != nothing) { info.parent = data_.states[parent].visible; }
        info.machine = definition.machine || !definition.machine_name.empty();
        data_.state_info.push_back(info);
        if (info.machine) {
            add_inner_machine(definition, index, path, info.name + ".");
        } else if (definition.play.empty()) {
            if (definition.play.place.line == 0) {
                context_.error(definition.name.place, "missing-key",
                               fmt::format("state '{}' plays nothing; add 'play: CLIP'", definition.name.value), path);
            }
        } else {
            const Arguments arguments = machines_[std::size_t(machine)].arguments;
            add_motion(index, motions_.resolve(definition.play, arguments, path + ".play"), path + ".play");
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

    /// The transition that stands for changes inside a state.
    std::uint16_t add_record(std::uint16_t index, const char* what, double fade) {
        const std::uint16_t visible = data_.states[index].visible;
        TransitionInfo info;
        info.from = info.to = visible;
        info.when = what;
        info.fade = fade;
        info.within = true;
        data_.transitions.push_back({});
        data_.transition_info.push_back(info);
        return std::uint16_t(data_.transitions.size() - 1);
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
                data_.state_values.push_back(parent == nothing ? data_.value_info[v].default_value
                                                               : data_.state_values[parent * count + v]);
            }
            const StateDefinition* definition = nodes_[node].definition;
            if (definition == nullptr) { continue; }
            const UsesOf here(context_, machines_[std::size_t(nodes_[node].machine)].uses);
            for (const auto& [name, text] : definition->values) {
                if (const auto value = value_of(name, text, nodes_[node].path)) {
                    data_.state_values[node * count + value->first] = value->second;
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
    std::vector<Node> nodes_; ///< beside the character's states
};

} // namespace

void compile_machine(CompileContext& context, MotionCompiler& motions, const LayerDefinition& layer) {
    MachineCompiler(context, motions).run(layer);
}

} // namespace gait
