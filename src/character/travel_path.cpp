#include "character/travel_path.hpp"

#include <algorithm>

namespace gait::detail {

namespace {

/// The cubic from `b` to `c` whose slopes are those of their neighbours' chords (Catmull and Rom 1974), so that the
/// speed is continuous from one to the next.
double cubic(double a, double b, double c, double d, double t) {
    const double start = (c - a) / 2, end = (d - b) / 2;
    return b + t * (start + t * (3 * (c - b) - 2 * start - end + t * (2 * (b - c) + start + end)));
}
/// Its slope.
double slope_of_cubic(double a, double b, double c, double d, double t) {
    const double start = (c - a) / 2, end = (d - b) / 2;
    return start + t * (2 * (3 * (c - b) - 2 * start - end) + t * 3 * (2 * (b - c) + start + end));
}

/// `visit` with the four places of a path around `position`, and how far it is from the second to the third.
template <typename Visit> BodyStep around(std::span<const BodyStep> path, double position, Visit visit) {
    const double place = std::clamp(position, 0.0, 1.0) * double(path.size() - 1);
    const std::size_t first = std::min(std::size_t(place), path.size() - 2);
    const BodyStep &b = path[first], &c = path[first + 1];
    // Beyond an end it goes on as it went.
    const auto beyond = [](const BodyStep& end, const BodyStep& before) {
        return BodyStep{2 * end.x - before.x, 2 * end.y - before.y, 2 * end.z - before.z, 2 * end.yaw - before.yaw};
    };
    const BodyStep a = first > 0 ? path[first - 1] : beyond(b, c),
                   d = first + 2 < path.size() ? path[first + 2] : beyond(c, b);
    return visit(a, b, c, d, place - double(first));
}

} // namespace

BodyStep place_at(std::span<const BodyStep> path, double position) {
    return around(path, position, [](BodyStep a, BodyStep b, BodyStep c, BodyStep d, double t) -> BodyStep {
        return {cubic(a.x, b.x, c.x, d.x, t), cubic(a.y, b.y, c.y, d.y, t), cubic(a.z, b.z, c.z, d.z, t),
                cubic(a.yaw, b.yaw, c.yaw, d.yaw, t)};
    });
}

BodyStep travel_speed(const TravelPath& travel, double position) {
    if (travel.path.empty()) { return travel.cycle; }
    const BodyStep slope = around(travel.path, position, [](auto a, auto b, auto c, auto d, double t) {
        const BodyStep way{slope_of_cubic(a.x, b.x, c.x, d.x, t), slope_of_cubic(a.y, b.y, c.y, d.y, t),
                           slope_of_cubic(a.z, b.z, c.z, d.z, t), slope_of_cubic(a.yaw, b.yaw, c.yaw, d.yaw, t)};
        return turned(way, -cubic(a.yaw, b.yaw, c.yaw, d.yaw, t));
    });
    return scaled(slope, double(travel.path.size() - 1));
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
