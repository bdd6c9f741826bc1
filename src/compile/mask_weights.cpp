#include "compile/mask_weights.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <optional>

namespace gait::detail {
namespace {

class MaskCompiler {
public:
    MaskCompiler(const std::vector<MaskDefinition>& masks, const Rig& rig,
                 const std::vector<std::pair<int, int>>& mirrored, DiagnosticSink& sink)
        : masks_(masks), rig_(rig), mirrored_(mirrored), sink_(sink), states_(masks.size(), State::unseen),
          weights_(masks.size()) {
        for (const MaskDefinition& mask : masks) { names_.push_back(mask.name.value); }
        for (const Joint& joint : rig.joints) { joints_.push_back(joint.name); }
    }

    KeptList<AlignedFloats> run() {
        for (std::size_t m = 0; m < masks_.size(); ++m) {
            const AlignedFloats& weights = of(m);
            const bool catches = std::any_of(weights.begin(), weights.end(), [](float w) { return w > 0; });
            if (catches || !failed_.empty()) { continue; }
            sink_.error(
                masks_[m].name.place, "empty-mask",
                fmt::format("mask '{}' catches no joint; add 'from: JOINT', or 'joints: {{JOINT: 1}}'", names_[m]),
                path_of(m));
        }
        return std::move(weights_);
    }

private:
    enum class State { unseen, open, done };

    [[nodiscard]] std::string path_of(std::size_t mask) const { return "masks." + names_[mask]; }

    const AlignedFloats& of(std::size_t m) {
        if (states_[m] == State::done) { return weights_[m]; }
        const MaskDefinition& mask = masks_[m];
        if (states_[m] == State::open) {
            fail(mask.name.place, "circular-mask",
                 fmt::format("mask '{}' is made from itself; let one of the masks do without the others", names_[m]),
                 m);
            return weights_[m];
        }
        states_[m] = State::open;
        AlignedFloats weights(round_up(rig_.joints.size(), lane_padding), 0.0F);
        if (!mask.from.empty()) { from_joint(m, weights); }
        if (const AlignedFloats* other = named(mask.mirror_of, m)) { join(weights, swapped(*other)); }
        if (const AlignedFloats* other = named(mask.rest_of, m)) {
            AlignedFloats rest(weights.size(), 0.0F);
            for (std::size_t j = 0; j < rig_.joints.size(); ++j) { rest[j] = 1 - (*other)[j]; }
            join(weights, rest);
        }
        for (const Text& name : mask.joins) {
            if (const AlignedFloats* other = named(name, m)) { join(weights, *other); }
        }
        for (const Text& name : mask.without) {
            if (const AlignedFloats* other = named(name, m)) {
                for (std::size_t j = 0; j < weights.size(); ++j) { weights[j] *= 1 - (*other)[j]; }
            }
        }
        for (const auto& [name, weight] : mask.joints) {
            const auto joint = joint_named(name, m);
            if (!(weight.value >= 0) || weight.value > 1) {
                fail(weight.place, "wrong-range", fmt::format("a joint's part is 0 to 1; found {}", weight.value), m);
            } else if (joint) {
                weights[std::size_t(*joint)] = float(weight.value);
            }
        }
        weights_[m] = std::move(weights);
        states_[m] = State::done;
        return weights_[m];
    }

    void from_joint(std::size_t m, AlignedFloats& weights) {
        const auto from = joint_named(masks_[m].from, m);
        const Number& ramp = masks_[m].ramp;
        const bool ramp_fits = ramp.value >= 1 && ramp.value <= 100 && ramp.value == std::floor(ramp.value);
        if (!ramp_fits) {
            fail(ramp.place, "wrong-range",
                 fmt::format("'ramp' is a whole number of joints from 1 to 100; found {}", ramp.value), m);
        }
        if (!from || !ramp_fits) { return; }
        std::vector<int> below(rig_.joints.size(), -1); // joints down the chain, `from` itself being the first
        for (std::size_t j = 0; j < rig_.joints.size(); ++j) {
            const int parent = rig_.joints[j].parent;
            if (int(j) == *from) {
                below[j] = 1;
            } else if (parent >= 0 && below[std::size_t(parent)] > 0) {
                below[j] = below[std::size_t(parent)] + 1;
            }
            if (below[j] > 0) { weights[j] = float(std::min(1.0, below[j] / ramp.value)); }
        }
    }

    static void join(AlignedFloats& weights, const AlignedFloats& other) {
        for (std::size_t j = 0; j < weights.size(); ++j) { weights[j] = std::max(weights[j], other[j]); }
    }

    [[nodiscard]] AlignedFloats swapped(AlignedFloats weights) const {
        for (const auto& [left, right] : mirrored_) {
            std::swap(weights[std::size_t(left)], weights[std::size_t(right)]);
        }
        return weights;
    }

    /// Null when there is no such mask, which is reported, or when none is asked for.
    const AlignedFloats* named(const Text& name, std::size_t asking) {
        if (name.empty()) { return nullptr; }
        const auto found = std::find(names_.begin(), names_.end(), name.value);
        if (found == names_.end()) {
            failed_ = name.value;
            sink_.unknown(name.place, "mask", name.value, names_, path_of(asking));
            return nullptr;
        }
        const AlignedFloats& weights = of(std::size_t(found - names_.begin()));
        return weights.empty() ? nullptr : &weights;
    }

    std::optional<int> joint_named(const Text& name, std::size_t asking) {
        const auto found = rig_.find(name.value);
        if (!found) {
            failed_ = name.value;
            sink_.unknown(name.place, "joint", name.value, joints_, path_of(asking));
        }
        return found;
    }

    void fail(Place place, const char* code, std::string message, std::size_t mask) {
        failed_ = names_[mask];
        sink_.error(place, code, std::move(message), path_of(mask));
    }

    const std::vector<MaskDefinition>& masks_;
    const Rig& rig_;
    const std::vector<std::pair<int, int>>& mirrored_;
    DiagnosticSink& sink_;
    std::vector<State> states_;
    KeptList<AlignedFloats> weights_;
    std::vector<std::string> names_, joints_;
    std::string failed_; ///< what was wrong already, so that an empty mask is not said on top of it
};

} // namespace

KeptList<AlignedFloats> mask_weights(const std::vector<MaskDefinition>& masks, const Rig& rig,
                                     const std::vector<std::pair<int, int>>& mirrored, DiagnosticSink& sink) {
    return MaskCompiler(masks, rig, mirrored, sink).run();
}

} // namespace gait::detail
