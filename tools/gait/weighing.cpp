#include "weighing.hpp"

#include "output.hpp"
#include "recording.hpp"
#include "state_names.hpp"

#include "character/character_data.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>

namespace gait::tool {

std::optional<Weighing> Weighing::of(const std::string& asked, const Character& character, std::string& problem) {
    Weighing weighing;
    if (asked.empty()) { return weighing; }
    double seconds = 0;
    const auto [end, failure] = std::from_chars(asked.data(), asked.data() + asked.size(), seconds);
    if (failure == std::errc{} && end == asked.data() + asked.size() && seconds >= 0) {
        weighing.instant_ = seconds;
        return weighing;
    }
    weighing.state_ = character.state(asked);
    if (weighing.state_) { return weighing; }
    std::vector<std::string> names;
    for (const StateInfo& state : character.states()) { names.push_back(state.name); }
    const std::string near = nearest_name(asked, names);
    problem = fmt::format("--why takes a state or seconds; there is no state '{}'{}", asked,
                          near.empty() ? "" : fmt::format("; did you mean '{}'?", near));
    return std::nullopt;
}

Weighing::Way& Weighing::way_of(std::uint16_t transition) {
    const auto known =
        std::find_if(ways_.begin(), ways_.end(), [&](const Way& way) { return way.transition == transition; });
    return known == ways_.end() ? ways_.emplace_back(Way{transition, {}, 0, 0}) : *known;
}

void Weighing::watch(const Performer& performer) {
    for (const TransitionRecord& record : performer.transitions()) {
        const TransitionInfo& info = performer.character().transitions()[record.transition];
        if (state_ && info.from == state_.index && info.kind != TransitionKind::within) {
            ++way_of(record.transition).taken;
        }
    }
    if (instant_ && (done_ || performer.time() < *instant_ - 1e-9)) { return; }
    if (state_ && !performer.is_active(state_)) { return; }
    if (!state_) { ways_.clear(); } // the last look counts
    done_ = true;
    ++frames_;
    time_ = performer.time();
    where_.clear();
    for (const std::size_t layer : performer.character().data().decide_order) {
        const std::uint16_t state = performer.state(layer);
        if (is_between_shots(performer.character(), performer.character().states()[state])) { continue; }
        where_ += (where_.empty() ? "" : ", ") + shown_name(performer.character(), state);
    }
    gives_.clear();
    const auto values = performer.character().values();
    for (std::size_t v = 0; v < values.size(); ++v) {
        gives_ +=
            fmt::format("{}{} = {}", v == 0 ? "" : ", ", values[v].name, value_text(values[v], value_of(performer, v)));
    }
    for (const TransitionReasons& weighed : explain_transitions(performer)) {
        const auto layer_of = [&](std::uint16_t state) { return performer.character().states()[state].layer; };
        const TransitionInfo& info = performer.character().transitions()[weighed.transition];
        if (state_ && layer_of(info.from) != layer_of(state_.index)) { continue; }
        Way& way = way_of(weighed.transition);
        ++way.weighed;
        for (const ConditionPart& part : weighed.parts) {
            // `after 3.2 s` is drawn anew on each entry: it is the same part all the same.
            const std::string kind = part.text.substr(0, part.text.starts_with("after ") ? 6 : std::string::npos);
            auto known = std::find_if(way.parts.begin(), way.parts.end(),
                                      [&](const Part& p) { return p.last.text.starts_with(kind); });
            if (known == way.parts.end()) { known = way.parts.insert(way.parts.end(), Part{}); }
            known->last = part;
            known->held += part.holds ? 1 : 0;
        }
    }
}

std::string Weighing::text(const Character& character) const {
    if (frames_ == 0) {
        return instant_ ? fmt::format("  why: {:g} s is past the end\n", *instant_)
                        : fmt::format("  why: '{}' was never active\n", character.full_name(state_.index));
    }
    const bool many = bool(state_);
    std::string out = many ? fmt::format("  why '{}' is left or not, over the {} frames in which it was active:\n",
                                         character.full_name(state_.index), frames_)
                           : fmt::format("  why '{}' is left or not, at {:.3f} s:\n", where_, time_);
    if (ways_.empty()) { return out + "  nothing leads out of it\n"; }
    using A = Table::Align;
    std::vector<Table::Column> columns{
        {"from"}, {"to"}, {"needs"}, {many ? "held" : "holds"}, {many ? "the last time" : "now"}};
    if (many) { columns.insert(columns.begin() + 2, {"taken", A::right}); }
    Table table(columns);
    for (const Way& way : ways_) {
        const TransitionInfo& info = character.transitions()[way.transition];
        bool first = true, stopped = false;
        for (const Part& part : way.parts) {
            std::string held = part.last.holds ? "yes" : stopped ? "no" : "NO, stops it";
            if (many) {
                // What holds is seen no more: the state is left at once.
                held = part.held == 0             ? (way.taken > 0 ? "as it left" : "never")
                       : part.held == way.weighed ? "always"
                                                  : fmt::format("{:.3g} %", 100.0 * part.held / way.weighed);
            }
            stopped = stopped || !part.last.holds;
            std::vector<std::string> cells{first ? shown_name(character, info.from) : "",
                                           first ? character.states()[info.to].name : "", part.last.text, held,
                                           part.last.values};
            if (many) { cells.insert(cells.begin() + 2, first ? fmt::format("{} x", way.taken) : ""); }
            table.add(cells);
            first = false;
        }
    }
    out += table.text();
    if (!gives_.empty()) { out += fmt::format("  {}: {}\n", many ? "it gave last" : "it gives", gives_); }
    return out;
}

nlohmann::json Weighing::json(const Character& character) const {
    nlohmann::json ways = nlohmann::json::array();
    for (const Way& way : ways_) {
        const TransitionInfo& info = character.transitions()[way.transition];
        nlohmann::json parts = nlohmann::json::array();
        for (const Part& part : way.parts) {
            parts.push_back({{"needs", part.last.text},
                             {"holds", part.last.holds},
                             {"frames_held", part.held},
                             {"values", part.last.values}});
        }
        ways.push_back({{"from", character.full_name(info.from)},
                        {"to", character.states()[info.to].name},
                        {"frames_weighed", way.weighed},
                        {"taken", way.taken},
                        {"parts", parts}});
    }
    return {{"state", state_ ? character.full_name(state_.index) : where_},
            {"frames", frames_},
            {"time_s", time_},
            {"transitions", ways}};
}

} // namespace gait::tool
