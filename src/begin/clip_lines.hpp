/// The clips of a first document: each in its line, with its settings, what it was taken for and why.
#pragma once

#include "begin/placing.hpp"

#include <string>

namespace gait::detail {

/// The document's `clips`, in chapters; what is played nowhere stands last.
[[nodiscard]] std::string clip_lines(const Cast& cast, const Rig& rig, const BodyPlan& plan);

} // namespace gait::detail
