#include "perform/values.hpp"

#include <algorithm>
#include <optional>

namespace gait::detail {
namespace {

/// A number that the states of a layer give, and how much of the layer gives it.
struct GivenNumber {
    float sum = 0, part = 0;
};

GivenNumber number_of_layer(const CharacterData& data, const PerformerBlock& block, std::size_t value) {
    const LayerHeader& layer = block.layer();
    const std::size_t count = data.value_info.size();
    const auto shares = instance_shares(layer, {});
    GivenNumber given;
    for (std::size_t i = 0; i < layer.instance_count; ++i) {
        const std::size_t cell = layer.instances[i].state * count + value;
        if (block.layer_index() > 0 && data.state_gives[cell] == 0) { continue; }
        given.sum += shares[i] * data.state_values[cell];
        given.part += shares[i];
    }
    given.sum += block.value_offset()[value] * value_offset_left(layer);
    return given;
}

/// What switches: of the state that is entered, or of the one before until the middle of the fade. Nothing where the
/// layer has none.
std::optional<float> switch_of_layer(const CharacterData& data, const PerformerBlock& block, std::size_t value) {
    const LayerHeader& layer = block.layer();
    const ValueInfo& info = data.value_info[value];
    std::size_t i = layer.instance_count - 1U;
    while (info.at_middle && i > 0 && layer.instances[i].elapsed < layer.instances[i].fade / 2) { --i; }
    const Instance& instance = layer.instances[i];
    if (info.at_middle && instance.inertial != 0 && instance.elapsed < instance.fade / 2 && layer.offset_active != 0) {
        return block.value_offset()[value];
    }
    const std::size_t cell = instance.state * data.value_info.size() + value;
    if (block.layer_index() > 0 && (data.state_gives[cell] == 0 || !(layer.weight.value > 0))) { return std::nullopt; }
    return data.state_values[cell];
}

} // namespace

float summed_value(const CharacterData& data, const LayerHeader& layer, const Evaluation& what, std::size_t value) {
    const auto shares = instance_shares(layer, what);
    float sum = 0;
    for (std::size_t i = what.first_instance; i < std::min<std::size_t>(layer.instance_count, what.last_instance);
         ++i) {
        sum += shares[i] * data.state_values[layer.instances[i].state * data.value_info.size() + value];
    }
    return sum;
}

float value_now(const CharacterData& data, const PerformerBlock& block, std::size_t value) {
    float now = 0;
    for (std::size_t l = 0; l < data.layers.size(); ++l) {
        const PerformerBlock own = block.of_layer(l);
        if (data.value_info[value].kind == ParameterKind::number) {
            const GivenNumber given = number_of_layer(data, own, value);
            const auto weight = float(own.layer().weight.value);
            now = l == 0 ? given.sum : now * (1 - weight * given.part) + weight * given.sum;
        } else if (const auto given = switch_of_layer(data, own, value)) {
            now = *given;
        }
    }
    return now;
}

} // namespace gait::detail
