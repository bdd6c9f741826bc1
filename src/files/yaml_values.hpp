/// What a document writes in more than one place: seconds, pairs of numbers, names.
#pragma once

#include "files/yaml_tree.hpp"

namespace gait {

/// A list of two numbers, the first and the last of something; an error begins with `what` it is.
[[nodiscard]] std::optional<std::pair<Number, Number>> read_window(const YamlNode& node, const char* what,
                                                                   DiagnosticSink& sink);
/// A number, or a list of a least and a greatest one.
[[nodiscard]] std::pair<Number, Number> read_one_or_two(const YamlNode& node, const std::string& what,
                                                        DiagnosticSink& sink);
/// A name, or a list of them.
[[nodiscard]] std::vector<Text> read_names(const YamlNode& node, const std::string& list, const std::string& item,
                                           DiagnosticSink& sink);
/// Seconds from 0 to 60, where they are said.
void read_seconds(const YamlMap& map, const char* key, Number& to, DiagnosticSink& sink);
/// A map from one name to another.
[[nodiscard]] std::vector<std::pair<Text, Text>> read_name_pairs(const YamlNode& node, const std::string& what,
                                                                 DiagnosticSink& sink);

} // namespace gait
