#include "perform/input_step.hpp"

#include "gait/math.hpp"
#include "math/compiler.hpp"
#include "math/springs.hpp"
#include "perform/playheads.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace gait::detail {
namespace {

/// How many signals must be looked at: none while none is pending.
std::size_t live_signals(const Frame& frame) { return frame.header.signals_live != 0 ? frame.data.signals.size() : 0; }

/// Writes the value that conditions see.
void show(Frame& frame, std::size_t slot, float value) {
    if (frame.block.smoothed()[slot] == value) { return; }
    frame.block.smoothed()[slot] = value;
    note_moved(frame.header, slot);
}

/// Moves the smoothed value of a parameter toward `raw()[slot]`. Whether it has yet to arrive.
GAIT_NOINLINE bool follow_smoothly(Frame& frame, std::size_t slot, double dt) {
    const ParameterInfo& info = frame.data.parameters[slot];
    const PerformerBlock& block = frame.block;
    const bool wraps = info_of(info.kind).wraps;
    auto& [value, velocity, limited] = block.smoothed_states()[frame.data.smoothed_of[slot]];
    const auto asked = double(block.raw()[slot]);
    // Angles go the short way: the target is taken on the turn nearest to where the way there begins.
    double target = asked;
    const double from = info.at_most > 0 ? limited : value;
    if (wraps) { target = from + wrapped_degrees(target - from); }
    if (value == target && limited == target && velocity == 0) { return false; } // on another turn
    double left = dt;
    if (info.at_most > 0 && limited != target) {
        const double ramp = target > limited ? double(info.at_most) : -double(info.at_most);
        const double arrives = (target - limited) / ramp, lasts = std::min(left, arrives);
        const Follower now = follow_ramp({value, velocity}, limited, ramp, double(info.smooth), lasts);
        value = now.value;
        velocity = now.velocity;
        limited = arrives <= left ? target : limited + ramp * lasts;
        left -= lasts;
    }
    const double follows = info.at_most > 0 ? limited : target;
    limited = follows;
    Follower now = follow({value, velocity}, follows, double(info.smooth), left);
    // Where a float could not tell the difference any more, it has arrived.
    const double close = 1e-9 * (1 + std::fabs(follows));
    if (follows == target) { arrive(now, follows, close, close); }
    const bool arrived = now.value == target && now.velocity == 0;
    value = now.value;
    velocity = now.velocity;
    if (wraps && (value <= -180 || value > 180)) {
        // The whole follower is carried round, so that numbers do not grow with every turn of the body.
        const double round = wrapped_degrees(value) - value;
        value += round;
        limited += round;
    }
    show(frame, slot, wraps ? float(wrapped_degrees(value)) : within_range(info, float(value)));
    return !arrived;
}

/// The same, where it most often has arrived.
bool smooth(Frame& frame, std::size_t slot, double dt) {
    const SmoothedState& state = frame.block.smoothed_states()[frame.data.smoothed_of[slot]];
    const auto asked = double(frame.block.raw()[slot]);
    if (state.value == asked && state.limited == asked && state.velocity == 0) { return false; }
    return follow_smoothly(frame, slot, dt);
}

/// What is asked of another layer, as it stands.
float reading_of_layer(const Frame& frame, const ComputedParameter& asked) {
    const PerformerBlock block = frame.block.of_layer(asked.layer);
    const LayerHeader& layer = block.layer();
    if (layer.depth == 0) { return 0; } // the layers are only just being entered
    if (asked.source == ParameterSource::layer_state) [[likely]] {
        const std::size_t level = frame.data.states[asked.node].level;
        return level < layer.depth && layer.path[level].node == asked.node ? 1.0F : 0.0F;
    }
    return value_of(Reading(asked.node), read_state(frame.data, block, 0));
}

/// Whether it looks at how its value changes.
bool watches_changes(const ComputedParameter& computed) {
    return computed.source == ParameterSource::rises || computed.source == ParameterSource::falls ||
           computed.source == ParameterSource::flips;
}

class Computer {
public:
    enum class Changes : std::uint8_t { seen, left_for_later };
    Computer(Frame& frame, double dt, Changes changes = Changes::seen) : frame_(frame), dt_(dt), changes_(changes) {}

    void run() {
        // What one changes that stands after its reader is read in the next step.
        const CharacterData& data = frame_.data;
        const SlotSet &moved = frame_.header.to_compute, before = std::exchange(frame_.header.to_compute, 0);
        const std::size_t count = data.computed.size();
        std::size_t first = 0;
        if ((before & data.computed_reads) == 0 && changes_ == Changes::seen) {
            // Nothing has changed, until what time or a layer changes is read by others.
            first = count;
            for (const std::uint16_t c : frame_.header.layers_seen != 0 ? data.ticking : data.timed) {
                look_at(c, 0);
                if ((moved & data.computed_reads) == 0) { continue; }
                first = c + 1U;
                break;
            }
        }
        for (std::size_t c = first; c < count; ++c) { look_at(c, before | moved); }
        frame_.header.layers_seen = 1;
    }

private:
    /// Computes one, if one of the values that have moved is read by it.
    void look_at(std::size_t c, SlotSet moved) {
        const ComputedParameter& computed = frame_.data.computed[c];
        if (changes_ == Changes::left_for_later && watches_changes(computed)) { return; }
        if (computed.source == ParameterSource::layer_state || computed.source == ParameterSource::layer_reading) {
            // Hidden, and nothing clears it.
            const float now = reading_of_layer(frame_, computed);
            frame_.block.raw()[computed.slot] = now;
            show(frame_, computed.slot, now);
        } else if (!computed.by_values || (moved & computed.reads) != 0) {
            compute(computed, frame_.block.memory()[c]);
        } else if (!is_hidden(computed) && frame_.data.smoothed_of[computed.slot] != no_index) {
            smooth(frame_, computed.slot, dt_);
        }
    }

    /// Whether it is no parameter of the document's own. Those have an entry here each.
    [[nodiscard]] bool is_hidden(const ComputedParameter& computed) const {
        return computed.slot >= frame_.data.smoothed_of.size();
    }
    [[nodiscard]] float value_of(CodeRange code) const {
        return evaluate(frame_.data.instructions(code), {frame_.block.smoothed(), frame_.block.raw(), {}});
    }
    [[nodiscard]] bool holds(CodeRange code, bool otherwise) const {
        return code.empty() ? otherwise : value_of(code) != 0;
    }

    void compute(const ComputedParameter& computed, double& memory) {
        float& raw = frame_.block.raw()[computed.slot];
        const float before = raw;
        const bool hidden = is_hidden(computed);
        const float cleared = hidden ? 0 : frame_.data.parameters[computed.slot].default_value;
        if (holds(computed.clear, false)) {
            raw = cleared;
            if (computed.source == ParameterSource::since) { memory = 0; }
        }
        switch (computed.source) {
        case ParameterSource::derived:
            raw = value_of(computed.value);
            break;
        case ParameterSource::remembered:
            if (holds(computed.only_while, true)) { raw = value_of(computed.value); }
            break;
        case ParameterSource::greatest:
            if (holds(computed.only_while, true)) { raw = std::max(raw, value_of(computed.value)); }
            break;
        case ParameterSource::since:
            if (value_of(computed.value) != 0) { memory = 0; }
            raw = float(memory);
            memory += dt_;
            break;
        case ParameterSource::thresholds:
            if (raw == 0 ? holds(computed.value, false) : holds(computed.only_while, false)) { raw = 1 - raw; }
            break;
        case ParameterSource::flips: {
            const bool now = value_of(computed.value) != 0;
            if (now && memory == 0) { raw = 1 - raw; }
            memory = now ? 1 : 0;
            break;
        }
        case ParameterSource::layer_state:
        case ParameterSource::layer_reading:
            break; // by `look_at`
        case ParameterSource::rises:
        case ParameterSource::falls: {
            const bool now = value_of(computed.value) != 0;
            const bool changed = computed.source == ParameterSource::rises ? now && memory == 0 : !now && memory != 0;
            raw = changed ? 1.0F : 0.0F;
            memory = now ? 1 : 0;
            break;
        }
        }
        if (hidden) { return show(frame_, computed.slot, raw); }
        const ParameterInfo& info = frame_.data.parameters[computed.slot];
        raw = within_range(info, raw);
        if (raw != before) {
            note_moved(frame_.header, computed.slot);
            if ((frame_.data.cursors_read & slot_set(computed.slot)) != 0) { frame_.header.inputs_settle = 1; }
        }
        if (frame_.data.smoothed_of[computed.slot] != no_index) {
            smooth(frame_, computed.slot, dt_);
        } else {
            show(frame_, computed.slot, raw);
        }
    }

    Frame& frame_;
    double dt_;
    Changes changes_;
};

// ---- cursors ----

PlanePoint asked_of(const Frame& frame, const CompiledCursor& cursor) {
    const auto speed = double(frame.block.raw()[cursor.number]);
    const auto [sine, cosine] = sine_cosine(double(frame.block.raw()[cursor.angle]) / degrees_per_radian);
    return {speed * sine, speed * cosine};
}

/// Moves the velocity that steers planes toward the one that is asked for, each component by itself. Whether it has
/// yet to arrive.
bool follow_cursor(Frame& frame, std::size_t index, double dt) {
    const CompiledCursor& cursor = frame.data.cursors[index];
    CursorState& state = frame.block.cursor_states()[index];
    const PlanePoint asked = asked_of(frame, cursor);
    const double target[2] = {asked.x, asked.y};
    const double way = length_of(target[0] - state.limited[0], target[1] - state.limited[1]);
    // As far as `at_most` lets it the target runs straight ahead, and then it stands.
    const double arrives = cursor.at_most > 0 ? way / cursor.at_most : 0, runs = std::min(arrives, dt);
    for (int axis = 0; axis < 2; ++axis) {
        Follower now{state.value[axis], state.velocity[axis]};
        if (runs > 0) {
            const double ramp = (target[axis] - state.limited[axis]) / arrives;
            now = follow_ramp(now, state.limited[axis], ramp, cursor.smooth, runs);
            state.limited[axis] += ramp * runs;
        }
        if (arrives <= dt) { state.limited[axis] = target[axis]; }
        now = follow(now, state.limited[axis], cursor.smooth, dt - runs);
        if (std::fabs(now.value - target[axis]) < 1e-9 && std::fabs(now.velocity) < 1e-9) { now = {target[axis], 0}; }
        state.value[axis] = now.value;
        state.velocity[axis] = now.velocity;
    }
    PlanePoint& shown = frame.block.cursors()[index];
    if (shown.x != state.value[0] || shown.y != state.value[1]) {
        shown = {state.value[0], state.value[1]};
        note_moved(frame.header, cursor.number);
    }
    return state.value[0] != target[0] || state.value[1] != target[1] || state.velocity[0] != 0 ||
           state.velocity[1] != 0 || state.limited[0] != target[0] || state.limited[1] != target[1];
}

} // namespace

void begin_smoothed(const CharacterData& data, const PerformerBlock& block, std::size_t slot) {
    if (data.smoothed_of[slot] == no_index) { return; }
    const auto value = double(block.raw()[slot]);
    block.smoothed_states()[data.smoothed_of[slot]] = {value, 0, value};
}

namespace {

/// What is computed begins where it stands, and nothing has risen or fallen yet.
void begin_computed(Frame& frame) {
    const CharacterData& data = frame.data;
    const PerformerBlock& block = frame.block;
    for (const ComputedParameter& computed : data.computed) {
        const float value = block.raw()[computed.slot];
        if (computed.slot < data.parameters.size()) {
            block.smoothed()[computed.slot] = value;
            begin_smoothed(data, block, computed.slot);
        }
    }
    forget_edges(frame);
    for (std::size_t c = 0; c < data.cursors.size(); ++c) {
        const PlanePoint asked = asked_of(frame, data.cursors[c]);
        block.cursor_states()[c] = {{asked.x, asked.y}, {0, 0}, {asked.x, asked.y}};
        block.cursors()[c] = asked;
    }
}

} // namespace

void reset_inputs(Frame& frame) {
    const CharacterData& data = frame.data;
    const PerformerBlock& block = frame.block;
    for (std::size_t p = 0; p < data.parameters.size(); ++p) {
        const float value = data.parameters[p].default_value;
        block.raw()[p] = block.smoothed()[p] = value;
        begin_smoothed(data, block, p);
    }
    frame.header.to_compute = ~SlotSet{0};
    Computer(frame, 0).run();
    begin_computed(frame);
}

void recompute_inputs(Frame& frame) {
    for (std::size_t c = 0; c < frame.data.computed.size(); ++c) {
        const ComputedParameter& computed = frame.data.computed[c];
        // What is set now is a change from how it stood at first, for whatever watches.
        if (watches_changes(computed)) { continue; }
        frame.block.memory()[c] = 0;
        if (computed.slot < frame.data.parameters.size()) {
            frame.block.raw()[computed.slot] = frame.data.parameters[computed.slot].default_value;
        }
    }
    frame.header.to_compute = ~SlotSet{0};
    Computer(frame, 0, Computer::Changes::left_for_later).run();
    frame.header.to_compute = ~SlotSet{0}; // those that were left for later
    begin_computed(frame);
}

void take_inputs(Frame& frame, double dt) {
    const CharacterData& data = frame.data;
    for (std::size_t s = 0, end = live_signals(frame); s < end; ++s) {
        const SentSignal& sent = frame.block.signals()[s];
        show(frame, data.signals[s].slot, sent.pending != 0 && sent.offered == 0 ? 1.0F : 0.0F);
    }
    // Without smoothing `set` has carried the value over already.
    bool under_way = false;
    if (frame.header.inputs_settle != 0) {
        for (const std::uint16_t slot : data.smoothed) {
            if (!data.parameters[slot].computed) { under_way = smooth(frame, slot, dt) || under_way; }
        }
    }
    if (!data.computed.empty()) { Computer(frame, dt).run(); }
    if (frame.header.inputs_settle == 0) { return; }
    for (std::size_t c = 0; c < data.cursors.size(); ++c) { under_way = follow_cursor(frame, c, dt) || under_way; }
    frame.header.inputs_settle = under_way ? 1 : 0;
}

void look_at_layers(Frame& frame) {
    for (const ComputedParameter& computed : frame.data.computed) {
        const bool looks =
            computed.source == ParameterSource::layer_state || computed.source == ParameterSource::layer_reading;
        if (looks) { show(frame, computed.slot, frame.block.raw()[computed.slot] = reading_of_layer(frame, computed)); }
    }
}

void forget_edges(Frame& frame) {
    for (const std::uint16_t c : frame.data.edges) {
        const ComputedParameter& computed = frame.data.computed[c];
        // Two presses in two steps running are two.
        if (computed.counts_presses) { frame.block.memory()[c] = 0; }
        const bool edge = computed.source == ParameterSource::rises || computed.source == ParameterSource::falls;
        if (edge && frame.block.raw()[computed.slot] != 0) {
            frame.block.raw()[computed.slot] = 0;
            show(frame, computed.slot, 0);
        }
    }
    for (std::size_t s = 0, end = live_signals(frame); s < end; ++s) {
        frame.block.signals()[s].offered = frame.block.signals()[s].pending != 0 ? 1 : 0;
    }
}

void age_signals(Frame& frame, double dt) {
    for (std::size_t s = 0, end = live_signals(frame); s < end; ++s) {
        SentSignal& sent = frame.block.signals()[s];
        sent.age += dt;
        sent.wait_left = std::max(0.0, sent.wait_left - dt);
        if (sent.age > frame.data.signals[s].keep + instant && sent.offered != 0) { sent.pending = 0; }
    }
}

void drop_old_signals(Frame& frame) {
    bool live = false;
    for (std::size_t s = 0, end = live_signals(frame); s < end; ++s) {
        const CompiledSignal& signal = frame.data.signals[s];
        SentSignal& sent = frame.block.signals()[s];
        if (signal.keep == 0) { sent.pending = 0; }
        const bool shown = frame.block.smoothed()[signal.slot] != 0;
        live = live || shown || sent.pending != 0 || sent.wait_left > 0;
    }
    frame.header.signals_live = live ? 1 : 0;
}

void send_signal(Frame& frame, std::uint16_t signal) {
    SentSignal& sent = frame.block.signals()[signal];
    sent.pending = std::uint16_t((1U << frame.data.layers.size()) - 1);
    sent.offered = 0;
    sent.began_wait = 0;
    sent.age = 0;
    frame.header.signals_live = 1;
    note_moved(frame.header, frame.data.signals[signal].slot);
}

} // namespace gait::detail
