/// How time passes in a step, layer by layer.
#pragma once

#include "perform/frame.hpp"
#include "perform/playheads.hpp"

#include <cstdint>

namespace gait::detail {

/// A bit for each layer.
using LayerSet = std::uint32_t;
static_assert(most_layers <= 32);
[[nodiscard]] inline bool is_in(LayerSet set, std::size_t layer) { return ((set >> layer) & 1U) != 0; }

/// The layers from the beginning of a step to its end. Each passes by its own instants, and decides at them, whatever
/// the others do meanwhile: so a layer that comes and goes above leaves one below as it is, to the last bit. Only
/// those that keep in step pass together, since they share a phase, and a layer that another one sends somewhere is
/// brought up to it first. What moves the body is summed over all layers, from one such instant to the next.
class Step {
public:
    /// Of `dt` seconds, which the layers were made for. `layers` must outlive it.
    Step(Layers& layers, double dt);
    ~Step();
    Step(const Step&) = delete;
    Step& operator=(const Step&) = delete;

    /// All layers decide, each once, in the document's order.
    void decide_all() { decide(all_); }
    /// All the time passes.
    void run();
    /// A layer passes without a decision of its own, up to `gone` seconds into the step.
    void catch_up(Frame& frame, double gone);

private:
    /// Layers that decide next, and when.
    struct Deciding {
        LayerSet layers = 0; ///< none when no more does in this step
        double at = never;   ///< seconds into the step
    };

    /// Finds those that decide next, and is to have them pass up to there, with those that keep in step with them; all
    /// of them what is left, where none does.
    [[nodiscard]] Deciding find_next();
    [[nodiscard]] Deciding find_next_instant();
    /// All layers pass what they are to. `until`: seconds into the step, up to where the body's way is summed.
    void pass(double until);
    void decide(LayerSet deciding);
    [[nodiscard]] bool keep_in_step(std::size_t layer, std::size_t other) const;

    Layers& layers_;
    PerformerHeader& header_;
    EventList* events_;
    double dt_;
    LayerSet all_;
    double travelled_ = 0; ///< seconds of the step for which the body's way is known
    bool cut_ = false;     ///< a layer had more instants than a step may hold
};

} // namespace gait::detail
