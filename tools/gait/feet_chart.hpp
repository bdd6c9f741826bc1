/// The chart of one clip's feet.
#pragma once

#include "gait/measure.hpp"

#include <optional>
#include <string>

namespace gait::tool {

/// Draws each foot's height and its speed over the ground, with the contacts that were found, as .png or .svg by the
/// name of `path`. Returns what went wrong.
[[nodiscard]] std::optional<std::string> draw_feet_chart(const ClipSource& clip, const ClipMeasure& measure,
                                                         const std::string& title, const std::string& path);

} // namespace gait::tool
