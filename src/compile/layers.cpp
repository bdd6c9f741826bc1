#include "compile/layers.hpp"

#include "compile/dependence.hpp"
#include "compile/states.hpp"
#include "compile/transitions.hpp"
#include "compile/values.hpp"
#include "perform/blend_layers.hpp"

#include <fmt/core.h>

#include <algorithm>

namespace gait::detail {
namespace {

class LayerCompiler {
public:
    LayerCompiler(CompileContext& context, MotionCompiler& motions, StateTree& tree)
        : context_(context), motions_(motions), tree_(tree), states_(context, motions, tree), data_(*context.data) {}

    void add_layer(const LayerDefinition& definition) {
        const std::string path = fmt::format("layers.{}", definition.name.value);
        const std::size_t index = data_.layers.size();
        if (index == most_layers) {
            return context_.error(
                definition.place, "too-many",
                fmt::format("a document has at most {} layers, those of its one-shots among them", most_layers),
                "layers");
        }
        const bool one_shots = index >= context_.first_one_shots;
        check_name(definition.name, one_shots, path);
        if (index == 0) { check_lowest(definition, path); }
        data_.layers.push_back(index == 0 ? lowest(definition) : laid_over(definition, path));
        data_.layer_info.push_back(info_of(definition, data_.layers.back()));
        data_.layer_info.back().one_shots = one_shots;
        if (definition.mode == LayerMode::add) { motions_.as_differences(definition.against, path + ".against"); }
        const std::size_t first = data_.states.size();
        const int root = states_.add_layer(definition.machine, path);
        motions_.as_poses();
        const StateTree::Machine& machine = tree_.machines[std::size_t(root)];
        if (machine.names.empty()) { return; }
        data_.layers.back().start = machine.start;
        find_needs(data_.layers.back(), first);
        tree_.roots.push_back(root);
    }

private:
    [[nodiscard]] static CompiledLayer lowest(const LayerDefinition& definition) {
        CompiledLayer layer;
        layer.name = definition.name.value;
        layer.mode = definition.mode;
        layer.space = definition.space;
        layer.takes_travel = definition.takes_travel;
        return layer;
    }

    /// With its mask and weight, which the lowest has not.
    [[nodiscard]] CompiledLayer laid_over(const LayerDefinition& definition, const std::string& path) {
        CompiledLayer layer = lowest(definition);
        if (!definition.mask.empty()) { layer.mask = motions_.mask_named(definition.mask, {}, path + ".mask"); }
        if (!definition.weight.empty()) {
            layer.weight.weight = context_.weight(definition.weight, {}, path + ".weight");
        }
        layer.weight.fade = checked_fade(context_, definition.fade, path);
        const std::size_t joints = context_.assets.rig ? context_.assets.rig->joints.size() : 0;
        if (layer.space == LayerSpace::model && joints > most_model_joints) {
            context_.error(definition.place, "too-many",
                           fmt::format("a layer in model space plays on rigs of at most {} joints, and this one has "
                                       "{}; write 'space: local'",
                                       most_model_joints, joints),
                           path);
        }
        return layer;
    }

    [[nodiscard]] LayerInfo info_of(const LayerDefinition& definition, const CompiledLayer& layer) const {
        LayerInfo info;
        info.name = layer.name;
        info.mask = definition.mask.value;
        info.weight = definition.weight.value;
        info.mode = layer.mode;
        info.space = layer.space;
        if (layer.mask < data_.masks.size() && context_.assets.rig) {
            const AlignedFloats& mask = data_.masks[layer.mask];
            info.mask_weights.assign(mask.begin(), mask.begin() + std::ptrdiff_t(context_.assets.rig->joints.size()));
        }
        return info;
    }

    /// What a performer needs for the layer, whose states are those from `first` on.
    void find_needs(CompiledLayer& layer, std::size_t first) const {
        for (std::size_t node = first; node < data_.states.size(); ++node) {
            const CompiledState& state = data_.states[node];
            if (state.kind != NodeKind::motion || state.motion >= data_.motions.motions.size()) { continue; }
            const Motion& motion = data_.motions.motions[state.motion];
            layer.needs.playing = std::max<std::size_t>(layer.needs.playing, motion.most_playing);
            layer.needs.terms = std::max<std::size_t>(layer.needs.terms, motion.term_count);
            layer.has_nothing = layer.has_nothing || motion.nothing;
            layer.has_whole_body = layer.has_whole_body || state.whole_body;
        }
        layer.needs.in_model = layer.space == LayerSpace::model;
        if (layer.mask >= data_.masks.size() || layer.has_whole_body || layer.space != LayerSpace::local) { return; }
        const AlignedFloats& mask = data_.masks[layer.mask];
        const auto covered = [](float weight) { return weight > 0; };
        const auto first_covered = std::find_if(mask.begin(), mask.end(), covered);
        const auto behind = std::find_if(mask.rbegin(), mask.rend(), covered);
        layer.needs.first_joint = std::size_t(first_covered - mask.begin());
        layer.needs.last_joint = mask.size() - std::size_t(behind - mask.rbegin());
    }

    /// Conditions ask for a layer by its name, but for those of one-shots.
    void check_name(const Text& name, bool one_shots, const std::string& path) {
        const auto& layers = data_.layers;
        if (std::any_of(layers.begin(), layers.end(), [&](const CompiledLayer& l) { return l.name == name.value; })) {
            context_.error(name.place, "doubled-name", fmt::format("two layers are called '{}'", name.value), path);
        }
        if (one_shots) { return; }
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

    CompileContext& context_;
    MotionCompiler& motions_;
    StateTree& tree_;
    StateCompiler states_;
    CharacterData& data_;
};

} // namespace

void compile_layers(CompileContext& context, MotionCompiler& motions) {
    StateTree tree(context);
    LayerCompiler compiler(context, motions, tree);
    for (const LayerDefinition& layer : context.document.layers) { compiler.add_layer(layer); }
    if (tree.roots.size() != context.document.layers.size()) { return; }
    compile_values(context, tree);
    compile_transitions(context, tree);
    compile_dependence(context, tree);
}

} // namespace gait::detail
