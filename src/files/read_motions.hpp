/// What a state plays.
#pragma once

#include "files/yaml_tree.hpp"

namespace gait {

[[nodiscard]] MotionDefinition read_motion(const YamlNode& node, DiagnosticSink& sink);

} // namespace gait
