#include "perform/frame.hpp"

#include "math/springs.hpp"
#include "perform/evaluate.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>

namespace gait {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
/// Instants closer than this are one.
constexpr double instant = 1e-9;
/// The least time an inertial offset gets to decay.
constexpr double least_offset_seconds = 0.05;

const Motion& motion_of(const CharacterData& data, const Instance& instance) {
    return data.motions.motions[data.states[instance.state].motion];
}

Instance& active(PerformerHeader& header) { return header.instances[header.instance_count - 1U]; }

/// Whether some motion follows the layer's shared phase.
bool plays_synced(const CharacterData& data, const PerformerHeader& header) {
    return std::any_of(header.instances.begin(), header.instances.begin() + header.instance_count,
                       [&](const Instance& i) { return motion_of(data, i).synced; });
}

/// Seconds until the motion's clips with weight have all ended; infinite while one of them loops.
double seconds_left(const CharacterData& data, const PerformerBlock& block, const Instance& instance) {
    const auto leaves = data.motions.leaves_of(motion_of(data, instance));
    const Playhead* playheads = block.playheads(instance);
    double left = 0;
    for (std::size_t l = 0; l < leaves.size(); ++l) {
        if (!(playheads[l].weight > 0)) { continue; }
        if (leaves[l].loops) { return infinity; }
        left = std::max(left, (1 - playheads[l].position) * data.clips[leaves[l].clip].seconds);
    }
    return left;
}

StateReadings read_state(const CharacterData& data, const PerformerBlock& block, const Instance& instance) {
    const PerformerHeader& header = block.header();
    const auto leaves = data.motions.leaves_of(motion_of(data, instance));
    const Playhead* playheads = block.playheads(instance);
    std::size_t heaviest = 0;
    for (std::size_t l = 1; l < leaves.size(); ++l) {
        if (playheads[l].weight > playheads[heaviest].weight) { heaviest = l; }
    }
    const bool synced = leaves[heaviest].synced;
    const double left = seconds_left(data, block, instance);
    return {float(instance.elapsed), float(left), float(synced ? header.phase : playheads[heaviest].position),
            float(synced ? header.phase_loops : playheads[heaviest].loops), left <= instant};
}

/// Gives the active motion the weights of the present parameters. A clip that comes back from no weight starts afresh.
void weigh_active(const CharacterData& data, const PerformerBlock& block) {
    PerformerHeader& header = block.header();
    const Instance& instance = active(header);
    const Motion& motion = motion_of(data, instance);
    Playhead* playheads = block.playheads(instance);
    const auto leaves = data.motions.leaves_of(motion);
    for (std::size_t l = 0; l < leaves.size(); ++l) { playheads[l].weight_before = playheads[l].weight; }
    weigh(data.motions, motion, block.smoothed(), playheads);
    for (std::size_t l = 0; l < leaves.size(); ++l) {
        if (playheads[l].weight > 0 && !(playheads[l].weight_before > 0) && !leaves[l].synced) {
            playheads[l].position = 0;
            playheads[l].loops = 0;
        }
    }
}

/// Forgets the oldest `count` instances; the rest move down and keep their slots.
void drop_oldest(PerformerHeader& header, std::size_t count) {
    if (count == 0) { return; }
    header.instance_count = std::uint8_t(header.instance_count - count);
    std::memmove(header.instances.data(), header.instances.data() + count, header.instance_count * sizeof(Instance));
}

std::uint8_t free_slot(const PerformerHeader& header) {
    unsigned used = 0;
    for (std::size_t i = 0; i < header.instance_count; ++i) { used |= 1U << header.instances[i].slot; }
    std::uint8_t slot = 0;
    while (((used >> slot) & 1U) != 0) { ++slot; }
    return slot;
}

bool is_due(const CharacterData& data, const CompiledTransition& transition, const ExpressionInputs& inputs,
            double elapsed, double left) {
    if (elapsed < transition.after - instant) { return false; }
    if (transition.at_end && left > transition.fade + instant) { return false; }
    return transition.when.empty() || evaluate(data.instructions(transition.when), inputs) != 0;
}

/// Takes every transition that holds at this instant, each state being left or entered at most once, so that two
/// conditions that hold in both directions cannot spin.
void decide(const CharacterData& data, const PerformerBlock& block) {
    PerformerHeader& header = block.header();
    std::array<std::uint16_t, most_splits + 1> visited{};
    std::size_t visited_count = 0;
    const auto was_visited = [&](std::uint16_t state) {
        return std::find(visited.begin(), visited.begin() + visited_count, state) != visited.begin() + visited_count;
    };
    while (visited_count < most_splits) {
        const std::uint16_t from = active(header).state;
        const CompiledState& state = data.states[from];
        if (state.transition_count == 0) { return; }
        const ExpressionInputs inputs{block.smoothed(), block.raw(), read_state(data, block, active(header))};
        const double left = seconds_left(data, block, active(header));
        std::uint16_t taken = no_transition;
        for (std::uint16_t t = state.first_transition; t < state.first_transition + state.transition_count; ++t) {
            const CompiledTransition& transition = data.transitions[t];
            if (!was_visited(transition.target) && is_due(data, transition, inputs, active(header).elapsed, left)) {
                taken = t;
                break;
            }
        }
        if (taken == no_transition) { return; }
        const CompiledTransition& transition = data.transitions[taken];
        if (visited_count == 0) { visited[visited_count++] = from; }
        visited[visited_count++] = transition.target;
        if (header.record_count < most_records) {
            header.records[header.record_count].time = header.time;
            header.records[header.record_count].transition = taken;
            ++header.record_count;
        }
        enter_state(data, block, transition.target, taken, transition.fade, transition.ease);
    }
}

/// Seconds until the active state leaves by itself.
double timed_transition_due(const CharacterData& data, const PerformerBlock& block) {
    PerformerHeader& header = block.header();
    const CompiledState& state = data.states[active(header).state];
    double due = infinity;
    for (std::size_t t = 0; t < state.transition_count; ++t) {
        const CompiledTransition& transition = data.transitions[state.first_transition + t];
        const double until = transition.after - active(header).elapsed;
        if (until > instant) { due = std::min(due, until); }
        if (!transition.at_end) { continue; }
        const double left = seconds_left(data, block, active(header)) - transition.fade;
        if (left > instant) { due = std::min(due, left); }
    }
    return due;
}

void come_round(double& position, std::uint32_t& loops) {
    if (position < 1) { return; }
    const double whole = std::floor(position);
    position -= whole;
    loops += std::uint32_t(std::int64_t(whole));
}

/// Moves the body on by what the playing clips have of the next `dt` seconds.
void travel(const CharacterData& data, const PerformerBlock& block, double dt) {
    PerformerHeader& header = block.header();
    if (!data.travels || header.game_moves != 0) { return; }
    Evaluation middle;
    middle.shift = dt / 2; // the shares of the middle of the step, so that it hangs little on how long steps are
    const WeighedTravel own = weigh_travel(data, block, middle, dt);
    const BodyStep left_behind = offset_travel(header, dt);
    header.travel = header.travel * exponential({own.twist.x + left_behind.x, own.twist.y + left_behind.y,
                                                 own.twist.z + left_behind.z, own.twist.yaw + left_behind.yaw});
    header.travel_share += own.share * dt;
}

/// Time passes: playheads, fades and the offset move, and what has been faded over is forgotten.
void pass(const CharacterData& data, const PerformerBlock& block, double dt) {
    if (!(dt > 0)) { return; }
    PerformerHeader& header = block.header();
    travel(data, block, dt);
    header.time += dt;
    if (plays_synced(data, header)) {
        // The cadence of the middle of the step, so that it hangs little on how long steps are.
        header.phase += dt * shared_cadence(data, block, dt / 2);
        come_round(header.phase, header.phase_loops);
    }
    for (std::size_t i = 0; i < header.instance_count; ++i) {
        Instance& instance = header.instances[i];
        instance.elapsed += dt;
        Playhead* playheads = block.playheads(instance);
        const auto leaves = data.motions.leaves_of(motion_of(data, instance));
        for (std::size_t l = 0; l < leaves.size(); ++l) {
            if (!(playheads[l].weight > 0) || leaves[l].synced) { continue; }
            playheads[l].position += dt * leaves[l].rate;
            if (leaves[l].loops) {
                come_round(playheads[l].position, playheads[l].loops);
            } else {
                playheads[l].position = std::min(playheads[l].position, 1.0);
            }
        }
    }
    if (header.offset_active != 0) {
        header.offset_elapsed += dt;
        if (header.offset_elapsed >= double(header.offset_seconds)) { header.offset_active = 0; }
    }
    for (std::size_t i = header.instance_count; i-- > 1;) {
        if (header.instances[i].elapsed >= header.instances[i].fade - instant) {
            drop_oldest(header, i);
            break;
        }
    }
}

void smooth_parameters(const CharacterData& data, const PerformerBlock& block, double dt) {
    for (std::size_t p = 0; p < data.parameters.size(); ++p) {
        const ParameterInfo& info = data.parameters[p];
        if (!(info.smooth > 0)) { continue; } // `set` has already carried the value over
        if (block.smoothed_exact()[p] == double(block.raw()[p]) && block.velocity()[p] == 0) {
            continue;
        } // it has arrived
        Follower now =
            follow({block.smoothed_exact()[p], block.velocity()[p]}, double(block.raw()[p]), double(info.smooth), dt);
        // Where a float could not tell the difference any more, it has arrived.
        const double target = double(block.raw()[p]), close = 1e-9 * (1 + std::fabs(target));
        if (std::fabs(now.value - target) < close && std::fabs(now.velocity) < close) { now = {target, 0}; }
        block.header().inputs_moved = 1;
        block.smoothed_exact()[p] = now.value;
        block.velocity()[p] = now.velocity;
        block.smoothed()[p] = std::clamp(float(now.value), info.low, info.high);
    }
}

void evaluate_pose(const CharacterData& data, const PerformerBlock& block) {
    each_window(data, [&](Window window) {
        evaluate_window(data, block, {}, window, {block.pose() + window.first, data.layout.lanes});
    });
}

} // namespace

void enter_state(const CharacterData& data, const PerformerBlock& block, std::uint16_t state, std::uint16_t by,
                 double fade, Ease ease) {
    PerformerHeader& header = block.header();
    if (!(fade > 0)) {
        header.instance_count = 0;
        header.offset_active = 0;
    } else if (header.instance_count == most_instances) {
        const Instance& next = header.instances[1];
        const double fade_left = next.fade - next.elapsed;
        const double offset_left =
            header.offset_active != 0 ? double(header.offset_seconds) - header.offset_elapsed : 0;
        capture_offset(data, block, std::max({fade_left, offset_left, least_offset_seconds}));
        drop_oldest(header, 1);
    }
    const bool synced_already = plays_synced(data, header);
    Instance& fresh = header.instances[header.instance_count];
    const std::uint8_t slot = free_slot(header);
    fresh.serial = header.next_serial++;
    fresh.state = state;
    fresh.entered_by = by;
    fresh.elapsed = 0;
    fresh.fade = fade;
    fresh.ease = ease;
    fresh.slot = slot;
    fresh.spare = {};
    ++header.instance_count;
    std::fill_n(block.playheads(fresh), data.layout.most_leaves, Playhead{});
    if (motion_of(data, fresh).synced && !synced_already) {
        header.phase = 0;
        header.phase_loops = 0;
    }
    weigh_active(data, block);
    choose_signs(data, block);
}

void reset_block(const CharacterData& data, const PerformerBlock& block) {
    // What is the performer's own rather than its present state's stays.
    const PerformerHeader before = block.header();
    std::memset(static_cast<void*>(&block.header()), 0, data.layout.bytes);
    block.header().seed = before.seed;
    block.header().scale = before.scale;
    block.header().game_moves = before.game_moves;
    for (std::size_t p = 0; p < data.parameters.size(); ++p) {
        const float value = data.parameters[p].default_value;
        block.raw()[p] = value;
        block.smoothed()[p] = value;
        block.smoothed_exact()[p] = double(value);
    }
    enter_state(data, block, data.start, no_transition, 0, Ease::smooth);
    evaluate_pose(data, block);
}

void advance_block(const CharacterData& data, const PerformerBlock& block, double dt) {
    PerformerHeader& header = block.header();
    header.record_count = 0;
    header.started = 1;
    header.travel = {};
    const double share_before = header.travel_share;
    header.travel_share = 0;
    smooth_parameters(data, block, dt);
    // A motion that is left now keeps the weights it had; one that stays takes the new ones.
    decide(data, block);
    if (header.inputs_moved != 0) { weigh_active(data, block); }
    header.inputs_moved = 0;
    double left = dt;
    for (int split = 0;; ++split) {
        const double due = timed_transition_due(data, block);
        if (due > left) { break; }
        if (split == most_splits) {
            ++header.faults.cut_chains;
            break;
        }
        pass(data, block, due);
        left -= due;
        decide(data, block);
    }
    pass(data, block, left);
    header.travel_share = dt > 0 ? header.travel_share / dt : share_before;
    evaluate_pose(data, block);
}

double seconds_to_next_instant(const CharacterData& data, const PerformerBlock& block) {
    PerformerHeader& header = block.header();
    double next = timed_transition_due(data, block);
    for (std::size_t i = 0; i < header.instance_count; ++i) {
        const Instance& instance = header.instances[i];
        if (i > 0 && instance.fade > instance.elapsed) { next = std::min(next, instance.fade - instance.elapsed); }
        const Playhead* playheads = block.playheads(instance);
        const auto leaves = data.motions.leaves_of(motion_of(data, instance));
        for (std::size_t l = 0; l < leaves.size(); ++l) {
            const double seconds = data.clips[leaves[l].clip].seconds;
            if (!(playheads[l].weight > 0) || !(seconds > 0) || leaves[l].synced) { continue; }
            if (leaves[l].loops || playheads[l].position < 1) {
                next = std::min(next, (1 - playheads[l].position) * seconds);
            }
        }
    }
    const double cadence = shared_cadence(data, block, 0);
    if (cadence > 0) { next = std::min(next, (1 - header.phase) / cadence); }
    return next;
}

} // namespace gait
