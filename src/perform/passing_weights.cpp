#include "perform/passing_weights.hpp"

#include <algorithm>

namespace gait::detail {
namespace {

/// Whether some input that blends hang on is on its way.
bool inputs_move(const CharacterData& data, const PerformerBlock& block, const TermState* terms,
                 std::size_t term_count) {
    const auto moves = [](const auto& state) { return state.velocity != 0; };
    return std::any_of(block.smoothed_states(), block.smoothed_states() + data.smoothed.size(), moves) ||
           std::any_of(block.cursor_states(), block.cursor_states() + data.cursors.size(),
                       [](const CursorState& c) { return c.velocity[0] != 0 || c.velocity[1] != 0; }) ||
           std::any_of(terms, terms + term_count, moves);
}

/// Adds to the weights that clips have by what they change from `from` to `to`. False where a clip has weight there
/// that does not play: it has no place, so that nothing can be said.
bool change_weights(std::span<const Playhead> playing, const LeafWeights& from, const LeafWeights& to, float* weights) {
    const LeafWeight *old = from.begin(), *next = to.begin();
    for (const Playhead& playhead : playing) {
        float weight = playhead.weight;
        if (old != from.end() && old->leaf == playhead.leaf) { weight -= (old++)->weight; }
        if (next != to.end() && next->leaf == playhead.leaf) { weight += (next++)->weight; }
        *weights++ = std::max(0.0F, weight);
    }
    return old == from.end() && next == to.end();
}

} // namespace

PassingWeights::PassingWeights(const CharacterData& data, const PerformerBlock& block, const Evaluation& what,
                               double shift) {
    const LayerHeader& layer = block.layer();
    const std::size_t count = std::min<std::size_t>(layer.instance_count, what.last_instance);
    if (count == 0) { return; }
    const Instance& instance = layer.instances[count - 1];
    const Motion& motion = data.motions.motions[data.states[instance.state].motion];
    if (motion.leaf_count < 2 || instance.frozen != 0) { return; }
    // Where weights differ from joint to joint, what divides them is that of now.
    const std::size_t terms_that_move = motion.channel_count == 0 ? motion.term_count : 0;
    const TermState* terms = block.term_states(instance);
    if (!inputs_move(data, block, terms, terms_that_move)) { return; }
    const auto weigh_at = [&](double seconds, LeafWeights& weighed) {
        const InputSpeeds speeds{{data.smoothed_of.data(), data.smoothed_of.size()},
                                 block.smoothed_states(),
                                 block.cursor_states(),
                                 terms_that_move > 0 ? terms : nullptr,
                                 seconds};
        weigh(data.motions, motion,
              {block.smoothed(), block.cursors(), block.terms(instance), seconds != 0 ? &speeds : nullptr}, weighed);
    };
    const std::span<const Playhead> playing = block.playing(instance);
    LeafWeights given(block.most_playing()), then(block.most_playing());
    weigh_at(0, given);
    if (what.weighed_ahead > 0) {
        LeafWeights now(block.most_playing());
        weigh_at(-what.weighed_ahead, now);
        now_.differ = change_weights(playing, given, now, now_.of.data());
    }
    weigh_at(shift - (now_.differ ? what.weighed_ahead : 0), then);
    then_.differ = change_weights(playing, given, then, then_.of.data());
    // With only one of them the difference would be a speed.
    now_.differ = now_.differ && then_.differ;
}

} // namespace gait::detail
