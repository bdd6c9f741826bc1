#include "gait/plain_body.hpp"

#include "gait/space.hpp"

#include <cmath>

namespace gait {

Travel PlainBody::move(const Performer& performer, double seconds) const {
    Travel travel = performer.travel();
    const double rest = (1 - double(travel.share)) * seconds;
    double ground_speed = speed ? double(performer.smoothed(speed)) : 0;
    double toward = heading ? double(performer.smoothed(heading)) : 0;
    // A speed and a heading that steer one blend space are smoothed together there.
    if (const auto cursor = blend_cursor(performer); cursor && cursor->velocity) {
        ground_speed = cursor->speed;
        toward = cursor->heading;
    }
    const double radians = toward / degrees_per_radian;
    travel.move = travel.move + Vec3{float(-std::sin(radians) * ground_speed * rest), 0,
                                     float(std::cos(radians) * ground_speed * rest)};
    if (turn) { travel.turn += float(double(performer.smoothed(turn)) * turn_rate * rest); }
    return travel;
}

} // namespace gait
