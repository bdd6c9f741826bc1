/// How a cyclic clip lies on the phase that synced clips share: left footfalls at whole strides, right ones half-way.
#pragma once

#include "gait/api.hpp"
#include "gait/kept.hpp"

#include <array>
#include <cmath>
#include <cstdint>
#include <optional>
#include <span>

namespace gait::detail {

/// Where a foot comes down in a clip.
struct Footfall {
    std::uint8_t foot = 0; ///< 0 left, 1 right
    double at = 0;         ///< in cycles from the clip's start
};

/// Where a rising curve, `at(x)` with a `place` and a `slope`, comes to `wanted` between `low` and `high`: by Newton's
/// way, halving wherever that would leave them.
template <typename At> [[nodiscard]] double rise_to(double wanted, double low, double high, double guess, At at) {
    // As near as numbers of that size can tell.
    const double close = 4e-15 * (8 + std::fabs(wanted));
    for (int round = 0; round < 60; ++round) {
        if (!(guess > low && guess < high)) { guess = (low + high) / 2; }
        const auto here = at(guess);
        const double off = here.place - wanted;
        if (std::fabs(off) < close || !(high - low > close)) { break; }
        (off > 0 ? high : low) = guess;
        const double step = off / here.slope;
        guess -= step;
        // Each step leaves about its square to go.
        if (std::fabs(step) < 1e-9 && guess > low && guess < high) { break; }
    }
    return guess;
}

/// From strides to places in a clip and back: monotone, with a continuous derivative, so that time runs smoothly
/// between corresponding footfalls (registration in time: Kovar and Gleicher 2003).
class GAIT_API PhaseWarp {
public:
    /// One stride is one cycle of the clip, evenly.
    PhaseWarp() = default;
    /// Through the footfalls of a looping clip. Nothing unless left and right alternate.
    [[nodiscard]] static std::optional<PhaseWarp> through(KeptList<Footfall> footfalls);

    /// A warp in some memory by its pieces, as `pieces` gives them; nothing unless they make a rising, unbroken curve.
    [[nodiscard]] static std::optional<PhaseWarp> of_pieces(int strides, std::span<const std::array<double, 4>> pieces,
                                                            KeptMemory* memory = nullptr);
    /// Of each piece the place it begins at, and how it goes on: place + t (c1 + t (c2 + t c3)), two a stride.
    [[nodiscard]] KeptList<std::array<double, 4>> pieces() const;

    /// Strides in a cycle of the clip.
    [[nodiscard]] int strides() const { return strides_; }
    [[nodiscard]] bool even() const { return pieces_.empty(); }
    /// The shortest time between two footfalls, as a part of the clip's mean stride.
    [[nodiscard]] double shortest_step() const;
    /// A point of the curve.
    struct Point {
        double place = 0; ///< in the clip, in cycles, counted on over its ends
        double slope = 1; ///< cycles a stride, there
        double bend = 0;  ///< by which that grows, a stride
    };
    [[nodiscard]] Point at(double strides) const;
    /// The place in the clip, in cycles, counted on over its ends.
    [[nodiscard]] double place(double strides) const { return at(strides).place; }
    /// The strides at which the clip is at `place`, in cycles.
    [[nodiscard]] double strides_at(double place) const;

private:
    /// The curve from one footfall to the next, half a stride on: `place + t (c1 + t (c2 + t c3))`, `t` from 0 to 1.
    struct Piece {
        double place = 0, c1 = 0, c2 = 0, c3 = 0;
        [[nodiscard]] Point at(double t) const {
            const double square = t * t, cubed = 3 * c3;
            return {(place + t * c1) + square * (c2 + t * c3), (c1 + t * (2 * c2)) + square * cubed,
                    2 * (c2 + t * cubed)};
        }
    };
    [[nodiscard]] double find_strides(double place) const;

    int strides_ = 1;
    double cycles_ = 1;      ///< one over it
    KeptList<Piece> pieces_; ///< two a stride; empty: evenly
    double start_ = 0;       ///< the strides at which the clip begins, where most are entered
};

} // namespace gait::detail
