/// The clips of a first document: each in its line, with its settings, what it was taken for and why.
#pragma once

#include "begin/placing.hpp"

#include <string>
#include <vector>

namespace gait::detail {

/// The document's `clips`, in chapters; what is played nowhere stands last.
[[nodiscard]] std::string clip_lines(const Cast& cast, const Rig& rig, const BodyPlan& plan);

/// The instants, seconds, at which a foot of a gait comes down, which its line marks; none where that is unsure.
[[nodiscard]] std::vector<double> footfalls(const Placed& clip, const std::string& side);

} // namespace gait::detail
