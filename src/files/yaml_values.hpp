/// What a document writes in more than one place: seconds, pairs of numbers, names.
#pragma once

#include "files/yaml_tree.hpp"

#include <array>
#include <initializer_list>

namespace gait::detail {

/// A list of two numbers, the first and the last of something; an error begins with `what` it is.
[[nodiscard]] std::optional<std::pair<Number, Number>> read_window(const YamlNode& node, const char* what,
                                                                   DiagnosticSink& sink);
/// A number, or a list of a least and a greatest one.
[[nodiscard]] std::pair<Number, Number> read_one_or_two(const YamlNode& node, const std::string& what,
                                                        DiagnosticSink& sink);
/// A name, or a list of them.
[[nodiscard]] std::vector<Text> read_names(const YamlNode& node, const std::string& list, const std::string& item,
                                           DiagnosticSink& sink);
/// What one of several words stands for, where one is reported; any other word is an error that calls it a `what`.
template <typename Value>
void read_word(const YamlMap& map, const char* key, const char* what,
               std::initializer_list<std::pair<const char*, Value>> words, Value& to, DiagnosticSink& sink) {
    const Text word = map.text(key);
    if (word.empty()) { return; }
    std::vector<std::string> known;
    for (const auto& [name, value] : words) {
        if (word.value == name) {
            to = value;
            return;
        }
        known.emplace_back(name);
    }
    sink.unknown(word.place, what, word.value, known);
}
/// The same of a table whose rows have a `name`, and in `value` what it stands for.
template <typename Row, std::size_t count, typename Value>
void read_word(const YamlMap& map, const char* key, const char* what, const std::array<Row, count>& table,
               Value Row::*value, Value& to, DiagnosticSink& sink) {
    const Text word = map.text(key);
    if (word.empty()) { return; }
    std::vector<std::string> known;
    for (const Row& row : table) {
        if (word.value == row.name) {
            to = row.*value;
            return;
        }
        known.emplace_back(row.name);
    }
    sink.unknown(word.place, what, word.value, known);
}
/// A map from one name to another.
[[nodiscard]] std::vector<std::pair<Text, Text>> read_name_pairs(const YamlNode& node, const std::string& what,
                                                                 DiagnosticSink& sink);

} // namespace gait::detail
