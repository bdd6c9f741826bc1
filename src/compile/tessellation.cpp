#include "compile/tessellation.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <set>

namespace gait::detail {
namespace {

/// Twice the area of a polygon.
double area_of(const std::vector<PlanePoint>& sites, const Cell& cell) {
    double sum = 0;
    for (std::size_t i = 1; i + 1 < cell.size(); ++i) {
        sum += doubled_area(sites[cell[0]], sites[cell[i]], sites[cell[i + 1]]);
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
                   doubled_area(sites[hull[hull.size() - 2]], sites[hull.back()], sites[*i]) <= 1e-12) {
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

} // namespace

std::vector<Cell> tessellate(const std::vector<PlanePoint>& sites) {
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

std::optional<std::string> faults_of_cells(const std::vector<PlanePoint>& sites, std::vector<Cell>& cells) {
    const double whole = area_of(sites, hull_of(sites));
    std::set<std::array<std::uint16_t, 2>> sides;
    for (Cell& cell : cells) {
        if (cell.size() < 3) { return "one has fewer than three corners"; }
        put_in_order(sites, cell);
        for (std::size_t i = 0; i < cell.size(); ++i) {
            const std::uint16_t from = cell[i], to = cell[(i + 1) % cell.size()];
            if (doubled_area(sites[from], sites[to], sites[cell[(i + 2) % cell.size()]]) <= 1e-9 * whole) {
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

} // namespace gait::detail
