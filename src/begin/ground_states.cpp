#include "begin/clip_lines.hpp"
#include "begin/first_text_writer.hpp"

#include "check/machine_checks.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait::detail {

void FirstTextWriter::starts(std::string& out, std::vector<std::string>& from_still) {
    const auto starts = cast_.all(ClipRole::start);
    if (stand_ != nullptr && moves()) {
        if (!starts.empty()) {
            from_still.push_back(fmt::format("to: setting_off, signal: set_off, fade: {:.2f}",
                                             fade({stand_}, false, starts.front(), 0.25)));
            parameter("set_off", "{kind: signal, keep: 0.1, note: begins with a first step of its own}");
            out +=
                "        setting_off:\n          play:" + by_foot_and_speed(starts, "setting_off", "first_foot", true) +
                "\n          go: [{to: moving, at: end, fade: 0.25, enter_at: footfall}]\n";
        }
        from_still.emplace_back("to: moving, when: speed > start_at, fade: 0.35");
    }
    if (stand_ != nullptr && (moves() || !low_gaits_.empty())) {
        parameter("start_at", "{kind: number, default: 0.1, unit: m/s, tune: yes, note: where it sets off}");
        parameter(
            "stop_at",
            "{kind: number, default: 0.05, unit: m/s, tune: yes, note: \"where it stands again; below start_at, so "
            "that it does not dither\"}");
    }
}

std::string FirstTextWriter::by_foot_and_speed(std::vector<const Placed*> clips, const std::string& state,
                                               const std::string& foot_parameter, bool at_end) {
    const auto speed_of = [&](const Placed* clip) {
        return at_end ? clip->seen.speed_last : std::max(clip->seen.measure.speed, clip->seen.speed_first);
    };
    std::stable_sort(clips.begin(), clips.end(),
                     [&](const Placed* a, const Placed* b) { return speed_of(a) > speed_of(b) + 0.3; });
    const bool feet = !foot_parameter.empty() && std::any_of(clips.begin(), clips.end(), [&](const Placed* c) {
        return c->foot != clips.front()->foot;
    });
    for (const Placed* clip : clips) { plays(*clip, state); }
    if (clips.size() == 1) { return " " + clips.front()->seen.name; }
    if (feet) { parameter(foot_parameter, "{kind: choice, of: [left, right], note: with which foot it sets off}"); }
    const double slowest = speed_of(clips.back());
    std::vector<std::string> branches;
    for (std::size_t c = 0; c < clips.size(); ++c) {
        std::vector<std::string> when;
        // Between two speeds the middle decides.
        double next = slowest;
        for (const Placed* other : clips) {
            if (speed_of(other) < speed_of(clips[c]) - 0.3) { next = std::max(next, speed_of(other)); }
        }
        if (speed_of(clips[c]) > slowest + 0.3) {
            when.push_back(fmt::format("raw(speed) > {:.1f}", (speed_of(clips[c]) + next) / 2));
        }
        const bool last_of_its_speed = c + 1 == clips.size() || speed_of(clips[c + 1]) < speed_of(clips[c]) - 0.3;
        if (feet && !last_of_its_speed) { when.push_back(foot_parameter + " == " + clips[c]->foot); }
        std::string condition;
        for (const std::string& one : when) { condition += (condition.empty() ? "" : " and ") + one; }
        if (c + 1 == clips.size()) { condition.clear(); }
        branches.push_back(condition.empty() ? "{play: " + clips[c]->seen.name + "}"
                                             : "{when: " + condition + ", play: " + clips[c]->seen.name + "}");
        if (condition.empty()) { break; }
    }
    std::string text = "\n            choose: on_entry\n            of:\n";
    for (const std::string& branch : branches) { text += "              - " + branch + "\n"; }
    text.pop_back();
    return text;
}

std::string FirstTextWriter::as_comes_down(const std::string& foot) const {
    const bool marked =
        std::any_of(gaits_.begin(), gaits_.end(), [&](const Placed* gait) { return !footfalls(*gait, foot).empty(); });
    return marked ? fmt::format("at: {}_down, ", foot) : "";
}

void FirstTextWriter::stops(std::string& out, std::vector<std::string>& from_moving) {
    if (stand_ == nullptr || !moves()) { return; }
    std::vector<std::string> first;
    for (const char* foot : {"left", "right"}) {
        std::vector<const Placed*> own;
        double fastest = 0;
        for (const Placed* stop : cast_.all(ClipRole::stop)) {
            if (stop->foot == foot) { own.push_back(stop), fastest = std::max(fastest, stop->seen.speed_first); }
        }
        if (own.empty()) { continue; }
        const std::string state = fmt::format("stopping_{}", foot);
        parameter("stopping",
                  "{kind: flag, note: \"stops with a last step of its own, and keeps its speed until then\"}");
        first.push_back(fmt::format("to: {}, {}when: \"stopping and speed < {:.1f}\", fade: 0.2", state,
                                    as_comes_down(foot), fastest * 1.3));
        out += "        " + state + ":\n          play:" + by_foot_and_speed(own, state, "", false) +
               fmt::format("\n          go: [{{to: {}, at: end, fade: {:.2f}}}]\n", onward_,
                           std::min(fade(own, true, stand_, 0.3), 0.45 * own.front()->seen.seconds));
    }
    from_moving.insert(from_moving.begin(), first.begin(), first.end());
}

void FirstTextWriter::gaits_apart(std::string& out, std::vector<std::string>& from_still,
                                  std::vector<std::string>& from_moving) {
    for (const Placed* gait : apart_) {
        const std::string state = free_state(gait->seen.name);
        const ClipMeasure& m = gait->seen.measure;
        plays(*gait, state);
        heading_parameter();
        const std::string there = fmt::format("abs(turn(heading, {:.0f})) < 60", m.direction);
        const double in = fade({stand_}, false, gait, 0.35), over = fade(gaits_, false, gait, 0.35);
        from_still.insert(from_still.begin(),
                          fmt::format("to: {}, when: \"speed > start_at and {}\", fade: {:.2f}", state, there, in));
        from_moving.insert(from_moving.begin(),
                           fmt::format("to: {}, when: \"{}\", fade: {:.2f}, enter_at: footfall", state, there, over));
        out += fmt::format("        {}:\n          play: {{clip: {}, rate: \"clamp(speed / {:.2f}, 0.5, 1.6)\"}}\n",
                           state, gait->seen.name, m.speed);
        ways(out,
             {fmt::format("to: still, when: speed < stop_at, fade: {:.2f}", in),
              fmt::format("to: moving, when: \"abs(turn(heading, {:.0f})) > 70\", fade: {:.2f}, enter_at: footfall",
                          m.direction, over)},
             10);
    }
}

void FirstTextWriter::turns(std::string& out, std::vector<std::string>& from_still) {
    if (stand_ == nullptr) { return; }
    // Of several to one side the farthest is looked at first.
    std::vector<const Placed*> list = cast_.all(ClipRole::turn);
    std::stable_sort(list.begin(), list.end(),
                     [](const Placed* a, const Placed* b) { return std::fabs(a->turns) > std::fabs(b->turns); });
    for (const Placed* turn : list) {
        const double degrees = turn->turns;
        const std::string state = free_state_of(*turn, degrees > 0 ? "turning_right" : "turning_left");
        plays(*turn, state);
        parameter("aside",
                  "{kind: angle, at_most: 720, note: how far it has to turn on the spot; positive to the right}");
        const bool steps = !turn->seen.measure.travels;
        const double from = steps ? 20 : std::fabs(degrees) * 0.55;
        const double in = fade({stand_}, false, turn, 0.25), back = fade({turn}, !steps, stand_, 0.25);
        from_still.push_back(fmt::format("to: {}, when: aside {} {:.0f}, fade: {:.2f}", state, degrees > 0 ? ">" : "<",
                                         degrees > 0 ? from : -from, in));
        out += steps ? fmt::format("        {}: {{play: {}, go: [{{to: {}, when: abs(aside) < 5, after: {:.2f}, "
                                   "fade: {:.2f}}}]}}\n",
                                   state, turn->seen.name, onward_, in, back)
                     : fmt::format("        {}: {{play: {}, go: [{{to: {}, at: end, fade: {:.2f}}}]}}\n", state,
                                   turn->seen.name, onward_, back);
    }
}

std::string FirstTextWriter::free_state_of(const Placed& clip, const std::string& wanted) {
    if (!taken_.contains(wanted)) {
        taken_.insert(wanted);
        return wanted;
    }
    return free_state(clip.seen.name);
}

void FirstTextWriter::acts(std::string& out, std::vector<std::string>& from_still,
                           std::vector<std::string>& from_moving) {
    if (home_ == "playing") { return; }
    for (const Placed* act : cast_.all(ClipRole::act)) {
        const std::string state = free_state(act->seen.name), signal = "do_" + act->seen.name;
        plays(*act, state);
        parameter(signal, "{kind: signal}");
        const double in = std::min(0.95 * act->seen.seconds, fade(on_ground(), false, act, 0.35)),
                     out_of = fade({act}, true, after(), 0.35);
        // What is shorter than its two fades holds its last pose until they have had their time.
        const bool short_of = in + out_of > 0.9 * act->seen.seconds;
        const auto as_written = [](double seconds) { return std::round(100 * seconds) / 100; };
        const double goes_after = as_written(std::max(in, act->seen.seconds - out_of)),
                     left = act->seen.seconds - goes_after;
        const std::string leaves = short_of ? fmt::format("after: {:.2f}", goes_after) : std::string("at: end");
        // As `gait check` would say of it.
        const bool held = short_of && left > 0 && as_written(out_of) > left + fade_slack;
        const std::string way = fmt::format("to: {}, signal: {}, fade: {:.2f}", state, signal, in);
        (stand_ != nullptr ? from_still : from_moving).push_back(way);
        out += fmt::format("        {}: {{play: {}, go: [{{to: {}, {}, fade: {:.2f}}}]{}}}\n", state, act->seen.name,
                           onward_, leaves, out_of,
                           held ? ", accept: [{fade-past-end: so short that its last pose is held}]" : "");
    }
}

void FirstTextWriter::fidgets() {
    const auto fidgets = cast_.all(ClipRole::fidget);
    if (stand_ == nullptr || fidgets.empty()) { return; }
    std::string of;
    for (const Placed* fidget : fidgets) {
        plays(*fidget, "still");
        of += fmt::format("        - {{play: {}}}\n", fidget->seen.name);
    }
    motions_ += fmt::format(
        "  {:<38} # nobody stands like a post\n    pick:\n      between: {}\n      fade: 0.4\n      of:\n{}",
        "idle:", stand_->seen.name, of);
}

std::string FirstTextWriter::crouch(std::vector<std::string>& from_still, std::vector<std::string>& from_moving) {
    const Placed* standing = low_stands_.empty() ? nullptr : low_stands_.front();
    const bool stands_alone = low_gaits_.empty() && standing != nullptr;
    if ((low_gaits_.empty() && !stands_alone) || (!low() && home_ != "crouching")) { return {}; }
    for (const Placed* gait : low_gaits_) { plays(*gait, "crouching"); }
    if (standing != nullptr) { plays(*standing, "crouching"); }
    const std::string motion =
        stands_alone ? standing->seen.name : motion_of("low_paces", low_gaits_, standing, "the same with bent legs");
    std::string out = "        crouching:\n          play: " + motion + "\n";
    if (home_ == "crouching") { return out; }
    parameter("low", "{kind: flag, note: goes with bent legs}");
    if (stand_ != nullptr) { from_still.emplace_back("to: crouching, when: low, fade: 0.5"); }
    if (moves()) { from_moving.emplace_back("to: crouching, when: low, fade: 0.5, enter_at: footfall"); }
    // A junction's own fades are for what is done; from here it is as slow as down.
    std::vector<std::string> up{"to: " + home_ + ", when: not low, fade: 0.5"};
    if (onward_ == "onward") {
        up.insert(up.begin(), "to: moving, when: not low and speed > start_at, fade: 0.5, enter_at: footfall");
    }
    ways(out, up, 10);
    return out;
}

} // namespace gait::detail
