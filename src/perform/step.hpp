/// How time passes in a step, layer by layer.
#pragma once

#include "perform/frame.hpp"
#include "perform/playheads.hpp"

#include <array>
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
    /// Of `dt` seconds. `layers` must outlive it.
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
    /// Layers that pass, and where they come to.
    struct Passing {
        LayerSet passing = 0, deciding = 0;
        double until = never;                  ///< seconds into the step, up to where the body's way is summed
        std::array<double, most_layers> times; ///< NOLINT: seconds that each of those that pass does
    };

    /// Finds those that decide next, and with them those that keep in step; false when no more does in this step.
    [[nodiscard]] bool find_next(Passing& next);
    void pass(const Passing& which);
    void decide(LayerSet deciding);
    /// A layer, and those that share its phase.
    [[nodiscard]] LayerSet in_step_with(std::size_t layer) const;

    Layers& layers_;
    PerformerHeader& header_;
    EventList* events_;
    double dt_;
    LayerSet all_;
    double travelled_ = 0; ///< seconds of the step for which the body's way is known
    bool cut_ = false;     ///< a layer had more instants than a step may hold
};

} // namespace gait::detail
