#include "begin/first_text_writer.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

namespace gait::detail {

void FirstTextWriter::jump_ways(std::vector<std::string>& from_still, std::vector<std::string>& from_moving) {
    if (!jumps()) { return; }
    const bool off_the_spot = has(ClipRole::take_off);
    parameter("jump", "{kind: signal, keep: 0.4, wait: 0.3, note: leaves the ground by itself}");
    const auto leaps = cast_.all(ClipRole::leap);
    double slowest = 1e9;
    for (const Placed* leap : leaps) {
        slowest = std::min(slowest, std::max(leap->seen.measure.speed, leap->seen.speed_first));
    }
    if (moves()) {
        for (const char* foot : {"left", "right"}) {
            if (std::any_of(leaps.begin(), leaps.end(), [&](const Placed* leap) { return leap->foot == foot; })) {
                from_moving.push_back(fmt::format("to: air.leap_{}, signal: jump, {}when: speed > {:.1f}, fade: 0.14",
                                                  foot, as_comes_down(foot), 0.7 * slowest));
            }
        }
        if (off_the_spot) {
            from_moving.push_back(
                std::string("to: air.take_off, signal: jump, ") +
                (leaps.empty() ? "" : fmt::format("when: speed <= {:.1f}, ", 0.7 * slowest)) +
                fmt::format("fade: {:.2f}", fade(gaits_, false, cast_.all(ClipRole::take_off).front(), 0.24)));
        }
    }
    if (stand_ != nullptr && off_the_spot) {
        from_still.push_back(fmt::format("to: air.take_off, signal: jump, fade: {:.2f}",
                                         fade({stand_}, false, cast_.all(ClipRole::take_off).front(), 0.2)));
    }
    if (!off_the_spot && has(ClipRole::jump)) {
        if (stand_ != nullptr) { from_still.emplace_back("to: jumping, signal: jump, fade: 0.2"); }
        if (moves()) { from_moving.emplace_back("to: jumping, signal: jump, fade: 0.25"); }
    }
}

std::string FirstTextWriter::airborne() {
    if (!leaves_ground() || home_ == "playing") { return {}; }
    parameter("airborne", "{kind: flag, note: nothing is under the feet}");
    const auto off = cast_.all(ClipRole::take_off), leaps = cast_.all(ClipRole::leap), air = cast_.all(ClipRole::air),
               landings = cast_.all(ClipRole::landing);
    const std::string down = !landings.empty() ? "landing" : onward_;
    double touches = 0.15;
    for (const Placed* landing : landings) { touches = std::max(touches, fade({floats()}, false, landing, 0.15)); }
    const std::string lands = fmt::format("{{to: {}, when: not airborne, after: 0.2, fade: {:.2f}, settle: yes}}", down,
                                          !landings.empty() ? touches : fade({floats()}, false, after(), 0.3));
    std::string out = "        air:\n          machine:\n            start: falling\n            states:\n";
    const auto falls = [&](const Placed* up) {
        return fmt::format("[{{to: falling, at: end, fade: {:.2f}}}]", fade({up}, true, floats(), 0.15));
    };
    if (!off.empty()) {
        plays(*off.front(), "air.take_off");
        out +=
            fmt::format("              take_off: {{play: {}, go: {}}}\n", off.front()->seen.name, falls(off.front()));
    }
    for (const char* foot : {"left", "right"}) {
        std::vector<const Placed*> own;
        for (const Placed* leap : leaps) {
            if (leap->foot == foot) { own.push_back(leap); }
        }
        if (own.empty() || !moves()) { continue; }
        const std::string state = fmt::format("leap_{}", foot);
        std::string play = by_foot_and_speed(own, "air." + state, "", false);
        for (std::size_t at = play.find("\n  "); at != std::string::npos; at = play.find("\n  ", at + 3)) {
            play.insert(at + 1, "      ");
        }
        out += fmt::format("              {}:\n                play:{}\n                go: {}\n", state, play,
                           falls(own.front()));
    }
    out += "              falling:\n                play: " + falling_motion() +
           "\n                moved_by: game\n                go: [" + lands + "]\n";
    if (landings.empty()) { return out; }
    out += "        landing:\n          play:" + landing_motion(landings) + "\n";
    std::vector<std::string> out_of;
    if (jumps() && (stand_ != nullptr || moves()) && !off.empty()) {
        out_of.emplace_back("to: air.take_off, signal: jump, when: state.left < 0.4, fade: 0.2");
    }
    if (moves() && stand_ != nullptr) {
        out_of.emplace_back("to: moving, when: \"speed > start_at and state.left < 0.6\", fade: 0.35");
    }
    // Who rolls comes to his feet first.
    if (rolls()) {
        out_of.push_back(fmt::format("to: air, when: \"airborne and state.left < 0.4\", fade: {:.2f}",
                                     fade(on_ground(), false, floats(), 0.25)));
    }
    double rises = 0.25;
    for (const Placed* landing : landings) {
        rises = std::max(rises, std::min(fade({landing}, true, after(), 0.25), 0.45 * landing->seen.seconds));
    }
    out_of.push_back(fmt::format("to: {}, at: end, fade: {:.2f}", onward_, rises));
    ways(out, out_of, 10);
    return out;
}

bool FirstTextWriter::rolls() const {
    const auto landings = cast_.all(ClipRole::landing);
    return std::any_of(landings.begin(), landings.end(), goes_on);
}

const Placed* FirstTextWriter::floats() const {
    for (const ClipRole role : {ClipRole::air, ClipRole::landing, ClipRole::take_off, ClipRole::leap}) {
        if (has(role)) { return cast_.all(role).front(); }
    }
    return after();
}

std::string FirstTextWriter::falling_motion() {
    auto air = cast_.all(ClipRole::air);
    if (air.empty()) {
        if (has(ClipRole::take_off)) {
            return "{clip: " + cast_.all(ClipRole::take_off).front()->seen.name + ", reverse: yes, rate: 0}";
        }
        const Placed* held =
            has(ClipRole::landing) ? cast_.all(ClipRole::landing).front() : cast_.all(ClipRole::leap).front();
        if (held->role == ClipRole::leap) { plays(*held, "air.falling"); }
        return "{clip: " + held->seen.name + (held->role == ClipRole::leap ? ", reverse: yes" : "") + ", rate: 0}";
    }
    // The calmest is what falling looks like; others are for what else the game tells.
    std::stable_sort(air.begin(), air.end(), [](const Placed* a, const Placed* b) {
        return a->seen.upper_moves + a->seen.legs_move < b->seen.upper_moves + b->seen.legs_move;
    });
    for (const Placed* clip : air) { plays(*clip, "air.falling"); }
    if (air.size() == 1) { return air.front()->seen.name; }
    std::string names, of;
    for (const Placed* clip : air) {
        names += (names.empty() ? "" : ", ") + clip->seen.name;
        of += fmt::format("{}{}: {}", of.empty() ? "" : ", ", clip->seen.name, clip->seen.name);
    }
    parameter("in_the_air", "{kind: choice, of: [" + names + "], note: what it does there}");
    return "{choose: in_the_air, fade: 0.4, of: {" + of + "}}";
}

std::string FirstTextWriter::landing_motion(std::vector<const Placed*> landings) {
    for (const Placed* landing : landings) { plays(*landing, "landing"); }
    if (landings.size() == 1) { return " " + landings.front()->seen.name; }
    const auto depth = [](const Placed* l) { return *std::min_element(l->seen.hips.begin(), l->seen.hips.end()); };
    std::stable_sort(landings.begin(), landings.end(), [&](const Placed* a, const Placed* b) {
        return goes_on(a) != goes_on(b) ? goes_on(a) : depth(a) < depth(b);
    });
    parameter("fall_speed", "{kind: number, range: [0, 30], unit: m/s, note: how fast it falls; 0 on the ground}");
    parameter("impact", "{kind: number, unit: m/s, remember: fall_speed, while: airborne and fall_speed > 0, "
                        "clear: rises(airborne)}");
    std::string text = "\n            choose: on_entry             # by how hard the fall was: the deeper the clip "
                       "goes, the harder\n            of:\n";
    std::size_t stays = 0;
    for (const Placed* l : landings) { stays += goes_on(l) ? 0 : 1; }
    std::size_t nth = 0;
    for (std::size_t i = 0; i < landings.size(); ++i) {
        const bool last = i + 1 == landings.size();
        std::string when;
        if (goes_on(landings[i]) && moves()) {
            when = "impact > 5 and speed > 2";
        } else if (goes_on(landings[i])) {
            when = "impact > 5";
        } else {
            when = fmt::format("impact > {}", 2 * (stays - nth));
            ++nth;
        }
        text += last ? "              - {play: " + landings[i]->seen.name + "}"
                     : "              - {when: " + when + ", play: " + landings[i]->seen.name + "}\n";
    }
    return text;
}

void FirstTextWriter::whole_jumps(std::string& out) {
    const auto whole = cast_.all(ClipRole::jump);
    if (whole.empty() || home_ == "playing") { return; }
    if (!has(ClipRole::take_off)) {
        plays(*whole.front(), "jumping");
        out += fmt::format("        jumping: {{play: {}, go: [{{to: {}, at: end, fade: 0.25}}]}}\n",
                           whole.front()->seen.name, onward_);
    }
}

} // namespace gait::detail
