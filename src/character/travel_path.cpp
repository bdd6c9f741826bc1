#include "character/travel_path.hpp"

#include <algorithm>

namespace gait::detail {

BodyStep place_at(const std::vector<BodyStep>& path, double position) {
    const double place = std::clamp(position, 0.0, 1.0) * double(path.size() - 1);
    const std::size_t first = std::min(std::size_t(place), path.size() - 2);
    const double t = place - double(first);
    const BodyStep &a = path[first], &b = path[first + 1];
    return {a.x + (b.x - a.x) * t, a.y + (b.y - a.y) * t, a.z + (b.z - a.z) * t, a.yaw + (b.yaw - a.yaw) * t};
}

BodyStep travel_between(const TravelPath& travel, double from, double to) {
    if (travel.path.empty()) { return scaled(travel.cycle, to - from); }
    BodyStep way = inverse(place_at(travel.path, from));
    while (to < 0) { // played backward
        way = way * inverse(travel.path.back());
        to += 1;
    }
    while (to > 1) { // it begins again where it ended
        way = way * travel.path.back();
        to -= 1;
    }
    return logarithm(way * place_at(travel.path, to));
}

} // namespace gait::detail
