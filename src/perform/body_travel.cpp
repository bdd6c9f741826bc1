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

} // namespace

ClipTravel travel_of_clips(const CharacterData& data, const PerformerBlock& block, const Evaluation& what,
                           TimeAhead time, PhaseStep phase) {
    const double dt = time.dt;
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
            sum.twist.x -= double(shares[i]) * double(correction.right) * dt;
            sum.twist.z += double(shares[i]) * double(correction.ahead) * dt;
        }
        for (const Playhead& playhead : block.playing(instance)) {
            const Leaf& leaf = leaves[playhead.leaf];
            const TravelPath& travel = data.clips[leaf.clip].travel;
            if (!travel.travels || leaf.additive != no_index) { continue; }
            const double weight = double(shares[i]) * double(playhead.weight) * root_part(data, block, instance, leaf);
            // The body goes on as it went where a motion stands still to be left.
            const double speed = leaf.rate * double(playhead.pace);
            double from = playhead.position + time.begin * speed, to = from + dt * speed;
            if (follows_phase(instance, leaf)) {
                const PhaseWarp& warp = data.motions.warp_of(leaf);
                from = warp.place(phase.from);
                to = warp.place(phase.to);
            }
            if (!leaf.loops) {
                from = std::clamp(from, 0.0, 1.0);
                to = std::clamp(to, 0.0, 1.0);
            }
            const BodyStep own = travel_between(travel, from, to);
            sum.twist = {sum.twist.x + weight * own.x, sum.twist.y + weight * own.y, sum.twist.z + weight * own.z,
                         sum.twist.yaw + weight * own.yaw};
            sum.share += weight;
        }
    }
    return sum;
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

ClipTravel travel_velocity(const CharacterData& data, const PerformerBlock& block, const Evaluation& what) {
    const double strides = strides_of(block.layer());
    PhaseStep phase{strides, strides};
    if (plays_synced(data, block.layer())) { phase.to = PhaseClock(data, block, what).after(strides, velocity_step); }
    ClipTravel travel = travel_of_clips(data, block, what, {0, velocity_step}, phase);
    travel.twist = scaled(travel.twist, 1 / velocity_step);
    return travel;
}

} // namespace gait::detail
