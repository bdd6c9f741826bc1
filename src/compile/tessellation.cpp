#include "compile/tessellation.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

namespace gait::detail {
namespace {

/// Twice the area of a polygon.
double area_of(std::span<const PlanePoint> sites, const Cell& cell) {
    double sum = 0;
    for (std::size_t i = 1; i + 1 < cell.size(); ++i) {
        sum += doubled_area(sites[cell[0]], sites[cell[i]], sites[cell[i + 1]]);
    }
    return sum;
}

/// The corners of the hull, counterclockwise (Andrew's monotone chain); fewer than three when all lie in a line.
Cell hull_of(std::span<const PlanePoint> sites) {
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

/// Corners by their angle about their middle, the lowest index first.
void put_in_order(std::span<const PlanePoint> sites, Cell& cell) {
    PlanePoint middle;
    for (const std::uint16_t corner : cell) {
        middle = {middle.x + sites[corner].x / double(cell.size()), middle.y + sites[corner].y / double(cell.size())};
    }
    const auto angle = [&](std::uint16_t c) { return std::atan2(sites[c].y - middle.y, sites[c].x - middle.x); };
    std::sort(cell.begin(), cell.end(), [&](std::uint16_t a, std::uint16_t b) { return angle(a) < angle(b); });
    std::rotate(cell.begin(), std::min_element(cell.begin(), cell.end()), cell.end());
}

/// Whether the way from `a` to `b` runs through the inside of a cell.
bool runs_through(std::span<const PlanePoint> sites, const Cell& cell, PlanePoint a, PlanePoint b) {
    double enters = 0, leaves = 1;
    for (std::size_t i = 0; i < cell.size(); ++i) {
        const PlanePoint from = sites[cell[i]], to = sites[cell[(i + 1) % cell.size()]];
        const double at_a = doubled_area(from, to, a), at_b = doubled_area(from, to, b);
        const double least = 1e-9 * dot(to - from, to - from);
        if (at_a <= least && at_b <= least) { return false; }
        if (at_a < 0) { enters = std::max(enters, at_a / (at_a - at_b)); }
        if (at_b < 0) { leaves = std::min(leaves, at_a / (at_a - at_b)); }
    }
    return leaves - enters > 1e-9;
}

/// Triangles between the side from `chain`'s first to its last and the others, none of which lies in their circles
/// (Anglada 1997). The chain runs counterclockwise.
void fill_beside(std::span<const PlanePoint> sites, const std::vector<std::uint16_t>& chain, KeptList<Cell>& cells) {
    if (chain.size() < 3) { return; }
    const PlanePoint first = sites[chain.front()], last = sites[chain.back()];
    // Of what lies on one side of a line, the widest angle over it is the one whose circle holds no other.
    const auto angle_over = [&](std::uint16_t corner) {
        const PlanePoint u = first - sites[corner], v = last - sites[corner];
        return std::atan2(std::fabs(cross(u, v)), dot(u, v));
    };
    std::size_t widest = 1;
    for (std::size_t i = 2; i + 1 < chain.size(); ++i) {
        if (angle_over(chain[i]) > angle_over(chain[widest])) { widest = i; }
    }
    cells.push_back({chain.front(), chain[widest], chain.back()});
    put_in_order(sites, cells.back());
    const auto at = [&](std::size_t i) { return chain.begin() + std::ptrdiff_t(i); };
    fill_beside(sites, {chain.begin(), at(widest + 1)}, cells);
    fill_beside(sites, {at(widest), chain.end()}, cells);
}

/// The greatest extent of the sites.
double extent_of(std::span<const PlanePoint> sites) {
    double extent = 0;
    for (const PlanePoint& a : sites) {
        extent = std::max({extent, std::fabs(a.x - sites[0].x), std::fabs(a.y - sites[0].y)});
    }
    return extent;
}

/// All sites on empty circles through three of them; `tolerance` is relative to the circle's radius, and to the
/// shortest side.
KeptList<Cell> cells_within(std::span<const PlanePoint> sites, double tolerance) {
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
                // Of the shortest side: what all but lies in a line lies near a wide circle.
                const PlanePoint w = v - u;
                const double shortest = std::sqrt(std::min({dot(u, u), dot(v, v), dot(w, w)}));
                const double near = tolerance * std::min(radius, shortest);
                Cell on;
                bool empty = true;
                for (std::size_t s = 0; empty && s < sites.size(); ++s) {
                    const double off = std::sqrt(dot(sites[s] - centre, sites[s] - centre)) - radius;
                    empty = off > -near;
                    if (std::fabs(off) <= near) { on.push_back(std::uint16_t(s)); }
                }
                if (!empty || on.size() < 3) { continue; }
                put_in_order(sites, on);
                cells.insert(on);
            }
        }
    }
    return {cells.begin(), cells.end()};
}

double area_of_all(std::span<const PlanePoint> sites, std::span<const Cell> cells) {
    return std::accumulate(cells.begin(), cells.end(), 0.0,
                           [&](double sum, const Cell& cell) { return sum + area_of(sites, cell); });
}

bool are_convex(std::span<const PlanePoint> sites, std::span<const Cell> cells) {
    return std::all_of(cells.begin(), cells.end(), [&](const Cell& cell) {
        for (std::size_t i = 0; i < cell.size(); ++i) {
            const PlanePoint &a = sites[cell[i]], &b = sites[cell[(i + 1) % cell.size()]];
            const PlanePoint& c = sites[cell[(i + 2) % cell.size()]];
            if (doubled_area(a, b, c) <= 1e-9 * dot(c - a, c - a)) { return false; }
        }
        return true;
    });
}

} // namespace

KeptList<Cell> tessellate(std::span<const PlanePoint> sites) {
    const double whole = area_of(sites, hull_of(sites));
    KeptList<Cell> cells;
    // Sites that are measured, or written in degrees, share a circle only nearly. Too wide a tolerance makes cells
    // overlap or bulge inward, which the areas and the corners tell.
    for (const double tolerance : {0.02, 1e-3, 1e-6, 1e-9, 1e-12}) {
        cells = cells_within(sites, tolerance);
        if (std::fabs(area_of_all(sites, cells) - whole) <= 1e-6 * whole && are_convex(sites, cells)) { break; }
    }
    return cells;
}

bool are_neighbours(std::span<const Cell> cells, std::uint16_t a, std::uint16_t b) {
    return std::any_of(cells.begin(), cells.end(), [&](const Cell& cell) {
        for (std::size_t i = 0; i < cell.size(); ++i) {
            const std::uint16_t from = cell[i], to = cell[(i + 1) % cell.size()];
            if ((from == a && to == b) || (from == b && to == a)) { return true; }
        }
        return false;
    });
}

bool join_sites(std::span<const PlanePoint> sites, KeptList<Cell>& cells, std::uint16_t a, std::uint16_t b,
                const std::vector<std::array<std::uint16_t, 2>>& kept) {
    std::map<std::uint16_t, std::uint16_t> next; // round the cells between them, counterclockwise
    KeptList<Cell> left;
    std::set<std::array<std::uint16_t, 2>> sides;
    double area = 0;
    for (const Cell& cell : cells) {
        if (!runs_through(sites, cell, sites[a], sites[b])) {
            left.push_back(cell);
            continue;
        }
        area += area_of(sites, cell);
        for (std::size_t i = 0; i < cell.size(); ++i) { sides.insert({cell[i], cell[(i + 1) % cell.size()]}); }
    }
    for (const auto& [from, to] : sides) {
        if (!sides.contains({to, from})) {
            if (!next.emplace(from, to).second) { return false; } // they meet in a corner
            continue;
        }
        const bool stays = std::any_of(kept.begin(), kept.end(), [&, from = from, to = to](const auto& pair) {
            return (pair[0] == from && pair[1] == to) || (pair[0] == to && pair[1] == from);
        });
        if (stays) { return false; }
    }
    const auto chain = [&](std::uint16_t from, std::uint16_t to) {
        std::vector<std::uint16_t> found{from};
        while (found.back() != to) {
            const auto on = next.find(found.back());
            if (on == next.end() || found.size() > sites.size()) { return std::vector<std::uint16_t>{}; }
            found.push_back(on->second);
        }
        return found;
    };
    const std::size_t others = left.size();
    for (const auto& way : {chain(a, b), chain(b, a)}) {
        if (way.size() < 3) { return false; }
        fill_beside(sites, way, left);
    }
    const KeptList<Cell> made(left.begin() + std::ptrdiff_t(others), left.end());
    if (std::fabs(area_of_all(sites, made) - area) > 1e-9 * area) { return false; }
    cells = std::move(left);
    return true;
}

std::optional<std::string> faults_of_cells(std::span<const PlanePoint> sites, KeptList<Cell>& cells) {
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
