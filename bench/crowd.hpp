/// The characters the benchmarks play.
#pragma once

#include "gait/gait.hpp"

#include <memory>
#include <string>
#include <vector>

namespace bench {

/// The demo's clips on 64 joints (her 45 and a rope of 19 in her hand), at several rates so that no two agree.
struct Material {
    gait::Assets assets;
    std::vector<gait::ClipSource> clips; ///< eight
};

[[nodiscard]] Material make_material(const std::string& demo_file);

/// One state whose nested blend spaces keep `active` (1, 2, 4 or 8) clips at work, in equal parts.
[[nodiscard]] std::shared_ptr<const gait::Character> blend_of(const Material& material, int active);

/// A machine of `states` states, of which one is played.
[[nodiscard]] std::shared_ptr<const gait::Character> machine_of(const Material& material, int states);

} // namespace bench
