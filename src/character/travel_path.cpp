#include "character/travel_path.hpp"

#include <algorithm>

namespace gait::detail {

namespace {

/// The cubic from `b` to `c` whose slopes are those of their neighbours' chords (Catmull and Rom 1974), so that the
/// speed is continuous from one to the next.
double between(double a, double b, double c, double d, double t) {
    const double start = (c - a) / 2, end = (d - b) / 2;
    return b + t * (start + t * (3 * (c - b) - 2 * start - end + t * (2 * (b - c) + start + end)));
}

} // namespace

BodyStep place_at(std::span<const BodyStep> path, double position) {
    const double place = std::clamp(position, 0.0, 1.0) * double(path.size() - 1);
    const std::size_t first = std::min(std::size_t(place), path.size() - 2);
    const BodyStep &b = path[first], &c = path[first + 1];
    // Beyond an end it goes on as it went.
    const auto beyond = [](const BodyStep& end, const BodyStep& before) {
        return BodyStep{2 * end.x - before.x, 2 * end.y - before.y, 2 * end.z - before.z, 2 * end.yaw - before.yaw};
    };
    const BodyStep a = first > 0 ? path[first - 1] : beyond(b, c),
                   d = first + 2 < path.size() ? path[first + 2] : beyond(c, b);
    const double t = place - double(first);
    return {between(a.x, b.x, c.x, d.x, t), between(a.y, b.y, c.y, d.y, t), between(a.z, b.z, c.z, d.z, t),
            between(a.yaw, b.yaw, c.yaw, d.yaw, t)};
}

BodyStep travel_between(const TravelPath& travel, double from, double to) {
    if (travel.path.empty()) { return scaled(travel.cycle, to - from); }
    const BodyStep begin = place_at(travel.path, from);
    if (to >= 0 && to <= 1) [[likely]] { return logarithm(step_between(begin, place_at(travel.path, to))); }
    BodyStep way = inverse(begin);
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
