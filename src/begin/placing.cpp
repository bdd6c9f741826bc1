#include "begin/placing.hpp"

#include "rig/body_parts.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <string_view>

namespace gait::detail {
namespace {

constexpr double least_speed = 0.15;  ///< metres a second of a gait
constexpr double shortest_clip = 0.2; ///< seconds; less is a pose
constexpr double off_ground = 0.064;  ///< of the hips' height: of a foot in the air
constexpr double legs_alike = 0.08;   ///< `apart`: of legs that stand as the standing clip's do
constexpr double upper_alike = 0.12;  ///< and of all that is above them
constexpr double unmoved = 0.003;     ///< `apart`: of a clip that does not move at all
constexpr double lower_hips = 0.87;   ///< of the hips' height as she stands; a run keeps above it
constexpr double least_turn = 30;     ///< degrees
constexpr double on_the_spot = 0.25;  ///< metres
constexpr double goes = 0.5;          ///< metres a second

bool says(const std::string& name, std::initializer_list<std::string_view> any) {
    const std::vector<std::string> words = words_of(name);
    return std::any_of(any.begin(), any.end(), [&](std::string_view word) {
        return std::find(words.begin(), words.end(), word) != words.end();
    });
}

bool says_standing(const std::string& name) {
    return says(name, {"idle", "stand", "standing", "wait", "rest", "breathe", "breathing"});
}
bool says_waiting(const std::string& name) {
    return says(name, {"look", "looking", "fidget", "yawn", "stretch", "stretching", "scratch", "ease", "shift",
                       "bored", "warm", "wait", "waiting", "idle", "rest", "sigh", "sniff", "blink"});
}
bool says_asked(const std::string& name) {
    return says(name, {"wave",  "greet",  "nod",  "clap", "point", "strike", "hit",  "throw", "ring",
                       "bow",   "salute", "pick", "use",  "push",  "pull",   "open", "close", "press",
                       "cheer", "call",   "kick", "take", "give",  "drop",   "lift", "dance"});
}
bool says_air(const std::string& name) {
    return says(name, {"air", "fall", "falling", "glide", "gliding", "float", "airborne", "aloft", "flight"});
}

/// How a pose looks in a mirror.
Places mirrored(const Places& places, const std::vector<int>& other) {
    Places result(places.size());
    for (std::size_t j = 0; j < places.size(); ++j) {
        const Vec3 at = places[std::size_t(other[j])];
        result[j] = {-at.x, at.y, at.z};
    }
    return result;
}

class Placing {
public:
    Placing(std::vector<Evidence> clips, const Rig& rig, const BodyPlan& plan) : rig_(rig), plan_(plan) {
        everywhere_.assign(rig.joints.size(), true);
        for (Evidence& seen : clips) {
            Placed placed;
            placed.seen = std::move(seen);
            cast_.clips.push_back(std::move(placed));
        }
        level_ground();
        off_ground_ = off_ground * plan.hip_height;
    }

    Cast run() {
        find_stand();
        for (std::size_t c = 0; c < cast_.clips.size(); ++c) {
            Placed& clip = cast_.clips[c];
            compare(clip);
            if (clip.role == ClipRole::not_placed) { recognise(clip); }
        }
        find_low_stands();
        drop_twins();
        find_mirror_images();
        return std::move(cast_);
    }

private:
    [[nodiscard]] double legs(const Places& a, const Places& b) const { return apart(a, b, plan_.in_legs, plan_); }
    [[nodiscard]] double upper(const Places& a, const Places& b) const { return apart(a, b, plan_.in_upper, plan_); }
    [[nodiscard]] bool alike(const Places& a, const Places& b) const {
        return legs(a, b) < legs_alike && upper(a, b) < upper_alike;
    }

    /// The ground is where feet mostly are: a recording stands on soles that its joints know nothing of.
    void level_ground() {
        const auto median = [](std::vector<double> values) {
            std::nth_element(values.begin(), values.begin() + std::ptrdiff_t(values.size() / 2), values.end());
            return values[values.size() / 2];
        };
        std::vector<double> grounds;
        for (const Placed& clip : cast_.clips) { grounds.push_back(median(clip.seen.lowest)); }
        if (grounds.empty()) { return; }
        const double ground = median(grounds);
        for (Placed& clip : cast_.clips) {
            for (double& height : clip.seen.lowest) { height -= ground; }
        }
    }

    /// Whether both feet stay down for as long as it lasts.
    [[nodiscard]] static bool feet_stay(const Evidence& seen) { return seen.feet_down() > 0.95; }

    /// What stands: both feet down, calm, upright; where most others begin or end; its name speaks for it.
    void find_stand() {
        double best = -1e9;
        std::optional<std::size_t> recorded;
        double tallest = 0;
        for (const Placed& clip : cast_.clips) {
            if (feet_stay(clip.seen)) { tallest = std::max(tallest, clip.seen.mean_hips()); }
        }
        for (std::size_t c = 0; c < cast_.clips.size(); ++c) {
            const Evidence& seen = cast_.clips[c].seen;
            const bool found = seen.clip->found_as == "stand"; // a recording's calmest stretch is what there is
            if (found && !recorded) { recorded = c; }
            if (seen.seconds < shortest_clip || seen.measure.speed > least_speed || !feet_stay(seen) ||
                std::fabs(seen.measure.way.heading) > least_turn || seen.mean_hips() < lower_hips * tallest) {
                continue;
            }
            if (!alike(seen.first(), seen.last()) || (!seen.measure.loops && seen.seconds < 1)) { continue; }
            double others = 0;
            for (const Placed& other : cast_.clips) {
                if (&other == &cast_.clips[c] || other.seen.seconds < shortest_clip) { continue; }
                others += (alike(other.seen.first(), seen.first()) ? 0.5 : 0) +
                          (alike(other.seen.last(), seen.first()) ? 0.5 : 0);
            }
            const double hub = others / double(std::max<std::size_t>(1, cast_.clips.size() - 1));
            const double calm = 1 / (1 + 10 * (seen.upper_moves + seen.legs_move));
            const double named = says_standing(seen.name) ? 0.5 : 0;
            const double score = hub + calm + named + (seen.measure.loops ? 0.2 : 0);
            if (score > best) { best = score, cast_.stand = c; }
        }
        if (!cast_.stand) { cast_.stand = recorded; }
        if (!cast_.stand) { return; }
        Placed& clip = cast_.clips[*cast_.stand];
        clip.role = ClipRole::stand;
        int beginning = 0;
        for (const Placed& other : cast_.clips) {
            if (&other != &clip &&
                (alike(other.seen.first(), clip.seen.first()) || alike(other.seen.last(), clip.seen.first()))) {
                ++beginning;
            }
        }
        if (clip.seen.clip->found_as == "stand") {
            clip.reason = "the calmest stretch of the recording";
            return;
        }
        clip.reason = beginning > 0 ? fmt::format("both feet stay down; {} others begin or end as it stands", beginning)
                                    : "both feet stay down";
        if (!says_standing(clip.seen.name) && beginning == 0) {
            clip.unsure = "nothing else begins or ends so; if another one stands, play that in 'still'";
        }
    }

    void compare(Placed& clip) const {
        if (!cast_.stand) { return; }
        const Places& standing = cast_.standing()->seen.first();
        for (const Places& pose : clip.seen.poses) {
            clip.legs_most = std::max(clip.legs_most, legs(pose, standing));
            clip.upper_most = std::max(clip.upper_most, upper(pose, standing));
        }
    }
    [[nodiscard]] bool stands(const Places& pose) const {
        return cast_.stand && alike(pose, cast_.standing()->seen.first());
    }

    static bool steps_in_turn(const ClipMeasure& measure) {
        std::vector<std::pair<double, bool>> strikes;
        for (const FootMeasure& foot : measure.feet) {
            if (foot.down > 0.99) { continue; }
            for (const Contact& contact : foot.contacts) { strikes.emplace_back(contact.strike, foot.side == "left"); }
        }
        std::sort(strikes.begin(), strikes.end());
        if (strikes.size() < 2) { return false; }
        // One step that is seen twice, or missed, does not make it another thing.
        std::size_t same = 0;
        for (std::size_t i = 0; i < strikes.size(); ++i) {
            same += strikes[i].second == strikes[(i + 1) % strikes.size()].second ? 1 : 0;
        }
        return same * 4 <= strikes.size();
    }

    /// How the body would turn by feet that turn back under it, degrees to the right; for clips in place.
    [[nodiscard]] double turned_by_feet(const Evidence& seen) const {
        double sum = 0;
        int stances = 0;
        const BodyParts parts = body_parts(rig_);
        for (std::size_t f = 0; f < seen.measure.feet.size() && f < parts.feet.size(); ++f) {
            const Foot& foot = parts.feet[f];
            if (foot.toes == foot.ankle) { continue; }
            for (const Contact& contact : seen.measure.feet[f].contacts) {
                const auto heading = [&](double seconds) {
                    const double part = std::clamp(seconds / std::max(1e-6, seen.seconds), 0.0, 1.0);
                    const Places& pose = seen.poses[std::size_t(std::lround(part * double(seen.poses.size() - 1)))];
                    const Vec3 ahead = pose[std::size_t(foot.toes)] - pose[std::size_t(foot.ankle)];
                    return std::atan2(double(ahead.x), double(ahead.z)) * degrees_per_radian;
                };
                const double lifts =
                    contact.lift_off > contact.strike ? contact.lift_off : contact.lift_off + seen.seconds;
                const double middle = std::fmod((contact.strike + lifts) / 2, seen.seconds);
                // From the middle of the stance, for it may last over the end of the loop.
                const double after = std::min(middle + 0.05, seen.seconds), before = std::max(0.0, middle - 0.05);
                if (!(after > before)) { continue; }
                sum += std::remainder(heading(after) - heading(before), 360.0) / (after - before) *
                       (lifts - contact.strike);
                ++stances;
            }
        }
        // A heading is positive to the right, the turn about +Y to the left: the feet go the other way than the body.
        return stances > 0 ? sum : 0;
    }

    static void is(Placed& clip, ClipRole role, std::string reason, std::string unsure = {}) {
        clip.role = role;
        clip.reason = std::move(reason);
        clip.unsure = std::move(unsure);
    }

    [[nodiscard]] bool is_low(const Evidence& seen) const {
        return cast_.stand && seen.mean_hips() < lower_hips * cast_.standing()->seen.mean_hips();
    }

    void recognise(Placed& clip) {
        const Evidence& seen = clip.seen;
        if (seen.seconds < shortest_clip) { return is(clip, ClipRole::pose, "too short to move"); }
        if (seen.legs_move < unmoved && seen.upper_moves < unmoved && !seen.measure.travels) {
            return is(clip, ClipRole::pose, "does not move");
        }
        if (recognise_way(clip) || recognise_air(clip) || recognise_upper(clip)) { return; }
        const bool from_stand = stands(seen.first()), to_stand = stands(seen.last());
        const std::string ends = from_stand && to_stand ? "from standing and back to it, with the legs"
                                 : from_stand           ? "begins standing and ends elsewhere"
                                 : to_stand             ? "begins elsewhere and ends standing"
                                 : cast_.stand          ? "neither begins nor ends as the standing clip"
                                                        : "no clip stands, so nothing says where it begins";
        is(clip, ClipRole::act, ends,
           from_stand && to_stand ? "" : "a long fade has to bridge it; a clip that leads there would be better");
    }

    /// What gets somewhere, or turns.
    bool recognise_way(Placed& clip) {
        const Evidence& seen = clip.seen;
        const ClipMeasure& m = seen.measure;
        const double way = std::hypot(m.way.x, m.way.z);
        // Who turns about steps aside as he does.
        const double near = on_the_spot + 0.4 * std::fabs(m.way.heading) / 180;
        if (m.travels && std::fabs(m.way.heading) > least_turn && way < near && seen.clip->found_as != "stride") {
            clip.turns = m.way.heading;
            is(clip, ClipRole::turn,
               fmt::format("turns {:.0f} deg to the {}", std::fabs(clip.turns), clip.turns > 0 ? "right" : "left"));
            return true;
        }
        const bool in_air = *std::min_element(seen.lowest.begin(), seen.lowest.end()) > off_ground_;
        const bool starts_standing = stands(seen.first()), ends_standing = stands(seen.last());
        const bool ends_off = seen.lowest.front() > off_ground_ || seen.lowest.back() > off_ground_;
        const bool comes_round =
            m.loops || (seen.seconds > 0.3 && legs(seen.first(), seen.last()) < 0.25 && m.gap.millimetres < 300);
        const bool may_go = seen.clip->found_as.empty() || seen.clip->found_as == "stride";
        if (may_go && comes_round && m.speed > least_speed && !in_air && !(starts_standing && ends_standing)) {
            const std::string says_way = fmt::format("{:.2f} m/s {}", m.speed, direction_word(m.direction));
            if (steps_in_turn(m) || seen.clip->found_as == "stride") {
                const std::string open =
                    m.loops ? "" : "its ends do not meet; a cut that comes round would be better: gait clips --cuts";
                is(clip, is_low(seen) ? ClipRole::low_gait : ClipRole::gait,
                   is_low(seen) ? says_way + ", with bent legs" : says_way, open);
                return true;
            }
            if (m.loops && !ends_off) {
                is(clip, is_low(seen) ? ClipRole::low_gait : ClipRole::gait, says_way,
                   "its feet do not come down left and right in turn; marks 'left_down' and 'right_down' would keep it "
                   "in step");
                return true;
            }
        }
        if (m.travels && !m.loops && !ends_off) {
            const std::string& found = seen.clip->found_as; // a recording knows what stood before and after
            if ((starts_standing || found == "set_off") && seen.speed_last > goes) {
                clip.foot = leading_foot(clip, ClipRole::start);
                is(clip, ClipRole::start,
                   fmt::format("from standing to {:.1f} m/s, the {} foot first", seen.speed_last, clip.foot));
                return true;
            }
            if ((ends_standing || found == "stop") && seen.speed_first > goes) {
                clip.foot = leading_foot(clip, ClipRole::stop);
                is(clip, ClipRole::stop,
                   fmt::format("from {:.1f} m/s to standing, on the {} foot", seen.speed_first, clip.foot));
                return true;
            }
        }
        // In place: the feet that are down turn back under the body.
        if (m.loops && m.speed <= least_speed && seen.legs_move > legs_alike && !feet_stay(seen) && !in_air) {
            const double turned = turned_by_feet(seen);
            if (std::fabs(turned) > least_turn / 2 || says(seen.name, {"turn", "turning", "pivot"})) {
                const bool right = std::fabs(turned) > 0.5 ? turned > 0 : says(seen.name, {"right", "r"});
                clip.turns = std::fabs(turned) > least_turn / 2 ? turned : right ? 90 : -90;
                is(clip, ClipRole::turn, fmt::format("steps on the spot, to the {}", right ? "right" : "left"),
                   std::fabs(turned) > least_turn / 2
                       ? "the game turns the body while it plays"
                       : "its feet hardly turn, so the side is a guess; the game turns the body while it plays");
                return true;
            }
        }
        return false;
    }

    /// What leaves the ground, is off it, or comes down to it.
    bool recognise_air(Placed& clip) {
        const Evidence& seen = clip.seen;
        const double first = seen.lowest.front(), last = seen.lowest.back();
        const double least = *std::min_element(seen.lowest.begin(), seen.lowest.end());
        const double most = *std::max_element(seen.lowest.begin(), seen.lowest.end());
        if (seen.measure.feet.empty()) { return false; }
        if (least > off_ground_) {
            is(clip, ClipRole::air, "its feet stay off the ground");
            return true;
        }
        if (first <= off_ground_ && last > off_ground_) {
            const double speed = std::max(seen.measure.speed, seen.speed_first);
            if (!stands(seen.first()) && speed > goes && seen.clip->found_as.empty()) {
                clip.foot = lifted_foot(clip);
                is(clip, ClipRole::leap,
                   fmt::format("leaves the ground at {:.1f} m/s, off the {} foot", speed, clip.foot));
            } else {
                is(clip, ClipRole::take_off, "leaves the ground");
            }
            return true;
        }
        if (first > off_ground_ && last <= off_ground_) {
            const double way = std::hypot(seen.measure.way.x, seen.measure.way.z);
            const double lowest_hips = *std::min_element(seen.hips.begin(), seen.hips.end());
            is(clip, ClipRole::landing,
               way > on_the_spot ? fmt::format("comes down and goes on for {:.1f} m", way)
                                 : fmt::format("comes down, hips to {:.2f} m", lowest_hips));
            return true;
        }
        if (most > 2 * off_ground_ && !says_asked(seen.name) && seen.clip->found_as != "stride" &&
            !seen.measure.loops) {
            is(clip, ClipRole::jump, fmt::format("leaves the ground and comes down again, {:.2f} m up", most));
            return true;
        }
        if (says_air(seen.name) && !feet_stay(seen)) {
            is(clip, ClipRole::air, "its feet carry nothing, and its name says so",
               fmt::format("its feet are {:.2f} m {} the ground", std::fabs(least), least < 0 ? "below" : "over"));
            return true;
        }
        return false;
    }

    /// What the upper body does alone, over feet that stay.
    bool recognise_upper(Placed& clip) const {
        const Evidence& seen = clip.seen;
        if (!cast_.stand || !feet_stay(seen) || clip.legs_most > legs_alike) { return false; }
        const bool from = stands(seen.first()), to = stands(seen.last());
        if (from && to) {
            decide_gesture(clip);
        } else if (from) {
            is(clip, ClipRole::raise, "from standing to where the arms are held");
        } else if (to) {
            is(clip, ClipRole::lower, "from where the arms are held back to standing");
        } else if (alike(seen.first(), seen.last())) {
            is(clip, ClipRole::hold, "the feet stay, the upper body is held elsewhere");
        } else {
            is(clip, ClipRole::gesture, "the feet stay; neither begins nor ends as the standing clip",
               "what leads there and back would settle it");
        }
        return true;
    }

    /// What is done while waiting is slow and long, what is asked for is quick; a name weighs less than both together.
    void decide_gesture(Placed& clip) const {
        const Evidence& seen = clip.seen;
        const double quick = seen.hands_speed / (4 * std::sqrt(plan_.hip_height)); // as pendulums of that length go
        const double measured =
            std::clamp(1.5 * (1 - quick), -1.0, 1.0) + std::clamp((seen.seconds - 2.5) / 2, -0.5, 0.5);
        const double named = (says_waiting(seen.name) ? 0.7 : 0) - (says_asked(seen.name) ? 0.7 : 0);
        const bool waits = measured + named > 0;
        const bool close = std::fabs(measured + named) < 0.35 || measured * named < 0;
        is(clip, waits ? ClipRole::fidget : ClipRole::gesture,
           waits ? fmt::format("slow, from standing and back: hands at {:.1f} m/s", seen.hands_speed)
                 : fmt::format("over feet that stay: hands at {:.1f} m/s", seen.hands_speed),
           !close  ? ""
           : waits ? "if the game asks for it, make it a one-shot"
                   : "if it is only for waiting, put it into 'idle'");
    }

    /// Of a start the foot that lifts first; of a stop the one that is just down as it begins.
    [[nodiscard]] static std::string leading_foot(const Placed& clip, ClipRole role) {
        std::string side = "left";
        double best = role == ClipRole::start ? 1e9 : -1;
        for (const FootMeasure& foot : clip.seen.measure.feet) {
            if (foot.contacts.empty()) { continue; }
            const Contact& contact = foot.contacts.front();
            if (role == ClipRole::start ? contact.lift_off < best : contact.strike < 0.1 && contact.lift_off > best) {
                best = contact.lift_off;
                side = foot.side;
            }
        }
        return side;
    }
    /// Of a leap the foot that is down last.
    [[nodiscard]] static std::string lifted_foot(const Placed& clip) {
        std::string side = "left";
        double latest = -1;
        for (const FootMeasure& foot : clip.seen.measure.feet) {
            for (const Contact& contact : foot.contacts) {
                if (contact.lift_off > latest) { latest = contact.lift_off, side = foot.side; }
            }
        }
        return side;
    }

    /// What loops with bent legs and both feet down.
    void find_low_stands() {
        for (Placed& clip : cast_.clips) {
            const bool elsewhere = clip.role == ClipRole::act || clip.role == ClipRole::hold;
            if (elsewhere && feet_stay(clip.seen) && is_low(clip.seen) && alike(clip.seen.first(), clip.seen.last())) {
                is(clip, ClipRole::low_stand, "stands with bent legs");
            }
        }
    }

    /// Of gaits that go to the same place one is enough: that which is in place, for a game that moves the body.
    void drop_twins() {
        for (Placed& clip : cast_.clips) {
            if (clip.role != ClipRole::gait && clip.role != ClipRole::low_gait) { continue; }
            for (const Placed& other : cast_.clips) {
                if (&other == &clip || other.role != clip.role) { continue; }
                const auto place = [](const ClipMeasure& m) {
                    const double radians = m.direction / degrees_per_radian;
                    return std::pair{m.speed * std::sin(radians), m.speed * std::cos(radians)};
                };
                const auto [x, y] = place(clip.seen.measure);
                const auto [ox, oy] = place(other.seen.measure);
                const bool travels = clip.seen.measure.travels;
                const bool later = travels != other.seen.measure.travels ? travels : &clip > &other;
                if (std::hypot(x - ox, y - oy) < 0.05 + 0.02 * clip.seen.measure.speed && later) {
                    const bool same = upper(mean_pose(clip), mean_pose(other)) < upper_alike;
                    is(clip, ClipRole::same_gait,
                       fmt::format("as '{}', {}", other.seen.name,
                                   !same     ? "but the upper body is held otherwise"
                                   : travels ? "with its own travel"
                                             : "once more"),
                       same ? "" : "give it a state of its own, where the game has something to tell the two apart");
                    break;
                }
            }
        }
    }
    [[nodiscard]] static Places mean_pose(const Placed& clip) {
        Places mean(clip.seen.first().size());
        for (const Places& pose : clip.seen.poses) {
            for (std::size_t j = 0; j < mean.size(); ++j) {
                mean[j] = mean[j] + pose[j] * (1.0F / float(clip.seen.poses.size()));
            }
        }
        return mean;
    }

    void find_mirror_images() {
        std::vector<int> other(rig_.joints.size());
        for (std::size_t j = 0; j < other.size(); ++j) { other[j] = int(j); }
        for (const auto& [left, right] : mirror_pairs(rig_)) {
            other[std::size_t(left)] = right;
            other[std::size_t(right)] = left;
        }
        for (Placed& clip : cast_.clips) {
            for (const Placed& earlier : cast_.clips) {
                if (&earlier == &clip) { break; }
                if (earlier.role != clip.role || std::fabs(earlier.seen.seconds - clip.seen.seconds) > 0.02) {
                    continue;
                }
                const auto same = [&](const Places& a, const Places& b) {
                    const double off = apart(mirrored(a, other), b, everywhere_, plan_);
                    return off < 0.02 || (off < 0.08 && off < 0.3 * apart(a, b, everywhere_, plan_));
                };
                const auto middle = [](const Evidence& e) -> const Places& { return e.poses[e.poses.size() / 2]; };
                // What is its own mirror image has none.
                if (same(clip.seen.first(), clip.seen.first()) && same(middle(clip.seen), middle(clip.seen))) { break; }
                if (same(clip.seen.first(), earlier.seen.first()) && same(middle(clip.seen), middle(earlier.seen)) &&
                    same(clip.seen.last(), earlier.seen.last())) {
                    clip.twin = &earlier;
                    if (clip.role == ClipRole::turn && clip.turns * earlier.turns > 0) { mirror_turn(clip, earlier); }
                    break;
                }
            }
        }
    }

    /// Of two that mirror each other one turns to the right: the one whose name or feet say so more.
    static void mirror_turn(Placed& clip, const Placed& earlier) {
        clip.turns = -earlier.turns;
        clip.reason = fmt::format("steps on the spot, to the {}", clip.turns > 0 ? "right" : "left");
    }

    const Rig& rig_;
    const BodyPlan& plan_;
    std::vector<bool> everywhere_;
    double off_ground_ = off_ground; ///< metres
    Cast cast_;
};

} // namespace

std::vector<const Placed*> Cast::all(ClipRole role) const {
    std::vector<const Placed*> found;
    for (const Placed& clip : clips) {
        if (clip.role == role) { found.push_back(&clip); }
    }
    return found;
}

std::string direction_word(double degrees) {
    return std::fabs(degrees) < 10 ? "ahead"
           : std::fabs(degrees) > 170
               ? "back"
               : fmt::format("{:.0f} deg to the {}", std::fabs(degrees), degrees > 0 ? "right" : "left");
}

Cast place_clips(std::vector<Evidence> clips, const Rig& rig, const BodyPlan& plan) {
    return Placing(std::move(clips), rig, plan).run();
}

} // namespace gait::detail
