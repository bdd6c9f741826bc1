/// The clips of a document, and how they fit its rig.
#pragma once

#include "files/yaml_tree.hpp"

namespace gait::detail {

/// `scale`, metres a unit; and an axis of a file, such as `up: -z`.
[[nodiscard]] std::optional<Number> read_scale(const YamlMap& map, DiagnosticSink& sink);
[[nodiscard]] Text read_axis(const YamlMap& map, const char* key, DiagnosticSink& sink);

void read_clips(const YamlNode& node, Document& document, DiagnosticSink& sink);
/// Clips that share a file and settings, each by its name in the file.
void read_clip_sets(const YamlNode& node, Document& document, DiagnosticSink& sink);
void read_fits(const YamlNode& node, Document& document, DiagnosticSink& sink);

} // namespace gait::detail
