#include "gait/begin.hpp"

#include "files/document_text.hpp"
#include "gait/measure.hpp"
#include "rig/foot_points.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

namespace gait {
using namespace detail;
namespace {

constexpr double least_speed = 0.15;   ///< metres a second of a gait
constexpr double shortest_clip = 0.2;  ///< seconds; less is a pose
constexpr float off_ground = 0.06F;    ///< metres of a foot in the air
constexpr double near_standing = 0.12; ///< metres that a joint of a standing pose may be off
constexpr std::size_t most_gestures = 12;

struct Looked {
    const BeginningClip* clip = nullptr;
    std::string name;
    ClipMeasure measure;
    std::vector<Transform> first, last;       ///< in model space, the first frame's hips over the origin
    double height_first = 0, height_last = 0; ///< metres of the lower foot at either end
    double speed_first = 0, speed_last = 0;   ///< metres a second of the hips over the ground there
    ClipRole role = ClipRole::not_placed;
    std::string reason;
};

std::string direction_word(double degrees) {
    return std::fabs(degrees) < 10 ? "ahead"
           : std::fabs(degrees) > 170
               ? "back"
               : fmt::format("{:.0f} deg to the {}", std::fabs(degrees), degrees > 0 ? "right" : "left");
}

class Beginner {
public:
    Beginner(const Rig& rig, std::string rig_file, const std::vector<BeginningClip>& clips)
        : rig_(rig), rig_file_(std::move(rig_file)), points_(rig) {
        for (const BeginningClip& clip : clips) { look(clip); }
    }

    Beginning run() {
        find_stand();
        for (Looked& clip : clips_) {
            if (clip.role == ClipRole::not_placed) { recognise(clip); }
        }
        drop_twins();
        Beginning result;
        result.text = document();
        for (const Looked& clip : clips_) { result.clips.push_back({clip.name, clip.role, clip.reason}); }
        return result;
    }

private:
    // ---- looking ----------------------------------------------------------------------------------------------------

    void look(const BeginningClip& clip) {
        Looked looked;
        looked.clip = &clip;
        looked.name = free_name(clip.name);
        looked.measure = measure_clip(clip.source, rig_);
        const auto rest = rest_pose(rig_);
        const auto pose = [&](double seconds) {
            return model_space(rig_, pose_at(clip.source, rest, std::clamp(seconds, 0.0, clip.source.seconds)));
        };
        const int hips = std::max(0, body_parts(rig_).hips);
        const auto centred = [&](std::vector<Transform> model) {
            const Vec3 at = model[std::size_t(hips)].translation;
            for (Transform& joint : model) { joint.translation = joint.translation - Vec3{at.x, 0, at.z}; }
            return model;
        };
        const auto height = [&](const std::vector<Transform>& model) {
            float least = points_.feet().empty() ? 0.0F : 1e9F;
            for (std::size_t f = 0; f < points_.feet().size(); ++f) {
                for (const Vec3& point : points_.at(f, model)) { least = std::min(least, point.y); }
            }
            return double(least);
        };
        constexpr double moment = 0.05; // seconds
        const auto speed = [&](double from, double to) {
            const Vec3 way = pose(to)[std::size_t(hips)].translation - pose(from)[std::size_t(hips)].translation;
            return to > from ? std::hypot(double(way.x), double(way.z)) / (to - from) : 0;
        };
        const double end = clip.source.seconds;
        looked.height_first = height(pose(0));
        looked.height_last = height(pose(end));
        looked.speed_first = speed(0, std::min(moment, end));
        looked.speed_last = speed(std::max(0.0, end - moment), end);
        looked.first = centred(pose(0));
        looked.last = centred(pose(end));
        clips_.push_back(std::move(looked));
    }

    /// A name that the document can use, and no other clip has.
    std::string free_name(const std::string& name) {
        std::string clean;
        for (const char c : name) {
            const bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || (c >= '0' && c <= '9');
            clean += letter ? char(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c) : '_';
        }
        if (clean.empty() || (clean[0] >= '0' && clean[0] <= '9')) { clean.insert(0, "clip_"); }
        std::string free = clean;
        for (int n = 2; !names_.insert(free).second; ++n) { free = fmt::format("{}_{}", clean, n); }
        return free;
    }

    /// How far the joints of two poses are apart at most, metres.
    static double apart(const std::vector<Transform>& a, const std::vector<Transform>& b) {
        double worst = 0;
        for (std::size_t j = 0; j < a.size(); ++j) {
            worst = std::max(worst, double(length(a[j].translation - b[j].translation)));
        }
        return worst;
    }

    [[nodiscard]] static bool feet_stay(const Looked& clip) {
        const auto& feet = clip.measure.feet;
        return !feet.empty() &&
               std::all_of(feet.begin(), feet.end(), [](const FootMeasure& foot) { return foot.down > 0.99; });
    }

    /// The clip that stands most like the rig at rest is what all others are held against.
    void find_stand() {
        const auto rest = model_space(rig_, rest_pose(rig_));
        double least = 1e9;
        for (std::size_t c = 0; c < clips_.size(); ++c) {
            const Looked& clip = clips_[c];
            const bool named =
                clip.name.find("idle") != std::string::npos || clip.name.find("stand") != std::string::npos;
            if (!clip.measure.loops || clip.clip->source.seconds < shortest_clip || clip.measure.speed > 0 ||
                !feet_stay(clip)) {
                continue;
            }
            const double off = apart(clip.first, rest) - (named ? 1 : 0);
            if (off < least) {
                least = off;
                stand_ = c;
            }
        }
        if (!stand_) { return; }
        clips_[*stand_].role = ClipRole::stand;
        clips_[*stand_].reason = "both feet stay down";
    }

    [[nodiscard]] bool stands(const std::vector<Transform>& pose) const {
        return stand_ && apart(pose, clips_[*stand_].first) < near_standing;
    }

    static bool steps_in_turn(const Looked& clip) {
        std::vector<std::pair<double, bool>> strikes;
        for (const FootMeasure& foot : clip.measure.feet) {
            if (foot.down > 0.99) { continue; }
            for (const Contact& contact : foot.contacts) { strikes.emplace_back(contact.strike, foot.side == "left"); }
        }
        std::sort(strikes.begin(), strikes.end());
        if (strikes.empty() || strikes.size() % 2 != 0) { return false; }
        for (std::size_t i = 0; i < strikes.size(); ++i) {
            if (strikes[i].second == strikes[(i + 1) % strikes.size()].second) { return false; }
        }
        return true;
    }

    void recognise(Looked& clip) {
        const ClipMeasure& m = clip.measure;
        const auto is = [&](ClipRole role, std::string reason) {
            clip.role = role;
            clip.reason = std::move(reason);
        };
        const bool air_first = clip.height_first > double(off_ground), air_last = clip.height_last > double(off_ground);
        if (clip.clip->source.seconds < shortest_clip) {
            return is(ClipRole::pose, "too short to move; a pose to add or to mix");
        }
        if (m.loops && m.speed > least_speed) {
            if (!steps_in_turn(clip)) {
                return is(ClipRole::not_placed, "moves, but its feet do not come down left and right in turn");
            }
            constexpr float lower = 0.86F; // of the hips' height as she stands; a run keeps above it
            const auto hips = std::size_t(std::max(0, body_parts(rig_).hips));
            if (stand_ && clip.first[hips].translation.y < lower * clips_[*stand_].first[hips].translation.y) {
                return is(ClipRole::not_placed, fmt::format("{:.2f} m/s {}, but crouched: give it a state of its own",
                                                            m.speed, direction_word(m.direction)));
            }
            return is(ClipRole::gait, fmt::format("{:.2f} m/s {}", m.speed, direction_word(m.direction)));
        }
        if (m.loops && air_first) { return is(ClipRole::air, "its feet stay off the ground"); }
        const double way = std::hypot(m.way.x, m.way.z);
        if (!m.loops || m.travels) {
            constexpr double least_turn = 30, on_the_spot = 0.25; // degrees, metres
            if (m.travels && std::fabs(m.way.heading) > least_turn && way < on_the_spot) {
                return is(ClipRole::turn, fmt::format("turns {:.0f} deg to the {}", std::fabs(m.way.heading),
                                                      m.way.heading > 0 ? "right" : "left"));
            }
            if (!air_first && air_last) { return is(ClipRole::take_off, "leaves the ground"); }
            if (air_first && !air_last) {
                if (way > on_the_spot) {
                    return is(ClipRole::not_placed, "lands and goes on: choose when, by 'choose: on_entry'");
                }
                return is(ClipRole::landing,
                          "comes down to the ground; of several one is played, others by 'choose: on_entry'");
            }
            constexpr double goes = 0.5; // metres a second
            if (m.travels && stands(clip.first) && clip.speed_last > goes) {
                return is(ClipRole::start, "from standing to a gait");
            }
            if (m.travels && stands(clip.last) && clip.speed_first > goes) {
                return is(ClipRole::stop, "from a gait to standing");
            }
        }
        if (!stand_) { return is(ClipRole::not_placed, "no clip stands, so nothing says where it begins"); }
        if (stands(clip.first) && stands(clip.last)) { return is(ClipRole::gesture, "from standing and back to it"); }
        if (m.loops) {
            return is(ClipRole::not_placed, "loops in a pose of its own: something has to lead there and back");
        }
        is(ClipRole::not_placed, stands(clip.first)  ? "begins standing and ends elsewhere: something has to follow it"
                                 : stands(clip.last) ? "ends standing and begins elsewhere: something has to lead there"
                                                     : "neither begins nor ends where she stands");
    }

    /// Of gaits that go to the same place one is enough: that which is in place, for a game that moves the body.
    void drop_twins() {
        for (Looked& clip : clips_) {
            if (clip.role != ClipRole::gait) { continue; }
            for (const Looked& other : clips_) {
                if (&other == &clip || other.role != ClipRole::gait) { continue; }
                const auto place = [](const ClipMeasure& m) {
                    const double radians = m.direction / degrees_per_radian;
                    return std::pair{m.speed * std::sin(radians), m.speed * std::cos(radians)};
                };
                const auto [x, y] = place(clip.measure);
                const auto [ox, oy] = place(other.measure);
                const bool later =
                    clip.measure.travels != other.measure.travels ? clip.measure.travels : &clip > &other;
                if (std::hypot(x - ox, y - oy) < 0.05 + 0.02 * clip.measure.speed && later) {
                    clip.role = ClipRole::same_gait;
                    clip.reason = fmt::format("as '{}', {}", other.name,
                                              clip.measure.travels ? "with its own travel" : "once more");
                    break;
                }
            }
        }
    }

    // ---- writing ----------------------------------------------------------------------------------------------------

    [[nodiscard]] std::vector<const Looked*> all(ClipRole role) const {
        std::vector<const Looked*> found;
        for (const Looked& clip : clips_) {
            if (clip.role == role) { found.push_back(&clip); }
        }
        return found;
    }
    [[nodiscard]] bool has(ClipRole role) const { return !all(role).empty(); }

    [[nodiscard]] std::string clip_line(const Looked& clip) const {
        std::vector<std::string> settings;
        if (!clip.clip->file.empty()) { settings.push_back("file: " + document_text(clip.clip->file)); }
        if (clip.name != clip.clip->name) { settings.push_back("animation: " + document_text(clip.clip->name)); }
        const bool loops = clip.role == ClipRole::stand || clip.role == ClipRole::gait || clip.role == ClipRole::air;
        if (loops) { settings.emplace_back("loop: yes"); }
        if (clip.measure.travels && !points_.feet().empty() && hips_ >= 0) {
            settings.push_back("travel: " + document_text(rig_.joints[std::size_t(hips_)].name));
        }
        if (clip.role == ClipRole::gait) {
            std::map<std::string, double> first; // a mark stands once; the first strike of each foot is it
            for (const FootMeasure& foot : clip.measure.feet) {
                for (const Contact& contact : foot.contacts) {
                    const auto [known, fresh] = first.insert({foot.side, contact.strike});
                    if (!fresh) { known->second = std::min(known->second, contact.strike); }
                }
            }
            const bool once = std::all_of(clip.measure.feet.begin(), clip.measure.feet.end(),
                                          [](const FootMeasure& foot) { return foot.contacts.size() == 1; });
            std::string marks;
            for (const auto& [side, at] : first) {
                marks += fmt::format("{}{}_down: {:.3f}", marks.empty() ? "" : ", ", side, at);
            }
            // Of several strikes a foot the marks would say too little; they are measured again as it is compiled.
            if (once && !marks.empty()) { settings.push_back("marks: {" + marks + "}"); }
        }
        std::string line = "  " + clip.name + ": {";
        for (const std::string& setting : settings) { line += (line.back() == '{' ? "" : ", ") + setting; }
        line += "}";
        return fmt::format("{:<78} # {}\n", line, clip.reason);
    }

    /// The one of several whose speed at the end that matters is nearest the slowest gait's, by the foot that leads.
    [[nodiscard]] std::vector<const Looked*> best(ClipRole role, double wanted) const {
        std::map<std::string, const Looked*> by_foot;
        for (const Looked* clip : all(role)) {
            const double off = std::fabs((role == ClipRole::start ? clip->speed_last : clip->speed_first) - wanted);
            const Looked*& known = by_foot[leading_foot(*clip, role)];
            if (known == nullptr ||
                off < std::fabs((role == ClipRole::start ? known->speed_last : known->speed_first) - wanted)) {
                known = clip;
            }
        }
        std::vector<const Looked*> found;
        for (const auto& [foot, clip] : by_foot) { found.push_back(clip); }
        return found;
    }

    /// Of a start the foot that lifts first; of a stop the one that is just down as it begins.
    [[nodiscard]] static std::string leading_foot(const Looked& clip, ClipRole role) {
        std::string side = "left";
        double best = role == ClipRole::start ? 1e9 : -1;
        for (const FootMeasure& foot : clip.measure.feet) {
            if (foot.contacts.empty()) { continue; }
            const Contact& contact = foot.contacts.front();
            if (role == ClipRole::start ? contact.lift_off < best : contact.strike < 0.1 && contact.lift_off > best) {
                best = contact.lift_off;
                side = foot.side;
            }
        }
        return side;
    }

    [[nodiscard]] std::string document() {
        hips_ = body_parts(rig_).hips;
        const std::vector<const Looked*> gaits = all(ClipRole::gait);
        const bool sideways = std::any_of(gaits.begin(), gaits.end(),
                                          [](const Looked* g) { return std::fabs(g->measure.direction) > 10; });
        const bool jumps = has(ClipRole::take_off) && has(ClipRole::air) && has(ClipRole::landing);
        const std::vector<const Looked*> turns = all(ClipRole::turn);
        std::vector<const Looked*> gestures = all(ClipRole::gesture);
        for (std::size_t g = most_gestures; g < gestures.size(); ++g) {
            for (Looked& clip : clips_) {
                if (&clip != gestures[g]) { continue; }
                clip.role = ClipRole::not_placed;
                clip.reason =
                    fmt::format("one gesture more than the {} that begin here; add a state for it", most_gestures);
            }
        }
        gestures.resize(std::min(gestures.size(), most_gestures));
        double slowest = 1e9;
        for (const Looked* gait : gaits) {
            if (std::fabs(gait->measure.direction) < 20) { slowest = std::min(slowest, gait->measure.speed); }
        }
        const auto starts = stand_ && !gaits.empty() ? best(ClipRole::start, slowest) : std::vector<const Looked*>{};
        const auto stops = stand_ && !gaits.empty() ? best(ClipRole::stop, slowest) : std::vector<const Looked*>{};

        std::string out =
            "gait: 1\nabout: A first machine, from the clips as they were measured. Change what you like.\nrig: " +
            document_text(rig_file_) + "\n\nclips:                                   # what each was taken for\n";
        std::set<const Looked*> used;
        const auto use = [&](const std::vector<const Looked*>& list) { used.insert(list.begin(), list.end()); };
        if (stand_) { used.insert(&clips_[*stand_]); }
        use(gaits);
        use(turns);
        if (!starts.empty()) { used.insert(starts.front()); }
        use(stops);
        use(gestures);
        if (jumps) {
            used.insert(all(ClipRole::take_off).front());
            used.insert(all(ClipRole::air).front());
            used.insert(all(ClipRole::landing).front());
        }
        if (used.empty() && !clips_.empty()) { used.insert(&clips_.front()); }
        for (const Looked& clip : clips_) {
            if (used.contains(&clip)) { out += clip_line(clip); }
        }
        out += "\nparameters:\n";
        const bool moves = !gaits.empty();
        if (moves) {
            double fastest = 0;
            for (const Looked* gait : gaits) { fastest = std::max(fastest, gait->measure.speed); }
            out += fmt::format(
                "  speed:    {{kind: number, range: [0, {:.1f}], unit: m/s, smooth: 0.25, at_most: 6, note: how "
                "fast the game moves the body}}\n",
                std::ceil(fastest * 1.2));
            if (sideways) {
                out += "  heading:  {kind: angle, smooth: 0.25, note: where it goes from where it faces; 90 is to the "
                       "right}\n";
            }
            if (stand_) {
                out += "  start_at: {kind: number, default: 0.1, unit: m/s, tune: yes, note: where it sets off}\n"
                       "  stop_at:  {kind: number, default: 0.05, unit: m/s, tune: yes, note: \"where it stands again; "
                       "below start_at, so that it does not dither\"}\n";
            }
        }
        if (!starts.empty()) {
            out += "  set_off:  {kind: signal, keep: 0.1, note: begins with a first step of its own}\n";
        }
        if (!stops.empty()) {
            out += "  stopping: {kind: flag, note: \"stops with a last step of its own, and keeps its speed until "
                   "then\"}\n";
        }
        if (!turns.empty() && stand_) {
            out += "  aside:    {kind: angle, note: how far it has to turn on the spot}\n";
        }
        if (jumps) {
            out += "  airborne: {kind: flag, note: nothing is under the feet}\n"
                   "  hop:      {kind: signal, keep: 0.15, note: leaves the ground by itself}\n";
        }
        if (stand_) {
            for (const Looked* gesture : gestures) { out += fmt::format("  do_{}: {{kind: signal}}\n", gesture->name); }
        }
        if (out.ends_with("parameters:\n")) { out.resize(out.size() - std::string("\nparameters:\n").size()); }

        if (moves) {
            out +=
                "\nmotions:\n  paces:                                 # each clip stands where it is measured to go\n";
            out += std::string("    blend: ") + (sideways ? "[heading, speed]" : "speed") +
                   "\n    keep_pace: yes\n    points: [";
            std::string line = stand_ ? clips_[*stand_].name : "";
            for (const Looked* gait : gaits) {
                if (!line.empty()) { out += line + ", "; }
                line = gait->name;
                if (out.size() - out.rfind('\n') > 100) { out.back() = '\n', out += "             "; }
            }
            out += line + "]\n";
        }
        out += "\nlayers:\n  - name: body\n    machine:\n";
        out += machine(moves, jumps, starts, stops, gestures, turns, used);
        std::string left;
        for (const Looked& clip : clips_) {
            if (!used.contains(&clip)) { left += fmt::format("#   {:<26} {}\n", clip.name, clip.reason); }
        }
        if (!left.empty()) { out += "\n# Not placed:\n" + left; }
        return out;
    }

    [[nodiscard]] std::string machine(bool moves, bool jumps, const std::vector<const Looked*>& starts,
                                      const std::vector<const Looked*>& stops,
                                      const std::vector<const Looked*>& gestures,
                                      const std::vector<const Looked*>& turns,
                                      const std::set<const Looked*>& used) const {
        const std::string home = stand_ ? "still" : moves ? "moving" : "playing";
        std::string out = "      start: " + home + "\n";
        if (jumps) { out += "      always:\n        - {to: air, when: airborne, fade: 0.18, style: inertial}\n"; }
        out += "      states:\n";
        const auto go = [&](const std::vector<std::string>& ways) {
            if (ways.empty()) { return; }
            out += "          go:\n";
            for (const std::string& way : ways) { out += "            - {" + way + "}\n"; }
        };
        const std::string sets_off = "when: speed > start_at";
        if (stand_) {
            out += "        still:\n          play: " + clips_[*stand_].name + "\n";
            std::vector<std::string> ways;
            if (!starts.empty()) { ways.emplace_back("to: setting_off, signal: set_off, fade: 0.25"); }
            if (moves) { ways.push_back("to: moving, " + sets_off + ", fade: 0.3"); }
            if (jumps) { ways.emplace_back("to: air.take_off, signal: hop, fade: 0.15"); }
            for (const Looked* turn : turns) {
                const double degrees = turn->measure.way.heading;
                ways.push_back(fmt::format("to: {}, when: aside {} {:.0f}, fade: 0.25", state_of(*turn),
                                           degrees > 0 ? ">" : "<", degrees * 0.55));
            }
            for (const Looked* gesture : gestures) {
                ways.push_back(fmt::format("to: {}, signal: do_{}, fade: 0.35", state_of(*gesture), gesture->name));
            }
            go(ways);
        }
        if (!starts.empty()) {
            out += "        setting_off:\n";
            // Of two feet one has to lead; which, a condition may choose: 'choose: on_entry'.
            out += "          play: " + starts.front()->name + "\n";
            go({"to: moving, at: end, fade: 0.25, enter_at: footfall"});
        }
        if (moves) {
            out += "        moving:\n          play: paces\n";
            std::vector<std::string> ways;
            for (const Looked* stop : stops) {
                ways.push_back(
                    fmt::format("to: stopping_{0}, at: {0}_down, when: \"stopping and speed < {1:.1f}\", fade: 0.2",
                                leading_foot(*stop, ClipRole::stop), stop->speed_first * 1.3));
            }
            if (stand_) { ways.emplace_back("to: still, when: speed < stop_at, fade: 0.35"); }
            if (jumps) { ways.emplace_back("to: air.take_off, signal: hop, fade: 0.18, style: inertial"); }
            go(ways);
        }
        const bool junction = moves && stand_;
        const std::string onward = junction ? "onward" : home;
        for (const Looked* stop : stops) {
            out += fmt::format("        stopping_{}: {{play: {}, go: [{{to: {}, at: end, fade: 0.3}}]}}\n",
                               leading_foot(*stop, ClipRole::stop), stop->name, onward);
        }
        if (jumps) {
            out += "        air:\n          machine:\n            start: falling\n            states:\n";
            out += fmt::format("              take_off: {{play: {}, go: [{{to: falling, at: end, fade: 0.15}}]}}\n",
                               all(ClipRole::take_off).front()->name);
            out +=
                fmt::format("              falling:  {{play: {}, moved_by: game}}\n", all(ClipRole::air).front()->name);
            out += "          go:\n            - {to: landing, when: not airborne, after: 0.25, fade: 0.12, style: "
                   "inertial, settle: yes}\n";
            const auto landings = all(ClipRole::landing);
            out += "        landing:\n          play: " + landings.front()->name + "\n";
            std::vector<std::string> ways;
            if (moves) {
                ways.push_back("to: moving, " +
                               std::string(stand_ ? "when: \"speed > start_at and state.left < 0.5\"" : "at: end") +
                               ", fade: 0.35");
            }
            ways.push_back("to: " + onward + ", at: end, fade: 0.25");
            go(ways);
        }
        if (stand_) {
            for (const auto* list : {&turns, &gestures}) {
                for (const Looked* clip : *list) {
                    out += fmt::format("        {}: {{play: {}, go: [{{to: {}, at: end, fade: 0.3}}]}}\n",
                                       state_of(*clip), clip->name, onward);
                }
            }
        }
        if (junction) {
            out += "        onward: {junction: [{to: moving, when: speed > start_at, fade: 0.3}, {to: still}]}\n";
        }
        if (home == "playing") {
            const std::string name = used.empty() ? "nothing" : (*used.begin())->name;
            out += "        playing: {play: {clip: " + name + ", loop: yes}}\n";
        }
        return out;
    }

    [[nodiscard]] static std::string state_of(const Looked& clip) {
        static const std::set<std::string> taken{"still",  "moving",      "air",           "landing",
                                                 "onward", "setting_off", "stopping_left", "stopping_right"};
        return taken.contains(clip.name) ? clip.name + "_once" : clip.name;
    }

    const Rig& rig_;
    std::string rig_file_;
    FootPoints points_;
    int hips_ = -1;
    std::set<std::string> names_;
    std::vector<Looked> clips_;
    std::optional<std::size_t> stand_;
};

} // namespace

std::string_view name_of(ClipRole role) {
    switch (role) {
    case ClipRole::stand:
        return "stands";
    case ClipRole::gait:
        return "gait";
    case ClipRole::same_gait:
        return "same gait";
    case ClipRole::turn:
        return "turn";
    case ClipRole::start:
        return "start";
    case ClipRole::stop:
        return "stop";
    case ClipRole::take_off:
        return "take-off";
    case ClipRole::air:
        return "air";
    case ClipRole::landing:
        return "landing";
    case ClipRole::gesture:
        return "gesture";
    case ClipRole::pose:
        return "pose";
    case ClipRole::not_placed:
        break;
    }
    return "not placed";
}

Beginning begin_document(const Rig& rig, const std::string& rig_file, const std::vector<BeginningClip>& clips) {
    return Beginner(rig, rig_file, clips).run();
}

} // namespace gait
