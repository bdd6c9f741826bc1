#include "compile/context.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <utility>

namespace gait::detail {

std::vector<std::string> names_of(std::span<const ParameterInfo> parameters) {
    std::vector<std::string> names;
    for (const ParameterInfo& p : parameters) { names.push_back(p.name); }
    return names;
}

bool is_identifier(const std::string& name) {
    const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_'; };
    return !name.empty() && letter(name[0]) &&
           std::all_of(name.begin(), name.end(), [&](char c) { return letter(c) || (c >= '0' && c <= '9'); });
}

const std::set<std::string>& reserved_words() {
    static const std::set<std::string> words{"and", "or", "not", "true", "false", "yes", "no", "state", "raw", "is"};
    return words;
}

namespace {

/// The scope with arguments of its own, for as long as it lives. Copying it would copy every name it knows.
class ScopeOf {
public:
    ScopeOf(ExpressionScope& scope, const Arguments& arguments)
        : scope_(scope), arguments_(std::move(scope.arguments)), add_edge_(scope.add_edge),
          look_at_layer_(scope.look_at_layer) {
        scope.arguments = arguments_;
        for (const auto& [name, value] : arguments) { scope.arguments[name] = value.value; }
    }
    ~ScopeOf() {
        scope_.arguments = std::move(arguments_);
        scope_.add_edge = std::move(add_edge_);
        scope_.look_at_layer = std::move(look_at_layer_);
    }
    ScopeOf(const ScopeOf&) = delete;
    ScopeOf& operator=(const ScopeOf&) = delete;

private:
    ExpressionScope& scope_;
    decltype(ExpressionScope::arguments) arguments_;
    decltype(ExpressionScope::add_edge) add_edge_;
    decltype(ExpressionScope::look_at_layer) look_at_layer_;
};

} // namespace

void CompileContext::error(Place place, std::string code, std::string message, std::string path) {
    const std::string where = place.line > 0 ? fmt::format("{}:{}:{}", place.file, place.line, place.column) : path;
    if (!reported_.insert(where + " " + code + " " + message).second) { return; }
    for (auto use = uses.rbegin(); use != uses.rend(); ++use) {
        const bool here = use->place.line == place.line && use->place.file == place.file;
        if (use->place.line == 0 || here) { continue; }
        message += fmt::format(" (in '{}', used in line {})", use->name, use->place.line);
    }
    sink.error(place, std::move(code), std::move(message), std::move(path));
}

void CompileContext::incomplete(Place place, Place other, std::string message, const std::string& path) {
    if (place.line == 0) { return error(other, "missing-key", std::move(message), path); }
    if (!not_read) { not_read = place; }
}

double CompileContext::within(const Number& number, double least, double most, double otherwise,
                              const std::string& bounds, const std::string& path) {
    if (number.value >= least && number.value <= most) { return number.value; }
    error(number.place, "wrong-range", fmt::format("{}; found {}", bounds, number.value), path);
    return otherwise;
}

bool CompileContext::too_many(std::size_t count, const char* what) {
    constexpr std::size_t most = 50'000;
    if (count < most) { return false; }
    const std::vector<Use> none;
    const std::vector<Use> before = std::exchange(uses, none);
    const Place first = document.layers.empty() ? Place{} : document.layers.front().name.place;
    error(first, "too-many",
          fmt::format("all uses together make more than {} {}; use less of it in fewer places", most, what), what);
    uses = before;
    return true;
}

void CompileContext::unknown(Place place, const std::string& kind, const std::string& name,
                             const std::vector<std::string>& known, std::string path) {
    auto [code, message] = sink.words_for_unknown(kind, name, known);
    error(place, std::move(code), std::move(message), std::move(path));
}

CodeRange CompileContext::expression(const Text& text, ValueType wanted, StateReadings readings,
                                     const Arguments& arguments, const std::string& path) {
    const auto at = [&](std::size_t offset) {
        return text.place.line == 0 ? Place{}
                                    : Place{text.place.line, text.place.column + int(offset), text.place.file};
    };
    const ScopeOf within(scope, arguments);
    scope.look_at_layer = [&](std::size_t layer, const std::string& state, Reading reading, std::size_t offset) {
        const std::string key = ExpressionScope::layer_key(layer, state, reading);
        HiddenParameter looks{state.empty() ? ParameterSource::layer_reading : ParameterSource::layer_state};
        looks.layer = std::uint8_t(layer);
        looks.state = Text(state, at(offset));
        looks.node = std::uint16_t(reading);
        const std::uint16_t slot = hide(std::move(looks));
        scope.layer_slots[key] = slot;
        return slot;
    };
    const ParsedExpression parsed = parse_expression(text.value, scope, wanted);
    if (parsed.error) {
        error(at(parsed.error->offset), parsed.error->code, parsed.error->message, path);
        return {};
    }
    if (parsed.reads_state && readings == StateReadings::refused) {
        error(at(0), "wrong-reading",
              fmt::format("'{}' speaks of a state, and this looks at parameters alone; compare 'state.' readings in a "
                          "transition's 'when'",
                          text.value),
              path);
        return {};
    }
    for (const ExpressionError& remark : parsed.remarks) {
        const Place place = at(remark.offset);
        const auto same = [&](const CharacterNotes::Remark& r) {
            return r.place.line == place.line && r.place.column == place.column && r.message == remark.message;
        };
        if (std::none_of(data->notes.remarks.begin(), data->notes.remarks.end(), same)) {
            data->notes.remarks.push_back({place, remark.code, remark.message});
        }
    }
    return emit(parsed.code);
}

CodeRange CompileContext::weight(const Text& text, const Arguments& arguments, const std::string& path) {
    const bool is_flag = [&] {
        const ScopeOf within(scope, arguments);
        scope.add_edge = nullptr; // this parse is only to see what it is
        return !parse_expression(text.value, scope, ValueType::flag).error;
    }();
    return expression(text, is_flag ? ValueType::flag : ValueType::number, StateReadings::refused, arguments, path);
}

std::uint16_t CompileContext::hide(HiddenParameter added) {
    hidden.push_back(std::move(added));
    return std::uint16_t(data->parameters.size() + hidden.size() - 1);
}

CodeRange CompileContext::emit(const std::vector<Instruction>& code) {
    std::string key;
    for (const Instruction& i : code) { key += fmt::format("{} {} {:a};", int(i.operation), i.slot, i.value); }
    const auto known = programs_.find(key);
    if (known != programs_.end()) { return known->second; }
    const CodeRange range{std::uint32_t(data->code.size()), std::uint32_t(code.size())};
    data->code.insert(data->code.end(), code.begin(), code.end());
    programs_[key] = range;
    return range;
}

CodeRange CompileContext::joined(CodeRange first, CodeRange second, Operation operation) {
    if (first.empty()) { return second; }
    if (second.empty()) { return first; }
    std::vector<Instruction> code;
    for (const CodeRange range : {first, second}) {
        const auto part = data->instructions(range);
        code.insert(code.end(), part.begin(), part.end());
    }
    code.push_back({operation, 0, 0});
    return emit(code);
}

CodeRange CompileContext::both(CodeRange first, CodeRange second) { return joined(first, second, Operation::both); }
CodeRange CompileContext::product(CodeRange first, CodeRange second) {
    return joined(first, second, Operation::multiply);
}

double checked_fade(CompileContext& context, const Number& fade, const std::string& path) {
    return context.within(fade, 0, longest_fade, 0, fmt::format("a fade lasts 0 to {} seconds", longest_fade),
                          path + ".fade");
}

} // namespace gait::detail
