#include "character/blend_plane.hpp"

#include "gait/math.hpp"

#include <algorithm>
#include <bitset>
#include <cmath>
#include <limits>
#include <numeric>

namespace gait::detail {
namespace {

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

std::optional<std::size_t> next_faster(std::span<const PlanePoint> sites, std::size_t site) {
    constexpr double same_way = 12 / degrees_per_radian, stands = 1e-3; // radians, and of the fastest one's speed
    const auto speed = [&](std::size_t s) { return length_of(sites[s].x, sites[s].y); };
    double fastest = 0;
    for (std::size_t s = 0; s < sites.size(); ++s) { fastest = std::max(fastest, speed(s)); }
    std::optional<std::size_t> next;
    for (std::size_t s = 0; speed(site) > stands * fastest && s < sites.size(); ++s) {
        const double off = arc_tangent(cross(sites[site], sites[s]), dot(sites[site], sites[s]));
        if (speed(s) <= speed(site) * (1 + same_way) || std::fabs(off) > same_way) { continue; }
        if (!next || speed(s) < speed(*next)) { next = s; }
    }
    return next;
}

BlendPlane::BlendPlane(KeptList<PlanePoint> sites, KeptList<Cell> cells, PlaneMethod method,
                       KeptList<Stretch> stretches)
    : sites_(std::move(sites)), cells_(std::move(cells)), rim_(memory()), on_sides_(memory()), flat_(memory()),
      stretches_(std::move(stretches)), first_in_square_(memory()), in_square_(memory()), method_(method) {
    KeptList<std::array<std::uint16_t, 2>> sides(memory());
    sides.reserve(4 * cells_.size());
    for (const Cell& cell : cells_) {
        for (std::size_t i = 0; i < cell.size(); ++i) { sides.push_back({cell[i], cell[(i + 1) % cell.size()]}); }
    }
    std::sort(sides.begin(), sides.end());
    sides.erase(std::unique(sides.begin(), sides.end()), sides.end());
    for (const auto& [from, to] : sides) {
        if (!std::binary_search(sides.begin(), sides.end(), std::array{to, from})) { rim_.push_back({from, to}); }
    }
    if (cells_.empty() && sites_.size() > 1) {
        // All in a line: its pieces, in order.
        KeptList<std::uint16_t> order(sites_.size(), memory());
        std::iota(order.begin(), order.end(), std::uint16_t{0});
        std::sort(order.begin(), order.end(), [&](std::uint16_t a, std::uint16_t b) {
            return std::pair(sites_[a].x, sites_[a].y) < std::pair(sites_[b].x, sites_[b].y);
        });
        for (std::size_t i = 0; i + 1 < order.size(); ++i) { rim_.push_back({order[i], order[i + 1]}); }
    }
    find_flat_cells();
    index_cells();
}

bool BlendPlane::can_be(std::span<const PlanePoint> sites, std::span<const Cell> cells, PlaneMethod method,
                        std::span<const Stretch> stretches) {
    constexpr double farthest_site = 1e9;
    constexpr std::size_t most_cells = 2 * most_sites;
    const auto near = [](PlanePoint p) { return std::fabs(p.x) <= farthest_site && std::fabs(p.y) <= farthest_site; };
    if (sites.empty() || sites.size() > most_sites || cells.size() > most_cells) { return false; }
    if (!std::all_of(sites.begin(), sites.end(), near)) { return false; }
    std::array<std::pair<double, double>, most_sites> places;
    const auto places_end = std::transform(sites.begin(), sites.end(), places.begin(),
                                           [](const PlanePoint& site) { return std::pair(site.x, site.y); });
    std::sort(places.begin(), places_end);
    if (std::adjacent_find(places.begin(), places_end) != places_end) { return false; }
    const bool none = stretches.empty() && method == PlaneMethod::cells;
    if (!none && stretches.size() != sites.size()) { return false; }
    if (!std::all_of(stretches.begin(), stretches.end(),
                     [&](const Stretch& s) { return near(s.from) && near(s.to); })) {
        return false;
    }
    return std::all_of(cells.begin(), cells.end(), [&](const Cell& cell) {
        std::bitset<most_sites> corners;
        for (const std::uint16_t corner : cell) {
            if (corner >= sites.size() || corners.test(corner)) { return false; }
            corners.set(corner);
        }
        return cell.size() >= 3;
    });
}

KeptList<BlendPlane::OnSide> BlendPlane::corners_along(const Cell& cell, std::size_t side, OnSide from,
                                                       OnSide to) const {
    constexpr double flat = 0.05;  // of the side's length: how near to it lies what all but lies on it
    constexpr double apart = 0.02; // of its length, between two of them
    const auto start = std::find(cell.begin(), cell.end(), from.site);
    if (start == cell.end()) { return {}; }
    const auto corner = [&](std::size_t c) { return cell[(std::size_t(start - cell.begin()) + c) % cell.size()]; };
    if (corner(1) != to.site) { return {}; }
    const PlanePoint origin = sites_[rim_[side][0]], way = sites_[rim_[side][1]] - origin;
    KeptList<OnSide> between(memory());
    double last = from.along;
    for (std::size_t c = cell.size() - 1; c > 1; --c) {
        const PlanePoint off = sites_[corner(c)] - origin;
        const double along = dot(off, way) / dot(way, way);
        if (std::fabs(cross(way, off)) > flat * dot(way, way) || along < last + apart) { return {}; }
        between.push_back({corner(c), along});
        last = along;
    }
    if (last >= to.along - apart) { between.clear(); }
    return between;
}

void BlendPlane::find_flat_cells() {
    flat_.assign(cells_.size(), -1);
    on_sides_.reserve(rim_.size());
    for (std::size_t side = 0; side < rim_.size(); ++side) {
        auto& chain = on_sides_.emplace_back(KeptList<OnSide>({{rim_[side][0], 0}, {rim_[side][1], 1}}, memory()));
        // What lies on the side may itself be the edge of a flat cell.
        for (std::size_t i = 0; i + 1 < chain.size() && method_ == PlaneMethod::cells;) {
            KeptList<OnSide> between;
            for (std::size_t c = 0; c < cells_.size() && between.empty(); ++c) {
                between = corners_along(cells_[c], side, chain[i], chain[i + 1]);
                if (!between.empty()) { flat_[c] = int(side); }
            }
            chain.insert(chain.begin() + std::ptrdiff_t(i) + 1, between.begin(), between.end());
            if (between.empty()) { ++i; }
        }
    }
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
    KeptList<std::uint16_t> all(sites_.size(), memory());
    std::iota(all.begin(), all.end(), std::uint16_t{0});
    const Box whole = box_of(all);
    low_ = whole.low;
    high_ = whole.high;
    if (cells_.empty()) { return; }
    const PlanePoint size = high_ - low_;
    squares_ = {grid / size.x, grid / size.y};
    KeptList<Box> boxes(memory());
    boxes.reserve(cells_.size());
    constexpr std::size_t squares = std::size_t(grid) * grid, some_cells = 4; // that reach into a square
    first_in_square_.reserve(squares + 1);
    in_square_.reserve(squares * some_cells);
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
        const double own = doubled_area(from, to, at);
        if (!(own >= 0)) { return false; } // nor is what is no number
        areas[i] = own;                    // of the side that ends in this corner
        from = to;
    }
    return true;
}

int BlendPlane::cell_at(PlanePoint at, SideAreas& areas, int likely) const {
    if (likely >= 0 && inside(cells_[std::size_t(likely)], at, areas)) { return likely; }
    const bool within = at.x >= low_.x && at.x <= high_.x && at.y >= low_.y && at.y <= high_.y;
    if (cells_.empty() || !within) { return -1; } // what is no number is nowhere
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
        double product = doubled_area(sites_[cell[before]], sites_[cell[i]], sites_[cell[after]]);
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

void BlendPlane::weigh_rim(std::size_t side, double along, SiteShares& shares) const {
    const KeptList<OnSide>& chain = on_sides_[side];
    std::size_t next = 1;
    while (next + 1 < chain.size() && along > chain[next].along) { ++next; }
    const OnSide &from = chain[next - 1], &to = chain[next];
    const double part = std::clamp((along - from.along) / (to.along - from.along), 0.0, 1.0);
    shares.add(from.site, 1 - part);
    shares.add(to.site, part);
}

void BlendPlane::weigh(PlanePoint at, SiteShares& shares) const {
    shares.count = 0;
    if (sites_.size() < 2) { return shares.add(0, 1); }
    SideAreas areas; // NOLINT: filled where there is a cell
    const int cell = shares.cell = cell_at(at, areas, shares.cell);
    if (method_ == PlaneMethod::bands) { return weigh_bands(cell >= 0 ? at : nearest_on_rim(at).place, shares); }
    if (cell >= 0) {
        const int side = flat_[std::size_t(cell)];
        if (side < 0) { return weigh_cell(cells_[std::size_t(cell)], areas, shares); }
        const auto& [from, to] = rim_[std::size_t(side)];
        return weigh_rim(std::size_t(side), along_segment(sites_[from], sites_[to], at), shares);
    }
    const OnRim on = nearest_on_rim(at);
    weigh_rim(on.side, on.along, shares);
}

} // namespace gait::detail
