#include "character/derive.hpp"

#include "math/model_kernels.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <tuple>
#include <utility>

namespace gait::detail {

void lay_out_rig(CharacterData& data) {
    const std::size_t joints = data.rig.joints.size(), lanes = round_up(joints, lane_padding);
    data.moved_before.assign(lanes / lane_padding + 1, 0);
    for (const MovedJoint& moved : data.moved) {
        for (std::size_t block = moved.joint / lane_padding + 1; block < data.moved_before.size(); ++block) {
            ++data.moved_before[block];
        }
    }
    KeptList<int> levels(data.memory.get());
    levels.reserve(joints);
    data.level_order.reserve(joints);
    data.parents.reserve(lanes);
    data.inverse_bind.reserve(joints * 16);
    for (const Joint& joint : data.rig.joints) {
        levels.push_back(joint.parent < 0 ? 0 : levels[std::size_t(joint.parent)] + 1);
        data.level_order.push_back(std::uint16_t(levels.size() - 1));
        data.parents.push_back(std::int16_t(joint.parent));
        data.inverse_bind.insert(data.inverse_bind.end(), std::begin(joint.inverse_bind.elements),
                                 std::end(joint.inverse_bind.elements));
    }
    data.parents.resize(lanes, -1);
    std::sort(data.level_order.begin(), data.level_order.end(), [&](std::uint16_t a, std::uint16_t b) {
        const auto key = [&](std::uint16_t joint) {
            return std::tuple(joint / kernels::level_order_chunk, levels[joint], joint);
        };
        return key(a) < key(b);
    });
    data.rest.assign((data.scales ? 6 : 3) * lanes, 0.0F);
    for (std::size_t j = 0; j < joints; ++j) {
        const Transform& rest = data.rig.joints[j].rest;
        const std::array<float, 6> values{rest.translation.x, rest.translation.y, rest.translation.z,
                                          rest.scale.x,       rest.scale.y,       rest.scale.z};
        for (std::size_t row = 0; row < (data.scales ? 6U : 3U); ++row) { data.rest[row * lanes + j] = values[row]; }
    }
}

namespace {

/// The bit of the 64th of a round that a place is in, in rounds.
std::uint64_t moment_bit(double place) {
    if (!(std::fabs(place) < 0x1p40)) { return ~std::uint64_t{0}; } // it may be anywhere
    return std::uint64_t{1} << (std::size_t((place - std::floor(place)) * 64) % 64);
}

/// Notes roughly where its marks and the ends of its spans are.
void note_moments(const CharacterData& data, Leaf& leaf) {
    const PhaseWarp& warp = data.motions.warp_of(leaf);
    leaf.cycles_a_stride = 1.0 / warp.strides();
    const auto note = [&](double place) {
        for (const double off : {-1e-4, 1e-4}) { // to both sides of a border between two
            leaf.moments |= moment_bit(place + off);
            leaf.phase_moments |= moment_bit(warp.strides_at(place) * leaf.cycles_a_stride + off);
        }
    };
    for (const PlacedMark& mark : data.clip_events[leaf.clip].marks) { note(mark.at); }
    for (const PlacedSpan& span : data.clip_events[leaf.clip].spans) {
        note(span.from);
        note(span.to);
    }
}

} // namespace

void connect_leaves(CharacterData& data) {
    for (Leaf& leaf : data.motions.leaves) {
        note_moments(data, leaf);
        leaf.sampled = leaf.additive != no_index ? &data.additives[leaf.additive] : &data.clips[leaf.clip];
        leaf.frames = ClipFrames(*leaf.sampled);
        // Most clips move one joint alone, the hips.
        const SparseRows& rows = leaf.sampled->moving_translations;
        if (leaf.frames.moves != ClipFrames::has_moving_translations || rows.joints.size() != 1) { continue; }
        leaf.moving = rows.values.data();
        leaf.moving_at = rows.moved.front();
    }
}

void sort_computed(CharacterData& data) {
    for (std::size_t c = 0; c < data.computed.size(); ++c) {
        const ComputedParameter& computed = data.computed[c];
        const bool follows = computed.slot < data.parameters.size() && data.smoothed_of[computed.slot] != no_index;
        if (!computed.by_values || follows) { data.timed.push_back(std::uint16_t(c)); }
        const bool waits_for_layers = computed.source == ParameterSource::layer_state;
        if ((!computed.by_values && !waits_for_layers) || follows) { data.ticking.push_back(std::uint16_t(c)); }
        const bool edge = computed.source == ParameterSource::rises || computed.source == ParameterSource::falls;
        if (edge || computed.counts_presses) { data.edges.push_back(std::uint16_t(c)); }
        data.computed_reads |= computed.reads;
    }
    for (const CompiledCursor& cursor : data.cursors) {
        data.cursors_read |= slot_set(cursor.number) | slot_set(cursor.angle);
    }
}

void sort_transitions(CharacterData& data) {
    data.timed_transitions.reserve(data.transitions.size());
    for (CompiledState& state : data.states) {
        state.timed.first = std::uint16_t(data.timed_transitions.size());
        for (std::size_t t = 0; t < state.transitions.count; ++t) {
            const auto index = std::uint16_t(state.transitions.first + t);
            const CompiledTransition& transition = data.transitions[index];
            if (transition.by_values) { continue; }
            data.timed_transitions.push_back(index);
            const bool fade_tells = transition.at_end && !transition.fade_by.empty();
            if (transition.waits_for_moment() || fade_tells) { state.timed_reads |= transition.reads; }
        }
        state.timed.count = std::uint16_t(data.timed_transitions.size() - state.timed.first);
    }
}

void note_motions(CharacterData& data) {
    for (CompiledState& state : data.states) {
        if (state.kind != NodeKind::motion) { continue; }
        const Motion& motion = data.motions.motions[state.motion];
        const auto leaves = data.motions.leaves_of(motion);
        const bool travels = std::any_of(leaves.begin(), leaves.end(), [&](const Leaf& leaf) {
            return leaf.additive == no_index && data.clips[leaf.clip].travel.travels;
        });
        state.facts.moves_body = !state.game_moves && (motion.paced || travels);
        // No turn that is added does.
        state.facts.keeps_side = std::all_of(
            leaves.begin(), leaves.end(), [](const Leaf& leaf) { return leaf.adds_nothing || leaf.frames.keeps_side; });
    }
}

void note_layers(CharacterData& data) {
    for (const CompiledState& state : data.states) {
        if (state.facts.synced) { data.layers[state.layer].has_synced = true; }
        data.decisions_read |= state.facts.reads;
    }
}

void note_pose_lines(CharacterData& data) {
    const std::size_t lanes = data.layout.lanes, first_line = data.layout.pose / cache_line;
    constexpr std::size_t rotation_rows = 4, a_line = lane_padding;
    static_assert(a_line * sizeof(float) == cache_line);
    KeptList<std::uint32_t> lines(data.memory.get());
    lines.reserve(rotation_rows * lanes / a_line + 3 * data.moved.size());
    const auto write = [&](std::size_t from, std::size_t end) { // floats of the pose
        for (std::size_t line = from / a_line; line * a_line < end; ++line) {
            lines.push_back(std::uint32_t(first_line + line));
        }
    };
    write(0, rotation_rows * lanes);
    for (const MovedJoint& moved : data.moved) {
        for (std::size_t row = moved.row; row < moved.row + 3U; ++row) {
            write(row * lanes + moved.joint, row * lanes + moved.joint + 1);
        }
    }
    std::sort(lines.begin(), lines.end());
    lines.erase(std::unique(lines.begin(), lines.end()), lines.end());
    data.layout.lines_of_pose = std::move(lines);
}

void note_carried(CharacterData& data) {
    for (CompiledLayer& layer : data.layers) {
        if (layer.mask == no_index) { continue; }
        const AlignedFloats& mask = data.masks[layer.mask];
        KeptList<std::uint8_t> rises(data.rig.joints.size(), data.memory.get()); // from the root down to each joint
        for (std::size_t joint = 0; joint < rises.size(); ++joint) {
            const int parent = data.parents[joint];
            const bool more =
                parent < 0 || (rises[std::size_t(parent)] != 0 && mask[joint] >= mask[std::size_t(parent)]);
            rises[joint] = more ? 1 : 0;
            layer.carries = layer.carries || (!more && (mask[joint] > 0 || layer.has_whole_body));
        }
    }
}

namespace {

/// The nodes inside a node, itself the first: they stand in a row.
std::size_t nodes_in(const CharacterData& data, std::size_t node) {
    const auto& states = data.states;
    std::size_t end = node + 1;
    while (end < states.size() && states[end].layer == states[node].layer && states[end].level > states[node].level) {
        ++end;
    }
    return end - node;
}

/// Whether two nodes hold the same nodes in the same order, so that what is active in the one can go on in the
/// other.
bool are_twins(const CharacterData& data, std::size_t a, std::size_t b) {
    const std::size_t count = nodes_in(data, a);
    if (nodes_in(data, b) != count) { return false; }
    const auto same_place = [&](std::uint16_t of_a, std::uint16_t of_b) {
        return std::size_t(of_a) - a == std::size_t(of_b) - b;
    };
    for (std::size_t i = 0; i < count; ++i) {
        const CompiledState &one = data.states[a + i], &other = data.states[b + i];
        if (one.kind != other.kind || (i > 0 && !same_place(one.parent, other.parent))) { return false; }
        if (one.kind == NodeKind::motion && one.motion != other.motion) { return false; }
        if (one.kind == NodeKind::pick) {
            const auto &of_one = data.picks[one.selector].entries, &of_other = data.picks[other.selector].entries;
            const auto alike = [&](const auto& x, const auto& y) { return same_place(x.node, y.node); };
            if (!std::equal(of_one.begin(), of_one.end(), of_other.begin(), of_other.end(), alike)) { return false; }
        }
        if (one.kind == NodeKind::choose) {
            const auto &of_one = data.chooses[one.selector].nodes, &of_other = data.chooses[other.selector].nodes;
            if (!std::equal(of_one.begin(), of_one.end(), of_other.begin(), of_other.end(), same_place)) {
                return false;
            }
        }
    }
    return true;
}

} // namespace

void keep_true_twins(CharacterData& data) {
    KeptMap<std::uint16_t, std::size_t> first_of(data.memory.get());
    for (std::size_t node = 0; node < data.states.size(); ++node) {
        std::uint16_t& shared = data.states[node].shared_motion;
        if (shared == no_index) { continue; }
        const auto [first, is_first] = first_of.try_emplace(shared, node);
        if (!is_first && !are_twins(data, first->second, node)) { shared = no_index; }
    }
}

} // namespace gait::detail
