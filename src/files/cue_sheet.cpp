#include "gait/cue_sheet.hpp"

#include "files/write_file.hpp"
#include "files/yaml_tree.hpp"
#include "gait/math.hpp"
#include "gait/space.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

namespace gait {
namespace {

constexpr double longest_sheet = 24 * 3600; ///< seconds
constexpr std::size_t most_steps = 1'000'000;

class CueSheetReader {
public:
    CueSheetReader(CueSheet& sheet, DiagnosticSink& sink) : sheet_(sheet), sink_(sink) {}

    void read(const YamlNode& root) {
        const YamlMap map(root, "a cue sheet", {"about", "seconds", "body", "cues"}, sink_);
        if (!map.is_map()) { return; }
        if (map.find("about") != nullptr) { sheet_.about = map.text("about").value; }
        sheet_.seconds = seconds(map, "seconds").value_or(0);
        if (const YamlNode* body = map.find("body")) { read_body(*body); }
        if (const YamlNode* cues = map.find("cues")) {
            sheet_.cues = read_cues(*cues, 0);
        } else {
            sink_.error(root.place, "missing-key",
                        "a cue sheet needs 'cues:', a list such as - {at: 1, set: {speed: 1.4}}");
        }
    }

private:
    void read_body(const YamlNode& node) {
        const YamlMap map(node, "'body'", {"speed", "heading", "turn", "turn_rate"}, sink_);
        if (!map.is_map()) { return; }
        CueBody& body = sheet_.body.emplace();
        body.speed = map.text("speed");
        body.heading = map.text("heading");
        body.turn = map.text("turn");
        if (const auto rate = map.number("turn_rate", "degrees a second")) { body.turn_rate = *rate; }
        if (body.speed.empty() && body.turn.empty()) {
            sink_.error(node.place, "missing-key",
                        "this body goes nowhere; add 'speed: PARAMETER', 'turn: PARAMETER' or both");
        }
    }

    std::optional<double> seconds(const YamlMap& map, const char* key) {
        const auto number = map.number(key, "seconds");
        if (!number) { return std::nullopt; }
        if (number->value < 0 || number->value > longest_sheet) {
            sink_.error(number->place, "wrong-range",
                        fmt::format("'{}' is 0 to {} seconds; found {}", key, longest_sheet, number->value));
            return std::nullopt;
        }
        return number->value;
    }

    std::vector<Cue> read_cues(const YamlNode& node, int depth) {
        std::vector<Cue> cues;
        if (depth > 8) {
            sink_.error(node.place, "too-deep", "groups of cues nest deeper than 8");
            return cues;
        }
        for (const YamlNode* item : list_items(node, "'cues'", sink_)) { cues.push_back(read_cue(*item, depth)); }
        return cues;
    }

    Cue read_cue(const YamlNode& node, int depth) {
        Cue cue;
        cue.place = node.place;
        const YamlMap map(node, "a cue",
                          {"at", "set", "send", "over", "enter", "reset", "seed", "cues", "every", "times"}, sink_);
        if (!map.is_map()) { return cue; }
        if (map.find("at") == nullptr) {
            sink_.error(node.place, "missing-key", "this cue does not say when; add 'at: SECONDS'");
        }
        cue.at = seconds(map, "at").value_or(0);
        cue.over = seconds(map, "over").value_or(0);
        if (const YamlNode* set = map.find("set")) {
            for (const auto& [name, value] : named_entries(*set, "set", sink_)) { read_value(name, *value, cue); }
        }
        if (const YamlNode* send = map.find("send")) {
            if (send->is_scalar()) {
                cue.send.push_back(to_text(*send, "'send', a signal,", sink_));
            } else {
                for (const YamlNode* name : list_items(*send, "'send'", sink_)) {
                    cue.send.push_back(to_text(*name, "a signal's name", sink_));
                }
            }
        }
        if (const YamlNode* group = map.find("cues")) { cue.group = read_cues(*group, depth + 1); }
        if (const YamlNode* enter = map.find("enter")) { read_enter(*enter, cue); }
        cue.reset = map.flag("reset").value_or(false);
        if (const auto seed = map.number("seed", {})) {
            if (seed->value < 0 || seed->value > 9e15 || seed->value != std::floor(seed->value)) {
                sink_.error(seed->place, "wrong-range",
                            fmt::format("'seed' is a whole number from 0; found {}", seed->value));
            } else {
                cue.seed = std::uint64_t(seed->value);
            }
        }
        bool does_something = false;
        for (const char* key : {"set", "send", "enter", "reset", "seed", "cues"}) {
            does_something = does_something || map.find(key) != nullptr;
        }
        if (!does_something) {
            sink_.error(node.place, "missing-key",
                        "this cue does nothing; add 'set: {PARAMETER: VALUE}', 'send: SIGNAL', 'enter: STATE' or a "
                        "group of 'cues'");
        }
        if (map.find("over") != nullptr && map.find("set") == nullptr) {
            sink_.error(node.place, "wrong-shape", "'over' is how long a 'set' takes; this cue sets nothing");
        }
        if (const auto every = map.number("every", "seconds")) {
            cue.every = every->value;
            if (!(every->value > 0) || every->value > longest_sheet) {
                sink_.error(every->place, "wrong-range",
                            fmt::format("'every' is more than 0 seconds; found {}", every->value));
                cue.every = 1;
            }
        }
        if (const auto times = map.number("times", {})) {
            cue.times = int(std::clamp(times->value, 1.0, 1e6));
            if (times->value < 1 || times->value > 100'000 || times->value != std::floor(times->value)) {
                sink_.error(times->place, "wrong-range",
                            fmt::format("'times' is a whole number from 1 to 100000; found {}", times->value));
                cue.times = 1;
            }
        }
        if ((map.find("every") == nullptr) != (map.find("times") == nullptr)) {
            sink_.error(node.place, "missing-key", "a repeat needs both 'every: SECONDS' and 'times: COUNT'");
            cue.times = 1;
        }
        return cue;
    }

    void read_enter(const YamlNode& node, Cue& cue) {
        if (!node.is_map()) {
            cue.enter = to_text(node, "'enter', a state such as body.moving,", sink_);
            return;
        }
        const YamlMap map(node, "'enter'", {"state", "fade"}, sink_);
        cue.enter = map.text("state");
        if (map.find("state") == nullptr) {
            sink_.error(node.place, "missing-key", "'enter' does not say where; add 'state: body.moving'");
        }
        cue.enter_fade = seconds(map, "fade").value_or(0.2);
    }

    void read_value(const Text& name, const YamlNode& node, Cue& cue) {
        Cue::Value value{name, to_text(node, fmt::format("the value of '{}'", name.value), sink_)};
        if (!value.value.empty()) { cue.set.push_back(std::move(value)); }
    }

    CueSheet& sheet_;
    DiagnosticSink& sink_;
};

} // namespace

CueSheetRead read_cue_sheet_text(const std::string& text, const std::string& name) {
    CueSheetRead result;
    result.sheet.file = name;
    result.sheet.source = split_lines(text);
    DiagnosticSink sink(name, result.sheet.source);
    if (const auto root = parse_yaml(text, sink)) { CueSheetReader(result.sheet, sink).read(*root); }
    result.diagnostics = sink.take();
    return result;
}

CueSheetRead read_cue_sheet(const std::filesystem::path& path) {
    const FileContents contents = read_file(path);
    if (contents.problem) {
        CueSheetRead result;
        DiagnosticSink sink(path.string(), {});
        sink.error({}, "unreadable-file", *contents.problem);
        result.diagnostics = sink.take();
        return result;
    }
    return read_cue_sheet_text(contents.bytes, path.string());
}

CuePlayer::Meaning CuePlayer::meaning_of(const std::string& text, const ParameterInfo& info) {
    const auto problem = [](const char* code, std::string message) { return Meaning{0, std::move(message), code}; };
    if (info.computed) {
        return problem("wrong-type", fmt::format("'{}' is computed from other parameters; set those", info.name));
    }
    switch (info.kind) {
    case ParameterKind::signal:
        return problem("wrong-type", fmt::format("'{}' is a signal, which has no value; send it", info.name));
    case ParameterKind::flag:
        if (text == "yes" || text == "true") { return {1, {}, {}}; }
        if (text == "no" || text == "false") { return {0, {}, {}}; }
        return problem("wrong-type", fmt::format("'{}' is a flag; write yes or no", info.name));
    case ParameterKind::choice: {
        const auto found = std::find(info.of.begin(), info.of.end(), text);
        if (found != info.of.end()) { return {float(found - info.of.begin()), {}, {}}; }
        return problem("unknown-value",
                       fmt::format("'{}' is one of {}; found '{}'", info.name, fmt::join(info.of, ", "), text));
    }
    case ParameterKind::number:
    case ParameterKind::angle:
        break;
    }
    double value = 0;
    const char* first = text.data() + (text.starts_with('+') ? 1 : 0);
    const auto [end, failure] = std::from_chars(first, text.data() + text.size(), value);
    if (failure != std::errc{} || end != text.data() + text.size() || !std::isfinite(value)) {
        return problem("wrong-type",
                       fmt::format("'{}' is a number; write one such as 1.4; found '{}'", info.name, text));
    }
    const bool wraps = info.kind == ParameterKind::angle;
    if (!wraps && (float(value) < info.low || float(value) > info.high)) {
        return problem("wrong-range",
                       fmt::format("'{}' ranges from {} to {}; found {}", info.name, info.low, info.high, value));
    }
    return {float(value), {}, {}};
}

Travel CuePlayer::move(const Performer& performer, double dt) const {
    Travel travel = performer.travel();
    if (!body_) { return travel; }
    const double rest = (1 - double(travel.share)) * dt;
    double speed = body_->speed ? double(performer.smoothed(body_->speed)) : 0;
    double heading = body_->heading ? double(performer.smoothed(body_->heading)) : 0;
    if (const auto cursor = blend_cursor(performer); cursor && cursor->velocity) {
        speed = cursor->speed;
        heading = cursor->heading;
    }
    const double radians = heading / degrees_per_radian;
    travel.move =
        travel.move + Vec3{float(-std::sin(radians) * speed * rest), 0, float(std::cos(radians) * speed * rest)};
    if (body_->turn) { travel.turn += float(double(performer.smoothed(body_->turn)) * body_->turn_rate * rest); }
    return travel;
}

bool CuePlayer::touches(std::uint16_t parameter) const {
    return std::any_of(steps_.begin(), steps_.end(), [&](const Step& step) {
        const bool sets =
            step.kind != Step::Kind::enter && step.kind != Step::Kind::reset && step.kind != Step::Kind::seed;
        return sets && step.parameter == parameter;
    });
}

CuePlayer::CuePlayer(const CueSheet& sheet, const Character& character, Diagnostics& diagnostics) {
    DiagnosticSink sink(sheet.file, sheet.source);
    std::vector<std::string> names;
    for (const ParameterInfo& p : character.parameters()) { names.push_back(p.name); }
    bool too_many = false;

    // Bind every value once, then lay the repeats out.
    const auto find = [&](const Text& name) -> std::optional<std::uint16_t> {
        const auto found = std::find(names.begin(), names.end(), name.value);
        if (found != names.end()) { return std::uint16_t(found - names.begin()); }
        sink.unknown(name.place, "parameter", name.value, names);
        return std::nullopt;
    };
    if (sheet.body) {
        const auto bound = [&](const Text& name, ParameterKind kind, const char* what) -> NumberParameter {
            const auto parameter = name.empty() ? std::nullopt : find(name);
            if (!parameter) { return {}; }
            if (character.parameters()[*parameter].kind != kind) {
                sink.error(name.place, "wrong-type", fmt::format("'{}' is not {}", name.value, what));
                return {};
            }
            return NumberParameter{*parameter};
        };
        body_ = Body{bound(sheet.body->speed, ParameterKind::number, "a number"),
                     bound(sheet.body->heading, ParameterKind::angle, "an angle"),
                     bound(sheet.body->turn, ParameterKind::number, "a number"), sheet.body->turn_rate.value};
    }
    const auto bind = [&](const Cue::Value& value) -> std::optional<Step> {
        const auto parameter = find(value.name);
        if (!parameter) { return std::nullopt; }
        const ParameterInfo& info = character.parameters()[*parameter];
        const Meaning meaning = meaning_of(value.value.value, info);
        if (!meaning.problem.empty()) {
            sink.error(value.value.place, meaning.code, meaning.problem);
            return std::nullopt;
        }
        Step step;
        step.parameter = *parameter;
        step.kind = info.kind == ParameterKind::flag     ? Step::Kind::set_flag
                    : info.kind == ParameterKind::choice ? Step::Kind::set_choice
                                                         : Step::Kind::set;
        step.value = meaning.value;
        return step;
    };
    const auto bind_signal = [&](const Text& name) -> std::optional<Step> {
        const auto parameter = find(name);
        if (!parameter) { return std::nullopt; }
        if (character.parameters()[*parameter].kind != ParameterKind::signal) {
            sink.error(name.place, "wrong-type",
                       fmt::format("'{}' is no signal; write 'set: {{{}: VALUE}}'", name.value, name.value));
            return std::nullopt;
        }
        Step step;
        step.parameter = *parameter;
        step.kind = Step::Kind::send;
        return step;
    };
    const auto lay_out = [&](const auto& self, const std::vector<Cue>& cues, double start) -> void {
        for (const Cue& cue : cues) {
            std::vector<Step> bound;
            Step other;
            if (cue.reset) {
                other.kind = Step::Kind::reset;
                bound.push_back(other);
            }
            if (cue.seed) {
                other.kind = Step::Kind::seed;
                other.seed = *cue.seed;
                bound.push_back(other);
            }
            for (const Cue::Value& value : cue.set) {
                if (auto step = bind(value)) { bound.push_back(*step); }
            }
            for (const Text& signal : cue.send) {
                if (auto step = bind_signal(signal)) { bound.push_back(*step); }
            }
            if (!cue.enter.empty()) {
                other.kind = Step::Kind::enter;
                other.state = character.state(cue.enter.value);
                other.value = float(cue.enter_fade);
                if (!other.state) {
                    std::vector<std::string> states;
                    for (const StateInfo& state : character.states()) {
                        states.push_back(fmt::format("{}.{}", character.layers()[state.layer].name, state.name));
                    }
                    sink.unknown(cue.enter.place, "state", cue.enter.value, states);
                }
                bound.push_back(other);
            }
            for (int n = 0; n < cue.times; ++n) {
                const double at = start + cue.at + n * cue.every;
                for (Step step : bound) {
                    step.at = at;
                    step.over = step.kind != Step::Kind::set ? 0 : cue.over;
                    last_ = std::max(last_, at + step.over);
                    steps_.push_back(step);
                }
                // A group's mistakes are the same in every repeat.
                if (!cue.group.empty() && (n == 0 || !has_errors(sink.list()))) { self(self, cue.group, at); }
                if (steps_.size() > most_steps) {
                    if (!too_many) {
                        sink.error(cue.place, "too-many",
                                   fmt::format("repeats make more than {} cues; lower 'times'", most_steps));
                    }
                    too_many = true;
                    return;
                }
            }
        }
    };
    lay_out(lay_out, sheet.cues, 0);
    std::stable_sort(steps_.begin(), steps_.end(), [](const Step& a, const Step& b) { return a.at < b.at; });
    for (Diagnostic& d : sink.take()) { diagnostics.push_back(std::move(d)); }
}

void CuePlayer::apply(Performer& performer, double time) {
    constexpr double slack = 1e-9; // frames are sums of floats: 60 of 1/60 s should reach a cue at 1 s
    for (; next_ < steps_.size() && steps_[next_].at <= time + slack; ++next_) {
        const Step& step = steps_[next_];
        switch (step.kind) {
        case Step::Kind::reset:
            ramps_.clear();
            performer.reset();
            continue;
        case Step::Kind::seed:
            performer.set_seed(step.seed);
            continue;
        case Step::Kind::enter:
            performer.enter(step.state, double(step.value));
            continue;
        case Step::Kind::send:
            performer.send(SignalParameter{step.parameter});
            continue;
        case Step::Kind::set_flag:
            performer.set(FlagParameter{step.parameter}, step.value != 0);
            continue;
        case Step::Kind::set_choice:
            performer.set(ChoiceParameter{step.parameter},
                          performer.character().parameters()[step.parameter].of[std::size_t(step.value)]);
            continue;
        case Step::Kind::set:
            break;
        }
        // A newer cue takes a parameter over from a ramp under way.
        std::erase_if(ramps_, [&](const Ramp& ramp) { return ramp.step.parameter == step.parameter; });
        if (step.over > 0) {
            ramps_.push_back({step, performer.get(NumberParameter{step.parameter})});
        } else {
            performer.set(NumberParameter{step.parameter}, step.value);
        }
    }
    for (const Ramp& ramp : ramps_) {
        const double u = std::clamp((time - ramp.step.at) / ramp.step.over, 0.0, 1.0);
        double way = double(ramp.step.value) - double(ramp.from);
        const ParameterInfo& info = performer.character().parameters()[ramp.step.parameter];
        if (info.kind == ParameterKind::angle) { way = std::remainder(way, 360.0); } // the short way round
        performer.set(NumberParameter{ramp.step.parameter}, float(double(ramp.from) + way * u));
    }
    std::erase_if(ramps_, [&](const Ramp& ramp) { return time >= ramp.step.at + ramp.step.over - slack; });
}

} // namespace gait
