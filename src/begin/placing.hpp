/// What each clip is taken for: by what was measured of it first, and by its name where that leaves it open.
#pragma once

#include "begin/evidence.hpp"

#include <optional>
#include <string>
#include <vector>

namespace gait::detail {

/// A clip with what it is taken for.
struct Placed {
    Evidence seen;
    ClipRole role = ClipRole::not_placed;
    std::string reason, unsure;
    std::string state;            ///< where it is played
    std::string foot;             ///< of a start, a stop and a leap, the foot that it begins with: `left` or `right`
    double turns = 0;             ///< degrees to the right, of a turn
    const Placed* twin = nullptr; ///< the clip that it is the mirror image of
    double legs_most = 0, upper_most = 0; ///< as `apart` from the standing clip, the most over its poses
};

/// Clips with roles; `stand` is the standing one.
struct Cast {
    std::vector<Placed> clips;
    std::optional<std::size_t> stand;

    [[nodiscard]] std::vector<const Placed*> all(ClipRole role) const;
    [[nodiscard]] const Placed* standing() const { return stand ? &clips[*stand] : nullptr; }
};

[[nodiscard]] Cast place_clips(std::vector<Evidence> clips, const Rig& rig, const BodyPlan& plan);

/// Degrees to the right, in words: `ahead`, `back`, `45 deg to the right`.
[[nodiscard]] std::string direction_word(double degrees);

} // namespace gait::detail
