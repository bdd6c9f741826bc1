/// \file
/// What a clip really does: how fast and where it goes, its steps, and whether its feet hold the ground.
#pragma once

#include "gait/api.hpp"
#include "gait/clip.hpp"
#include "gait/ground_place.hpp"
#include "gait/rig.hpp"

#include <string>
#include <vector>

namespace gait {

/// One stretch of time in which a foot is down.
struct Contact {
    double strike = 0;   ///< seconds; when the foot comes down
    double lift_off = 0; ///< seconds; when it leaves; before `strike` where a loop's contact lasts over its end
    double slide = 0;    ///< metres the foot moves over the ground while it is down
};

/// One foot's part in a clip.
struct FootMeasure {
    std::string side;  ///< `left` or `right`
    std::string joint; ///< the ankle
    std::vector<Contact> contacts;
    double down = 0;   ///< the part of the clip that it is down, 0 to 1
    double height = 0; ///< metres its sole is above the ground while it is down; below it when negative
    double slide = 0;  ///< metres, the worst of its contacts
    std::vector<double>
        heights;                ///< metres of the lower of heel and ball above the rest pose's ground, at even instants
    std::vector<double> speeds; ///< metres a second of that point over the ground, at the same instants
};

/// A clip in numbers.
struct ClipMeasure {
    bool travels = false; ///< the body moves or turns by it, as against a clip in place
    GroundPlace way;      ///< from its start to its end, when it travels
    bool loops = false;   ///< its last frame meets its first, but for the way; or is followed by it, as below
    double left_out =
        0;            ///< seconds of a closing frame that the clip lacks: all of this is measured as if it were there
    LoopGap gap;      ///< how far they are apart, the way taken out; without the closing frame
    double speed = 0; ///< metres a second over the ground
    double direction = 0; ///< degrees from ahead, positive to the right; 0 for a clip that goes nowhere
    double steps_a_minute = 0;
    double stride = 0; ///< metres from a foot's strike to its next
    std::vector<FootMeasure> feet;
};

/// Measures `clip` on `rig` (joints matched by name). The speed is the way over the seconds; for a clip in place it is
/// the speed at which the feet that are down go backward under the body. A foot is down while the lower of its heel and
/// its ball is near the ground and moves with it. Feet are found by name, or by shape where names do not tell; `feet`
/// names their ankles instead, left before right. Sampled 240 times a second.
[[nodiscard]] GAIT_API ClipMeasure measure_clip(const ClipSource& clip, const Rig& rig,
                                                const std::vector<std::string>& feet = {});

} // namespace gait
