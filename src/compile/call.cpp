#include "compile/call.hpp"

namespace gait::detail {
namespace {

/// The part of `text` from `first` to `last` without blanks around it, and its place.
Text part(const Text& text, std::size_t first, std::size_t last) {
    while (first < last && text.value[first] == ' ') { ++first; }
    while (last > first && text.value[last - 1] == ' ') { --last; }
    Place place = text.place;
    if (place.line > 0) { place.column += int(first); }
    return {text.value.substr(first, last - first), place};
}

} // namespace

std::optional<Call> split_call(const Text& text) {
    const std::string& value = text.value;
    const std::size_t open = value.find('(');
    if (open == std::string::npos) { return Call{text, {}}; }
    if (value.back() != ')') { return std::nullopt; }
    Call call{part(text, 0, open), {}};
    if (call.name.empty()) { return std::nullopt; }
    int depth = 0;
    std::size_t start = open + 1;
    for (std::size_t i = start; i < value.size(); ++i) {
        const bool last = i + 1 == value.size();
        if (value[i] == '(') { ++depth; }
        if (value[i] == ')' && !last && --depth < 0) { return std::nullopt; }
        if (!last && (value[i] != ',' || depth > 0)) { continue; }
        call.arguments.push_back(part(text, start, i));
        if (call.arguments.back().empty()) { return std::nullopt; }
        start = i + 1;
    }
    return depth == 0 ? std::optional(call) : std::nullopt;
}

Text substituted(const Text& text, const Arguments& arguments) {
    if (arguments.empty()) { return text; }
    if (const auto found = arguments.find(text.value); found != arguments.end()) { return found->second; }
    const auto call = split_call(text);
    if (!call || call->arguments.empty()) { return text; }
    Text whole = call->name;
    for (std::size_t i = 0; i < call->arguments.size(); ++i) {
        whole.value += (i == 0 ? "(" : ", ") + substituted(call->arguments[i], arguments).value;
    }
    whole.value += ')';
    return whole;
}

std::string words_substituted(const std::string& expression, const Arguments& arguments) {
    const auto in_word = [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
    };
    std::string out;
    for (std::size_t i = 0; i < expression.size();) {
        std::size_t end = i;
        while (end < expression.size() && in_word(expression[end])) { ++end; }
        if (end == i) {
            out += expression[i++];
            continue;
        }
        const std::string word = expression.substr(i, end - i);
        const auto found = arguments.find(word);
        out += found == arguments.end() ? word : found->second.value;
        i = end;
    }
    return out;
}

} // namespace gait::detail
