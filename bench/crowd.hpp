/// The characters the benchmarks play.
#pragma once

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

/// A machine of `states` states, of which one is played.
[[nodiscard]] std::shared_ptr<const gait::Character> machine_of(const Material& material, int states);

} // namespace bench
