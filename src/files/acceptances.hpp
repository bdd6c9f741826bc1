/// `accept` in a document: which warnings are meant, and where.
#pragma once

#include "files/yaml_tree.hpp"
#include "gait/acceptance.hpp"

#include <vector>

namespace gait::detail {

/// Takes every `accept: [...]` out of the tree: each counts for the map that it stands in, one at the top for all.
[[nodiscard]] std::vector<Acceptance> take_acceptances(YamlNode& root, DiagnosticSink& sink);

} // namespace gait::detail
