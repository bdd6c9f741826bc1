#include "character/blend_plane.hpp"
#include "compile/tessellation.hpp"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <random>

using namespace gait;
using namespace gait::detail;

namespace {

std::vector<double> shares(const BlendPlane& plane, PlanePoint at) {
    SiteShares found;
    plane.weigh(at, found);
    std::vector<double> all(plane.sites().size(), 0);
    for (std::size_t i = 0; i < found.count; ++i) { all[found.site[i]] += found.share[i]; }
    return all;
}

BlendPlane plane_of(const std::vector<PlanePoint>& sites, PlaneMethod method) {
    KeptList<Stretch> stretches;
    for (const PlanePoint site : sites) { stretches.push_back({site, site}); }
    const auto cells = tessellate(sites);
    return {{sites.begin(), sites.end()}, {cells.begin(), cells.end()}, method, stretches};
}

/// What must hold wherever the cursor is.
void check_everywhere(const BlendPlane& plane, double reach) {
    constexpr int steps = 60;
    std::vector<double> before;
    double worst_sum = 0, least = 0, greatest_jump = 0;
    for (int i = 0; i <= steps; ++i) {
        for (int j = 0; j <= steps; ++j) {
            const PlanePoint at{reach * (2.0 * i / steps - 1), reach * (2.0 * j / steps - 1)};
            const auto here = shares(plane, at), near = shares(plane, {at.x + 1e-6, at.y - 1e-6});
            double sum = 0;
            for (std::size_t s = 0; s < here.size(); ++s) {
                sum += here[s];
                least = std::min(least, here[s]);
                greatest_jump = std::max(greatest_jump, std::fabs(here[s] - near[s]));
            }
            worst_sum = std::max(worst_sum, std::fabs(sum - 1));
        }
    }
    CHECK(worst_sum < 1e-9);
    CHECK(least >= 0);
    CHECK(greatest_jump < 1e-3);
    for (std::size_t s = 0; s < plane.sites().size(); ++s) {
        CAPTURE(s);
        CHECK(shares(plane, plane.sites()[s])[s] == Approx(1).margin(1e-9));
    }
}

} // namespace

TEST_CASE(
    "shares sum to one, are never negative, are whole at a point and do not jump, for random points and both ways") {
    std::mt19937 random(7);
    std::uniform_real_distribution<double> unit(-1, 1);
    for (const PlaneMethod method : {PlaneMethod::cells, PlaneMethod::bands}) {
        for (const int count : {3, 4, 5, 8, 17}) {
            for (int round = 0; round < 4; ++round) {
                std::vector<PlanePoint> sites;
                for (int i = 0; i < count; ++i) { sites.push_back({unit(random), unit(random)}); }
                CAPTURE(count, round, int(method));
                check_everywhere(plane_of(sites, method), 1.6);
            }
        }
    }
}

TEST_CASE("what is symmetric in its points is symmetric in its shares, though four points share a circle") {
    // Nine in a square grid, and eight round one: all cells but the inner ring's have a choice of two diagonals.
    std::vector<PlanePoint> grid, ring{{0, 0}};
    for (const double x : {-1.0, 0.0, 1.0}) {
        for (const double y : {-1.0, 0.0, 1.0}) { grid.push_back({x, y}); }
    }
    for (int i = 0; i < 8; ++i) {
        ring.push_back({std::sin(i * 0.25 * 3.14159265358979), std::cos(i * 0.25 * 3.14159265358979)});
    }
    for (const auto& sites : {grid, ring}) {
        for (const PlaneMethod method : {PlaneMethod::cells, PlaneMethod::bands}) {
            const BlendPlane plane = plane_of(sites, method);
            check_everywhere(plane, 1.5);
            for (const PlanePoint at : {PlanePoint{0.3, 0.55}, {0.71, 0.2}, {0.1, 0.9}, {1.3, 0.4}}) {
                const auto here = shares(plane, at), mirrored = shares(plane, {-at.x, at.y});
                for (std::size_t s = 0; s < sites.size(); ++s) {
                    const auto twin =
                        std::size_t(std::find_if(sites.begin(), sites.end(),
                                                 [&](PlanePoint p) {
                                                     return std::hypot(p.x + sites[s].x, p.y - sites[s].y) < 1e-9;
                                                 }) -
                                    sites.begin());
                    REQUIRE(twin < sites.size());
                    CHECK(here[s] == Approx(mirrored[twin]).margin(1e-9));
                }
            }
        }
    }
}

TEST_CASE("inside a square the cell of four gives what a bilinear blend gives") {
    const BlendPlane plane = plane_of({{0, 0}, {1, 0}, {0, 1}, {1, 1}}, PlaneMethod::cells);
    REQUIRE(plane.cells().size() == 1);
    const auto at = shares(plane, {0.25, 0.4});
    CHECK(at[0] == Approx(0.75 * 0.6));
    CHECK(at[1] == Approx(0.25 * 0.6));
    CHECK(at[2] == Approx(0.75 * 0.4));
    CHECK(at[3] == Approx(0.25 * 0.4));
}

TEST_CASE("no point lies inside the circle through a triangle's corners, and the cells cover the hull") {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> unit(-1, 1);
    std::vector<PlanePoint> sites;
    for (int i = 0; i < 30; ++i) { sites.push_back({unit(random), unit(random)}); }
    auto cells = tessellate(sites);
    CHECK_FALSE(faults_of_cells(sites, cells)); // they cover it, once
    for (const Cell& cell : cells) {
        REQUIRE(cell.size() == 3);
        const PlanePoint a = sites[cell[0]], b = sites[cell[1]], c = sites[cell[2]];
        for (const PlanePoint p : sites) {
            // The determinant of Guibas and Stolfi (1985): positive inside.
            const auto row = [&](PlanePoint q) {
                const double x = q.x - p.x, y = q.y - p.y;
                return std::array{x, y, x * x + y * y};
            };
            const auto u = row(a), v = row(b), w = row(c);
            const double inside = u[0] * (v[1] * w[2] - v[2] * w[1]) - u[1] * (v[0] * w[2] - v[2] * w[0]) +
                                  u[2] * (v[0] * w[1] - v[1] * w[0]);
            CHECK(inside < 1e-9);
        }
    }
}

TEST_CASE("one point, two, and points in a line do what can be done") {
    const BlendPlane one = plane_of({{3, 4}}, PlaneMethod::cells);
    CHECK(shares(one, {100, -5})[0] == 1);
    for (const PlaneMethod method : {PlaneMethod::cells, PlaneMethod::bands}) {
        const BlendPlane two = plane_of({{0, 0}, {2, 0}}, method);
        CHECK(shares(two, {0.5, 7})[0] == Approx(0.75)); // the nearest place between them
        CHECK(shares(two, {-3, 0})[0] == Approx(1));
        const BlendPlane line = plane_of({{2, 2}, {0, 0}, {1, 1}}, method);
        const auto at = shares(line, {0.5, 0.5});
        CHECK(at[1] == Approx(0.5));
        CHECK(at[2] == Approx(0.5));
        CHECK(shares(line, {9, 9})[0] == Approx(1));
    }
}

TEST_CASE("outside the hull the nearest place on it counts") {
    for (const PlaneMethod method : {PlaneMethod::cells, PlaneMethod::bands}) {
        const BlendPlane plane = plane_of({{0, 0}, {2, 0}, {0, 2}, {2, 2}, {1, 1}}, method);
        CHECK(shares(plane, {0.5, -4}) == shares(plane, {0.5, 0}));
        CHECK(shares(plane, {9, 9})[3] == Approx(1));
        CHECK_FALSE(plane.contains({0.5, -4}));
        CHECK(plane.contains({0.5, 0.5}));
        CHECK(plane.held({5, 1}).x == Approx(2));
    }
}

TEST_CASE("with bands a stretch counts in full all along itself") {
    const KeptList<PlanePoint> sites{{0, 0}, {2, 0}, {1, 2}};
    const BlendPlane plane{
        sites, {{0, 1, 2}}, PlaneMethod::bands, {{{0, 0}, {1, 0}}, {{2, 0}, {2, 0}}, {{1, 2}, {1, 2}}}};
    for (const double x : {0.0, 0.3, 0.8, 1.0}) { CHECK(shares(plane, {x, 0})[0] == Approx(1)); }
    CHECK(shares(plane, {1.5, 0})[0] == Approx(0.5));
}

TEST_CASE("cells by hand are looked at: each side once, all of the hull, every point") {
    const std::vector<PlanePoint> square{{0, 0}, {1, 0}, {1, 1}, {0, 1}};
    KeptList<Cell> good{{0, 1, 2}, {2, 3, 0}};
    CHECK_FALSE(faults_of_cells(square, good));
    KeptList<Cell> open{{0, 1, 2}};
    CHECK(faults_of_cells(square, open).value().find("open") != std::string::npos);
    KeptList<Cell> twice{{0, 1, 2}, {0, 1, 3}};
    CHECK(faults_of_cells(square, twice).value().find("over each other") != std::string::npos);
    KeptList<Cell> flat{{0, 1, 1}};
    CHECK(faults_of_cells(square, flat));
}

TEST_CASE("what stands a hair inside the hull is not passed over, and nothing jumps there") {
    // Strides to both sides lean back a little, and nothing goes back.
    const BlendPlane plane =
        plane_of({{-1.2, -0.03}, {0, 0}, {1.2, -0.02}, {0, 1.4}, {-0.6, -0.012}}, PlaneMethod::cells);
    CHECK(shares(plane, {0, -1})[1] > 0.95);
    CHECK(shares(plane, {0, -0.01})[1] > 0.95);
    CHECK(shares(plane, {-0.6, -0.5})[4] > 0.95);
    CHECK(shares(plane, {-0.9, -0.5})[0] == Approx(0.5).margin(0.05));
    check_everywhere(plane, 2);
}

TEST_CASE("what is symmetric but for a hair is cut as if it were, along either axis and mirrored") {
    const std::vector<PlanePoint> sites{{1, 1.004}, {-1, 1}, {-1, -1}, {1.003, -1}};
    for (const double way : {1.0, -1.0}) {
        std::vector<PlanePoint> mirrored, swapped;
        for (const PlanePoint& site : sites) {
            mirrored.push_back({way * site.x, site.y});
            swapped.push_back({site.y, way * site.x});
        }
        for (const auto& turned : {mirrored, swapped}) {
            for (const double share : shares(plane_of(turned, PlaneMethod::cells), {0, 0})) {
                CHECK(share == Approx(0.25).margin(0.01));
            }
        }
    }
}

TEST_CASE("two sites are joined across what lies between them, unless that is to stay") {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> unit(-1, 1);
    int joined = 0;
    for (int round = 0; round < 200; ++round) {
        std::vector<PlanePoint> sites;
        for (int i = 0; i < 12; ++i) { sites.push_back({unit(random), unit(random)}); }
        KeptList<Cell> cells = tessellate(sites);
        if (!join_sites(sites, cells, 0, 1, {})) { continue; } // they are neighbours, or a site lies between
        ++joined;
        CHECK(are_neighbours(cells, 0, 1));
        CHECK(faults_of_cells(sites, cells).value_or("none") == "none");
        // What was joined first stays.
        for (std::uint16_t other = 2; other < 12; ++other) {
            for (std::uint16_t third = 2; third < other; ++third) {
                KeptList<Cell> again = cells;
                join_sites(sites, again, other, third, {{0, 1}});
                CHECK(are_neighbours(again, 0, 1));
            }
        }
    }
    CHECK(joined > 50);
}
