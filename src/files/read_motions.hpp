/// What a state plays.
#pragma once

#include "files/yaml_tree.hpp"

namespace gait::detail {

[[nodiscard]] MotionDefinition read_motion(const YamlNode& node, DiagnosticSink& sink);

} // namespace gait::detail
