#include "gait/begin.hpp"

#include "begin/first_text.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <set>

namespace gait {
using namespace detail;
namespace {

/// A name that the document can use, and no other clip has.
std::string free_name(const std::string& name, std::set<std::string>& taken) {
    std::string clean;
    for (const char c : name) {
        const bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || (c >= '0' && c <= '9');
        clean += letter ? char(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c) : '_';
    }
    if (clean.empty() || (clean[0] >= '0' && clean[0] <= '9')) { clean.insert(0, "clip_"); }
    std::string free = clean;
    for (int n = 2; !taken.insert(free).second; ++n) { free = fmt::format("{}_{}", clean, n); }
    return free;
}

ClipEvidence numbers_of(const Placed& clip, const Cast& cast, const BodyPlan& plan) {
    const Evidence& seen = clip.seen;
    ClipEvidence numbers;
    numbers.seconds = seen.seconds;
    numbers.loops = seen.measure.loops;
    numbers.speed = seen.measure.speed;
    numbers.direction = seen.measure.direction;
    numbers.turns = clip.role == ClipRole::turn ? clip.turns : seen.measure.way.heading;
    numbers.feet_down = seen.feet_down();
    numbers.lowest_first = seen.lowest.front();
    numbers.lowest_last = seen.lowest.back();
    numbers.lowest_least = *std::min_element(seen.lowest.begin(), seen.lowest.end());
    numbers.hips = seen.mean_hips() / plan.hip_height;
    numbers.hands_speed = seen.hands_speed;
    if (const Placed* standing = cast.standing()) {
        const Places& pose = standing->seen.first();
        numbers.legs_first = apart(seen.first(), pose, plan.in_legs, plan);
        numbers.legs_last = apart(seen.last(), pose, plan.in_legs, plan);
        numbers.upper_first = apart(seen.first(), pose, plan.in_upper, plan);
        numbers.upper_last = apart(seen.last(), pose, plan.in_upper, plan);
        numbers.legs_most = clip.legs_most;
        numbers.upper_most = clip.upper_most;
    }
    return numbers;
}

} // namespace

std::string_view name_of(ClipRole role) {
    switch (role) {
    case ClipRole::stand:
        return "stands";
    case ClipRole::gait:
        return "gait";
    case ClipRole::same_gait:
        return "same gait";
    case ClipRole::low_stand:
        return "low stand";
    case ClipRole::low_gait:
        return "low gait";
    case ClipRole::turn:
        return "turn";
    case ClipRole::start:
        return "start";
    case ClipRole::stop:
        return "stop";
    case ClipRole::take_off:
        return "take-off";
    case ClipRole::leap:
        return "leap";
    case ClipRole::air:
        return "air";
    case ClipRole::landing:
        return "landing";
    case ClipRole::jump:
        return "jump";
    case ClipRole::fidget:
        return "fidget";
    case ClipRole::gesture:
        return "gesture";
    case ClipRole::act:
        return "act";
    case ClipRole::raise:
        return "raise";
    case ClipRole::hold:
        return "hold";
    case ClipRole::lower:
        return "lower";
    case ClipRole::pose:
        return "pose";
    case ClipRole::not_placed:
        break;
    }
    return "not placed";
}

Beginning begin_document(const Rig& rig, const std::string& rig_file, const std::vector<BeginningClip>& clips,
                         const std::string& fits) {
    const BodyPlan plan(rig);
    std::set<std::string> names;
    std::vector<Evidence> seen;
    for (const BeginningClip& clip : clips) {
        seen.push_back(look_at(clip, free_name(clip.found_as.empty() ? clip.name : clip.found_as, names), rig, plan));
    }
    Cast cast = place_clips(std::move(seen), rig, plan);
    Beginning result;
    result.text = first_text(cast, rig, plan, rig_file, fits);
    for (const Placed& clip : cast.clips) {
        result.clips.push_back(
            {clip.seen.name, clip.role, clip.reason, clip.unsure, clip.state, numbers_of(clip, cast, plan)});
    }
    return result;
}

} // namespace gait
