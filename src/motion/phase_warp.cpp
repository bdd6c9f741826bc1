#include "motion/phase_warp.hpp"

#include <algorithm>
#include <cmath>

namespace gait {

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

PhaseWarp::Piece PhaseWarp::piece_at(double strides) const {
    const double rounds = std::floor(strides / strides_);
    const double within = strides - rounds * strides_;
    const std::size_t piece = std::min(knots_.size() - 2, std::size_t(std::max(0.0, within * 2)));
    return {knots_[piece], knots_[piece + 1], rounds};
}

double PhaseWarp::place(double strides) const {
    if (even()) { return strides; }
    const auto [from, to, rounds] = piece_at(strides);
    const double width = to.strides - from.strides;
    const double t = (strides - rounds * strides_ - from.strides) / width;
    const double tt = t * t, ttt = tt * t;
    return rounds + (2 * ttt - 3 * tt + 1) * from.place + (ttt - 2 * tt + t) * width * from.slope +
           (3 * tt - 2 * ttt) * to.place + (ttt - tt) * width * to.slope;
}

double PhaseWarp::slope(double strides) const {
    if (even()) { return 1; }
    const auto [from, to, rounds] = piece_at(strides);
    const double width = to.strides - from.strides;
    const double t = (strides - rounds * strides_ - from.strides) / width;
    return 6 * (t - t * t) * (to.place - from.place) / width + (3 * t * t - 4 * t + 1) * from.slope +
           (3 * t * t - 2 * t) * to.slope;
}

double PhaseWarp::strides_at(double place) const {
    if (even()) { return place; }
    const double rounds = std::floor(place - knots_.front().place);
    double low = rounds * strides_, high = low + strides_;
    for (int halving = 0; halving < 60 && high - low > 1e-14; ++halving) {
        const double middle = (low + high) / 2;
        (this->place(middle) <= place ? low : high) = middle;
    }
    return (low + high) / 2;
}

} // namespace gait
