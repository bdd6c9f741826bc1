#include "character/phase_warp.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {

std::optional<PhaseWarp> PhaseWarp::through(std::vector<Footfall> footfalls) {
    std::sort(footfalls.begin(), footfalls.end(), [](const Footfall& a, const Footfall& b) { return a.at < b.at; });
    const auto left = std::find_if(footfalls.begin(), footfalls.end(), [](const Footfall& f) { return f.foot == 0; });
    if (left == footfalls.end() || footfalls.size() % 2 != 0) { return std::nullopt; }
    std::rotate(footfalls.begin(), left, footfalls.end());
    PhaseWarp warp;
    warp.strides_ = int(footfalls.size() / 2);
    double before = -1;
    for (std::size_t i = 0; i <= footfalls.size(); ++i) {
        const Footfall& footfall = footfalls[i % footfalls.size()];
        double at = footfall.at;
        while (at <= before) { at += 1; }
        if (footfall.foot != i % 2) { return std::nullopt; }
        // Two footfalls nearer than this are not two steps.
        if (i > 0 && at - before < 1e-3) { return std::nullopt; }
        warp.knots_.push_back({double(i) / 2, at, 0});
        before = at;
    }
    if (std::fabs(warp.knots_.back().place - warp.knots_.front().place - 1) > 1e-9) { return std::nullopt; }
    // Slopes by Fritsch and Butland (1984): the harmonic mean of those to both sides keeps the curve monotone.
    const auto rise = [&](std::size_t i) {
        return (warp.knots_[i + 1].place - warp.knots_[i].place) /
               (warp.knots_[i + 1].strides - warp.knots_[i].strides);
    };
    const std::size_t pieces = warp.knots_.size() - 1;
    for (std::size_t i = 0; i <= pieces; ++i) {
        const double before_it = rise((i + pieces - 1) % pieces), after_it = rise(i % pieces);
        warp.knots_[i].slope = 2 * before_it * after_it / (before_it + after_it);
    }
    return warp;
}

double PhaseWarp::shortest_step() const {
    double shortest = even() ? 0.5 : 1;
    for (std::size_t i = 1; i < knots_.size(); ++i) {
        shortest = std::min(shortest, (knots_[i].place - knots_[i - 1].place) * strides_);
    }
    return shortest;
}

PhaseWarp::Point PhaseWarp::at(double strides) const {
    if (even()) { return {strides, 1}; }
    const double rounds = std::floor(strides / strides_), within = strides - rounds * strides_;
    const std::size_t piece = std::min(knots_.size() - 2, std::size_t(std::max(0.0, within * 2)));
    const Knot &from = knots_[piece], &to = knots_[piece + 1];
    // Cubic Hermite between footfalls, which are half a stride apart.
    constexpr double width = 0.5;
    const double t = (within - from.strides) / width, tt = t * t, ttt = tt * t;
    return {rounds + from.place + (3 * tt - 2 * ttt) * (to.place - from.place) +
                width * ((ttt - 2 * tt + t) * from.slope + (ttt - tt) * to.slope),
            6 * (t - tt) * (to.place - from.place) / width + (3 * tt - 4 * t + 1) * from.slope +
                (3 * tt - 2 * t) * to.slope};
}

double PhaseWarp::strides_at(double place) const {
    if (even()) { return place; }
    const double rounds = std::floor(place - knots_.front().place);
    const double low = rounds * strides_, high = low + strides_;
    return rise_to(place, low, high, low + (place - knots_.front().place - rounds) * strides_,
                   [this](double strides) { return at(strides); });
}

} // namespace gait::detail
