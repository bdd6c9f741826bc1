#include "gait/plain_body.hpp"

#include "gait/space.hpp"

#include <cmath>

namespace gait {
using namespace detail;

Travel PlainBody::move(const Performer& performer, double seconds) const {
    Travel travel = performer.travel();
    const double rest = (1 - double(travel.share)) * seconds;
    // A speed and a heading that steer a blend space are smoothed together, whether it plays just now or not.
    const auto steered = steered_velocity(performer, speed, heading);
    const double ground_speed = speed ? double(performer.smoothed(speed)) : 0;
    const double radians = heading ? double(performer.smoothed(heading)) / degrees_per_radian : 0;
    const Vec3 velocity = steered.value_or(
        Vec3{float(-sine_cosine(radians).sine * ground_speed), 0, float(sine_cosine(radians).cosine * ground_speed)});
    travel.move = travel.move + velocity * float(rest);
    if (turn) { travel.turn += float(double(performer.smoothed(turn)) * turn_rate * rest); }
    return travel;
}

} // namespace gait
