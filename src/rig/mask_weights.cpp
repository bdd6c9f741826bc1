#include "rig/mask_weights.hpp"

#include <algorithm>

namespace gait {

AlignedFloats mask_weights(const MaskDefinition& mask, const Rig& rig, DiagnosticSink& sink, const std::string& path) {
    AlignedFloats weights(round_up(rig.joints.size(), lane_padding), 0.0F);
    const auto find = [&](const Text& name) {
        const auto found = rig.find(name.value);
        if (!found) {
            std::vector<std::string> known;
            for (const Joint& joint : rig.joints) { known.push_back(joint.name); }
            sink.unknown(name.place, "joint", name.value, known, path);
        }
        return found;
    };
    if (const auto from = mask.from.empty() ? std::nullopt : find(mask.from)) {
        std::vector<int> below(rig.joints.size(), -1); // joints down the chain, `from` itself being the first
        for (std::size_t j = 0; j < rig.joints.size(); ++j) {
            const int parent = rig.joints[j].parent;
            if (int(j) == *from) {
                below[j] = 1;
            } else if (parent >= 0 && below[std::size_t(parent)] > 0) {
                below[j] = below[std::size_t(parent)] + 1;
            }
            if (below[j] > 0) { weights[j] = float(std::min(1.0, below[j] / std::max(1.0, mask.ramp.value))); }
        }
    }
    for (const auto& [name, weight] : mask.joints) {
        if (const auto joint = find(name)) { weights[std::size_t(*joint)] = float(weight.value); }
    }
    return weights;
}

} // namespace gait
