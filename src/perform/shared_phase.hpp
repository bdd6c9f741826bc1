/// The phase that the synced motions of a layer share: who goes by it, where it begins, and how it goes on.
#pragma once

#include "perform/frame.hpp"
#include "perform/phase_clock.hpp"

namespace gait::detail {

/// How the phase goes on in a step.
struct SharedStep {
    const PhaseClock* clock = nullptr; ///< null where nothing keeps step, or where it is between two clocks
    PhaseStep step;
};

/// The shared phase of one layer.
class SharedPhase {
public:
    explicit SharedPhase(Frame& frame) : frame_(frame), layer_(frame.layer) {}

    /// Whether some motion goes by it.
    [[nodiscard]] bool is_used() const;
    /// The layer below with whose phase it keeps in step, where that one is used now; null for none.
    [[nodiscard]] const LayerHeader* leader() const;

    /// It begins: with the leader's, or at zero.
    void begin();
    /// Puts it where a clip of a motion is at `place`, in cycles.
    void put(const Leaf& leaf, double place);
    /// All motions leave it, and each clip goes on by itself from where it is.
    void release_all();
    /// A motion whose only clip has gone by itself (see `go_alone`) goes by it again.
    void take_back();
    /// The only clip of the only motion goes by itself, which costs less and comes to the same.
    void go_alone();

    /// How it goes on for `dt` seconds: by the clock of its clips, for which there is room in `clock`, unless it goes
    /// over to another one. `leader`: how the phase goes on of the layer with which this one keeps in step; null where
    /// that keeps no step.
    [[nodiscard]] SharedStep advance(InplaceArray<PhaseClock, 1>& clock, const PhaseStep* leader, double dt);

private:
    void follow_or_part(const PhaseStep* leader);
    [[nodiscard]] double go_over(const PhaseStep* leader, double dt);

    Frame& frame_;
    LayerHeader& layer_;
};

} // namespace gait::detail
