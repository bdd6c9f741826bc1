/// How a cyclic clip lies on the phase that synced clips share: left footfalls at whole strides, right ones half-way.
#pragma once

#include "gait/api.hpp"

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace gait {

/// Where a foot comes down in a clip.
struct Footfall {
    std::uint8_t foot = 0; ///< 0 left, 1 right
    double at = 0;         ///< in cycles from the clip's start
};

/// From strides to places in a clip and back: monotone, with a continuous derivative, so that time runs smoothly
/// between corresponding footfalls (registration in time: Kovar and Gleicher 2003).
class GAIT_API PhaseWarp {
public:
    /// One stride is one cycle of the clip, evenly.
    PhaseWarp() = default;
    /// Through the footfalls of a looping clip. Nothing unless left and right alternate.
    [[nodiscard]] static std::optional<PhaseWarp> through(std::vector<Footfall> footfalls);

    /// Strides in a cycle of the clip.
    [[nodiscard]] int strides() const { return strides_; }
    [[nodiscard]] bool even() const { return knots_.empty(); }
    /// The place in the clip, in cycles, counted on over its ends.
    [[nodiscard]] double place(double strides) const;
    /// Cycles a stride, there.
    [[nodiscard]] double slope(double strides) const;
    /// The strides at which the clip is at `place`, in cycles.
    [[nodiscard]] double strides_at(double place) const;

private:
    /// A point of the curve, and the derivative there.
    struct Knot {
        double strides = 0, place = 0, slope = 0;
    };
    struct Piece {
        Knot from, to;
        double rounds = 0;
    };
    [[nodiscard]] Piece piece_at(double strides) const;

    int strides_ = 1;
    std::vector<Knot> knots_; ///< from 0 to `strides_` strides, both included; empty: evenly
};

} // namespace gait
