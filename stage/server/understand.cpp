#include "wire.hpp"

#include <algorithm>
#include <cmath>

namespace gait::stage {
namespace {

using nlohmann::json;
using Meaning = std::variant<Ask, std::string>;

/// The index of a parameter; nothing where there is none that a page may set.
std::optional<std::uint16_t> parameter_named(const Character& character, const std::string& name) {
    const auto all = character.parameters();
    for (std::uint16_t p = 0; p < all.size(); ++p) {
        if (all[p].name == name && !all[p].computed) { return p; }
    }
    return std::nullopt;
}

std::optional<std::string> text_in(const json& message, const char* key) {
    const auto found = message.find(key);
    if (found == message.end() || !found->is_string()) { return std::nullopt; }
    return found->get<std::string>();
}
std::optional<double> number_in(const json& message, const char* key) {
    const auto found = message.find(key);
    if (found == message.end() || !found->is_number()) { return std::nullopt; }
    const auto number = found->get<double>();
    return std::isfinite(number) ? std::optional(number) : std::nullopt;
}

Ask input_of(const Input& input) {
    Ask ask;
    ask.input = input;
    return ask;
}
Ask plain(Ask::Kind kind) {
    Ask ask;
    ask.kind = kind;
    return ask;
}

Meaning set_meant(const json& message, const Character& character) {
    const auto name = text_in(message, "name");
    const auto parameter = name ? parameter_named(character, *name) : std::nullopt;
    if (!parameter) { return "'set' names no parameter that can be set"; }
    const ParameterInfo& info = character.parameters()[*parameter];
    const auto value = message.find("value");
    Input input{Input::Kind::set, *parameter, 0, {}};
    switch (info.kind) {
    case ParameterKind::flag:
        if (value == message.end() || !value->is_boolean()) { return "a flag is set to true or false"; }
        input.value = value->get<bool>() ? 1 : 0;
        return input_of(input);
    case ParameterKind::choice: {
        const auto word = text_in(message, "value");
        const auto found = word ? std::find(info.of.begin(), info.of.end(), *word) : info.of.end();
        if (found == info.of.end()) { return "a choice is set to one of its words"; }
        input.value = float(found - info.of.begin());
        return input_of(input);
    }
    case ParameterKind::signal:
        return "a signal is sent, not set";
    default:
        break;
    }
    const auto number = number_in(message, "value");
    if (!number || std::fabs(*number) > 1e9) { return "a number is set to a number"; }
    input.value = float(*number);
    return input_of(input);
}

Meaning send_meant(const json& message, const Character& character) {
    const auto name = text_in(message, "name");
    const SignalParameter signal = name ? character.signal(*name) : SignalParameter{};
    if (!signal) { return "'send' names no signal"; }
    return input_of({Input::Kind::send, signal.index, 0, {}});
}

Meaning enter_meant(const json& message, const Character& character) {
    const auto name = text_in(message, "state");
    const StateHandle state = name ? character.state(*name) : StateHandle{};
    if (!state) { return "'enter' names no state"; }
    const double fade = number_in(message, "fade").value_or(0.2);
    if (!(fade >= 0 && fade <= longest_fade)) { return "a fade is 0 to 60 seconds"; }
    return input_of({Input::Kind::enter, state.index, float(fade), {}});
}

Meaning drive_meant(const json& message, const Character& character) {
    if (!steering_of(character).speed) {
        return "no number in m/s steers a blend space of this document, so nothing can be driven";
    }
    const auto right = number_in(message, "right"), ahead = number_in(message, "ahead"),
               camera = number_in(message, "camera");
    if (!right && !ahead) { return input_of({Input::Kind::let_go, 0, 0, {}}); }
    if (!right || !ahead || !camera || std::fabs(*right) > 10 || std::fabs(*ahead) > 10 || std::fabs(*camera) > 1e6) {
        return "'drive' takes 'right' and 'ahead' of a stick, -1 to 1, and the degrees that 'camera' looks along";
    }
    return input_of({Input::Kind::drive, 0, 0, {{float(*right), float(*ahead)}, float(*camera)}});
}

} // namespace

Meaning understand(const std::string& message, const Character& character) {
    // Nothing here nests, and a deep text would take as deep a stack.
    const auto opened = std::count_if(message.begin(), message.end(), [](char c) { return c == '{' || c == '['; });
    constexpr auto most_opened = 8;
    const json asked = opened > most_opened ? json(json::value_t::discarded) : json::parse(message, nullptr, false);
    if (!asked.is_object()) { return "a message is a JSON object"; }
    const auto what = text_in(asked, "ask");
    if (!what) { return "a message says what it asks: {\"ask\": ...}"; }
    if (*what == "set") { return set_meant(asked, character); }
    if (*what == "send") { return send_meant(asked, character); }
    if (*what == "enter") { return enter_meant(asked, character); }
    if (*what == "drive") { return drive_meant(asked, character); }
    if (*what == "pause") { return plain(Ask::Kind::pause); }
    if (*what == "play") { return plain(Ask::Kind::play); }
    if (*what == "cues") { return plain(Ask::Kind::cues); }
    if (*what == "ways") {
        Ask ask = plain(Ask::Kind::ways);
        const auto wanted = asked.find("wanted");
        ask.wanted = wanted != asked.end() && wanted->is_boolean() && wanted->get<bool>();
        return ask;
    }
    if (*what == "slow") {
        const auto times = number_in(asked, "times");
        if (!times || !(*times >= 1 && *times <= 10) || *times != std::floor(*times)) {
            return "'slow' takes 'times', a whole number of 1 to 10";
        }
        Ask ask = plain(Ask::Kind::slow);
        ask.slow = int(*times);
        return ask;
    }
    if (*what == "step" || *what == "go_to") {
        const auto frame = number_in(asked, *what == "step" ? "frames" : "frame");
        if (!frame || std::fabs(*frame) > 1e9) { return "'" + *what + "' takes a number of frames"; }
        Ask ask = plain(*what == "step" ? Ask::Kind::step : Ask::Kind::go_to);
        ask.frame = std::int64_t(*frame);
        return ask;
    }
    return "there is no such question; see docs/stage.md";
}

} // namespace gait::stage
