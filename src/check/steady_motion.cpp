#include "gait/steady_motion.hpp"

#include "clip/measure_poses.hpp"
#include "gait/character.hpp"
#include "gait/ground_place.hpp"
#include "gait/math.hpp"
#include "gait/measure.hpp"
#include "gait/performer.hpp"

#include <algorithm>
#include <cmath>

namespace gait {
using namespace detail;
namespace {

/// Where the heaviest looping clip is, in cycles counted on.
struct Rounds {
    std::uint16_t clip = 0;
    double cycles = 0;
};

std::optional<Rounds> heaviest(const Performer& performer) {
    std::vector<ClipView> clips(performer.character().clips().size() * 2 + 8);
    const std::size_t count = performer.instance_clips(performer.instance_count() - 1, clips);
    const ClipView* best = nullptr;
    for (std::size_t c = 0; c < count; ++c) {
        if (best == nullptr || clips[c].weight > best->weight) { best = &clips[c]; }
    }
    if (best == nullptr) { return std::nullopt; }
    return Rounds{best->clip, double(std::int32_t(best->loops)) + best->phase};
}

/// Seconds of one cycle; 0 when nothing comes round.
double cycle_of(Performer performer) {
    constexpr double step = 1.0 / 2000, longest = 20; // seconds
    const auto start = heaviest(performer);
    if (!start) { return 0; }
    double before = start->cycles;
    for (int i = 1; i * step < longest; ++i) {
        performer.advance(step);
        const auto now = heaviest(performer);
        if (!now || now->clip != start->clip) { return 0; }
        if (std::fabs(now->cycles - start->cycles) >= 1) {
            const double over = std::fabs(now->cycles - start->cycles) - 1;
            return i * step - step * over / std::max(1e-12, std::fabs(now->cycles - before));
        }
        before = now->cycles;
    }
    return 0;
}

} // namespace

SteadyMotion measure_steady(const Character& character, const std::vector<std::pair<std::string, double>>& values,
                            AskedMotion asked) {
    SteadyMotion steady;
    // The character is somebody else's, and outlives this.
    Performer performer(std::shared_ptr<const Character>(std::shared_ptr<const Character>(), &character));
    for (const auto& [name, value] : values) { performer.set(name, value); }
    constexpr double settled = 10; // seconds, by which any smoothing is over
    for (int step = 0; step < 100; ++step) { performer.advance(settled / 100); }
    const double cycle = cycle_of(performer);
    if (!(cycle > 0)) { return steady; }
    constexpr double rate = 240; // samples a second
    const int samples = std::max(8, int(std::lround(cycle * rate)));
    const Rig& rig = character.rig();
    PoseTrack in_place, moved;
    std::vector<Transform> pose(rig.joints.size());
    GroundPlace travelled;
    const double radians = asked.direction / degrees_per_radian;
    for (int i = 0; i <= samples; ++i) {
        const double time = cycle * i / samples;
        if (i > 0) {
            performer.advance(cycle / samples);
            travelled.add(performer.travel());
        }
        performer.pose(pose);
        const Vec3 way{float(-std::sin(radians) * asked.speed * time), 0,
                       float(std::cos(radians) * asked.speed * time)};
        for (PoseTrack* track : {&in_place, &moved}) {
            track->times.push_back(time);
            track->poses.push_back(pose);
        }
        for (std::size_t j = 0; j < pose.size(); ++j) {
            Transform& joint = moved.poses.back()[j];
            if (rig.joints[j].parent < 0) { joint.translation = joint.translation + way; }
        }
    }
    const ClipMeasure own = measure_poses(with_unit_rotations(std::move(in_place)), rig);
    steady.speed = own.speed;
    steady.direction = own.direction;
    steady.cycle = cycle;
    steady.steps_a_minute = own.steps_a_minute;
    for (const FootMeasure& foot : measure_poses(with_unit_rotations(std::move(moved)), rig).feet) {
        steady.slide = std::max(steady.slide, foot.slide);
    }
    const double way = std::hypot(travelled.x, travelled.z);
    steady.travels = way > 1e-6;
    steady.travel_speed = way / cycle;
    if (steady.travels) { steady.travel_direction = -std::atan2(travelled.x, travelled.z) * degrees_per_radian; }
    return steady;
}

} // namespace gait
