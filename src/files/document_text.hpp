/// Names as documents take them.
#pragma once

#include "gait/api.hpp"

#include <string>

namespace gait::detail {

/// A name of somebody's as a key or a value of a document: in quotes where it needs them.
[[nodiscard]] GAIT_API std::string document_text(const std::string& name);

} // namespace gait::detail
