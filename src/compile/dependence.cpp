#include "compile/dependence.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::detail {
namespace {

class DependenceCompiler {
public:
    DependenceCompiler(CompileContext& context, StateTree& tree)
        : context_(context), tree_(tree), data_(*context.data) {}

    void run() {
        for (std::size_t node = 0; node < data_.states.size(); ++node) { compile_leads(std::uint16_t(node)); }
        for (const ForbidDefinition& forbid : context_.document.forbid) { compile_forbid(forbid); }
        order_layers();
        const auto& layers = context_.document.layers;
        for (std::size_t l = 0; l < layers.size(); ++l) { compile_steps(layers[l], l); }
        find_looked_at();
    }

private:
    void compile_leads(std::uint16_t index) {
        const StateTree::Node node = tree_.nodes[index];
        if (node.definition == nullptr || node.definition->leads.empty()) { return; }
        const UsesOf here(context_, tree_.machines[std::size_t(node.machine)].uses);
        const auto first = std::uint16_t(data_.leads.size());
        for (std::size_t l = 0; l < node.definition->leads.size(); ++l) {
            const LeadDefinition& definition = node.definition->leads[l];
            const std::string path = fmt::format("{}.leads[{}]", node.path, l);
            if (definition.layer.empty() || definition.to.empty()) { continue; }
            const auto layer = tree_.layer_named(definition.layer, path);
            if (!layer) { continue; }
            if (*layer == data_.states[index].layer) {
                context_.error(definition.layer.place, "wrong-layer",
                               "a state leads other layers; in its own write a transition", path);
                continue;
            }
            CompiledLead lead;
            const auto target = tree_.node_in_layer(*layer, definition.to, path);
            if (!target) { continue; }
            lead.target = *target;
            lead.fade = checked_fade(context_, definition.fade, path);
            if (!definition.when.empty()) {
                lead.when =
                    context_.expression(definition.when, ValueType::flag, CompileContext::StateReadings::refused,
                                        tree_.machines[std::size_t(node.machine)].arguments, path + ".when");
            }
            TransitionInfo info;
            info.kind = TransitionKind::lead;
            info.from = no_index;
            info.to = data_.states[*target].visible;
            info.when = "led by " + tree_.full_name(data_.states[index].visible);
            if (!definition.when.empty()) {
                info.when += ", " + words_substituted(definition.when.value,
                                                      tree_.machines[std::size_t(node.machine)].arguments);
            }
            info.fade = lead.fade;
            info.place = definition.place;
            lead.record = tree_.add_record(std::move(info));
            data_.leads.push_back(lead);
        }
        data_.states[index].leads.first = first;
        data_.states[index].leads.count = std::uint16_t(data_.leads.size() - first);
    }

    /// A group is a pair for each of its states.
    void compile_forbid(const ForbidDefinition& definition) {
        const std::string path = "forbid";
        if (definition.yields.empty() || definition.while_active.empty()) { return; }
        const auto rules = tree_.state_of_layer(definition.while_active, path);
        std::vector<std::uint16_t> yielding;
        std::optional<std::size_t> layer;
        if (definition.yields.value.find('.') == std::string::npos) {
            layer = tree_.layer_named(definition.yields, path);
            if (!layer) { return; }
            for (std::size_t node = 0; node < data_.states.size(); ++node) {
                const CompiledState& state = data_.states[node];
                const StateDefinition* known = tree_.nodes[node].definition;
                const bool empty = known != nullptr && known->play.nothing;
                if (state.layer == *layer && state.level == 0 && !empty) { yielding.push_back(std::uint16_t(node)); }
            }
        } else if (const auto node = tree_.state_of_layer(definition.yields, path)) {
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
            if (const auto node = tree_.node_in_layer(*layer, except, path)) { std::erase(yielding, *node); }
        }
        CompiledForbid forbid;
        forbid.rules = *rules;
        forbid.fade = checked_fade(context_, definition.fade, path);
        if (!definition.when.empty()) {
            forbid.when = context_.expression(definition.when, ValueType::flag, CompileContext::StateReadings::refused,
                                              {}, path + ".when");
        }
        forbid.to = data_.layers[*layer].start;
        if (!definition.to.empty()) {
            const auto to = tree_.node_in_layer(*layer, definition.to, path);
            if (!to) { return; }
            forbid.to = *to;
        }
        for (const std::uint16_t node : yielding) {
            if (context_.too_many(data_.forbidden.size(), "pairs that 'forbid' names")) { return; }
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
            info.when = fmt::format("not beside {}", tree_.full_name(data_.states[*rules].visible));
            if (!definition.when.empty()) { info.when += " while " + definition.when.value; }
            info.fade = forbid.fade;
            info.place = definition.place;
            forbid.record = tree_.add_record(std::move(info));
            data_.forbidden.push_back(forbid);
            data_.notes.forbid_conditions.push_back(definition.when.value);
        }
    }

    /// The layers decide as the document says, and those that it does not name after them, from the lowest up.
    void order_layers() {
        for (const Text& name : context_.document.decide) {
            const auto layer = tree_.layer_named(name, "decide");
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
        const auto leader = tree_.layer_named(name, path);
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

    /// The states that expressions ask for.
    void find_looked_at() {
        for (HiddenParameter& hidden : context_.hidden) {
            if (hidden.source != ParameterSource::layer_state) { continue; }
            if (const auto node = tree_.node_in_layer(hidden.layer, hidden.state, "conditions")) {
                hidden.node = *node;
            }
        }
    }

    CompileContext& context_;
    StateTree& tree_;
    CharacterData& data_;
};

} // namespace

void compile_dependence(CompileContext& context, StateTree& tree) { DependenceCompiler(context, tree).run(); }

} // namespace gait::detail
