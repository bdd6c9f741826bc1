/// What a clip shows of itself, measured before anything is decided about it.
#pragma once

#include "gait/begin.hpp"
#include "gait/measure.hpp"

#include <array>
#include <string>
#include <vector>

namespace gait::detail {

/// Which part of a body each joint belongs to, and what a first document needs to know of it besides.
struct BodyPlan {
    explicit BodyPlan(const Rig& rig);

    int hips = -1;
    int spine = -1;                               ///< the first joint that bears both arms and no leg; -1 for none
    int spine_joints = 1;                         ///< from there to where the arms branch off, at most 3
    std::vector<bool> in_legs, in_upper, in_arms; ///< [joint]; the hips and what is above them are in none
    std::array<int, 2> hands{-1, -1};             ///< left, right; -1 for none
    double hip_height = 1;                        ///< metres above the ground at rest
};

/// The places of all joints, metres, the hips over the origin and facing as the clip begins or ends.
using Places = std::vector<Vec3>;

/// How far two poses are apart in parts of the hips' height: the root of the mean square over the joints of `part`.
[[nodiscard]] double apart(const Places& a, const Places& b, const std::vector<bool>& part, const BodyPlan& plan);

struct Evidence {
    const BeginningClip* clip = nullptr;
    std::string name; ///< in the document
    double seconds = 0;
    ClipMeasure measure;
    std::vector<Places> poses;              ///< at even instants, first to last
    std::vector<std::vector<Quat>> turns;   ///< [of a few instants, first to last][joint], in model space
    std::vector<double> lowest;             ///< metres of the lower foot over the ground, at the same instants
    std::vector<double> hips;               ///< metres of the hips over the ground there
    double speed_first = 0, speed_last = 0; ///< metres a second of the hips over the ground at either end
    double hands_speed = 0;                 ///< metres a second, the most of either hand against the hips
    double legs_move = 0, upper_moves = 0;  ///< as `apart`: the farthest of a pose from the first
    double hips_move = 0;                   ///< metres, the farthest of the hips from their first place

    [[nodiscard]] const Places& first() const { return poses.front(); }
    [[nodiscard]] const Places& last() const { return poses.back(); }
    /// The part of the clip that the foot that is down less is down, 0 to 1.
    [[nodiscard]] double feet_down() const;
    [[nodiscard]] double mean_hips() const;
};

/// Degrees that a joint turns at most as one clip goes over into the other, whenever that is; of one that is played
/// once and to its end its last pose counts.
[[nodiscard]] double turn_between(const Evidence& from, bool from_end, const Evidence& to);

/// Measures `clip`, which lies on `rig`. `name` is free in the document.
[[nodiscard]] Evidence look_at(const BeginningClip& clip, std::string name, const Rig& rig, const BodyPlan& plan);

} // namespace gait::detail
