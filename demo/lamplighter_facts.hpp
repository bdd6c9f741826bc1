/// What the program that makes the lamplighter knows about her gaits, for tests to hold measurements against.
#pragma once

#include <array>
#include <string_view>

namespace lamplighter {

inline constexpr double pi = 3.14159265358979323846;

/// Lengths of her legs and feet, metres.
inline constexpr double thigh = 0.42, shin = 0.415;
inline constexpr double ankle_height = 0.085, heel_behind_ankle = 0.05, ball_before_ankle = 0.135, ball_height = 0.022;

/// One way of going. Phases count from the left foot's strike; the right foot does the same half a cycle later.
struct Gait {
    std::string_view name;
    double seconds;    ///< a cycle: one step of each foot
    double speed;      ///< over the ground, m/s
    double duty;       ///< the part of the cycle that a foot is down
    double strike;     ///< degrees the toes are up as the heel comes down
    double toe_off;    ///< degrees the heel is up as the toes leave
    double heel_up;    ///< the part of the stance after which the heel rises
    double lift;       ///< metres the ankle is carried over the straight way in the swing
    double drawn_back; ///< how nearly the foot has the ground's speed as it comes down, 0 to 1
    double step_width; ///< metres between the feet
    double ahead;      ///< the part of the foot's way that lies before the hip
    double bob, sway;  ///< metres the pelvis rises and falls, and goes from side to side
    double pelvis_turn, pelvis_list, chest_turn; ///< degrees to either side
    double lean;                                 ///< degrees the trunk leans forward
    double arm_swing, arm_rest;                  ///< degrees about the shoulder: to either side, and on average
    double elbow, elbow_swing;                   ///< degrees of bend: on average, and to either side
    double arm_inward;                           ///< degrees the forearms turn across the body
    double curl;                                 ///< degrees each finger joint is bent
    double lowest;                               ///< where in the cycle the pelvis is lowest

    [[nodiscard]] constexpr double stride() const { return speed * seconds; }
};

inline constexpr std::array<Gait, 3> gaits{{
    {"stroll", 60.0 / 60, 1.4, 0.61, 20,  60, 0.46, 0.065, 1, 0.13, 0.46, 0.019,
     0.020,    5,         3.5, 6,    2.5, 19, -2,   17,    8, 6,    22,   0.05},
    {"trot", 44.0 / 60, 2.6, 0.40, 8, 62, 0.36, 0.15, 0.65, 0.10, 0.42, 0.032,
     0.010,  6,         3,   8,    7, 25, 2,    78,   9,    20,   45,   0.19},
    {"run", 40.0 / 60, 4.2, 0.30, 4,  64, 0.28, 0.26, 0.55, 0.07, 0.40, 0.040,
     0.007, 9,         3.5, 11,   11, 38, 2,    92,   13,   26,   52,   0.14},
}};

/// A crouched walk under an awning.
inline constexpr Gait crouch{"crouch", 1.1, 0.9, 0.64, 8,  34, 0.5, 0.06, 1, 0.17, 0.46, 0.012,
                             0.022,    4,   2,   5,    30, 10, 12,  45,   6, 14,   30,   0.05};
inline constexpr double crouch_depth = 0.22; ///< metres the hips are lower than in a walk

/// The directions she strolls and trots in, in degrees to the right.
struct Direction {
    double toward;
    std::string_view suffix; ///< of the clip's name
};
inline constexpr std::array<Direction, 8> directions{{{0, ""},
                                                      {45, "_ahead_right"},
                                                      {90, "_right"},
                                                      {135, "_back_right"},
                                                      {180, "_back"},
                                                      {-135, "_back_left"},
                                                      {-90, "_left"},
                                                      {-45, "_ahead_left"}}};

/// Seconds of a leap: from the foot's coming down to its leaving the ground, and from there to hanging in the air.
[[nodiscard]] constexpr double leap_off(const Gait& gait) { return 0.75 * gait.duty * gait.seconds; }
inline constexpr double leap_rises = 0.25;

/// Seconds of the clip in which she stands.
inline constexpr double stand_seconds = 6;

} // namespace lamplighter
