/// YAML as a tree that remembers where everything stood, and a strict reader of its maps.
#pragma once

#include "diagnostics/sink.hpp"
#include "gait/document.hpp"

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace gait::detail {

struct YamlEntry;

struct YamlNode {
    enum class Kind { null, scalar, sequence, map };
    Kind kind = Kind::null;
    std::string scalar;
    bool quoted = false;
    bool flow = false; ///< written in braces or brackets
    Place place;       ///< columns count bytes
    std::vector<YamlNode> items;
    std::vector<YamlEntry> entries;

    // Defined below, where an entry is complete: nodes and entries hold each other.
    YamlNode();
    YamlNode(const YamlNode& other);
    YamlNode(YamlNode&& other) noexcept;
    YamlNode& operator=(const YamlNode& other);
    YamlNode& operator=(YamlNode&& other) noexcept;
    ~YamlNode();

    [[nodiscard]] bool is_scalar() const { return kind == Kind::scalar; }
    [[nodiscard]] bool is_map() const { return kind == Kind::map; }
    [[nodiscard]] bool is_sequence() const { return kind == Kind::sequence; }
    /// Where the scalar's own text begins, after a quote.
    [[nodiscard]] Place text_place() const { return {place.line, place.column + (quoted ? 1 : 0), place.file}; }
};

/// One key of a map.
struct YamlEntry {
    YamlNode key, value;
};

inline YamlNode::YamlNode() = default;
inline YamlNode::YamlNode(const YamlNode& other) = default;
inline YamlNode::YamlNode(YamlNode&& other) noexcept = default;
inline YamlNode& YamlNode::operator=(const YamlNode& other) = default;
inline YamlNode& YamlNode::operator=(YamlNode&& other) noexcept = default;
inline YamlNode::~YamlNode() = default;

/// Carriage returns that stand alone, as very old editors write them, become line feeds.
void end_lines_alike(std::string& text);

/// Parses `text`. Nothing on a syntax error, which is reported in `sink`. Anchors, aliases and tags are refused; commas
/// that split an expression inside braces are found and reported.
[[nodiscard]] std::optional<YamlNode> parse_yaml(const std::string& text, DiagnosticSink& sink);

/// Makes every place in the tree one of the file that `Place::file` counts as `file`.
void set_file(YamlNode& node, int file);

/// Says what `node` is, for messages.
[[nodiscard]] std::string describe(const YamlNode& node);

/// A map with known keys. Unknown and doubled keys are reported on construction.
class YamlMap {
public:
    /// `what` names the map in messages ("a clip"). When `node` is no map that is reported, and every key is absent.
    YamlMap(const YamlNode& node, std::string what, std::vector<std::string> keys, DiagnosticSink& sink);

    [[nodiscard]] const YamlNode* find(std::string_view key) const;
    [[nodiscard]] Text text(std::string_view key) const; ///< empty when absent
    [[nodiscard]] std::optional<Number> number(std::string_view key, const std::string& unit) const;
    [[nodiscard]] std::optional<bool> flag(std::string_view key) const;
    [[nodiscard]] bool is_map() const { return node_ != nullptr; }

private:
    const YamlNode* node_ = nullptr;
    std::vector<std::pair<std::string, const YamlNode*>> meant_; ///< keys as a slip was meant, and their values
    std::string what_;
    DiagnosticSink& sink_;
};

[[nodiscard]] std::optional<Number> to_number(const YamlNode& node, const std::string& what, DiagnosticSink& sink);
[[nodiscard]] std::optional<bool> to_flag(const YamlNode& node, const std::string& what, DiagnosticSink& sink);
[[nodiscard]] Text to_text(const YamlNode& node, const std::string& what, DiagnosticSink& sink);

/// The entries of a map whose keys are names chosen by the author; doubled ones are reported and left out.
[[nodiscard]] std::vector<std::pair<Text, const YamlNode*>> named_entries(const YamlNode& node, const std::string& what,
                                                                          DiagnosticSink& sink);

/// The items of a list; a single map stands for a list of one.
[[nodiscard]] std::vector<const YamlNode*> list_items(const YamlNode& node, const std::string& what,
                                                      DiagnosticSink& sink);

} // namespace gait::detail
