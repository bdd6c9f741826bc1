#include "performance.hpp"

#include <fmt/format.h>

#include <cmath>

namespace gait::stage {
namespace {

/// The time of a frame, cut so that it falls into it.
std::string time_of(std::int64_t frame) {
    return fmt::format("{:.6f}", std::floor(1e6 * double(frame) / frames_per_second) / 1e6);
}

/// A name or a word as a cue sheet can hold it, whatever stands in it.
std::string quoted(const std::string& text) {
    const bool plain = !text.empty() && text.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
                                                               "0123456789_.") == std::string::npos;
    if (plain && text != "yes" && text != "no" && text != "true" && text != "false" && text != "null") { return text; }
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\') { out += '\\'; }
        out += c;
    }
    return out + "\"";
}

std::string value_of(const ParameterInfo& info, float value) {
    switch (info.kind) {
    case ParameterKind::flag:
        return value != 0 ? "yes" : "no";
    case ParameterKind::choice:
        return std::size_t(value) < info.of.size() ? quoted(info.of[std::size_t(value)]) : "0";
    default:
        return fmt::format("{}", value); // as many digits as give the same number
    }
}

} // namespace

std::string Performance::cue_sheet() const {
    const Character& character = this->character();
    const auto parameters = character.parameters();
    std::string out = fmt::format("about: Played by hand on the stage.\nseconds: {}\n", time_of(newest_));
    if (too_much_written_) {
        out += "# The document was changed while it played, or it played for too long: only what came after is here.\n";
    }
    if (steering_.speed) {
        out += fmt::format("body: {{speed: {}", quoted(parameters[steering_.speed.index].name));
        if (steering_.heading) { out += ", heading: " + quoted(parameters[steering_.heading.index].name); }
        out += "}\n";
    }
    out += written_.empty() ? "cues: []\n" : "cues:\n";
    for (std::size_t w = 0; w < written_.size();) {
        const std::int64_t frame = written_[w].frame;
        std::string sets, sends, enters;
        for (; w < written_.size() && written_[w].frame == frame; ++w) {
            const Input& input = written_[w].input;
            switch (input.kind) {
            case Input::Kind::set:
                sets += (sets.empty() ? "" : ", ") + quoted(parameters[input.what].name) + ": " +
                        value_of(parameters[input.what], input.value);
                break;
            case Input::Kind::send:
                sends += (sends.empty() ? "" : ", ") + quoted(parameters[input.what].name);
                break;
            case Input::Kind::enter:
                enters += fmt::format("  - {{at: {}, enter: {{state: {}, fade: {}}}}}\n", time_of(frame),
                                      quoted(character.full_name(input.what)), input.value);
                break;
            default:
                break;
            }
        }
        if (!sets.empty() || !sends.empty()) {
            out += fmt::format("  - {{at: {}", time_of(frame));
            if (!sets.empty()) { out += ", set: {" + sets + "}"; }
            if (!sends.empty()) { out += ", send: [" + sends + "]"; }
            out += "}\n";
        }
        out += enters;
    }
    return out;
}

} // namespace gait::stage
