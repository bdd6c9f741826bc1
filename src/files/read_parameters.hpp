/// The parameters of a document, and the values that its states give.
#pragma once

#include "files/yaml_tree.hpp"

namespace gait::detail {

/// Whether a document says everything itself, or changes what another one says.
enum class DocumentKind { whole, change };

void read_parameters(const YamlNode& node, DocumentKind kind_of_document, Document& document, DiagnosticSink& sink);
void read_values(const YamlNode& node, Document& document, DiagnosticSink& sink);

} // namespace gait::detail
