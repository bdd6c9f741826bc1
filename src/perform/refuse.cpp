#include "perform/refuse.hpp"

#include "diagnostics/sink.hpp"
#include "gait/character.hpp"
#include "math/compiler.hpp"
#include "perform/block_of.hpp"

#include <algorithm>
#include <array>
#include <atomic>
#include <charconv>
#include <string>
#include <vector>

namespace gait {
namespace {

std::atomic<RefusalListener> listener{nullptr};
std::atomic<void*> listeners_context{nullptr};

/// The names of all that a call of that kind may be about.
std::vector<std::string> names_of(const Character& character, std::string_view kind) {
    std::vector<std::string> names;
    if (kind == "one-shot") {
        for (const StateInfo& state : character.states()) {
            if (character.layers()[state.layer].one_shots) { names.push_back(state.name); }
        }
        return names;
    }
    for (const ParameterInfo& info : character.parameters()) {
        const bool number = kind == "number" && info_of(info.kind).continuous;
        if (!info.computed && (number || name_of(info.kind) == kind)) { names.push_back(info.name); }
    }
    return names;
}

std::string quoted(std::string_view name) { return '\'' + std::string(name) + '\''; }

/// As short as it is exact.
std::string text_of(double value) {
    std::array<char, 32> digits{};
    const auto end = std::to_chars(digits.data(), digits.data() + digits.size(), value).ptr;
    return {digits.data(), end};
}

/// `no KIND 'NAME'`, with the nearest of those there are.
std::string no_such(std::string_view kind, std::string_view name, const std::vector<std::string>& known) {
    return detail::DiagnosticSink({}, {}).words_for_unknown(std::string(kind), std::string(name), known).second;
}

const ParameterInfo* parameter_named(const RefusedCall& call) {
    const auto all = call.performer.character().parameters();
    const auto found = std::find_if(all.begin(), all.end(), [&](const auto& info) { return info.name == call.name; });
    return found == all.end() ? nullptr : &*found;
}

std::string reason(const RefusedCall& call) {
    const std::string kind(call.kind);
    const ParameterInfo* info = parameter_named(call);
    switch (call.why) {
    case Refusal::unknown_name:
    case Refusal::wrong_handle:
        if (call.why == Refusal::wrong_handle && call.name.empty()) { return "the handle refers to no " + kind; }
        if (info != nullptr) {
            return quoted(call.name) + " is of kind " + std::string(name_of(info->kind)) + ", not " + kind;
        }
        return no_such(kind, call.name, names_of(call.performer.character(), call.kind));
    case Refusal::computed:
        return quoted(call.name) + " is computed from other parameters, so set those";
    case Refusal::unknown_word:
        return quoted(call.name) + " has " +
               no_such("value", call.word, info == nullptr ? std::vector<std::string>() : strings_of(info->of));
    case Refusal::not_a_number:
        return "a " + kind + " must be a number, not " + text_of(call.value);
    case Refusal::out_of_bounds:
        return text_of(call.value) + " is out of bounds for a " + kind;
    case Refusal::not_there:
        return "there is nothing to do that with: no such thing in the document, or the performer was moved from";
    case Refusal::none:
        break;
    }
    return "it cannot be";
}

} // namespace

void hear_refusals(RefusalListener hears, void* context) {
    listener.store(nullptr);
    listeners_context.store(context);
    listener.store(hears);
}

std::string describe(const RefusedCall& call) {
    const bool about = !call.name.empty() && (call.why == Refusal::not_a_number || call.why == Refusal::out_of_bounds);
    return std::string(call.call) + (about ? ' ' + quoted(call.name) : std::string()) + ": " + reason(call);
}

} // namespace gait

namespace gait::detail {

GAIT_COLD bool refuse_name(const Performer& performer, const Asked& asked, std::string_view name, Refusal why) {
    Faults& faults = block_of(performer).header().faults;
    ++(asked.kind == "step" ? faults.refused_steps : faults.refused_values);
    faults.last = why;
    faults.last_value = float(asked.value);
    const std::size_t count = std::min(name.size(), sizeof faults.last_name - 1);
    std::fill(std::copy_n(name.data(), count, std::begin(faults.last_name)), std::end(faults.last_name), '\0');
    if (const RefusalListener hears = listener.load()) {
        hears({performer, asked.call, asked.kind, why, name, asked.word, asked.value}, listeners_context.load());
    }
    return false;
}

GAIT_COLD bool refuse(const Performer& performer, const Asked& asked, Refusal why) {
    return refuse_name(performer, asked, {}, why);
}

GAIT_COLD bool refuse_parameter(const Performer& performer, const Asked& asked, std::uint16_t index, Refusal why) {
    const CharacterData& data = performer.character().data();
    if (index >= data.smoothed_of.size()) { return refuse(performer, asked, Refusal::wrong_handle); }
    const ParameterInfo& info = data.parameters[index];
    return refuse_name(performer, asked, info.name, info.computed ? Refusal::computed : why);
}

} // namespace gait::detail
