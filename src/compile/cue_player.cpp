#include "gait/cue_player.hpp"

#include "compile/parameter_values.hpp"
#include "diagnostics/sink.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace gait {
using namespace detail;
namespace {

constexpr std::size_t most_steps = 1'000'000;

} // namespace

CuePlayer::Meaning CuePlayer::meaning_of(const std::string& text, const ParameterInfo& parameter) {
    auto [value, problem, code] = detail::meaning_of(text, parameter);
    return {value, std::move(problem), std::move(code)};
}

Travel CuePlayer::move(const Performer& performer, double dt) const {
    return body_ ? body_->move(performer, dt) : performer.travel();
}

bool CuePlayer::touches(std::uint16_t parameter) const {
    return std::any_of(steps_.begin(), steps_.end(), [&](const Step& step) {
        const bool sets =
            step.kind != Step::Kind::enter && step.kind != Step::Kind::reset && step.kind != Step::Kind::seed;
        return sets && step.parameter == parameter;
    });
}

bool CuePlayer::goes_by(std::uint16_t parameter) const {
    return body_ &&
           (body_->speed.index == parameter || body_->heading.index == parameter || body_->turn.index == parameter);
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
        body_ = PlainBody{bound(sheet.body->speed, ParameterKind::number, "a number"),
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
    sent_.clear();
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
            sent_.push_back(step.parameter);
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
