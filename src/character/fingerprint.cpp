#include "character/fingerprint.hpp"

#include "character/character_data.hpp"

#include <concepts>
#include <string_view>

namespace gait::detail {
namespace {

/// FNV-1a, 64 bits (Fowler, Noll and Vo 1991), over numbers least byte first and texts with their length.
class Hash {
public:
    template <std::integral Value> void add(Value value) {
        const auto bits = std::uint64_t(value);
        for (unsigned shift = 0; shift < 64; shift += 8) { add_byte(std::uint8_t(bits >> shift)); }
    }
    void add(std::string_view text) {
        add(text.size());
        for (const char c : text) { add_byte(std::uint8_t(c)); }
    }
    [[nodiscard]] std::uint64_t value() const { return value_; }

private:
    void add_byte(std::uint8_t byte) { value_ = (value_ ^ byte) * 1099511628211ULL; }
    std::uint64_t value_ = 14695981039346656037ULL;
};

} // namespace

std::uint64_t fingerprint_of(const CharacterData& data) {
    Hash hash;
    hash.add(data.layout.bytes);
    for (const Joint& joint : data.rig.joints) {
        hash.add(joint.name);
        hash.add(joint.parent);
    }
    for (const ParameterInfo& parameter : data.parameters) {
        hash.add(parameter.name);
        hash.add(int(parameter.kind));
        hash.add(parameter.computed);
        for (const KeptText& value : parameter.of) { hash.add(value); }
    }
    for (const ComputedParameter& computed : data.computed) {
        hash.add(computed.slot);
        hash.add(int(computed.source));
    }
    for (const CompiledSignal& signal : data.signals) { hash.add(signal.slot); }
    for (const LayerInfo& layer : data.layer_info) {
        hash.add(layer.name);
        hash.add(int(layer.mode));
        hash.add(int(layer.space));
    }
    for (const StateInfo& state : data.state_info) {
        hash.add(state.name);
        hash.add(state.layer);
    }
    for (const CompiledState& state : data.states) {
        hash.add(int(state.kind));
        hash.add(state.parent);
        hash.add(state.visible);
        hash.add(state.motion);
    }
    for (const CompiledTransition& transition : data.transitions) { hash.add(transition.target); }
    for (const TransitionInfo& transition : data.transition_info) {
        hash.add(transition.from);
        hash.add(transition.to);
    }
    for (const Motion& motion : data.motions.motions) {
        hash.add(motion.leaf_count);
        hash.add(motion.term_count);
    }
    for (const Leaf& leaf : data.motions.leaves) { hash.add(leaf.clip); }
    for (const SampledClip& clip : data.clips) { hash.add(clip.name); }
    for (const CompiledPick& pick : data.picks) { hash.add(pick.entries.size()); }
    for (const ValueInfo& value : data.value_info) { hash.add(value.name); }
    for (const MovedJoint& moved : data.moved) {
        hash.add(moved.joint);
        hash.add(moved.row);
    }
    return hash.value();
}

} // namespace gait::detail
