#include "acts.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <initializer_list>
#include <map>

namespace lamplighter {
namespace {

using Eigen::Quaterniond;
using Eigen::Vector3d;

const Vector3d right_axis(1, 0, 0), up_axis(0, 1, 0), forward_axis(0, 0, 1);
constexpr double stand_height = 0.926;

/// All that can be laid out. Sides and turns are toward +X and about +Y, which is her left; degrees and metres.
enum Control : std::size_t {
    hips_side,
    hips_up,
    hips_ahead,
    hips_turn,
    hips_tip,
    hips_list,
    left_ahead,
    left_side,
    left_up,
    left_pitch,
    left_yaw,
    right_ahead,
    right_side,
    right_up,
    right_pitch,
    right_yaw,
    tuck, ///< 0 to 1: the legs leave the ground and are drawn up
    thigh,
    knee, ///< degrees, of drawn-up legs
    chest_turn,
    lean,
    chest_list,
    head_turn,
    nod,
    left_arm,
    left_out,
    left_bend,
    left_inward,
    left_curl,
    left_shrug,
    right_arm,
    right_out,
    right_bend,
    right_inward,
    right_curl,
    right_shrug,
    control_count
};
using Controls = std::array<double, control_count>;

Controls standing_still() {
    Controls c{};
    c[left_ahead] = stand_left;
    c[right_ahead] = stand_right;
    c[hips_tip] = 1;
    c[lean] = 1.2;
    c[nod] = 0.3;
    for (const std::size_t arm : {std::size_t(left_arm), std::size_t(right_arm)}) {
        c[arm] = 1;
        c[arm + 1] = 9;
        c[arm + 2] = 13;
        c[arm + 3] = 10;
        c[arm + 4] = 22;
        c[arm + 5] = 1;
    }
    return c;
}

/// Controls at instants, joined by cubics that rest where a control turns back.
class Score {
public:
    explicit Score(const Controls& start) : start_(start) {}

    Score& at(double seconds, std::initializer_list<std::pair<Control, double>> values) {
        for (const auto& [control, value] : values) { tracks_[control].push_back({seconds, value}); }
        return *this;
    }
    /// As it was at the start.
    Score& back(double seconds) {
        for (auto& [control, track] : tracks_) { track.push_back({seconds, start_[control]}); }
        return *this;
    }

    [[nodiscard]] Controls controls(double seconds) const {
        Controls c = start_;
        for (const auto& [control, track] : tracks_) { c[control] = value(track, start_[control], seconds); }
        return c;
    }

private:
    struct Key {
        double at, value;
    };
    static double value(const std::vector<Key>& given, double start, double seconds) {
        std::vector<Key> keys = given;
        if (keys.front().at > 0) { keys.insert(keys.begin(), {0, start}); }
        if (seconds <= keys.front().at) { return keys.front().value; }
        if (seconds >= keys.back().at) { return keys.back().value; }
        std::size_t i = 0;
        while (keys[i + 1].at < seconds) { ++i; }
        // Fritsch and Carlson 1980: no overshoot.
        const auto slope = [&](std::size_t k) {
            return (keys[k + 1].value - keys[k].value) / (keys[k + 1].at - keys[k].at);
        };
        const auto tangent = [&](std::size_t k) {
            if (k == 0 || k + 1 == keys.size()) { return 0.0; }
            const double a = slope(k - 1), b = slope(k);
            return a * b <= 0 ? 0.0 : 2 * a * b / (a + b);
        };
        const double span = keys[i + 1].at - keys[i].at;
        return hermite((seconds - keys[i].at) / span, keys[i].value, tangent(i), keys[i + 1].value, tangent(i + 1),
                       span);
    }

    Controls start_;
    std::map<Control, std::vector<Key>> tracks_;
};

SkeletonPose pose_of(const Skeleton& skeleton, const Controls& c) {
    SkeletonPose pose = rest(skeleton);
    pose.hips = {c[hips_side], stand_height + c[hips_up], c[hips_ahead]};
    pose.rotations[0] =
        turned(up_axis, c[hips_turn]) * turned(forward_axis, c[hips_list]) * turned(right_axis, c[hips_tip]);
    std::array<FootPlace, 2> feet;
    for (std::size_t s = 0; s < 2; ++s) {
        const std::size_t first = s == 0 ? left_ahead : right_ahead;
        feet[s].forward = c[first];
        feet[s].side = c[first + 1];
        feet[s].pitch = c[first + 3];
        feet[s].yaw = c[first + 4];
        // A foot that tips rolls over its heel or its ball.
        const double tip = c[first + 3] * pi / 180, lever = c[first + 3] < 0 ? ball_before_ankle : -heel_behind_ankle;
        const double pivot_up = c[first + 3] < 0 ? ball_height : 0;
        feet[s].up = pivot_up + (ankle_height - pivot_up) * std::cos(tip) - lever * std::sin(tip) + c[first + 2];
        feet[s].rolled = lever * (1 - std::cos(tip)) - (ankle_height - pivot_up) * std::sin(tip);
        // Bent against the ground, and straight again as it is left.
        constexpr double left_by = 0.05; // metres
        feet[s].toes = std::max(0.0, -c[first + 3]) * (1 - smooth(c[first + 2] / left_by));
    }
    place_legs(skeleton, pose, feet, stand_width, stand_toe_out, forward_axis);
    if (c[tuck] > 0) {
        for (const std::string side : {"left_", "right_"}) {
            const auto give = [&](const char* part, const Quaterniond& drawn_up) {
                Quaterniond& joint = pose.rotations[std::size_t(skeleton.index(side + part))];
                joint = joint.slerp(c[tuck], drawn_up);
            };
            give("upper_leg", turned(right_axis, -c[thigh]));
            give("lower_leg", turned(right_axis, c[knee]));
            give("foot", turned(right_axis, 25));
            give("toes", Quaterniond::Identity());
        }
    }
    place_trunk(skeleton, pose, c[hips_turn] + c[chest_turn], c[lean], c[chest_list], c[hips_turn] + c[head_turn],
                c[nod]);
    // Over and over: the trunk is bent against the hips, wherever these are.
    const double rolled = smooth(std::abs(c[hips_tip]) / 100);
    const auto bend = [&](const char* part, double degrees) {
        Quaterniond& joint = pose.rotations[std::size_t(skeleton.index(part))];
        joint = joint.slerp(rolled, turned(right_axis, degrees));
    };
    for (const char* part : {"spine_1", "spine_2", "chest"}) { bend(part, c[lean] / 3); }
    for (const char* part : {"neck", "head"}) { bend(part, c[nod] / 2); }
    for (const bool left : {true, false}) {
        const std::size_t first = left ? left_arm : right_arm;
        place_arm(skeleton, pose, left,
                  {c[first], c[first + 1], c[first + 2], c[first + 3], c[first + 4], c[first + 5]});
    }
    place_coat(skeleton, pose, 0, 0);
    return pose;
}

Act act(const Skeleton& skeleton, std::string name, double seconds, bool loops, const Score& score) {
    return {std::move(name), seconds, loops,
            [&skeleton, score](double at) { return pose_of(skeleton, score.controls(at)); }};
}

/// A quarter turn on the spot: the near foot opens the way, the far one follows.
Score quarter_turn(bool to_left) {
    const double s = to_left ? 1 : -1;
    const Control near_ahead = to_left ? left_ahead : right_ahead, far_ahead = to_left ? right_ahead : left_ahead;
    const auto part = [](Control foot, std::size_t offset) { return Control(std::size_t(foot) + offset); };
    const auto landed = [&](Control foot) {
        // Where the foot stands after the turn: its place turned about her middle.
        const double side = (foot == left_ahead ? 1 : -1) * stand_width / 2,
                     ahead = foot == left_ahead ? stand_left : stand_right;
        const double x = s * ahead, z = -s * side;
        return std::pair{z, x - side};
    };
    Score score(standing_still());
    const auto step = [&](Control foot, double lift, double land) {
        const auto [ahead, side] = landed(foot);
        const double start = foot == left_ahead ? stand_left : stand_right;
        score
            .at(lift, {{foot, start}, {part(foot, 1), 0}, {part(foot, 2), 0}, {part(foot, 4), 0}, {part(foot, 3), -14}})
            .at((lift + land) / 2, {{part(foot, 2), 0.055}, {part(foot, 3), -8}})
            .at(land, {{foot, ahead},
                       {part(foot, 1), side},
                       {part(foot, 2), 0},
                       {part(foot, 4), s * 90},
                       {part(foot, 3), 0}});
    };
    step(near_ahead, 0.12, 0.46);
    step(far_ahead, 0.52, 0.88);
    score.at(0.05, {{hips_turn, 0}, {head_turn, 0}, {chest_turn, 0}, {hips_side, 0}, {hips_up, 0}})
        .at(0.22, {{head_turn, s * 30}, {chest_turn, s * 12}, {hips_side, -s * 0.05}, {hips_up, -0.015}})
        .at(0.5, {{hips_turn, s * 45}, {head_turn, s * 22}, {chest_turn, s * 12}, {hips_side, 0}, {hips_up, -0.03}})
        .at(0.72, {{hips_side, 0.01}, {hips_up, -0.015}})
        .at(0.95, {{hips_turn, s * 90}, {head_turn, 0}, {chest_turn, 0}, {hips_side, 0}, {hips_up, 0}});
    return score;
}

Controls with(Controls c, std::initializer_list<std::pair<Control, double>> values) {
    for (const auto& [control, value] : values) { c[control] = value; }
    return c;
}

/// In the air: arms out, legs hanging.
Controls airborne() {
    return with(standing_still(), {{hips_up, 0.075},
                                   {left_up, 0.13},
                                   {right_up, 0.10},
                                   {left_pitch, -28},
                                   {right_pitch, -34},
                                   {left_ahead, 0.05},
                                   {right_ahead, -0.03},
                                   {lean, 6},
                                   {left_arm, 22},
                                   {right_arm, 16},
                                   {left_out, 34},
                                   {right_out, 36},
                                   {left_bend, 32},
                                   {right_bend, 34},
                                   {nod, 8}});
}

void hop(const Skeleton& skeleton, std::vector<Act>& all) {
    const Controls up = airborne();
    Score start(standing_still());
    start.at(0.02, {{hips_up, 0}, {lean, 1.2}, {left_arm, 1}, {right_arm, 1}})
        .at(0.20, {{hips_up, -0.17},
                   {hips_ahead, 0.02},
                   {lean, 24},
                   {left_arm, -32},
                   {right_arm, -32},
                   {left_pitch, 0},
                   {right_pitch, 0},
                   {left_up, 0},
                   {right_up, 0},
                   {left_out, 14},
                   {right_out, 14},
                   {left_ahead, stand_left},
                   {right_ahead, stand_right}})
        .at(0.36, {{hips_up, 0.06},
                   {lean, 9},
                   {left_pitch, -42},
                   {right_pitch, -42},
                   {left_up, 0.01},
                   {right_up, 0.01},
                   {left_ahead, stand_left},
                   {right_ahead, stand_right},
                   {left_arm, 38},
                   {right_arm, 34}})
        .at(0.50, {{hips_up, up[hips_up]},
                   {hips_ahead, 0},
                   {lean, up[lean]},
                   {left_pitch, up[left_pitch]},
                   {right_pitch, up[right_pitch]},
                   {left_up, up[left_up]},
                   {right_up, up[right_up]},
                   {left_arm, up[left_arm]},
                   {right_arm, up[right_arm]},
                   {left_out, up[left_out]},
                   {right_out, up[right_out]},
                   {left_bend, up[left_bend]},
                   {right_bend, up[right_bend]},
                   {left_ahead, up[left_ahead]},
                   {right_ahead, up[right_ahead]},
                   {nod, up[nod]}});
    all.push_back(act(skeleton, "hop_start", 0.5, false, start));

    Score air(up);
    air.at(0, {{left_out, up[left_out]}, {right_out, up[right_out]}, {left_up, up[left_up]}, {right_up, up[right_up]}})
        .at(0.4, {{left_out, up[left_out] + 7},
                  {right_out, up[right_out] + 5},
                  {left_up, up[left_up] + 0.015},
                  {right_up, up[right_up] + 0.02}})
        .at(0.8,
            {{left_out, up[left_out]}, {right_out, up[right_out]}, {left_up, up[left_up]}, {right_up, up[right_up]}});
    all.push_back(act(skeleton, "hop_air", 0.8, true, air));

    const auto landing = [&](double depth, double bow, double impact, double rise, bool hand) {
        Score score(up);
        score
            .at(impact, {{left_up, 0},
                         {right_up, 0},
                         {left_pitch, -6},
                         {right_pitch, -6},
                         {hips_up, -0.02},
                         {lean, 8},
                         {left_ahead, stand_left},
                         {right_ahead, stand_right}})
            .at(impact + 0.06, {{left_pitch, 0}, {right_pitch, 0}})
            .at(impact + 0.16, {{hips_up, -depth},
                                {hips_ahead, -0.04 - 0.1 * depth},
                                {lean, bow},
                                {nod, 0.3 * bow},
                                {left_arm, 8},
                                {right_arm, hand ? 58 : 12},
                                {left_out, 26},
                                {right_out, hand ? 4 : 26},
                                {right_bend, hand ? 8 : 30},
                                {left_bend, 30}})
            .at(rise, {{hips_up, 0},
                       {hips_ahead, 0},
                       {lean, 1.2},
                       {nod, 0.3},
                       {left_arm, 1},
                       {right_arm, 1},
                       {left_out, 9},
                       {right_out, 9},
                       {left_bend, 13},
                       {right_bend, 13},
                       {left_pitch, 0},
                       {right_pitch, 0},
                       {left_up, 0},
                       {right_up, 0},
                       {left_ahead, stand_left},
                       {right_ahead, stand_right}});
        return score;
    };
    all.push_back(act(skeleton, "land_soft", 0.7, false, landing(0.11, 14, 0.08, 0.66, false)));
    all.push_back(act(skeleton, "land_hard", 1.25, false, landing(0.36, 62, 0.07, 1.2, true)));

    // Over one shoulder and up again, 1.7 m on.
    Score roll(up);
    roll.at(0.08, {{hips_up, -0.06},
                   {hips_ahead, 0.12},
                   {hips_tip, 14},
                   {lean, 40},
                   {tuck, 0},
                   {left_up, 0},
                   {right_up, 0},
                   {left_pitch, -12},
                   {right_pitch, -20},
                   {thigh, 70},
                   {knee, 90},
                   {nod, 20},
                   {left_arm, 60},
                   {right_arm, 70}})
        .at(0.24, {{hips_up, -0.30},
                   {hips_ahead, 0.45},
                   {hips_tip, 80},
                   {lean, 78},
                   {tuck, 1},
                   {thigh, 105},
                   {knee, 120},
                   {nod, 45},
                   {left_up, 0.08},
                   {right_up, 0.08},
                   {left_arm, 95},
                   {right_arm, 100},
                   {left_bend, 100},
                   {right_bend, 100}})
        .at(0.34, {{hips_up, -0.36}, {hips_ahead, 0.66}, {hips_tip, 135}})
        .at(0.45,
            {{hips_up, -0.66}, {hips_ahead, 0.92}, {hips_tip, 205}, {lean, 85}, {thigh, 118}, {knee, 130}, {nod, 50}})
        .at(0.60, {{hips_up, -0.70},
                   {hips_ahead, 1.25},
                   {hips_tip, 285},
                   {lean, 75},
                   {tuck, 1},
                   {thigh, 112},
                   {knee, 125},
                   {nod, 40}})
        .at(0.78, {{hips_up, -0.44},
                   {hips_ahead, 1.52},
                   {hips_tip, 348},
                   {lean, 50},
                   {tuck, 0.5},
                   {nod, 15},
                   {left_arm, 40},
                   {right_arm, 40},
                   {left_ahead, 1.70 + stand_left},
                   {right_ahead, 1.70 + stand_right},
                   {left_up, 0},
                   {right_up, 0},
                   {left_pitch, 0},
                   {right_pitch, 0}})
        .at(0.92, {{tuck, 0}, {hips_tip, 360}})
        .at(1.25, {{hips_up, 0},
                   {hips_ahead, 1.70},
                   {hips_tip, 361},
                   {lean, 1.2},
                   {nod, 0.3},
                   {left_arm, 1},
                   {right_arm, 1},
                   {left_out, 9},
                   {right_out, 9},
                   {left_bend, 13},
                   {right_bend, 13}});
    all.push_back(act(skeleton, "land_roll", 1.3, false, roll));
}

/// How high the lighting pole is held.
struct Height {
    const char* name;
    double raised, bend, lean, nod;
};
constexpr Height middle_height{"middle", 96, 38, 0, -8};

Control part(std::size_t first, std::size_t offset) { return Control(first + offset); }

/// The pole held up with one hand, the other at it.
Controls pole_up(const Height& h, bool left) {
    const std::size_t arm = left ? left_arm : right_arm, other = left ? right_arm : left_arm;
    const double s = left ? 1 : -1;
    return with(standing_still(), {{part(arm, 0), h.raised},
                                   {part(arm, 1), 4},
                                   {part(arm, 2), h.bend},
                                   {part(arm, 3), 6},
                                   {part(arm, 4), 62},
                                   {part(arm, 5), h.raised > 100 ? 12.0 : 4.0},
                                   {part(other, 0), 34},
                                   {part(other, 2), 68},
                                   {part(other, 3), 26},
                                   {part(other, 4), 58},
                                   {lean, h.lean},
                                   {nod, h.nod},
                                   {head_turn, s * 6},
                                   {chest_turn, -s * 8},
                                   {hips_side, -s * 0.012}});
}

/// The raised pole pointed to nine places, to be added to holding it: 40 degrees to each side, 30 up and down.
void aims(const Skeleton& skeleton, std::vector<Act>& all) {
    const Controls ahead = pole_up(middle_height, false);
    for (const auto& [row, pitch] : {std::pair{"down", -30.0}, {"level", 0.0}, {"up", 30.0}}) {
        for (const auto& [column, yaw] : {std::pair{"left", 40.0}, {"ahead", 0.0}, {"right", -40.0}}) {
            const Controls aim = with(ahead, {{chest_turn, ahead[chest_turn] + 0.6 * yaw},
                                              {head_turn, ahead[head_turn] + 0.4 * yaw},
                                              {right_arm, ahead[right_arm] + 0.85 * pitch},
                                              {right_inward, ahead[right_inward] + 0.3 * yaw},
                                              {left_arm, ahead[left_arm] + 0.4 * pitch},
                                              {lean, ahead[lean] - 0.25 * pitch},
                                              {nod, ahead[nod] - 0.45 * pitch}});
            all.push_back(act(skeleton, std::string("aim_") + row + "_" + column, 0.1, false, Score(aim)));
        }
    }
}

/// The lighting pole is lifted to a lamp, held there and lowered: low beside the door, at the height of her head,
/// overhead.
void pole(const Skeleton& skeleton, std::vector<Act>& all) {
    for (const Height& h : {Height{"low", 58, 30, 4, 6}, middle_height, {"high", 148, 24, -7, -26}}) {
        for (const bool left : {false, true}) {
            const std::size_t arm = left ? left_arm : right_arm;
            const Controls low = standing_still(), up = pole_up(h, left);
            const std::string side = left ? "left" : "right";
            const auto score_between = [&](const Controls& from, const Controls& to, double seconds) {
                Score score(from);
                for (std::size_t c = 0; c < control_count; ++c) {
                    // The hand leads, the trunk follows.
                    const double late = c >= left_arm ? 0 : 0.08;
                    score.at(late, {{Control(c), from[c]}}).at(seconds - 0.08 + late, {{Control(c), to[c]}});
                }
                return score;
            };
            all.push_back(act(skeleton, "pole_raise_" + std::string(h.name) + "_" + side, 0.8, false,
                              score_between(low, up, 0.8)));
            Score hold(up);
            hold.at(0, {{part(arm, 0), up[arm]}, {part(arm, 1), up[arm + 1]}, {chest_turn, up[chest_turn]}})
                .at(0.7, {{part(arm, 0), up[arm] + 2.2},
                          {part(arm, 1), up[arm + 1] + 1.4},
                          {chest_turn, up[chest_turn] + 0.8}})
                .at(1.5, {{part(arm, 0), up[arm] - 1.6},
                          {part(arm, 1), up[arm + 1] - 1.0},
                          {chest_turn, up[chest_turn] - 0.6}})
                .at(2.2, {{part(arm, 0), up[arm]}, {part(arm, 1), up[arm + 1]}, {chest_turn, up[chest_turn]}});
            all.push_back(act(skeleton, "pole_hold_" + std::string(h.name) + "_" + side, 2.2, true, hold));
            all.push_back(act(skeleton, "pole_lower_" + std::string(h.name) + "_" + side, 0.7, false,
                              score_between(up, low, 0.7)));
        }
    }
}

void hands(const Skeleton& skeleton, std::vector<Act>& all) {
    // One hand holds the lantern before her, the other shields it from the wind.
    const Controls shelter = with(standing_still(), {{left_arm, 42},
                                                     {left_bend, 72},
                                                     {left_inward, 34},
                                                     {left_curl, 66},
                                                     {right_arm, 50},
                                                     {right_bend, 66},
                                                     {right_inward, 46},
                                                     {right_curl, 14},
                                                     {lean, 7},
                                                     {nod, 16},
                                                     {left_shrug, 6},
                                                     {right_shrug, 6},
                                                     {left_out, 8},
                                                     {right_out, 10}});
    Score hold(shelter);
    hold.at(0, {{right_inward, 46}, {lean, 7}, {head_turn, 0}})
        .at(0.8, {{right_inward, 49}, {lean, 8}, {head_turn, 5}})
        .at(1.9, {{right_inward, 44}, {lean, 6.4}, {head_turn, -4}})
        .at(2.6, {{right_inward, 46}, {lean, 7}, {head_turn, 0}});
    all.push_back(act(skeleton, "shelter", 2.6, true, hold));

    Score wave(standing_still());
    wave.at(0.05, {{right_arm, 1},
                   {right_out, 9},
                   {right_bend, 13},
                   {right_inward, 10},
                   {right_curl, 22},
                   {chest_list, 0},
                   {nod, 0.3}})
        .at(0.45, {{right_arm, 132},
                   {right_out, 26},
                   {right_bend, 42},
                   {right_inward, -20},
                   {right_curl, 6},
                   {chest_list, 3},
                   {nod, -5}})
        .at(0.70, {{right_inward, 16}, {right_bend, 30}})
        .at(0.95, {{right_inward, -22}, {right_bend, 44}})
        .at(1.20, {{right_inward, 16}, {right_bend, 30}})
        .at(1.42, {{right_arm, 128},
                   {right_out, 26},
                   {right_inward, -16},
                   {right_bend, 42},
                   {chest_list, 3},
                   {nod, -5},
                   {right_curl, 8}})
        .back(1.95);
    all.push_back(act(skeleton, "wave", 2.0, false, wave));

    Score bell(standing_still());
    bell.at(0.05,
            {{right_arm, 1}, {right_bend, 13}, {right_curl, 22}, {hips_up, 0}, {lean, 1.2}, {nod, 0.3}, {right_out, 9}})
        .at(0.5, {{right_arm, 150},
                  {right_bend, 16},
                  {right_curl, 66},
                  {right_out, 4},
                  {hips_up, 0.004},
                  {lean, -4},
                  {nod, -24}})
        .at(0.72, {{right_arm, 96}, {right_bend, 74}, {hips_up, -0.035}, {lean, 6}})
        .at(0.98, {{right_arm, 146}, {right_bend, 20}, {hips_up, 0}, {lean, -3}})
        .at(1.2, {{right_arm, 94}, {right_bend, 76}, {hips_up, -0.04}, {lean, 7}})
        .at(1.48, {{right_arm, 140},
                   {right_bend, 24},
                   {hips_up, 0},
                   {lean, -2},
                   {nod, -18},
                   {right_curl, 60},
                   {right_out, 6}})
        .back(2.1);
    all.push_back(act(skeleton, "ring_bell", 2.15, false, bell));
}

void fidgets(const Skeleton& skeleton, std::vector<Act>& all) {
    // She looks out over the water, a hand above her eyes.
    Score look(standing_still());
    look.at(0.1, {{left_arm, 1},
                  {left_bend, 13},
                  {left_inward, 10},
                  {left_out, 9},
                  {head_turn, 0},
                  {chest_turn, 0},
                  {left_curl, 22},
                  {nod, 0.3}})
        .at(0.8, {{left_arm, 104},
                  {left_bend, 118},
                  {left_inward, 26},
                  {left_out, 22},
                  {left_curl, 6},
                  {head_turn, -18},
                  {chest_turn, -7},
                  {nod, -3}})
        .at(1.7, {{head_turn, 24}, {chest_turn, 9}, {left_arm, 102}})
        .at(2.3, {{head_turn, 20},
                  {chest_turn, 8},
                  {left_arm, 103},
                  {left_bend, 117},
                  {left_inward, 26},
                  {left_out, 22},
                  {left_curl, 6},
                  {nod, -3}})
        .back(3.1);
    all.push_back(act(skeleton, "look_out", 3.2, false, look));
    // She warms her hands with her breath.
    Score warm(standing_still());
    warm.at(0.1, {{left_arm, 1},
                  {right_arm, 1},
                  {left_bend, 13},
                  {right_bend, 13},
                  {left_inward, 10},
                  {right_inward, 10},
                  {nod, 0.3},
                  {lean, 1.2},
                  {left_curl, 22},
                  {right_curl, 22}})
        .at(0.8, {{left_arm, 58},
                  {right_arm, 56},
                  {left_bend, 104},
                  {right_bend, 106},
                  {left_inward, 44},
                  {right_inward, 46},
                  {nod, 16},
                  {lean, 4},
                  {left_curl, 46},
                  {right_curl, 46}})
        .at(1.3, {{nod, 22}, {left_shrug, 7}, {right_shrug, 7}})
        .at(1.8, {{nod, 15}, {left_shrug, 4}, {right_shrug, 4}, {left_arm, 57}, {right_arm, 58}})
        .at(2.3, {{nod, 21},
                  {left_shrug, 7},
                  {right_shrug, 7},
                  {left_arm, 58},
                  {right_arm, 56},
                  {left_bend, 104},
                  {right_bend, 106},
                  {left_inward, 44},
                  {right_inward, 46},
                  {lean, 4},
                  {left_curl, 46},
                  {right_curl, 46}})
        .back(3.2);
    all.push_back(act(skeleton, "warm_hands", 3.3, false, warm));
    // She eases her back after the last ladder.
    Score ease(standing_still());
    ease.at(0.1, {{left_arm, 1},
                  {right_arm, 1},
                  {left_bend, 13},
                  {right_bend, 13},
                  {left_out, 9},
                  {right_out, 9},
                  {lean, 1.2},
                  {nod, 0.3},
                  {hips_ahead, 0},
                  {chest_turn, 0}})
        .at(0.8, {{left_arm, -24},
                  {right_arm, -24},
                  {left_bend, 62},
                  {right_bend, 62},
                  {left_out, 26},
                  {right_out, 26},
                  {lean, -9},
                  {nod, -14},
                  {hips_ahead, 0.03}})
        .at(1.4, {{chest_turn, 9}})
        .at(2.0, {{chest_turn, -9}})
        .at(2.4, {{left_arm, -24},
                  {right_arm, -24},
                  {left_bend, 62},
                  {right_bend, 62},
                  {left_out, 26},
                  {right_out, 26},
                  {lean, -8},
                  {nod, -12},
                  {hips_ahead, 0.028},
                  {chest_turn, 0}})
        .back(3.2);
    all.push_back(act(skeleton, "ease_back", 3.3, false, ease));
}

} // namespace

std::vector<Act> acts(const Skeleton& skeleton) {
    std::vector<Act> all;
    all.push_back(act(skeleton, "turn_left", 1.0, false, quarter_turn(true)));
    all.push_back(act(skeleton, "turn_right", 1.0, false, quarter_turn(false)));
    hop(skeleton, all);
    fidgets(skeleton, all);
    pole(skeleton, all);
    hands(skeleton, all);
    for (const bool left : {true, false}) {
        const double s = left ? 1 : -1;
        all.push_back(
            act(skeleton, left ? "lean_left" : "lean_right", 0.1, false,
                Score(with(standing_still(),
                           {{chest_list, -s * 14}, {hips_list, -s * 4}, {hips_side, s * 0.03}, {chest_turn, s * 6}}))));
    }
    aims(skeleton, all);
    return all;
}

SkeletonPose airborne(const Skeleton& skeleton) { return pose_of(skeleton, airborne()); }

} // namespace lamplighter
