#include "begin/first_text.hpp"

#include "begin/clip_lines.hpp"
#include "begin/first_text_writer.hpp"
#include "files/document_text.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

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

} // namespace

std::string FirstTextWriter::text() {
    stand_ = cast_.standing();
    for (const Placed* gait : cast_.all(ClipRole::gait)) { (too_steep(*gait) ? apart_ : gaits_).push_back(gait); }
    if (gaits_.empty()) { std::swap(gaits_, apart_); }
    low_gaits_ = cast_.all(ClipRole::low_gait);
    low_stands_ = cast_.all(ClipRole::low_stand);
    home_ = stand_ != nullptr ? "still" : !gaits_.empty() ? "moving" : !low_gaits_.empty() ? "crouching" : "playing";
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

bool FirstTextWriter::too_steep(const Placed& gait) const {
    constexpr double steepest = 200; // degrees a metre a second; past it at 5 m/s in a second nothing holds
    return stand_ != nullptr && turn_between(stand_->seen, false, gait.seen) > steepest * gait.seen.measure.speed;
}

bool FirstTextWriter::steps_cleanly() const {
    constexpr double a_walk = 2.5; // metres a second
    const bool clean =
        std::all_of(gaits_.begin(), gaits_.end(), [](const Placed* gait) { return gait->unsure.empty(); });
    return clean && std::any_of(gaits_.begin(), gaits_.end(),
                                [&](const Placed* gait) { return gait->seen.measure.speed < a_walk; });
}

bool FirstTextWriter::sideways(const std::vector<const Placed*>& gaits) {
    return std::any_of(gaits.begin(), gaits.end(),
                       [](const Placed* g) { return std::fabs(g->seen.measure.direction) > 10; });
}

double FirstTextWriter::fade(const std::vector<const Placed*>& from, bool from_end, const Placed* to, double base) {
    double turn = 0;
    for (const Placed* clip : from) { turn = std::max(turn, turn_between(clip->seen, from_end, to->seen)); }
    constexpr double gently = 900, longest = 0.6; // degrees a second squared over six; seconds
    return std::clamp(std::sqrt(turn / gently), base, longest);
}

std::vector<const Placed*> FirstTextWriter::on_ground() const {
    std::vector<const Placed*> all = gaits_;
    for (const auto* list : {&apart_, &low_gaits_, &low_stands_}) { all.insert(all.end(), list->begin(), list->end()); }
    if (stand_ != nullptr) { all.push_back(stand_); }
    return all;
}

void FirstTextWriter::plays(const Placed& clip, const std::string& state) {
    Placed& own = cast_.clips[std::size_t(&clip - cast_.clips.data())];
    if (own.state.empty()) { own.state = state; }
}

std::string FirstTextWriter::said_of(const FamilyPoint& point) {
    const std::string across = point.across > 0 ? "to the right" : point.across < 0 ? "to the left" : "";
    const std::string up = point.up > 0 ? "up" : point.up < 0 ? "down" : "";
    if (across.empty() && up.empty()) { return "a pose: in the middle"; }
    return "a pose: " + across + (across.empty() || up.empty() ? "" : ", ") + up;
}

void FirstTextWriter::parameter(const std::string& name, const std::string& settings) {
    for (const auto& [known, text] : parameters_) {
        if (known == name) { return; }
    }
    parameters_.emplace_back(name, settings);
}

void FirstTextWriter::in_order() {
    static const std::vector<std::string> first{"speed",      "heading",  "start_at", "stop_at", "set_off",
                                                "first_foot", "stopping", "airborne", "jump",    "fall_speed",
                                                "impact",     "aside",    "low"};
    const auto place = [](const auto& entry) {
        return std::find(first.begin(), first.end(), entry.first) - first.begin();
    };
    std::stable_sort(parameters_.begin(), parameters_.end(),
                     [&](const auto& a, const auto& b) { return place(a) < place(b); });
}

std::string FirstTextWriter::free_state(const std::string& wanted) {
    std::string name = wanted;
    for (int n = 2; !states_.insert(name).second; ++n) { name = fmt::format("{}_{}", wanted, n); }
    return name;
}

std::string FirstTextWriter::aligned(const std::vector<std::pair<std::string, std::string>>& lines) {
    std::size_t width = 0;
    for (const auto& [name, text] : lines) { width = std::max(width, name.size()); }
    std::string out;
    for (const auto& [name, text] : lines) { out += fmt::format("  {:<{}} {}\n", name + ":", width + 1, text); }
    return out;
}

std::string FirstTextWriter::space(const std::string& name, const std::vector<const Placed*>& gaits,
                                   const Placed* standing, const std::string& said) const {
    std::string out = fmt::format("  {:<38} # {}\n", name + ":", said);
    out += std::string("    blend: ") + (sideways(gaits) ? "[heading, speed]" : "speed") +
           "\n    keep_pace: yes\n    points: ";
    std::vector<std::string> points;
    if (standing != nullptr) { points.push_back(standing->seen.name); }
    for (const Placed* gait : gaits) { points.push_back(gait->seen.name); }
    return out + in_brackets(points, 13, 12) + "\n";
}

std::string FirstTextWriter::motion_of(const std::string& name, const std::vector<const Placed*>& gaits,
                                       const Placed* standing, const std::string& said) {
    speed_parameters();
    if (sideways(gaits)) { heading_parameter(); }
    if (gaits.size() + (standing != nullptr ? 1 : 0) > 1) {
        motions_ += space(name, gaits, standing, said);
        return name;
    }
    return fmt::format("{{clip: {}, rate: \"clamp(speed / {:.2f}, 0.5, 1.6)\"}}", gaits.front()->seen.name,
                       std::max(0.1, gaits.front()->seen.measure.speed));
}

void FirstTextWriter::speed_parameters() {
    double fastest = 0, slowest = 1e9;
    for (const auto* list : {&gaits_, &apart_, &low_gaits_}) {
        for (const Placed* gait : *list) { fastest = std::max(fastest, gait->seen.measure.speed); }
    }
    for (const Placed* gait : gaits_) { slowest = std::min(slowest, gait->seen.measure.speed); }
    constexpr double hurried = 2.5; // metres a second: from standing to that without a walk between takes its time
    const std::string gently =
        gaits_.empty() || slowest < hurried ? "" : fmt::format("smooth: 0.15, at_most: {:.1f}, ", 0.6 * slowest);
    parameter("speed",
              fmt::format("{{kind: number, range: [0, {:.0f}], unit: m/s, {}note: how fast the game moves the body}}",
                          std::ceil(fastest * 1.2), gently));
}

std::string FirstTextWriter::with_families(const std::string& inner, bool over_hold, const Placed* hold) {
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
                parameter(*name, fmt::format("{{kind: number, range: [-1, 1], smooth: 0.2, note: {}}}",
                                             name == &family.up && plane ? "1 is up"
                                                                         : "1 is as far to the right as the poses go"));
            }
        }
    }
    return motion;
}

bool FirstTextWriter::trunk() {
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

void FirstTextWriter::ways(std::string& out, const std::vector<std::string>& list, std::size_t indent) {
    if (list.empty()) { return; }
    out += std::string(indent, ' ') + "go:\n";
    for (const std::string& way : list) { out += std::string(indent + 2, ' ') + "- {" + way + "}\n"; }
}

std::string FirstTextWriter::layers() {
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
        const std::string motion = motion_of("paces", gaits_, stand_, "each clip stands where it is measured to go");
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

std::string first_text(Cast& cast, const Rig& rig, const BodyPlan& plan, const std::string& rig_file,
                       const std::string& fits) {
    return FirstTextWriter(cast, rig, plan, rig_file, fits).text();
}

} // namespace gait::detail
