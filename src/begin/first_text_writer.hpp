/// Writes the first document's text, from a cast whose parts are known: the body's states on the ground, in the air and
/// those of the arms each in a file of their own.
#pragma once

#include "begin/arms.hpp"
#include "begin/pose_families.hpp"

#include <cmath>
#include <set>
#include <string>
#include <utility>
#include <vector>

namespace gait::detail {

class FirstTextWriter {
public:
    FirstTextWriter(Cast& cast, const Rig& rig, const BodyPlan& plan, const std::string& rig_file,
                    const std::string& fits)
        : cast_(cast), rig_(rig), plan_(plan), rig_file_(rig_file), fits_(fits), arms_(find_arms(cast, rig, plan)),
          families_(find_pose_families(cast, rig, plan)) {}

    std::string text();

private:
    // ---- what there is
    /// Whether a gait is so slow, and so unlike standing, that a space going past it would pop: it is a state of its
    /// own.
    [[nodiscard]] bool too_steep(const Placed& gait) const;
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
    [[nodiscard]] bool steps_cleanly() const;
    static bool sideways(const std::vector<const Placed*>& gaits);
    /// Seconds of a fade in which what two clips differ by does not show: `base`, or as long as their farthest joint
    /// needs to get up to speed and to rest again. Of a clip that is left at its end, the end counts.
    [[nodiscard]] static double fade(const std::vector<const Placed*>& from, bool from_end, const Placed* to,
                                     double base);
    /// All that a body may be doing on the ground.
    [[nodiscard]] std::vector<const Placed*> on_ground() const;
    /// The standing clip, or what else it is gone on with.
    [[nodiscard]] const Placed* after() const {
        return stand_ != nullptr ? stand_ : !gaits_.empty() ? gaits_.front() : low_gaits_.front();
    }

    // ---- what is written beside states
    /// Notes where a clip is played; a clip that several places play keeps the first.
    void plays(const Placed& clip, const std::string& state);
    std::string& own_reason(const Placed& clip) { return cast_.clips[std::size_t(&clip - cast_.clips.data())].reason; }
    static std::string said_of(const FamilyPoint& point);
    /// Adds a parameter, once.
    void parameter(const std::string& name, const std::string& settings);
    /// What is set each frame stands first, what is asked for now and then last.
    void in_order();
    std::string free_state(const std::string& wanted);
    [[nodiscard]] static std::string aligned(const std::vector<std::pair<std::string, std::string>>& lines);
    [[nodiscard]] std::string space(const std::string& name, const std::vector<const Placed*>& gaits,
                                    const Placed* standing, const std::string& said) const;
    /// A motion for gaits: the space of several, one alone as fast as it is asked for.
    std::string motion_of(const std::string& name, const std::vector<const Placed*>& gaits, const Placed* standing,
                          const std::string& said);
    void speed_parameters();
    void heading_parameter() {
        parameter("heading", "{kind: angle, note: where it goes from where it faces; 90 is to the right}");
    }
    [[nodiscard]] std::string all_motions() const { return motions_; }
    /// The motion `inner` with additions laid on it: what leans into a turn.
    std::string with_families(const std::string& inner, bool over_hold, const Placed* hold);
    /// The mask of the upper body, where a spine was found.
    bool trunk();

    // ---- the machine
    static void ways(std::string& out, const std::vector<std::string>& list, std::size_t indent);
    std::string layers();

    // ---- on the ground: ground_states.cpp
    void starts(std::string& out, std::vector<std::string>& from_still);
    /// One clip of several by the foot and by how fast it is to be, decided on the way in.
    std::string by_foot_and_speed(std::vector<const Placed*> clips, const std::string& state,
                                  const std::string& foot_parameter, bool at_end);
    void moving_ways(std::vector<std::string>& from_moving) {
        if (moves() && stand_ != nullptr) { from_moving.emplace_back("to: still, when: speed < stop_at, fade: 0.35"); }
    }
    /// What waits for a foot to come down, where some gait marks that.
    [[nodiscard]] std::string as_comes_down(const std::string& foot) const;
    void stops(std::string& out, std::vector<std::string>& from_moving);
    /// A gait that no space takes is gone over into where it is asked to go its way.
    void gaits_apart(std::string& out, std::vector<std::string>& from_still, std::vector<std::string>& from_moving);

    // ---- in the air: air_states.cpp
    void jump_ways(std::vector<std::string>& from_still, std::vector<std::string>& from_moving);
    /// The chain through the air: what there is of it.
    std::string airborne();
    /// Whether a landing goes on over the ground.
    [[nodiscard]] bool rolls() const;
    static bool goes_on(const Placed* landing) {
        return std::hypot(landing->seen.measure.way.x, landing->seen.measure.way.z) > 0.25;
    }
    /// The clip of the air that is looked at where fades lead there.
    [[nodiscard]] const Placed* floats() const;
    /// What is in the air: one, or of several the one that the game chooses; where nothing floats, what takes off is
    /// held at its end, or what lands at its beginning.
    std::string falling_motion();
    /// Of several landings the harder the deeper, those that go on only where it goes.
    std::string landing_motion(std::vector<const Placed*> landings);
    /// What leaves the ground and comes down again in one clip needs no word of the game's.
    void whole_jumps(std::string& out);

    // ---- on the spot: ground_states.cpp
    void turns(std::string& out, std::vector<std::string>& from_still);
    std::string free_state_of(const Placed& clip, const std::string& wanted);
    void acts(std::string& out, std::vector<std::string>& from_still, std::vector<std::string>& from_moving);
    void fidgets();
    std::string crouch(std::vector<std::string>& from_still, std::vector<std::string>& from_moving);

    // ---- the arms: arm_states.cpp
    /// What the game asks for over whatever the legs do.
    void gestures();
    /// The part of the body that a gesture moves: an arm where nothing else does, else all above the hips.
    std::string mask_for(const Placed& gesture);
    std::string arms_layer();
    static std::string quoted(const std::string& motion) {
        return motion.find('(') == std::string::npos ? motion : "\"" + motion + "\"";
    }
    /// What begins or ends something that the arms do, where the rest is missing.
    std::string chain_state(const ArmChain& chain, const std::string& state);

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

} // namespace gait::detail
