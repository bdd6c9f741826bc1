#include "motion/blend_plane.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <set>

namespace gait {
namespace {

PlanePoint operator-(PlanePoint a, PlanePoint b) { return {a.x - b.x, a.y - b.y}; }
double dot(PlanePoint a, PlanePoint b) { return a.x * b.x + a.y * b.y; }
double cross(PlanePoint a, PlanePoint b) { return a.x * b.y - a.y * b.x; }
/// Twice the area of a triangle; positive counterclockwise.
double area(PlanePoint a, PlanePoint b, PlanePoint c) { return cross(b - a, c - a); }

/// Twice the area of a polygon.
double area_of(const std::vector<PlanePoint>& sites, const Cell& cell) {
    double sum = 0;
    for (std::size_t i = 1; i + 1 < cell.size(); ++i) {
        sum += area(sites[cell[0]], sites[cell[i]], sites[cell[i + 1]]);
    }
    return sum;
}

/// The corners of the hull, counterclockwise (Andrew's monotone chain); fewer than three when all lie in a line.
Cell hull_of(const std::vector<PlanePoint>& sites) {
    std::vector<std::uint16_t> order(sites.size());
    std::iota(order.begin(), order.end(), std::uint16_t{0});
    std::sort(order.begin(), order.end(), [&](std::uint16_t a, std::uint16_t b) {
        return std::pair(sites[a].x, sites[a].y) < std::pair(sites[b].x, sites[b].y);
    });
    Cell hull;
    const auto chain = [&](auto first, auto last) {
        const std::size_t start = hull.size();
        for (auto i = first; i != last; ++i) {
            while (hull.size() >= start + 2 &&
                   area(sites[hull[hull.size() - 2]], sites[hull.back()], sites[*i]) <= 1e-12) {
                hull.pop_back();
            }
            hull.push_back(*i);
        }
        hull.pop_back();
    };
    chain(order.begin(), order.end());
    chain(order.rbegin(), order.rend());
    return hull;
}

/// The greatest extent of the sites.
double extent_of(const std::vector<PlanePoint>& sites) {
    double extent = 0;
    for (const PlanePoint& a : sites) {
        extent = std::max({extent, std::fabs(a.x - sites[0].x), std::fabs(a.y - sites[0].y)});
    }
    return extent;
}

/// Corners by their angle about their middle, the lowest index first.
void put_in_order(const std::vector<PlanePoint>& sites, Cell& cell) {
    PlanePoint middle;
    for (const std::uint16_t corner : cell) {
        middle = {middle.x + sites[corner].x / double(cell.size()), middle.y + sites[corner].y / double(cell.size())};
    }
    const auto angle = [&](std::uint16_t c) { return std::atan2(sites[c].y - middle.y, sites[c].x - middle.x); };
    std::sort(cell.begin(), cell.end(), [&](std::uint16_t a, std::uint16_t b) { return angle(a) < angle(b); });
    std::rotate(cell.begin(), std::min_element(cell.begin(), cell.end()), cell.end());
}

/// All sites on empty circles through three of them; `tolerance` is relative to the circle's radius.
std::vector<Cell> cells_within(const std::vector<PlanePoint>& sites, double tolerance) {
    std::set<Cell> cells;
    const double least = 1e-9 * extent_of(sites) * extent_of(sites);
    for (std::size_t a = 0; a < sites.size(); ++a) {
        for (std::size_t b = a + 1; b < sites.size(); ++b) {
            for (std::size_t c = b + 1; c < sites.size(); ++c) {
                const PlanePoint u = sites[b] - sites[a], v = sites[c] - sites[a];
                const double doubled = 2 * cross(u, v);
                if (std::fabs(doubled) < least) { continue; }
                const PlanePoint away{(v.y * dot(u, u) - u.y * dot(v, v)) / doubled,
                                      (u.x * dot(v, v) - v.x * dot(u, u)) / doubled};
                const PlanePoint centre{sites[a].x + away.x, sites[a].y + away.y};
                const double radius = std::sqrt(dot(away, away));
                Cell on;
                bool empty = true;
                for (std::size_t s = 0; empty && s < sites.size(); ++s) {
                    const double off = std::sqrt(dot(sites[s] - centre, sites[s] - centre)) - radius;
                    empty = off > -tolerance * radius;
                    if (std::fabs(off) <= tolerance * radius) { on.push_back(std::uint16_t(s)); }
                }
                if (!empty || on.size() < 3) { continue; }
                put_in_order(sites, on);
                cells.insert(on);
            }
        }
    }
    return {cells.begin(), cells.end()};
}

double area_of_all(const std::vector<PlanePoint>& sites, const std::vector<Cell>& cells) {
    return std::accumulate(cells.begin(), cells.end(), 0.0,
                           [&](double sum, const Cell& cell) { return sum + area_of(sites, cell); });
}

/// Where on the segment the nearest place to `at` is, 0 to 1.
double along_segment(PlanePoint from, PlanePoint to, PlanePoint at) {
    const PlanePoint way = to - from;
    const double squared = dot(way, way);
    return squared > 0 ? std::clamp(dot(at - from, way) / squared, 0.0, 1.0) : 0;
}

PlanePoint between(PlanePoint from, PlanePoint to, double along) {
    return {from.x + along * (to.x - from.x), from.y + along * (to.y - from.y)};
}

} // namespace

std::vector<Cell> BlendPlane::tessellate(const std::vector<PlanePoint>& sites) {
    const double whole = area_of(sites, hull_of(sites));
    std::vector<Cell> cells;
    // Sites that are measured, or written in degrees, share a circle only nearly. Too wide a tolerance makes cells
    // overlap, which the areas tell.
    for (const double tolerance : {1e-6, 1e-9, 1e-12}) {
        cells = cells_within(sites, tolerance);
        if (std::fabs(area_of_all(sites, cells) - whole) <= 1e-6 * whole) { break; }
    }
    return cells;
}

std::optional<std::string> BlendPlane::faults_of(const std::vector<PlanePoint>& sites, std::vector<Cell>& cells) {
    const double whole = area_of(sites, hull_of(sites));
    std::set<std::array<std::uint16_t, 2>> sides;
    for (Cell& cell : cells) {
        if (cell.size() < 3) { return "one has fewer than three corners"; }
        put_in_order(sites, cell);
        for (std::size_t i = 0; i < cell.size(); ++i) {
            const std::uint16_t from = cell[i], to = cell[(i + 1) % cell.size()];
            if (area(sites[from], sites[to], sites[cell[(i + 2) % cell.size()]]) <= 1e-9 * whole) {
                return "the corners of one lie in a line, or it is not convex";
            }
            if (!sides.insert({from, to}).second) { return "two of them lie over each other"; }
        }
    }
    const double covered = area_of_all(sites, cells);
    if (covered > whole * (1 + 1e-6)) { return "some of them lie over each other"; }
    if (covered < whole * (1 - 1e-6)) { return "they leave a part of the space between the points open"; }
    for (std::size_t s = 0; s < sites.size(); ++s) {
        const bool used = std::any_of(cells.begin(), cells.end(), [&](const Cell& cell) {
            return std::find(cell.begin(), cell.end(), std::uint16_t(s)) != cell.end();
        });
        if (!used) { return "point " + std::to_string(s + 1) + " is in none of them"; }
    }
    return std::nullopt;
}

BlendPlane::BlendPlane(std::vector<PlanePoint> sites, std::vector<Cell> cells, Weighing weighing,
                       std::vector<Stretch> stretches)
    : sites_(std::move(sites)), cells_(std::move(cells)), stretches_(std::move(stretches)), weighing_(weighing) {
    std::map<std::array<std::uint16_t, 2>, int> sides;
    for (const Cell& cell : cells_) {
        for (std::size_t i = 0; i < cell.size(); ++i) { ++sides[{cell[i], cell[(i + 1) % cell.size()]}]; }
    }
    for (const auto& [side, count] : sides) {
        if (!sides.contains({side[1], side[0]})) { rim_.push_back(side); }
    }
    if (cells_.empty() && sites_.size() > 1) {
        // All in a line: its pieces, in order.
        std::vector<std::uint16_t> order(sites_.size());
        std::iota(order.begin(), order.end(), std::uint16_t{0});
        std::sort(order.begin(), order.end(), [&](std::uint16_t a, std::uint16_t b) {
            return std::pair(sites_[a].x, sites_[a].y) < std::pair(sites_[b].x, sites_[b].y);
        });
        for (std::size_t i = 0; i + 1 < order.size(); ++i) { rim_.push_back({order[i], order[i + 1]}); }
    }
    index_cells();
}

namespace {

/// All places between two corners.
struct Box {
    PlanePoint low, high;
};

} // namespace

void BlendPlane::index_cells() {
    if (sites_.empty()) { return; }
    const auto box_of = [&](const auto& indices) {
        Box box{sites_[indices.front()], sites_[indices.front()]};
        for (const std::size_t index : indices) {
            const PlanePoint& site = sites_[index];
            box = {{std::min(box.low.x, site.x), std::min(box.low.y, site.y)},
                   {std::max(box.high.x, site.x), std::max(box.high.y, site.y)}};
        }
        return box;
    };
    std::vector<std::size_t> all(sites_.size());
    std::iota(all.begin(), all.end(), std::size_t{0});
    const Box whole = box_of(all);
    low_ = whole.low;
    high_ = whole.high;
    if (cells_.empty()) { return; }
    const PlanePoint size = high_ - low_;
    squares_ = {grid / size.x, grid / size.y};
    std::vector<Box> boxes;
    for (const Cell& cell : cells_) { boxes.push_back(box_of(cell)); }
    SideAreas areas;                  // NOLINT: of no use here
    constexpr double rounding = 1e-9; // of a square: more than a place is taken for the next one's
    for (int row = 0; row < grid; ++row) {
        for (int column = 0; column < grid; ++column) {
            const auto place = [&](double across, double up) {
                return PlanePoint{low_.x + (column + across) / grid * size.x, low_.y + (row + up) / grid * size.y};
            };
            const PlanePoint middle = place(0.5, 0.5), low = place(-rounding, -rounding),
                             high = place(1 + rounding, 1 + rounding);
            const auto first = std::find_if(cells_.begin(), cells_.end(),
                                            [&](const Cell& cell) { return inside(cell, middle, areas); });
            first_in_square_.push_back(std::uint32_t(in_square_.size()));
            if (first != cells_.end()) { in_square_.push_back(std::uint16_t(first - cells_.begin())); }
            for (std::size_t c = 0; c < cells_.size(); ++c) {
                const bool apart = boxes[c].low.x > high.x || boxes[c].high.x < low.x || boxes[c].low.y > high.y ||
                                   boxes[c].high.y < low.y;
                if (!apart && c != std::size_t(first - cells_.begin())) { in_square_.push_back(std::uint16_t(c)); }
            }
        }
    }
    first_in_square_.push_back(std::uint32_t(in_square_.size()));
}

bool BlendPlane::inside(const Cell& cell, PlanePoint at, SideAreas& areas) const {
    PlanePoint from = sites_[cell.back()];
    for (std::size_t i = 0; i < cell.size(); ++i) {
        const PlanePoint to = sites_[cell[i]];
        const double own = area(from, to, at);
        if (own < 0) { return false; }
        areas[i] = own; // of the side that ends in this corner
        from = to;
    }
    return true;
}

int BlendPlane::cell_at(PlanePoint at, SideAreas& areas) const {
    if (cells_.empty() || at.x < low_.x || at.x > high_.x || at.y < low_.y || at.y > high_.y) { return -1; }
    const auto square = [](double off, double squares) { return std::size_t(std::min(grid - 1, int(off * squares))); };
    const std::size_t own = grid * square(at.y - low_.y, squares_.y) + square(at.x - low_.x, squares_.x);
    for (std::uint32_t i = first_in_square_[own]; i < first_in_square_[own + 1]; ++i) {
        if (inside(cells_[in_square_[i]], at, areas)) { return in_square_[i]; }
    }
    return -1;
}

BlendPlane::OnRim BlendPlane::nearest_on_rim(PlanePoint at) const {
    OnRim nearest;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t side = 0; side < rim_.size(); ++side) {
        const PlanePoint from = sites_[rim_[side][0]], to = sites_[rim_[side][1]];
        const double along = along_segment(from, to, at);
        const PlanePoint place = between(from, to, along);
        const double away = dot(at - place, at - place);
        if (away < least) {
            least = away;
            nearest = {side, along, place};
        }
    }
    return nearest;
}

bool BlendPlane::contains(PlanePoint at) const {
    SideAreas areas; // NOLINT: filled where there is a cell
    return cell_at(at, areas) >= 0;
}

PlanePoint BlendPlane::held(PlanePoint at) const {
    if (sites_.size() == 1) { return sites_.front(); }
    return contains(at) ? at : nearest_on_rim(at).place;
}

void BlendPlane::weigh_cell(const Cell& cell, const SideAreas& areas, SiteShares& shares) const {
    // Wachspress (1975): a corner counts in proportion to its own triangle with its neighbours, times the triangles
    // that the place makes with every side away from it. In a triangle these are the barycentric coordinates; along a
    // side they run linearly, so neighbouring cells meet.
    const std::size_t n = cell.size();
    if (n == 3) {
        const double whole = 1 / (areas[2] + areas[0] + areas[1]);
        shares.add(cell[0], areas[2] * whole);
        shares.add(cell[1], areas[0] * whole);
        shares.add(cell[2], areas[1] * whole);
        return;
    }
    std::array<double, most_sites> raw; // NOLINT: the first n are written
    double sum = 0;
    for (std::size_t i = 0; i < n; ++i) {
        const std::size_t before = i > 0 ? i - 1 : n - 1, after = i + 1 < n ? i + 1 : 0;
        double product = area(sites_[cell[before]], sites_[cell[i]], sites_[cell[after]]);
        for (std::size_t side = 0; side < n; ++side) {
            if (side != i && side != after) { product *= areas[side]; } // the sides that meet in this corner
        }
        raw[i] = product;
        sum += product;
    }
    const double whole = 1 / sum;
    for (std::size_t i = 0; i < n; ++i) { shares.add(cell[i], raw[i] * whole); }
}

void BlendPlane::weigh_bands(PlanePoint at, SiteShares& shares) const {
    const std::size_t n = stretches_.size();
    std::array<PlanePoint, most_sites> nearest; // NOLINT: the first n are written
    for (std::size_t i = 0; i < n; ++i) {
        nearest[i] =
            between(stretches_[i].from, stretches_[i].to, along_segment(stretches_[i].from, stretches_[i].to, at));
    }
    std::array<double, most_sites> raw; // NOLINT
    double sum = 0;
    for (std::size_t i = 0; i < n; ++i) {
        double least = 1;
        for (std::size_t j = 0; j < n && least > 0; ++j) {
            const PlanePoint way = nearest[j] - nearest[i];
            if (j != i) { least = std::min(least, 1 - dot(at - nearest[i], way) / dot(way, way)); }
        }
        raw[i] = std::max(0.0, least);
        sum += raw[i];
    }
    for (std::size_t i = 0; i < n; ++i) { shares.add(i, raw[i] / sum); }
}

void BlendPlane::weigh(PlanePoint at, SiteShares& shares) const {
    shares.count = 0;
    if (sites_.size() < 2) { return shares.add(0, 1); }
    SideAreas areas; // NOLINT: filled where there is a cell
    const int cell = cell_at(at, areas);
    if (weighing_ == Weighing::bands) { return weigh_bands(cell >= 0 ? at : nearest_on_rim(at).place, shares); }
    if (cell >= 0) { return weigh_cell(cells_[std::size_t(cell)], areas, shares); }
    const OnRim on = nearest_on_rim(at);
    shares.add(rim_[on.side][0], 1 - on.along);
    shares.add(rim_[on.side][1], on.along);
}

} // namespace gait
