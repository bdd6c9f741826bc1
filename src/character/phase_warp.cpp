#include "character/phase_warp.hpp"

#include <algorithm>
#include <cmath>

namespace gait::detail {

std::optional<PhaseWarp> PhaseWarp::through(KeptList<Footfall> footfalls) {
    std::sort(footfalls.begin(), footfalls.end(), [](const Footfall& a, const Footfall& b) { return a.at < b.at; });
    const auto left = std::find_if(footfalls.begin(), footfalls.end(), [](const Footfall& f) { return f.foot == 0; });
    if (left == footfalls.end() || footfalls.size() % 2 != 0) { return std::nullopt; }
    std::rotate(footfalls.begin(), left, footfalls.end());
    PhaseWarp warp;
    warp.strides_ = int(footfalls.size() / 2);
    warp.cycles_ = 1.0 / warp.strides_;
    KeptList<double> places;
    for (std::size_t i = 0; i <= footfalls.size(); ++i) {
        const Footfall& footfall = footfalls[i % footfalls.size()];
        double at = footfall.at;
        while (!places.empty() && at <= places.back()) { at += 1; }
        if (footfall.foot != i % 2) { return std::nullopt; }
        // Two footfalls nearer than this are not two steps.
        if (i > 0 && at - places.back() < 1e-3) { return std::nullopt; }
        places.push_back(at);
    }
    if (std::fabs(places.back() - places.front() - 1) > 1e-9) { return std::nullopt; }
    // Slopes, of half strides, by Fritsch and Butland (1984): the harmonic mean of those to both sides keeps the curve
    // monotone.
    const std::size_t pieces = places.size() - 1;
    const auto rise = [&](std::size_t i) { return places[i % pieces + 1] - places[i % pieces]; };
    const auto slope = [&](std::size_t i) {
        const double before_it = rise(i + pieces - 1), after_it = rise(i);
        return 2 * before_it * after_it / (before_it + after_it);
    };
    for (std::size_t i = 0; i < pieces; ++i) {
        // Cubic Hermite between footfalls.
        const double from = slope(i), to = slope(i + 1), up = rise(i);
        warp.pieces_.push_back({places[i], from, 3 * up - 2 * from - to, from + to - 2 * up});
    }
    warp.start_ = warp.find_strides(0);
    return warp;
}

std::optional<PhaseWarp> PhaseWarp::of_pieces(int strides, std::span<const std::array<double, 4>> pieces,
                                              KeptMemory* memory) {
    constexpr int most_strides = 10'000;
    const bool counted = strides >= 1 && strides <= most_strides;
    if (!counted || (!pieces.empty() && pieces.size() != 2 * std::size_t(strides))) { return std::nullopt; }
    PhaseWarp warp;
    warp.strides_ = strides;
    warp.cycles_ = 1.0 / strides;
    warp.pieces_ = KeptList<Piece>(memory);
    warp.pieces_.reserve(pieces.size());
    for (std::size_t p = 0; p < pieces.size(); ++p) {
        const Piece piece{pieces[p][0], pieces[p][1], pieces[p][2], pieces[p][3]};
        const double next = p + 1 < pieces.size() ? pieces[p + 1][0] : pieces.front()[0] + 1;
        // It rises all along, from where it begins to where the next one does. NaN does neither.
        constexpr double least_slope = 1e-9, most = 1e3;
        double least = std::min(piece.at(0).slope, piece.at(1).slope);
        const double turns = piece.c3 != 0 ? -piece.c2 / (3 * piece.c3) : 0;
        if (turns > 0 && turns < 1) { least = std::min(least, piece.at(turns).slope); }
        const bool joins = std::fabs(piece.at(1).place - next) < 1e-9, near = std::fabs(piece.place) < most;
        if (!(least > least_slope) || !joins || !near) { return std::nullopt; }
        warp.pieces_.push_back(piece);
    }
    warp.start_ = warp.find_strides(0);
    return warp;
}

KeptList<std::array<double, 4>> PhaseWarp::pieces() const {
    KeptList<std::array<double, 4>> all;
    for (const Piece& piece : pieces_) { all.push_back({piece.place, piece.c1, piece.c2, piece.c3}); }
    return all;
}

double PhaseWarp::shortest_step() const {
    double shortest = even() ? 0.5 : 1;
    for (const Piece& piece : pieces_) { shortest = std::min(shortest, (piece.c1 + piece.c2 + piece.c3) * strides_); }
    return shortest;
}

namespace {

/// The greatest whole number that is not above; quicker than the library's where processors have no instruction for it.
std::int64_t whole_below(double value) {
    const auto whole = std::int64_t(value);
    return double(whole) > value ? whole - 1 : whole;
}

} // namespace

PhaseWarp::Point PhaseWarp::at(double strides) const {
    if (even()) { return {strides}; }
    const auto within = [&](double rounds, std::size_t piece, double part) -> Point {
        const Point point = pieces_[piece].at(part);
        return {rounds + point.place, 2 * point.slope, 4 * point.bend};
    };
    if (strides_ == 1) { // as most often: nothing waits for a division into cycles
        const std::int64_t halves = whole_below(2 * strides);
        return within(double(halves >> 1), std::size_t(halves & 1), 2 * strides - double(halves));
    }
    const auto rounds = double(whole_below(strides * cycles_)), halves = 2 * (strides - rounds * strides_);
    const auto piece = std::size_t(std::clamp(int(halves), 0, int(pieces_.size()) - 1));
    return within(rounds, piece, halves - double(piece));
}

double PhaseWarp::strides_at(double place) const { return place == 0 ? start_ : find_strides(place); }

double PhaseWarp::find_strides(double place) const {
    if (even()) { return place; }
    const auto rounds = double(whole_below(place - pieces_.front().place)), within = place - rounds;
    std::size_t piece = 0;
    while (piece + 1 < pieces_.size() && pieces_[piece + 1].place <= within) { ++piece; }
    const Piece& curve = pieces_[piece];
    const double up = within - curve.place, guess = up / (curve.c1 + curve.c2 + curve.c3);
    const double t = up > 0 ? rise_to(within, 0, 1, guess, [&](double at) { return curve.at(at); }) : 0;
    return rounds * strides_ + (double(piece) + t) / 2;
}

} // namespace gait::detail
