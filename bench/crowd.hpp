/// The characters the benchmarks play.
#pragma once

#include "character/blend_plane.hpp"
#include "gait/gait.hpp"

#include <memory>
#include <string>
#include <vector>

namespace bench {

/// Eight ways to stroll, from careful to sweeping, on 64 joints: her 45 and five tassels of 19 in all. They are near
/// enough to each other that the textbook's chain of slerps and the library's weighted sum agree.
struct Material {
    gait::Assets assets;
    std::vector<gait::ClipSource> clips; ///< eight
};

[[nodiscard]] Material make_material(const std::string& demo_file);

/// One state whose nested blend spaces keep `active` (1, 2, 4 or 8) clips at work, in equal parts.
[[nodiscard]] std::shared_ptr<const gait::Character> blend_of(const Material& material, int active);

/// One state with a blend space of `points` clips on two parameters, of which three have weight anywhere between them:
/// a middle and one or more rings.
[[nodiscard]] std::shared_ptr<const gait::Character> space_of(const Material& material, int points);

/// Where the sites of such a space are.
[[nodiscard]] gait::detail::PlanePoint site_of(int point, int points);

/// A whole character: legs that turn from a blend space of 24 points with a lean added to it, to another clip, and
/// back, so that a crossfade is always under way; arms over them with a mask that rises along the spine; and a one-shot
/// on one arm. The parameters are `x`, `y` and `lean`; `wave` is the one-shot.
struct Whole {
    static constexpr int points = 24, ramp = 3;
    static constexpr double turn_seconds = 0.5;
    static constexpr std::size_t lean_clip = 7, other_clip = 4, arms_clip = 6, wave_clip = 2; ///< of the material
};
[[nodiscard]] std::shared_ptr<const gait::Character> whole_of(const Material& material);

/// A machine of `states` states, of which one is played.
[[nodiscard]] std::shared_ptr<const gait::Character> machine_of(const Material& material, int states);

} // namespace bench
