#include "perform/shares.hpp"

#include "gait/ease.hpp"
#include "gait/eases.hpp"
#include "math/springs.hpp"

#include <algorithm>

namespace gait::detail {
namespace {

/// The part of the values of the motion `serial` that shows through those above it; 0 when it is gone.
double share_left(const LayerHeader& layer, std::uint32_t serial, double shift = 0) {
    if (layer.instances[0].serial != serial) { return 0; }
    double left = 1;
    for (std::size_t i = 1; i < layer.instance_count; ++i) {
        const Instance& instance = layer.instances[i];
        left *= instance.fade > 0 ? 1 - eased(instance.ease, (instance.elapsed + shift) / instance.fade) : 0;
    }
    return left;
}

} // namespace

void fill_faded_shares(const LayerHeader& layer, const Evaluation& what, InstanceShares& shares) {
    double rest = 1;
    for (std::size_t i = std::min<std::size_t>(layer.instance_count, what.last_instance); i-- > what.first_instance;) {
        const Instance& instance = layer.instances[i];
        const double elapsed = instance.elapsed + what.shift;
        const double own =
            i == what.first_instance || !(instance.fade > 0) ? 1.0 : eased(instance.ease, elapsed / instance.fade);
        shares[i] = float(rest * own);
        rest *= 1 - own;
    }
}

float offset_left(const LayerHeader& layer) {
    if (layer.offset_active == 0) { return 0; }
    return float(1 - eased(Ease::smooth, layer.offset_elapsed / double(layer.offset_seconds)));
}

float value_offset_left(const LayerHeader& layer) {
    return offset_left(layer) * float(share_left(layer, layer.offset_serial));
}

Coverage covered_by_offset(const LayerHeader& layer, double shift) {
    if (layer.offset_active == 0) { return {}; }
    const double share = share_left(layer, layer.offset_serial, shift), elapsed = layer.offset_elapsed + shift;
    const auto left = [&](float start, float velocity) {
        return float(share * decayed(OffsetCurve{start, velocity}, double(layer.offset_seconds), elapsed));
    };
    return {left(layer.offset_covered.masked, layer.offset_uncovers.masked),
            left(layer.offset_covered.whole_body, layer.offset_uncovers.whole_body)};
}

void PoseShares::leave_out_nothing(const CharacterData& data, const PerformerBlock& block, const Evaluation& what) {
    const LayerHeader& layer = block.layer();
    const CompiledLayer& own = data.layers[block.layer_index()];
    const std::size_t last = std::min<std::size_t>(layer.instance_count, what.last_instance);
    covered = {};
    std::size_t newest = last;
    for (std::size_t i = what.first_instance; i < last; ++i) {
        const CompiledState& state = data.states[layer.instances[i].state];
        if (data.motions.motions[state.motion].nothing) {
            share[i] = 0;
            continue;
        }
        newest = i;
        covered.add(state.whole_body, share[i]);
    }
    plain = !(covered.whole_body > 0);
    if (own.mode == LayerMode::add) { return; }
    if (what.folded != nullptr) {
        folded = *what.folded;
    } else if (what.with_offset && layer.offset_active != 0) {
        folded = covered_by_offset(layer, what.shift);
    }
    // What was folded may have covered less than what stays: then it only takes from the cover.
    const Coverage counts = folded.positive();
    plain = plain && counts.total() == 0;
    const float all = covered.masked + covered.whole_body + counts.masked + counts.whole_body;
    if (all > 0) {
        if (all == 1) { return; }
        scale = 1 / all;
        for (float& one : share) { one *= scale; }
    } else if (newest < last) {
        // Only just entered, it shows what it will be.
        share[newest] = 1;
    }
}

} // namespace gait::detail
