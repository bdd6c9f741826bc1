/// `NAME(one, other)`: the use of something that takes arguments, and its declaration.
#pragma once

#include "gait/document.hpp"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace gait::detail {

struct Call {
    Text name;
    std::vector<Text> arguments; ///< each may be a call again
};

/// Takes `text` apart; a bare name has no arguments. Nothing when the brackets do not fit or a name is empty.
[[nodiscard]] std::optional<Call> split_call(const Text& text);

/// What names stand for inside something that takes arguments.
using Arguments = std::map<std::string, Text>;

/// `text`, a name or a call, with what its names stand for; whoever was handed in keeps the place it was written at.
[[nodiscard]] Text substituted(const Text& text, const Arguments& arguments);

/// An expression with each whole word that is an argument's name replaced: for people to read.
[[nodiscard]] std::string words_substituted(const std::string& expression, const Arguments& arguments);

} // namespace gait::detail
