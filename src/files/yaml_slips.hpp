/// What a hand slipped at in a text that is not YAML: where it is and what to write, in words of the trade rather than
/// of a parser.
#pragma once

#include "gait/diagnostic.hpp"

#include <optional>
#include <string>

namespace gait::detail {

struct YamlSlip {
    Place place;
    std::string message;
};

/// The likeliest slip in `text`, which a parser gave up reading in line `failed_at`.
[[nodiscard]] YamlSlip find_slip(const std::string& text, const Place& failed_at);

/// A quote that is opened and never closed, which swallows all that follows; nothing where there is none.
[[nodiscard]] std::optional<YamlSlip> find_open_quote(const std::string& text);

/// Whether a map of a document or a cue sheet may have this key.
[[nodiscard]] bool is_known_key(const std::string& word);

} // namespace gait::detail
