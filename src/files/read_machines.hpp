/// The machines of a document: states, and the ways between them.
#pragma once

#include "files/yaml_tree.hpp"

namespace gait::detail {

[[nodiscard]] MachineDefinition read_machine(const YamlNode& node, DiagnosticSink& sink);

} // namespace gait::detail
