#include "perform/body_travel.hpp"

#include "perform/channel_profiles.hpp"
#include "perform/playheads.hpp"

#include <algorithm>

namespace gait::detail {
namespace {

/// How much of a clip's weight counts where the travel is: at the rig's root.
double root_part(const CharacterData& data, const PerformerBlock& block, const Instance& instance, const Leaf& leaf) {
    if (leaf.channel == 0) { return 1; }
    ChannelProfiles profiles(data, block, instance, {0, 1});
    const float* of_leaf = profiles.of(leaf.channel);
    return of_leaf == nullptr ? 1.0 : double(*of_leaf);
}

/// Sums over some seconds what instances have of the body's way; `own(leaf, playhead, follows)` is a clip's own in
/// full, which may follow the shared phase.
template <typename Own>
ClipTravel sum_up(const CharacterData& data, const PerformerBlock& block, const Evaluation& what, double seconds,
                  Own own) {
    const LayerHeader& layer = block.layer();
    const auto shares = instance_shares(layer, what);
    ClipTravel sum;
    const std::size_t last = std::min<std::size_t>(layer.instance_count, what.last_instance);
    for (std::size_t i = what.first_instance; i < last; ++i) {
        const Instance& instance = layer.instances[i];
        const CompiledState& state = data.states[instance.state];
        const Motion& motion = data.motions.motions[state.motion];
        const bool claims = block.layer_index() == 0 ||
                            (!motion.nothing && (data.layers[block.layer_index()].takes_travel || state.takes_travel));
        if (!(shares[i] > 0) || !claims) { continue; }
        sum.claim += double(shares[i]);
        if (state.game_moves) { continue; }
        const auto leaves = data.motions.leaves_of(motion);
        if (motion.paced) {
            const VelocityCorrection& correction = block.velocity_correction(instance);
            sum.twist.x -= double(shares[i]) * double(correction.right) * seconds;
            sum.twist.z += double(shares[i]) * double(correction.ahead) * seconds;
        }
        for (const Playhead& playhead : block.playing(instance)) {
            const Leaf& leaf = leaves[playhead.leaf];
            if (!data.clips[leaf.clip].travel.travels || leaf.additive != no_index) { continue; }
            const double weight = double(shares[i]) * double(playhead.weight) * root_part(data, block, instance, leaf);
            const BodyStep way = own(leaf, playhead, follows_phase(instance, leaf));
            sum.twist = {sum.twist.x + weight * way.x, sum.twist.y + weight * way.y, sum.twist.z + weight * way.z,
                         sum.twist.yaw + weight * way.yaw};
            sum.share += weight;
        }
    }
    return sum;
}

/// Cycles a second, also where a motion stands still to be left: the body goes on as it went.
double cycles_a_second(const Leaf& leaf, const Playhead& playhead) { return leaf.rate * double(playhead.pace); }

} // namespace

ClipTravel travel_of_clips(const CharacterData& data, const PerformerBlock& block, const Evaluation& what,
                           TimeAhead time, PhaseStep phase) {
    return sum_up(data, block, what, time.dt, [&](const Leaf& leaf, const Playhead& playhead, bool follows) {
        const double speed = cycles_a_second(leaf, playhead);
        double from = playhead.position + time.begin * speed, to = from + time.dt * speed;
        if (follows) {
            const PhaseWarp& warp = data.motions.warp_of(leaf);
            from = warp.place(phase.from);
            to = warp.place(phase.to);
        }
        if (!leaf.loops) {
            from = std::clamp(from, 0.0, 1.0);
            to = std::clamp(to, 0.0, 1.0);
        }
        return travel_between(data.clips[leaf.clip].travel, from, to);
    });
}

ClipTravel travel_velocity(const CharacterData& data, const PerformerBlock& block, const Evaluation& what) {
    const double strides = strides_of(block.layer());
    const double cadence =
        plays_synced(data, block.layer()) ? PhaseClock(data, block, what).speed(strides) : 0; // strides a second
    return sum_up(data, block, what, 1, [&](const Leaf& leaf, const Playhead& playhead, bool follows) -> BodyStep {
        double position = playhead.position, speed = cycles_a_second(leaf, playhead);
        if (follows) {
            const PhaseWarp::Point place = data.motions.warp_of(leaf).at(strides);
            position = place.place;
            speed = cadence * place.slope;
        }
        const bool has_ended = !leaf.loops && (speed > 0 ? position >= 1 : position <= 0);
        return has_ended ? BodyStep{} : scaled(travel_speed(data.clips[leaf.clip].travel, position), speed);
    });
}

namespace {

/// What the offset's decay, from 1 to 0, comes to over some time, seconds: the integral of its quintic.
double decay_over(const LayerHeader& layer, TimeAhead time) {
    if (layer.offset_active == 0) { return 0; }
    const double seconds = double(layer.offset_seconds), from = layer.offset_elapsed + time.begin;
    const double to = std::min(from + time.dt, seconds);
    if (!(to > from)) { return 0; }
    const auto until = [&](double at) {
        const double u = at / seconds;
        return u - u * u * u * (10.0 / 3 - u * (5 - u * (3 - u * (2.0 / 3))));
    };
    return seconds * (until(to) - until(from));
}

} // namespace

ClipTravel travel_of_offset(const LayerHeader& layer, TimeAhead time) {
    const double decay = decay_over(layer, time);
    return {scaled(layer.offset_travel, decay), time.dt > 0 ? layer.offset_share * decay / time.dt : 0};
}

} // namespace gait::detail
