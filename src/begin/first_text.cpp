#include "begin/first_text.hpp"

#include "begin/arms.hpp"
#include "begin/clip_lines.hpp"
#include "begin/pose_families.hpp"
#include "check/machine_checks.hpp"
#include "files/document_text.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace gait::detail {
namespace {

constexpr std::size_t widest = 118; ///< characters of a line

/// A list in brackets, broken into lines that go on at `indent`.
std::string in_brackets(const std::vector<std::string>& items, std::size_t indent, std::size_t already) {
    std::string text = "[";
    std::size_t width = already + 1;
    for (std::size_t i = 0; i < items.size(); ++i) {
        const std::string item = items[i] + (i + 1 < items.size() ? "," : "]");
        if (i > 0 && width + item.size() + 1 > widest) {
            text += "\n" + std::string(indent, ' ');
            width = indent;
        } else if (i > 0) {
            text += " ";
            ++width;
        }
        text += item;
        width += item.size();
    }
    return text;
}

class Writer {
public:
    Writer(Cast& cast, const Rig& rig, const BodyPlan& plan, const std::string& rig_file, const std::string& fits)
        : cast_(cast), rig_(rig), plan_(plan), rig_file_(rig_file), fits_(fits), arms_(find_arms(cast, rig, plan)),
          families_(find_pose_families(cast, rig, plan)) {}

    std::string text() {
        stand_ = cast_.standing();
        for (const Placed* gait : cast_.all(ClipRole::gait)) { (too_steep(*gait) ? apart_ : gaits_).push_back(gait); }
        if (gaits_.empty()) { std::swap(gaits_, apart_); }
        low_gaits_ = cast_.all(ClipRole::low_gait);
        low_stands_ = cast_.all(ClipRole::low_stand);
        home_ = stand_ != nullptr     ? "still"
                : !gaits_.empty()     ? "moving"
                : !low_gaits_.empty() ? "crouching"
                                      : "playing";
        onward_ = !gaits_.empty() && stand_ != nullptr ? "onward" : home_;
        // The machine is written first: it says what each clip is played for.
        const std::string machines = layers();
        const std::string motions = all_motions();
        std::string out =
            "gait: 1\nabout: A first machine, from the clips as they were measured. Change what you like.\nrig: " +
            document_text(rig_file_) + "\n";
        if (!fits_.empty()) { out += "\n" + fits_; }
        out += clip_lines(cast_, rig_, plan_);
        in_order();
        if (!parameters_.empty()) { out += "\nparameters:\n" + aligned(parameters_); }
        if (steps_cleanly()) {
            out += std::string("\n# A foot that is down stays where it came down, but where it would be torn "
                               "along.\nfeet: {planted: ") +
                   (leaves_ground() ? "not airborne and " : "") + "speed < 3}\n";
        }
        if (!masks_.empty()) { out += "\nmasks:\n" + masks_; }
        if (!motions.empty()) { out += "\nmotions:\n" + motions; }
        if (!machine_text_.empty()) { out += "\nmachines:\n" + machine_text_; }
        if (!one_shots_.empty()) { out += "\none_shots:\n" + one_shots_; }
        if (!forbid_.empty()) { out += "\nforbid:\n" + forbid_; }
        return out + machines;
    }

private:
    // ---- what there is ----------------------------------------------------------------------------------------------

    /// Whether a gait is so slow, and so unlike standing, that a space going past it would pop: it is a state of its
    /// own.
    [[nodiscard]] bool too_steep(const Placed& gait) const {
        constexpr double steepest = 200; // degrees a metre a second; past it at 5 m/s in a second nothing holds
        return stand_ != nullptr && turn_between(stand_->seen, false, gait.seen) > steepest * gait.seen.measure.speed;
    }
    [[nodiscard]] bool has(ClipRole role) const { return !cast_.all(role).empty(); }
    [[nodiscard]] bool moves() const { return !gaits_.empty(); }
    [[nodiscard]] bool low() const {
        return home_ != "crouching" && (!low_gaits_.empty() || !low_stands_.empty()) && (stand_ != nullptr || moves());
    }
    [[nodiscard]] bool leaves_ground() const {
        return has(ClipRole::take_off) || has(ClipRole::leap) || has(ClipRole::air) || has(ClipRole::landing);
    }
    [[nodiscard]] bool jumps() const { return has(ClipRole::take_off) || has(ClipRole::leap) || has(ClipRole::jump); }
    /// Whether feet may be held on the ground: it walks, and its steps are plain to see.
    [[nodiscard]] bool steps_cleanly() const {
        constexpr double a_walk = 2.5; // metres a second
        const bool clean =
            std::all_of(gaits_.begin(), gaits_.end(), [](const Placed* gait) { return gait->unsure.empty(); });
        return clean && std::any_of(gaits_.begin(), gaits_.end(),
                                    [&](const Placed* gait) { return gait->seen.measure.speed < a_walk; });
    }
    static bool sideways(const std::vector<const Placed*>& gaits) {
        return std::any_of(gaits.begin(), gaits.end(),
                           [](const Placed* g) { return std::fabs(g->seen.measure.direction) > 10; });
    }

    /// Seconds of a fade in which what two clips differ by does not show: `base`, or as long as their farthest joint
    /// needs to get up to speed and to rest again. Of a clip that is left at its end, the end counts.
    [[nodiscard]] static double fade(const std::vector<const Placed*>& from, bool from_end, const Placed* to,
                                     double base) {
        double turn = 0;
        for (const Placed* clip : from) { turn = std::max(turn, turn_between(clip->seen, from_end, to->seen)); }
        constexpr double gently = 900, longest = 0.6; // degrees a second squared over six; seconds
        return std::clamp(std::sqrt(turn / gently), base, longest);
    }
    /// All that a body may be doing on the ground.
    [[nodiscard]] std::vector<const Placed*> on_ground() const {
        std::vector<const Placed*> all = gaits_;
        for (const auto* list : {&apart_, &low_gaits_, &low_stands_}) {
            all.insert(all.end(), list->begin(), list->end());
        }
        if (stand_ != nullptr) { all.push_back(stand_); }
        return all;
    }
    /// The standing clip, or what else it is gone on with.
    [[nodiscard]] const Placed* after() const {
        return stand_ != nullptr ? stand_ : !gaits_.empty() ? gaits_.front() : low_gaits_.front();
    }

    /// Notes where a clip is played; a clip that several places play keeps the first.
    void plays(const Placed& clip, const std::string& state) {
        Placed& own = cast_.clips[std::size_t(&clip - cast_.clips.data())];
        if (own.state.empty()) { own.state = state; }
    }

    std::string& own_reason(const Placed& clip) { return cast_.clips[std::size_t(&clip - cast_.clips.data())].reason; }
    static std::string said_of(const FamilyPoint& point) {
        const std::string across = point.across > 0 ? "to the right" : point.across < 0 ? "to the left" : "";
        const std::string up = point.up > 0 ? "up" : point.up < 0 ? "down" : "";
        if (across.empty() && up.empty()) { return "a pose: in the middle"; }
        return "a pose: " + across + (across.empty() || up.empty() ? "" : ", ") + up;
    }

    /// Adds a parameter, once.
    void parameter(const std::string& name, const std::string& settings) {
        for (const auto& [known, text] : parameters_) {
            if (known == name) { return; }
        }
        parameters_.emplace_back(name, settings);
    }

    /// What is set each frame stands first, what is asked for now and then last.
    void in_order() {
        static const std::vector<std::string> first{"speed",      "heading",  "start_at", "stop_at", "set_off",
                                                    "first_foot", "stopping", "airborne", "jump",    "fall_speed",
                                                    "impact",     "aside",    "low"};
        const auto place = [](const auto& entry) {
            return std::find(first.begin(), first.end(), entry.first) - first.begin();
        };
        std::stable_sort(parameters_.begin(), parameters_.end(),
                         [&](const auto& a, const auto& b) { return place(a) < place(b); });
    }

    // ---- names ------------------------------------------------------------------------------------------------------

    std::string free_state(const std::string& wanted) {
        std::string name = wanted;
        for (int n = 2; !states_.insert(name).second; ++n) { name = fmt::format("{}_{}", wanted, n); }
        return name;
    }

    // ---- parameters -------------------------------------------------------------------------------------------------

    [[nodiscard]] static std::string aligned(const std::vector<std::pair<std::string, std::string>>& lines) {
        std::size_t width = 0;
        for (const auto& [name, text] : lines) { width = std::max(width, name.size()); }
        std::string out;
        for (const auto& [name, text] : lines) { out += fmt::format("  {:<{}} {}\n", name + ":", width + 1, text); }
        return out;
    }

    // ---- motions ----------------------------------------------------------------------------------------------------

    [[nodiscard]] std::string space(const std::string& name, const std::vector<const Placed*>& gaits,
                                    const Placed* standing, const std::string& said) const {
        std::string out = fmt::format("  {:<38} # {}\n", name + ":", said);
        out += std::string("    blend: ") + (sideways(gaits) ? "[heading, speed]" : "speed") +
               "\n    keep_pace: yes\n    points: ";
        std::vector<std::string> points;
        if (standing != nullptr) { points.push_back(standing->seen.name); }
        for (const Placed* gait : gaits) { points.push_back(gait->seen.name); }
        return out + in_brackets(points, 13, 12) + "\n";
    }

    /// A motion for gaits: the space of several, one alone as fast as it is asked for.
    std::string motion_of(const std::string& name, const std::vector<const Placed*>& gaits, const Placed* standing,
                          const std::string& said) {
        speed_parameters();
        if (sideways(gaits)) { heading_parameter(); }
        if (gaits.size() + (standing != nullptr ? 1 : 0) > 1) {
            motions_ += space(name, gaits, standing, said);
            return name;
        }
        return fmt::format("{{clip: {}, rate: \"clamp(speed / {:.2f}, 0.5, 1.6)\"}}", gaits.front()->seen.name,
                           std::max(0.1, gaits.front()->seen.measure.speed));
    }

    void speed_parameters() {
        double fastest = 0, slowest = 1e9;
        for (const auto* list : {&gaits_, &apart_, &low_gaits_}) {
            for (const Placed* gait : *list) { fastest = std::max(fastest, gait->seen.measure.speed); }
        }
        for (const Placed* gait : gaits_) { slowest = std::min(slowest, gait->seen.measure.speed); }
        constexpr double hurried = 2.5; // metres a second: from standing to that without a walk between takes its time
        const std::string gently =
            gaits_.empty() || slowest < hurried ? "" : fmt::format("smooth: 0.15, at_most: {:.1f}, ", 0.6 * slowest);
        parameter(
            "speed",
            fmt::format("{{kind: number, range: [0, {:.0f}], unit: m/s, {}note: how fast the game moves the body}}",
                        std::ceil(fastest * 1.2), gently));
    }
    void heading_parameter() {
        parameter("heading", "{kind: angle, note: where it goes from where it faces; 90 is to the right}");
    }

    [[nodiscard]] std::string all_motions() const { return motions_; }

    /// The motion `inner` with additions laid on it: what leans into a turn.
    std::string with_families(const std::string& inner, bool over_hold, const Placed* hold) {
        std::string motion = inner;
        for (const PoseFamily& family : families_) {
            if ((family.hold != nullptr) != over_hold || (over_hold && family.hold != hold)) { continue; }
            motion = fmt::format("{}({})", family.name, motion);
            if (!written_.insert(family.name).second) { continue; }
            std::string own = fmt::format("  {:<38} # {}\n    add:\n", family.name + "(gait):", family.said);
            const bool plane = !family.across.empty() && !family.up.empty();
            const std::string first = family.across.empty() ? family.up : family.across;
            const std::string axes = plane ? fmt::format("[{}, {}]", family.across, family.up) : first;
            own += "      blend: " + axes + '\n';
            std::string points;
            for (const FamilyPoint& point : family.points) {
                plays(*point.clip, family.name);
                own_reason(*point.clip) = said_of(point);
                points += plane ? fmt::format("        - {{at: [{:.0f}, {:.0f}], play: {}}}\n", point.across, point.up,
                                              point.clip->seen.name)
                                : fmt::format("        - {{at: {:.0f}, play: {}}}\n",
                                              family.across.empty() ? point.up : point.across, point.clip->seen.name);
            }
            if (family.with_standing && stand_ != nullptr) {
                points += fmt::format("        - {{at: 0, play: {}}}\n", stand_->seen.name);
            }
            own += "      points:\n" + points + "    to: gait\n    against: " + family.against->seen.name + "\n";
            if (trunk()) { own += "    mask: trunk\n"; }
            motions_ += own;
            for (const std::string* name : {&family.across, &family.up}) {
                if (!name->empty()) {
                    parameter(*name,
                              fmt::format("{{kind: number, range: [-1, 1], smooth: 0.2, note: {}}}",
                                          name == &family.up && plane ? "1 is up"
                                                                      : "1 is as far to the right as the poses go"));
                }
            }
        }
        return motion;
    }

    // ---- masks ------------------------------------------------------------------------------------------------------

    /// The mask of the upper body, where a spine was found.
    bool trunk() {
        if (plan_.spine < 0) { return false; }
        if (masks_.find("trunk:") == std::string::npos) {
            masks_ +=
                fmt::format("  {:<38} # the spine begins there, and branches into arms {} joint{} on\n",
                            fmt::format("trunk: {{from: {}, ramp: {}}}",
                                        document_text(rig_.joints[std::size_t(plan_.spine)].name), plan_.spine_joints),
                            plan_.spine_joints, plan_.spine_joints == 1 ? "" : "s");
        }
        return true;
    }

    // ---- layers -----------------------------------------------------------------------------------------------------

    static void ways(std::string& out, const std::vector<std::string>& list, std::size_t indent) {
        if (list.empty()) { return; }
        out += std::string(indent, ' ') + "go:\n";
        for (const std::string& way : list) { out += std::string(indent + 2, ' ') + "- {" + way + "}\n"; }
    }

    std::string layers() {
        for (const char* name : {"still", "moving", "air", "landing", "onward", "setting_off", "crouching", "playing",
                                 "free", "stopping_left", "stopping_right", "turning_left", "turning_right"}) {
            states_.insert(name);
        }
        std::string body;
        std::vector<std::string> from_still, from_moving;
        std::string later;
        starts(later, from_still);
        moving_ways(from_moving);
        stops(later, from_moving);
        gaits_apart(later, from_still, from_moving);
        jump_ways(from_still, from_moving);
        std::string air = airborne();
        whole_jumps(later);
        turns(later, from_still);
        acts(later, from_still, from_moving);
        fidgets();
        const std::string crouching = crouch(from_still, from_moving);
        std::string out = "\nlayers:\n  - name: body\n    machine:\n      start: " + home_ + "\n";
        std::string spared = later.find("        jumping:") != std::string::npos ? "jumping" : "";
        if (rolls()) { spared += spared.empty() ? "landing" : ", landing"; }
        if (!air.empty()) {
            // Who falls, falls now: what he was doing is not to be seen for long.
            constexpr double soon = 0.35;
            out += std::string("      always:\n        - {to: air, when: airborne, ") +
                   (spared.empty() ? "" : "except: [" + spared + "], ") +
                   fmt::format("fade: {:.2f}}}\n", std::min(soon, fade(on_ground(), false, floats(), 0.25)));
        }
        out += "      states:\n";
        if (stand_ != nullptr) {
            plays(*stand_, "still");
            out += "        still:\n          play: " +
                   (motions_.find("  idle:") != std::string::npos ? "idle" : stand_->seen.name) + "\n";
            ways(out, from_still, 10);
        }
        if (moves()) {
            const std::string motion =
                motion_of("paces", gaits_, stand_, "each clip stands where it is measured to go");
            for (const Placed* gait : gaits_) { plays(*gait, "moving"); }
            out += "        moving:\n          play: " + with_families(motion, false, nullptr) + "\n";
            ways(out, from_moving, 10);
        }
        out += crouching + later + air;
        if (onward_ == "onward") {
            out += "        onward: {junction: [{to: moving, when: speed > start_at, fade: 0.35}, {to: still}]}\n";
        }
        if (home_ == "playing" && !cast_.clips.empty()) {
            const Placed& only = cast_.clips.front();
            plays(only, "playing");
            out += "        playing: {play: {clip: " + only.seen.name + ", loop: yes}}" +
                   "  # nothing stands and nothing goes: what else there is leads nowhere\n";
        }
        gestures();
        return out + arms_layer();
    }

    void starts(std::string& out, std::vector<std::string>& from_still) {
        const auto starts = cast_.all(ClipRole::start);
        if (stand_ != nullptr && moves()) {
            if (!starts.empty()) {
                from_still.push_back(fmt::format("to: setting_off, signal: set_off, fade: {:.2f}",
                                                 fade({stand_}, false, starts.front(), 0.25)));
                parameter("set_off", "{kind: signal, keep: 0.1, note: begins with a first step of its own}");
                out += "        setting_off:\n          play:" +
                       by_foot_and_speed(starts, "setting_off", "first_foot", true) +
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

    /// One clip of several by the foot and by how fast it is to be, decided on the way in.
    std::string by_foot_and_speed(std::vector<const Placed*> clips, const std::string& state,
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

    void moving_ways(std::vector<std::string>& from_moving) {
        if (moves() && stand_ != nullptr) { from_moving.emplace_back("to: still, when: speed < stop_at, fade: 0.35"); }
    }

    /// What waits for a foot to come down, where some gait marks that.
    [[nodiscard]] std::string as_comes_down(const std::string& foot) const {
        const bool marked = std::any_of(gaits_.begin(), gaits_.end(),
                                        [&](const Placed* gait) { return !footfalls(*gait, foot).empty(); });
        return marked ? fmt::format("at: {}_down, ", foot) : "";
    }

    void stops(std::string& out, std::vector<std::string>& from_moving) {
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

    /// A gait that no space takes is gone over into where it is asked to go its way.
    void gaits_apart(std::string& out, std::vector<std::string>& from_still, std::vector<std::string>& from_moving) {
        for (const Placed* gait : apart_) {
            const std::string state = free_state(gait->seen.name);
            const ClipMeasure& m = gait->seen.measure;
            plays(*gait, state);
            heading_parameter();
            const std::string there = fmt::format("abs(turn(heading, {:.0f})) < 60", m.direction);
            const double in = fade({stand_}, false, gait, 0.35), over = fade(gaits_, false, gait, 0.35);
            from_still.insert(from_still.begin(),
                              fmt::format("to: {}, when: \"speed > start_at and {}\", fade: {:.2f}", state, there, in));
            from_moving.insert(
                from_moving.begin(),
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

    void jump_ways(std::vector<std::string>& from_still, std::vector<std::string>& from_moving) {
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
                    from_moving.push_back(
                        fmt::format("to: air.leap_{}, signal: jump, {}when: speed > {:.1f}, fade: 0.14", foot,
                                    as_comes_down(foot), 0.7 * slowest));
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

    /// The chain through the air: what there is of it.
    std::string airborne() {
        if (!leaves_ground() || home_ == "playing") { return {}; }
        parameter("airborne", "{kind: flag, note: nothing is under the feet}");
        const auto off = cast_.all(ClipRole::take_off), leaps = cast_.all(ClipRole::leap),
                   air = cast_.all(ClipRole::air), landings = cast_.all(ClipRole::landing);
        const std::string down = !landings.empty() ? "landing" : onward_;
        double touches = 0.15;
        for (const Placed* landing : landings) { touches = std::max(touches, fade({floats()}, false, landing, 0.15)); }
        const std::string lands =
            fmt::format("{{to: {}, when: not airborne, after: 0.2, fade: {:.2f}, settle: yes}}", down,
                        !landings.empty() ? touches : fade({floats()}, false, after(), 0.3));
        std::string out = "        air:\n          machine:\n            start: falling\n            states:\n";
        const auto falls = [&](const Placed* up) {
            return fmt::format("[{{to: falling, at: end, fade: {:.2f}}}]", fade({up}, true, floats(), 0.15));
        };
        if (!off.empty()) {
            plays(*off.front(), "air.take_off");
            out += fmt::format("              take_off: {{play: {}, go: {}}}\n", off.front()->seen.name,
                               falls(off.front()));
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

    /// Whether a landing goes on over the ground.
    [[nodiscard]] bool rolls() const {
        const auto landings = cast_.all(ClipRole::landing);
        return std::any_of(landings.begin(), landings.end(), goes_on);
    }
    static bool goes_on(const Placed* landing) {
        return std::hypot(landing->seen.measure.way.x, landing->seen.measure.way.z) > 0.25;
    }

    /// The clip of the air that is looked at where fades lead there.
    [[nodiscard]] const Placed* floats() const {
        for (const ClipRole role : {ClipRole::air, ClipRole::landing, ClipRole::take_off, ClipRole::leap}) {
            if (has(role)) { return cast_.all(role).front(); }
        }
        return after();
    }

    /// What is in the air: one, or of several the one that the game chooses; where nothing floats, what takes off is
    /// held at its end, or what lands at its beginning.
    std::string falling_motion() {
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

    /// Of several landings the harder the deeper, those that go on only where it goes.
    std::string landing_motion(std::vector<const Placed*> landings) {
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

    /// What leaves the ground and comes down again in one clip needs no word of the game's.
    void whole_jumps(std::string& out) {
        const auto whole = cast_.all(ClipRole::jump);
        if (whole.empty() || home_ == "playing") { return; }
        if (!has(ClipRole::take_off)) {
            plays(*whole.front(), "jumping");
            out += fmt::format("        jumping: {{play: {}, go: [{{to: {}, at: end, fade: 0.25}}]}}\n",
                               whole.front()->seen.name, onward_);
        }
    }

    void turns(std::string& out, std::vector<std::string>& from_still) {
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
            from_still.push_back(fmt::format("to: {}, when: aside {} {:.0f}, fade: {:.2f}", state,
                                             degrees > 0 ? ">" : "<", degrees > 0 ? from : -from, in));
            out += steps ? fmt::format("        {}: {{play: {}, go: [{{to: {}, when: abs(aside) < 5, after: {:.2f}, "
                                       "fade: {:.2f}}}]}}\n",
                                       state, turn->seen.name, onward_, in, back)
                         : fmt::format("        {}: {{play: {}, go: [{{to: {}, at: end, fade: {:.2f}}}]}}\n", state,
                                       turn->seen.name, onward_, back);
        }
    }
    std::string free_state_of(const Placed& clip, const std::string& wanted) {
        if (!taken_.contains(wanted)) {
            taken_.insert(wanted);
            return wanted;
        }
        return free_state(clip.seen.name);
    }

    void acts(std::string& out, std::vector<std::string>& from_still, std::vector<std::string>& from_moving) {
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
            out += fmt::format("        {}: {{play: {}, go: [{{to: {}, {}, fade: {:.2f}}}]{}}}\n", state,
                               act->seen.name, onward_, leaves, out_of,
                               held ? ", accept: [{fade-past-end: so short that its last pose is held}]" : "");
        }
    }

    void fidgets() {
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

    std::string crouch(std::vector<std::string>& from_still, std::vector<std::string>& from_moving) {
        if (!low() && home_ != "crouching") { return {}; }
        std::string motion;
        const Placed* standing = low_stands_.empty() ? nullptr : low_stands_.front();
        for (const Placed* gait : low_gaits_) { plays(*gait, "crouching"); }
        if (standing != nullptr) { plays(*standing, "crouching"); }
        motion = low_gaits_.empty() ? standing->seen.name
                                    : motion_of("low_paces", low_gaits_, standing, "the same with bent legs");
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

    /// What the game asks for over whatever the legs do.
    void gestures() {
        for (const Placed* gesture : cast_.all(ClipRole::gesture)) {
            if (home_ == "playing") { return; }
            plays(*gesture, "one_shots");
            const std::string mask = mask_for(*gesture);
            one_shots_ += fmt::format("  {}: {{play: {}{}, fade: [0.35, 0.35]}}\n", gesture->seen.name,
                                      gesture->seen.name, mask.empty() ? "" : ", mask: " + mask);
        }
    }
    /// The part of the body that a gesture moves: an arm where nothing else does, else all above the hips.
    std::string mask_for(const Placed& gesture) {
        const std::string arm = arms_.only_arm(gesture);
        if (!arm.empty()) {
            const int joint = arms_.shoulder(arm);
            const std::string line =
                fmt::format("{}_arm: {{from: {}, ramp: 2}}", arm, document_text(rig_.joints[std::size_t(joint)].name));
            if (masks_.find(arm + "_arm:") == std::string::npos) {
                masks_ += fmt::format("  {:<38} # the only one that some gestures move\n", line);
            }
            return arm + "_arm";
        }
        return trunk() ? "trunk" : "";
    }

    std::string arms_layer() {
        if (arms_.chains.empty() || home_ == "playing") { return {}; }
        std::string states;
        std::vector<std::string> from_free;
        bool tasks = false;
        for (const ArmChain& chain : arms_.chains) {
            const std::string state = free_state(chain.name);
            if (chain.hold != nullptr && chain.raises.empty() && chain.lowers.empty()) {
                plays(*chain.hold, "arms." + state);
                held_.push_back(chain.hold->seen.name);
                from_free.push_back(fmt::format("to: {}, when: hands == {}, fade: 0.4", state, chain.hold->seen.name));
                states +=
                    fmt::format("        {}: {{play: {}, go: [{{to: free, when: hands != {}, fade: 0.4}}]}}\n", state,
                                quoted(with_families(chain.hold->seen.name, true, chain.hold)), chain.hold->seen.name);
                continue;
            }
            const std::string signal = "do_" + chain.name;
            parameter(signal, "{kind: signal, keep: 0.3}");
            from_free.push_back(fmt::format("to: {}, signal: {}, fade: 0.4", state, signal));
            if (chain.hold != nullptr && chain.raises.size() == 1 && chain.lowers.size() == 1) {
                tasks = true;
                plays(*chain.raises.front(), "arms." + state);
                plays(*chain.hold, "arms." + state);
                plays(*chain.lowers.front(), "arms." + state);
                const std::string hold = with_families(chain.hold->seen.name, true, chain.hold);
                std::string argument = hold;
                if (hold != chain.hold->seen.name) { // a machine takes names
                    argument = "held_" + chain.name;
                    motions_ += fmt::format("  {}: {}\n", argument, hold);
                }
                states +=
                    fmt::format("        {}:\n          machine: \"task({}, {}, {})\"\n          go: [{{to: free, at: "
                                "end, fade: 0.25}}]\n",
                                state, chain.raises.front()->seen.name, argument, chain.lowers.front()->seen.name);
                continue;
            }
            states += chain_state(chain, state);
        }
        if (tasks) {
            parameter("keep_up", "{kind: flag, note: the arms hold what they hold for as long}");
            machine_text_ +=
                "  task(begin, hold_it, finish):            # something is taken up, held, and put down\n    start: "
                "beginning\n    states:\n"
                "      beginning: {play: begin, go: [{to: working, at: end, fade: 0.25}]}\n"
                "      working:   {play: hold_it, go: [{to: ending, when: not keep_up, after: 0.3, fade: 0.25}]}\n"
                "      ending:    {play: finish}\n";
        }
        if (!held_.empty()) {
            std::string of = "free";
            for (const std::string& name : held_) { of += ", " + name; }
            parameter("hands", "{kind: choice, of: [" + of + "], note: what they hold}");
        }
        const bool masked = trunk();
        std::string out = "  - name: arms\n" + std::string(masked ? "    mask: trunk\n" : "") +
                          "    machine:\n      start: free\n      states:\n        free:\n          play: nothing\n";
        ways(out, from_free, 10);
        if (leaves_ground()) {
            forbid_ = "  - {yields: arms, while: body.air, fade: 0.45}   # nothing is held up in the air\n";
        }
        return out + states;
    }
    static std::string quoted(const std::string& motion) {
        return motion.find('(') == std::string::npos ? motion : "\"" + motion + "\"";
    }

    /// What begins or ends something that the arms do, where the rest is missing.
    std::string chain_state(const ArmChain& chain, const std::string& state) {
        std::vector<const Placed*> parts;
        parts.insert(parts.end(), chain.raises.begin(), chain.raises.end());
        if (chain.hold != nullptr) { parts.push_back(chain.hold); }
        parts.insert(parts.end(), chain.lowers.begin(), chain.lowers.end());
        if (parts.size() == 1) {
            plays(*parts.front(), "arms." + state);
            return fmt::format("        {}: {{play: {}, go: [{{to: free, at: end, fade: 0.4}}]}}\n", state,
                               parts.front()->seen.name);
        }
        std::string out =
            fmt::format("        {}:\n          machine:\n            start: part_1\n            states:\n", state);
        for (std::size_t p = 0; p < parts.size(); ++p) {
            plays(*parts[p], "arms." + state);
            const bool held = parts[p] == chain.hold;
            const bool last = p + 1 == parts.size();
            if (held) { parameter("keep_up", "{kind: flag, note: the arms hold what they hold for as long}"); }
            const std::string when = held ? "when: not keep_up, after: 0.3" : "at: end";
            out += last ? (held ? fmt::format("              part_{}: {{play: {{clip: {}, loop: no}}}}\n", p + 1,
                                              parts[p]->seen.name)
                                : fmt::format("              part_{}: {{play: {}}}\n", p + 1, parts[p]->seen.name))
                        : fmt::format("              part_{}: {{play: {}, go: [{{to: part_{}, {}, fade: 0.25}}]}}\n",
                                      p + 1, parts[p]->seen.name, p + 2, when);
        }
        return out + "          go: [{to: free, at: end, fade: 0.4}]\n";
    }

    Cast& cast_;
    const Rig& rig_;
    const BodyPlan& plan_;
    std::string rig_file_, fits_;
    Arms arms_;
    std::vector<PoseFamily> families_;
    const Placed* stand_ = nullptr;
    std::vector<const Placed*> gaits_, low_gaits_, low_stands_;
    std::vector<const Placed*> apart_; ///< gaits in states of their own
    std::string home_, onward_;
    std::vector<std::pair<std::string, std::string>> parameters_;
    std::string motions_, masks_, machine_text_, one_shots_, forbid_;
    std::set<std::string> states_, taken_, written_;
    std::vector<std::string> held_;
};

} // namespace

std::string first_text(Cast& cast, const Rig& rig, const BodyPlan& plan, const std::string& rig_file,
                       const std::string& fits) {
    return Writer(cast, rig, plan, rig_file, fits).text();
}

} // namespace gait::detail
