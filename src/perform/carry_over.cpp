#include "gait/carry_over.hpp"

#include "math/rotations.hpp"
#include "perform/blend_layers.hpp"
#include "perform/block_check.hpp"
#include "perform/block_of.hpp"
#include "perform/inertial_offset.hpp"
#include "perform/input_step.hpp"
#include "perform/machine_step.hpp"
#include "perform/named_nodes.hpp"
#include "perform/playheads.hpp"
#include "perform/shared_phase.hpp"
#include "perform/weights.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <optional>
#include <stdexcept>
#include <utility>

namespace gait {
namespace detail {
namespace {

/// The place of what is called so in a list; nothing where nothing is.
template <typename List, typename NameOf>
std::optional<std::size_t> place_of(const List& list, const std::string& name, NameOf name_of) {
    for (std::size_t i = 0; i < list.size(); ++i) {
        if (name_of(list[i]) == name) { return i; }
    }
    return std::nullopt;
}
template <typename List> std::optional<std::size_t> place_of(const List& list, const std::string& name) {
    return place_of(list, name, [](const auto& one) -> const KeptText& { return one.name; });
}

template <typename List, typename Same> bool all_alike(const List& a, const List& b, Same same) {
    return a.size() == b.size() && std::equal(a.begin(), a.end(), b.begin(), same);
}
template <typename List> bool names_alike(const List& a, const List& b) {
    return all_alike(a, b, [](const auto& x, const auto& y) { return x.name == y.name; });
}

bool joints_alike(const CharacterData& a, const CharacterData& b) {
    return all_alike(a.rig.joints, b.rig.joints,
                     [](const auto& x, const auto& y) { return x.name == y.name && x.parent == y.parent; });
}

/// Whether a block of the one means the same to the other: the same of everything that it counts and points to. What
/// they say of it, conditions and seconds, may differ.
bool same_shape(const CharacterData& a, const CharacterData& b) {
    const auto same_node = [&](const CompiledState& x, const CompiledState& y) {
        const Motion &motion_x = a.motions.motions[x.motion], &motion_y = b.motions.motions[y.motion];
        return x.kind == y.kind && x.layer == y.layer && x.level == y.level && x.parent == y.parent &&
               x.visible == y.visible && x.resume == y.resume && x.facts.first_leaf == y.facts.first_leaf &&
               x.facts.synced == y.facts.synced && motion_x.leaf_count == motion_y.leaf_count &&
               motion_x.term_count == motion_y.term_count &&
               (x.kind != NodeKind::pick || a.picks[x.selector].entries.size() == b.picks[y.selector].entries.size());
    };
    const auto same_leaf = [](const Leaf& x, const Leaf& y) {
        return x.clip == y.clip && x.loops == y.loops && x.synced == y.synced && x.strides == y.strides;
    };
    const auto same_parameter = [](const ParameterInfo& x, const ParameterInfo& y) {
        return x.name == y.name && x.kind == y.kind && x.of == y.of && x.computed == y.computed;
    };
    const auto same_computed = [](const ComputedParameter& x, const ComputedParameter& y) {
        return x.slot == y.slot && x.source == y.source;
    };
    const auto same_cursor = [](const CompiledCursor& x, const CompiledCursor& y) {
        return x.number == y.number && x.angle == y.angle;
    };
    return a.layout.bytes == b.layout.bytes && joints_alike(a, b) && names_alike(a.clip_info, b.clip_info) &&
           names_alike(a.layer_info, b.layer_info) && names_alike(a.state_info, b.state_info) &&
           names_alike(a.value_info, b.value_info) && a.smoothed == b.smoothed &&
           all_alike(a.parameters, b.parameters, same_parameter) && all_alike(a.computed, b.computed, same_computed) &&
           all_alike(a.cursors, b.cursors, same_cursor) && all_alike(a.states, b.states, same_node) &&
           all_alike(a.motions.leaves, b.motions.leaves, same_leaf);
}

/// Whether two motions play the same clips, in the same order.
bool same_clips(const CharacterData& a, const CompiledState& of_a, const CharacterData& b, const CompiledState& of_b) {
    const auto leaves_a = a.motions.leaves_of(a.motions.motions[of_a.motion]);
    const auto leaves_b = b.motions.leaves_of(b.motions.motions[of_b.motion]);
    return all_alike(leaves_a, leaves_b, [&](const Leaf& x, const Leaf& y) {
        return a.clip_info[x.clip].name == b.clip_info[y.clip].name;
    });
}

} // namespace

/// From one performer to another, whose character differs.
class CarryOver {
public:
    CarryOver(const Performer& from, Performer& to)
        : from_(from), to_(to), old_(from.character().data()), old_block_(block_of(from)), data_(to.character().data()),
          block_(block_of(to)), old_character_(from.character()) {}

    /// Everything, where that is possible.
    bool take_whole() {
        if (!same_shape(old_, data_)) { return false; }
        const std::size_t bytes = data_.layout.bytes;
        std::memcpy(static_cast<void*>(&block_.header()), &old_block_.header(), bytes);
        // Who entered what is told by the old one's transitions.
        block_.header().record_count = 0;
        block_.header().fingerprint = data_.fingerprint;
        if (data_.transition_info.size() != old_.transition_info.size()) {
            each_layer([](const PerformerBlock& own) {
                for (Instance& instance : own.layer().instances) { instance.entered_by = no_index; }
            });
        }
        return is_sound(data_, block_);
    }

    /// What has the same names. Returns the names of active states that are gone.
    std::vector<std::string> take_by_name() {
        take_header();
        Layers layers(data_, block_, nullptr);
        take_inputs_by_name();
        recompute_inputs(layers[0]);
        take_cursors(); // which begin where they are asked to be
        take_memories();
        std::vector<std::string> gone;
        for (std::size_t l = 0; l < data_.layers.size(); ++l) {
            const auto before = old_layer_of(l);
            if (before) { take_states(layers[l], *before, gone); }
        }
        look_at_layers(layers[0]);
        take_signals();
        return gone;
    }

    /// Conditions may hold now that did not, and the pose is another.
    void settle(double fade) {
        take_new_defaults();
        block_.header().moved = block_.header().to_compute = ~SlotSet{0};
        block_.header().inputs_settle = 1;
        Layers layers(data_, block_, nullptr);
        layers.each([](Frame& frame) {
            frame.layer.seconds_until_decision = 0;
            frame.layer.turned_down = 0;
            weigh_again(frame);
        });
        if (joints_alike(old_, data_)) {
            for (std::size_t l = 0; l < data_.layers.size(); ++l) {
                const auto before = old_layer_of(l);
                if (before) { smooth_over(block_.of_layer(l), old_block_.of_layer(*before), fade); }
            }
        }
        fill_rest(data_, {0, data_.layout.lanes}, {block_.pose(), data_.layout.lanes});
        evaluate_pose(data_, block_);
        if (joints_alike(old_, data_) && fade > 0) { smooth_joins(fade); }
    }

private:
    /// Where the document says otherwise now, and nobody has said anything.
    void take_new_defaults() {
        for (std::size_t p = 0; p < data_.parameters.size(); ++p) {
            const ParameterInfo& info = data_.parameters[p];
            const auto before = place_of(old_.parameters, info.name);
            if (!before || info.computed || old_.parameters[*before].kind != info.kind) { continue; }
            const float was = old_.parameters[*before].default_value;
            if (old_block_.raw()[*before] != was || info.default_value == was) { continue; }
            block_.raw()[p] = info.default_value;
            if (data_.smoothed_of[p] == no_index) { block_.smoothed()[p] = info.default_value; }
        }
    }

    template <typename Visit> void each_layer(Visit visit) {
        for (std::size_t l = 0; l < data_.layers.size(); ++l) { visit(block_.of_layer(l)); }
    }
    [[nodiscard]] std::optional<std::size_t> old_layer_of(std::size_t layer) const {
        return place_of(old_.layers, data_.layers[layer].name);
    }

    void take_header() {
        PerformerHeader& header = block_.header();
        const PerformerHeader& before = old_block_.header();
        header.time = before.time;
        header.seed = before.seed;
        header.scale = before.scale;
        header.game_moves = before.game_moves;
        header.detail.asked = data_.has_details ? before.detail.asked : DetailLevel{}; // come to anew
        if (header.detail.asked.lanes >= data_.layout.lanes) { header.detail.asked.lanes = 0; }
        header.faults = before.faults;
        header.next_serial = before.next_serial;
        header.started = 1;
        header.entered = 1;
        if (data_.feet.legs.size() != old_.feet.legs.size() || !joints_alike(old_, data_)) { return; }
        header.steps_since_planted = before.steps_since_planted;
        header.since_planted = before.since_planted;
        header.hips = before.hips;
        std::copy_n(old_block_.feet(), data_.feet.legs.size(), block_.feet());
    }

    void take_inputs_by_name() {
        for (std::size_t p = 0; p < data_.parameters.size(); ++p) {
            const ParameterInfo& info = data_.parameters[p];
            const auto before = place_of(old_.parameters, info.name);
            if (!before || old_.parameters[*before].kind != info.kind) { continue; }
            float value = old_block_.raw()[*before];
            if (info.kind == ParameterKind::choice) {
                const auto& words = old_.parameters[*before].of;
                const auto word = std::find(info.of.begin(), info.of.end(), words[std::size_t(value)]);
                if (word == info.of.end()) { continue; }
                value = float(word - info.of.begin());
            }
            block_.raw()[p] = within_range(info, value);
            block_.smoothed()[p] = block_.raw()[p];
            const std::uint16_t slot = data_.smoothed_of[p], old_slot = old_.smoothed_of[*before];
            if (slot == no_index) { continue; }
            begin_smoothed(data_, block_, p);
            if (old_slot == no_index) { continue; }
            block_.smoothed_states()[slot] = old_block_.smoothed_states()[old_slot];
            block_.smoothed()[p] = within_range(info, old_block_.smoothed()[*before]);
        }
    }
    void take_cursors() {
        for (std::size_t c = 0; c < data_.cursors.size(); ++c) {
            for (std::size_t o = 0; o < old_.cursors.size(); ++o) {
                if (!same_cursor(data_.cursors[c], old_.cursors[o])) { continue; }
                block_.cursor_states()[c] = old_block_.cursor_states()[o];
                block_.cursors()[c] = old_block_.cursors()[o];
            }
        }
    }
    [[nodiscard]] bool same_cursor(const CompiledCursor& now, const CompiledCursor& before) const {
        return data_.parameters[now.number].name == old_.parameters[before.number].name &&
               data_.parameters[now.angle].name == old_.parameters[before.angle].name;
    }

    /// What computed parameters remember.
    void take_memories() {
        for (std::size_t c = 0; c < data_.computed.size(); ++c) {
            const ComputedParameter& now = data_.computed[c];
            if (now.slot >= data_.parameters.size()) { continue; }
            for (std::size_t o = 0; o < old_.computed.size(); ++o) {
                const ComputedParameter& before = old_.computed[o];
                if (before.slot >= old_.parameters.size() || before.source != now.source ||
                    old_.parameters[before.slot].name != data_.parameters[now.slot].name) {
                    continue;
                }
                block_.memory()[c] = old_block_.memory()[o];
                block_.raw()[now.slot] = old_block_.raw()[before.slot];
                block_.smoothed()[now.slot] = old_block_.smoothed()[before.slot];
            }
        }
    }

    void take_signals() {
        PerformerHeader& header = block_.header();
        for (std::size_t s = 0; s < data_.signals.size(); ++s) {
            const std::string& name = data_.parameters[data_.signals[s].slot].name;
            for (std::size_t o = 0; o < old_.signals.size(); ++o) {
                if (old_.parameters[old_.signals[o].slot].name != name) { continue; }
                const SentSignal& before = old_block_.signals()[o];
                SentSignal& now = block_.signals()[s];
                now = before;
                now.pending = 0;
                for (std::size_t l = 0; l < data_.layers.size(); ++l) {
                    const auto layer = old_layer_of(l);
                    if (layer && ((before.pending >> *layer) & 1U) != 0) { now.pending |= std::uint16_t(1U << l); }
                }
                if (now.pending != 0 || now.wait_left > 0) { header.signals_live = 1; }
            }
        }
    }

    void take_states(Frame& frame, std::size_t old_layer, std::vector<std::string>& gone) {
        const PerformerBlock before = old_block_.of_layer(old_layer);
        const LayerHeader& was = before.layer();
        frame.layer.draws = was.draws;
        frame.layer.weight = was.weight;
        take_resumes_and_deals(frame.block.layer_index(), old_layer);
        std::optional<std::uint16_t> target;
        for (std::size_t level = was.depth; level-- > 0 && !target;) {
            const std::uint16_t node = was.path[level].node;
            if (!is_visible(old_, node)) { continue; }
            target = node_named(data_, frame.block.layer_index(), visible_name(old_, node));
            if (!target) { gone.push_back(old_character_.full_name(old_.states[node].visible)); }
        }
        if (!target) { return; }
        // What it leads others to it has done already.
        Layers* const others = std::exchange(frame.others, nullptr);
        enter(frame, *target, {});
        enter_same_entry(frame, was);
        frame.others = others;
        take_sides(frame.block, before);
        for (std::size_t level = 0; level < std::min(frame.layer.depth, was.depth); ++level) {
            ActiveNode& now = frame.layer.path[level];
            const ActiveNode& then = was.path[level];
            if (visible_name(data_, now.node) != visible_name(old_, then.node)) { break; }
            now.elapsed = then.elapsed;
            now.draw = then.draw;
        }
        take_playheads(frame, before);
    }

    /// Inside a pick or choose: the entry that plays what was played.
    void enter_same_entry(Frame& frame, const LayerHeader& was) {
        const CompiledState& played = old_.states[was.instances[was.instance_count - 1U].state];
        const std::uint16_t active = frame.layer.path[frame.layer.depth - 1U].node;
        if (is_visible(data_, active) || same_clips(data_, data_.states[active], old_, played)) { return; }
        for (std::size_t n = 0; n < data_.states.size(); ++n) {
            const CompiledState& other = data_.states[n];
            if (other.parent == data_.states[active].parent && other.kind == NodeKind::motion &&
                same_clips(data_, other, old_, played)) {
                return enter(frame, std::uint16_t(n), {});
            }
        }
    }

    void take_resumes_and_deals(std::size_t layer, std::size_t old_layer) {
        for (const CompiledState& state : data_.states) {
            if (state.layer != layer) { continue; }
            const auto before = node_named(old_, old_layer, data_.state_info[state.visible].name);
            if (!before) { continue; }
            const CompiledState& was = old_.states[*before];
            if (state.resume != no_index && was.resume != no_index) {
                const std::uint16_t left_in = old_block_.resumes()[was.resume];
                const auto same =
                    left_in == no_index ? std::nullopt : node_named(data_, layer, visible_name(old_, left_in));
                block_.resumes()[state.resume] = same.value_or(no_index);
            }
            if (state.kind == NodeKind::pick && was.kind == NodeKind::pick &&
                data_.picks[state.selector].entries.size() == old_.picks[was.selector].entries.size()) {
                block_.deals()[state.selector] = old_block_.deals()[was.selector];
            }
        }
    }

    /// How the layer joins those below it.
    void take_sides(const PerformerBlock& now, const PerformerBlock& before) {
        const Window reach = now.reach(), was = before.reach();
        if (!joints_alike(old_, data_) || reach.first != was.first || reach.lanes != was.lanes) { return; }
        const kernels::Hemispheres to = now.hemispheres(reach.first), from = before.hemispheres(reach.first);
        std::copy_n(from.sign, reach.lanes, to.sign);
        std::copy_n(from.agreement, reach.lanes, to.agreement);
        std::copy_n(from.turned, reach.lanes, to.turned);
        std::copy_n(before.side_turns().begin(), std::min(now.side_turns().size(), before.side_turns().size()),
                    now.side_turns().begin());
        if (now.carried() == before.carried() && now.carried() > 0) {
            std::copy_n(before.carry_side(0)[0], 2 * now.carried(), now.carry_side(0)[0]);
        }
        now.layer().turns_sides = before.layer().turns_sides;
        now.layer().shown = before.layer().shown;
    }

    void take_playheads(Frame& frame, const PerformerBlock& before) {
        const LayerHeader& was = before.layer();
        const Instance& played = was.instances[was.instance_count - 1U];
        const auto old_leaves = leaves_of(old_, played);
        Instance& active = frame.active();
        const auto leaves = leaves_of(data_, active);
        bool phase_placed = false;
        for (Playhead& playhead : frame.block.playing(active)) {
            const Leaf& leaf = leaves[playhead.leaf];
            for (const Playhead& then : before.playing(played)) {
                const Leaf& old_leaf = old_leaves[then.leaf];
                if (old_.clip_info[old_leaf.clip].name != data_.clip_info[leaf.clip].name) { continue; }
                const ClipPlace place = detail::place_of(old_, was, played, old_leaf, then);
                if (!leaf.synced) {
                    playhead.position = place.position;
                    playhead.loops = place.loops;
                } else if (!phase_placed) {
                    SharedPhase(frame).put(leaf, place.position);
                    phase_placed = true;
                }
            }
        }
        active.elapsed = played.elapsed;
        active.begun = 1;
        active.finished = played.finished;
    }

    /// How layers are laid over one another may have changed as well: masks, spaces, layers that came and went. What
    /// that does to a joint is laid on the layer that shows there the most, until all looks as it did.
    void smooth_joins(double fade) {
        Performer before = from_;
        before.unbend_legs();
        const PerformerBlock as_it_was = block_of(before);
        constexpr int rounds = 8;
        constexpr float unseen_turn = 2e-4F, unseen_move = 1e-5F; // radians and metres
        for (int round = 0; round < rounds; ++round) {
            const std::vector<std::vector<float>> shares = shares_of_layers();
            std::vector<std::vector<Vec3>> turns(data_.layers.size(), std::vector<Vec3>(data_.rig.joints.size()));
            std::vector<std::vector<Vec3>> moves(data_.layers.size(), std::vector<Vec3>(data_.moved.size()));
            std::vector<bool> needed(data_.layers.size());
            const auto most_shown = [&](std::size_t joint) {
                std::size_t most = 0;
                for (std::size_t l = 1; l < shares.size(); ++l) {
                    most = shares[l][joint] > shares[most][joint] ? l : most;
                }
                return most;
            };
            for (std::size_t j = 0; j < data_.rig.joints.size(); ++j) {
                Quat off = rotation_in(as_it_was, old_, j) * conjugate(rotation_in(block_, data_, j));
                if (off.w < 0) { off = -off; }
                const Vec3 turn = rotation_vector<double>(off);
                const std::size_t layer = most_shown(j);
                if (length(turn) < unseen_turn || !(shares[layer][j] > 0)) { continue; }
                turns[layer][j] = turn * (1 / shares[layer][j]);
                needed[layer] = true;
            }
            for (std::size_t m = 0; m < data_.moved.size(); ++m) {
                const MovedJoint& moved = data_.moved[m];
                const Vec3 off = moved_in(as_it_was, old_, moved) - moved_in(block_, data_, moved);
                const std::size_t layer = most_shown(moved.joint);
                if (length(off) < unseen_move || !(shares[layer][moved.joint] > 0)) { continue; }
                moves[layer][m] = off * (1 / shares[layer][moved.joint]);
                needed[layer] = true;
            }
            if (std::find(needed.begin(), needed.end(), true) == needed.end()) { return; }
            for (std::size_t l = 0; l < data_.layers.size(); ++l) {
                if (!needed[l]) { continue; }
                const PerformerBlock own = block_.of_layer(l);
                begin_fresh_offset(own, fade);
                lay_on_offset(data_, own, turns[l], moves[l]);
            }
            evaluate_pose(data_, block_);
        }
    }

    /// How much of each joint is each layer's to show now: [layer][joint].
    [[nodiscard]] std::vector<std::vector<float>> shares_of_layers() const {
        std::vector<std::vector<float>> shares(data_.layers.size(), std::vector<float>(data_.rig.joints.size(), 1));
        std::vector<float> left(data_.rig.joints.size(), 1);
        for (std::size_t l = data_.layers.size(); l-- > 0;) {
            const bool adds = data_.layers[l].mode == LayerMode::add;
            if (l > 0) { layer_cover(data_, block_.of_layer(l), shares[l]); }
            for (std::size_t j = 0; j < left.size(); ++j) {
                const float counts = adds ? 0 : shares[l][j];
                shares[l][j] = counts * left[j];
                left[j] *= 1 - counts;
            }
        }
        return shares;
    }

    /// An offset that begins now, with what is left of the one there is.
    void begin_fresh_offset(const PerformerBlock& own, double fade) {
        const LayerHeader& layer = own.layer();
        if (layer.offset_active != 0 && layer.offset_elapsed == 0) { return; }
        Performer as_now = to_;
        const PerformerBlock now = block_of(as_now, own.layer_index());
        capture_offset_from({data_, now}, data_, own, fade);
    }

    static Quat rotation_in(const PerformerBlock& block, const CharacterData& data, std::size_t joint) {
        const float* rows = block.pose() + joint;
        const std::size_t lanes = data.layout.lanes;
        return {rows[0], rows[lanes], rows[2 * lanes], rows[3 * lanes]};
    }
    static Vec3 moved_in(const PerformerBlock& block, const CharacterData& data, const MovedJoint& moved) {
        if (moved.row >= data.layout.pose_rows) { return {1, 1, 1}; } // no scale is kept where nothing scales
        const float* rows = block.pose() + moved.row * data.layout.lanes + moved.joint;
        return {rows[0], rows[data.layout.lanes], rows[2 * data.layout.lanes]};
    }

    /// What now looks different decays.
    void smooth_over(const PerformerBlock& now, const PerformerBlock& before, double fade) {
        constexpr double unseen_degrees = 0.01, unseen_metres = 1e-5, unseen_cover = 1e-4;
        const OtherLayer left{old_, before};
        const ShownDifference off = shown_difference(left, data_, now);
        if (off.degrees < unseen_degrees && off.metres < unseen_metres && off.cover < unseen_cover) { return; }
        if (!(fade > 0)) {
            now.layer().offset_active = 0;
            return;
        }
        capture_offset_from(left, data_, now, fade);
    }

    const Performer& from_;
    const Performer& to_;
    const CharacterData& old_;
    PerformerBlock old_block_;
    const CharacterData& data_;
    PerformerBlock block_;
    const Character& old_character_;
};

} // namespace detail

CarriedOver carry_over(const Performer& performer, std::shared_ptr<const Character> character, double fade) {
    if (!(fade >= 0 && fade <= longest_fade)) {
        throw std::invalid_argument("a performer is carried over in 0 to " + std::to_string(longest_fade) + " seconds");
    }
    performer.pose({}); // which is what it goes on from
    CarriedOver carried{Performer(std::move(character)), {}};
    if (performer.bytes().empty()) { return carried; } // it was moved from
    detail::CarryOver way(performer, carried.performer);
    if (!way.take_whole()) {
        carried.performer.reset();
        carried.gone = way.take_by_name();
    }
    way.settle(fade);
    return carried;
}

} // namespace gait
