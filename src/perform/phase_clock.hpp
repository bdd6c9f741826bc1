/// How the phase that synced clips share goes on: at the weighted cadence of those that play, and inside a stride so
/// that each keeps its own timing as far as the others let it.
#pragma once

#include "character/character_data.hpp"
#include "perform/shares.hpp"

#include <array>

namespace gait::detail {

/// Strides since the layer's phase began.
[[nodiscard]] inline double strides_of(const LayerHeader& layer) {
    return double(std::int32_t(layer.phase_loops)) + layer.phase;
}

/// The clips that keep step, each by its share at one instant. With time-per-stride `T`, weight `w` and warp `W` (from
/// strides to places in the clip) of each, the clock is the weighted registration `sum(w T W) / sum(w T)` (Kovar and
/// Gleicher 2003), which advances evenly, by the weighted cadence. It is a closed form of the phase: a step of any
/// length leads to the same place as many short ones, and a clip alone plays as it was made.
class PhaseClock {
public:
    /// By the instances of `what`, with the shares that they have then. Of a layer that is led, by the clock of the one
    /// that leads it; of one that goes over to another clock, by its speed now.
    PhaseClock(const CharacterData& data, const PerformerBlock& block, const Evaluation& what);
    /// By all of them, with the shares `shift` seconds from now.
    PhaseClock(const CharacterData& data, const PerformerBlock& block, double shift)
        : PhaseClock(data, block, shifted(everything_now, shift)) {}
    /// By the layer's own clips, whatever it keeps in step with.
    [[nodiscard]] static PhaseClock of_clips(const CharacterData& data, const PerformerBlock& block, double shift);

    [[nodiscard]] double cadence() const { return cadence_; } ///< strides a second
    /// The phase `seconds` after it stood at `strides`.
    [[nodiscard]] double after(double strides, double seconds) const {
        const double step = seconds * cadence_;
        return count_ == 0 || step == 0 ? strides + step : after_uneven(strides, step);
    }
    /// How fast it goes where it stands at `strides`, strides a second.
    [[nodiscard]] double speed(double strides) const { return cadence_ / reading(strides).slope; }
    /// Seconds from one phase to another; infinite when it does not come there.
    [[nodiscard]] double until(double strides, double later) const;

private:
    PhaseClock() = default;
    void collect_clips(const CharacterData& data, const PerformerBlock& block, const Evaluation& what);
    struct Clip {
        const PhaseWarp* warp;
        double part; ///< seconds a cycle times the share, over those of all
    };
    [[nodiscard]] PhaseWarp::Point reading(double strides) const;
    /// The phase when the clock has gone on by `step`, where it does so unevenly.
    [[nodiscard]] double after_uneven(double strides, double step) const;

    std::array<Clip, 64> clips_; // NOLINT: only the first `count_` hold anything
    std::size_t count_ = 0;
    double cadence_ = 0;
    double ahead_ = 0; ///< whole strides that the layer is ahead of the one that leads it
};

/// How many whole strides a place in the phase is ahead of another, to the nearest.
[[nodiscard]] double whole_strides_between(double strides, double other);

/// A stretch of the shared phase, in strides.
struct PhaseStep {
    double from = 0, to = 0;
};

} // namespace gait::detail
