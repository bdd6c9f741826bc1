/// What happens in `Performer::advance`, on the block itself.
#pragma once

#include "character/character_data.hpp"
#include "gait/events.hpp"
#include "math/inplace_array.hpp"
#include "perform/phase_clock.hpp"

#include <algorithm>
#include <array>

namespace gait::detail {

/// Instants closer than this are one, seconds.
inline constexpr double instant = 1e-9;

class Layers;

/// A layer of a performer in the middle of a step.
struct Frame {
    Frame(const CharacterData& character, const PerformerBlock& performer, EventList* list = nullptr)
        : data(character), block(performer), header(performer.header()), layer(performer.layer()),
          compiled(character.layers[performer.layer_index()]), events(list), step_events(list) {}

    const CharacterData& data;
    PerformerBlock block; ///< seen as the layer's own
    PerformerHeader& header;
    LayerHeader& layer;
    const CompiledLayer& compiled; ///< what it was compiled to
    EventList* events;             ///< null when no list was given, or the layer does not count
    EventList* step_events;        ///< null when no list was given
    bool in_step = false;          ///< inside `advance`, where what happens is told
    bool leading = false;          ///< it is sending another layer somewhere
    bool led = false; ///< another layer has led it somewhere at this instant: it takes no transition before the next
    bool weighed = false;     ///< the active motion's clips, by the inputs of the step's end
    bool asked = false;       ///< all its transitions were evaluated since it was entered, and none was due
    Layers* others = nullptr; ///< all layers, this one among them; null where it stands alone
    double gone = 0;          ///< seconds of the step that it has passed: layers pass by their own instants alone
    double left = 0;          ///< and that it has not
    double passes = 0;        ///< and that it passes now
    PhaseStep strides;        ///< what its shared phase passes meanwhile, if it `steps`
    bool steps = false;       ///< its shared phase goes on
    int splits = 0;           ///< instants of its own in this step
    /// How far ahead those inputs are, seconds.
    [[nodiscard]] double weighed_ahead() const { return weighed ? left : 0; }
    /// Marks that the active motion passed since the last decision.
    std::array<std::uint16_t, 16> passed; // NOLINT: only the first `passed_count` hold anything
    std::size_t passed_count = 0;

    [[nodiscard]] Instance& active() const { return layer.instances[layer.instance_count - 1U]; }
    [[nodiscard]] const CompiledState& state_of(const Instance& instance) const { return data.states[instance.state]; }
    [[nodiscard]] const Motion& motion_of(const Instance& instance) const {
        return data.motions.motions[state_of(instance).motion];
    }
};

/// Whether something holds for any of the active nodes.
template <typename Holds> [[nodiscard]] bool any_active(const Frame& frame, Holds holds) {
    for (std::size_t level = 0; level < frame.layer.depth; ++level) {
        if (holds(frame.data.states[frame.layer.path[level].node])) { return true; }
    }
    return false;
}

/// What an expression may read that asks nothing of a state.
[[nodiscard]] inline ExpressionInputs inputs_of(const Frame& frame) {
    return {frame.block.smoothed(), frame.block.raw(), {}};
}

class Step;

/// All layers of a performer in the middle of a step.
class Layers {
public:
    /// Of a step of `dt` seconds.
    Layers(const CharacterData& data, const PerformerBlock& block, EventList* events, double dt = 0)
        : count_(data.layers.size()) {
        for (std::size_t l = 0; l < count_; ++l) {
            Frame& frame = frames_.make(l, data, block.of_layer(l), events);
            frame.others = this;
            frame.left = dt;
        }
    }
    Layers(const Layers&) = delete;
    Layers& operator=(const Layers&) = delete;

    [[nodiscard]] std::size_t size() const { return count_; }
    [[nodiscard]] Frame& operator[](std::size_t layer) { return frames_[layer]; }
    /// Whether some layer passed a mark or was led since the last decision.
    [[nodiscard]] bool decision_requested() const { return decision_requested_; }
    void request_decision(bool decision_requested) { decision_requested_ = decision_requested; }
    /// The step they are in; null outside of one.
    void begin(Step* step) { step_ = step; }
    /// Brings a layer that another one sends somewhere up to where that one is in the step.
    void catch_up(Frame& frame, const Frame& with);
    [[nodiscard]] Frame* begin() { return &frames_[0]; }
    [[nodiscard]] Frame* end() { return begin() + count_; }
    template <typename Visit> void each(Visit visit) {
        for (Frame& frame : *this) { visit(frame); }
    }

private:
    std::size_t count_;
    bool decision_requested_ = false;
    Step* step_ = nullptr; ///< null outside of one
    InplaceArray<Frame, most_layers> frames_;
};

/// Default parameters, the start states, time zero. The block's bytes are all written.
void reset_block(const CharacterData& data, const PerformerBlock& block);
/// To the start by the inputs as they have been set; before the first step, so that the frame of time 0 shows them. A
/// state that was entered by hand stays.
void begin_again(const CharacterData& data, const PerformerBlock& block);

/// A step of `dt` seconds (finite and not negative), but for the pose. `events` may be null.
void advance_block(const CharacterData& data, const PerformerBlock& block, EventList* events, double dt);

/// Makes the pose where it is that of an earlier step. What nobody looked at for a while finds its nearer sides anew.
void make_pose(const CharacterData& data, const PerformerBlock& block);

[[nodiscard]] double seconds_to_next_instant(const CharacterData& data, const PerformerBlock& block);

} // namespace gait::detail
