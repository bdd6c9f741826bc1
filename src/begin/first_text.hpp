/// The first document as text, laid out as a person would write it.
#pragma once

#include "begin/placing.hpp"

#include <string>

namespace gait::detail {

/// Writes the document for `cast` and puts into each of its clips where it is played.
[[nodiscard]] std::string first_text(Cast& cast, const Rig& rig, const BodyPlan& plan, const std::string& rig_file,
                                     const std::string& fits);

} // namespace gait::detail
