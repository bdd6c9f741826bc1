/// A blend space on two parameters: sites in a plane, and how much each counts where the cursor is.
#pragma once

#include "gait/api.hpp"
#include "gait/kept.hpp"

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>

namespace gait::detail {

/// A place in the plane, in its own scaled units.
struct PlanePoint {
    double x = 0, y = 0;
};

[[nodiscard]] inline PlanePoint operator-(PlanePoint a, PlanePoint b) { return {a.x - b.x, a.y - b.y}; }
[[nodiscard]] inline double dot(PlanePoint a, PlanePoint b) { return a.x * b.x + a.y * b.y; }
[[nodiscard]] inline double cross(PlanePoint a, PlanePoint b) { return a.x * b.y - a.y * b.x; }
/// Twice the area of a triangle; positive counterclockwise.
[[nodiscard]] inline double doubled_area(PlanePoint a, PlanePoint b, PlanePoint c) { return cross(b - a, c - a); }

/// Sites of one plane, the copies included that plateaus and wrapping axes need.
inline constexpr std::size_t most_sites = 256;

/// In a plane of velocities: of the sites that go the way of one (within 12 degrees) and faster, the slowest; nothing
/// for one that stands.
[[nodiscard]] GAIT_API std::optional<std::size_t> next_faster(std::span<const PlanePoint> sites, std::size_t site);

/// The weights of the sites whose weight is not zero.
struct SiteShares {
    std::array<std::uint16_t, most_sites> site; // NOLINT: only the first `count` hold anything
    std::array<double, most_sites> share;       // NOLINT
    std::size_t count = 0;
    int cell = -1; ///< of the plane that they are of, in which the place is; looked at first when another is weighed

    void add(std::size_t index, double value) {
        if (!(value > 0) || count == site.size()) { return; }
        site[count] = std::uint16_t(index);
        share[count++] = value;
    }
};

/// How the cursor's place becomes shares.
enum class PlaneMethod : std::uint8_t {
    cells, ///< between the corners of the cell it is in
    bands, ///< by gradient bands between every two sites (Johansen 2009)
};

/// A polygon whose corners run counterclockwise, or the ways in it.
using Cell = KeptList<std::uint16_t>;

/// A site that holds along a segment.
struct Stretch {
    PlanePoint from, to;
};

class GAIT_API BlendPlane {
public:
    /// In the memory of `sites`. Of different ones; one and sites in a line will do. With `bands`, `stretches` [one a
    /// site] say what each covers.
    BlendPlane(KeptList<PlanePoint> sites, KeptList<Cell> cells, PlaneMethod method, KeptList<Stretch> stretches = {});
    BlendPlane() = default;
    /// Whether a plane can be made of these: from a file, say.
    [[nodiscard]] static bool can_be(std::span<const PlanePoint> sites, std::span<const Cell> cells, PlaneMethod method,
                                     std::span<const Stretch> stretches);

    /// The shares at a place: none negative, summing to 1, 1 at a site. Outside the sites' hull those of the nearest
    /// place on it. A site that all but lies on a side of the hull counts as if it lay there, so that what stands
    /// between two others is not passed over by a hair.
    void weigh(PlanePoint at, SiteShares& shares) const;

    /// The nearest place on the hull; the place itself inside.
    [[nodiscard]] PlanePoint held(PlanePoint at) const;
    [[nodiscard]] bool contains(PlanePoint at) const;
    [[nodiscard]] PlaneMethod method() const { return method_; }
    [[nodiscard]] const KeptList<PlanePoint>& sites() const { return sites_; }
    [[nodiscard]] const KeptList<Cell>& cells() const { return cells_; }
    /// What each site covers; none with cells.
    [[nodiscard]] const KeptList<Stretch>& stretches() const { return stretches_; }
    /// The hull's sides, or the pieces of the line that all sites lie on.
    [[nodiscard]] const KeptList<std::array<std::uint16_t, 2>>& rim() const { return rim_; }

private:
    struct OnRim {
        std::size_t side = 0;
        double along = 0; ///< 0 at its first corner, 1 at its second
        PlanePoint place;
    };
    /// A site that all but lies on a side of the rim.
    struct OnSide {
        std::uint16_t site = 0;
        double along = 0;
    };
    /// Twice the area that a place makes with each side of a cell; only as many hold anything as it has sides.
    using SideAreas = std::array<double, most_sites>;

    /// That of its sites.
    [[nodiscard]] KeptMemory* memory() const { return sites_.get_allocator().memory(); }
    /// -1 outside of all; otherwise the cell's side areas are in `areas`. Of cells that share the place, `likely`.
    [[nodiscard]] int cell_at(PlanePoint at, SideAreas& areas, int likely = -1) const;
    [[nodiscard]] bool inside(const Cell& cell, PlanePoint at, SideAreas& areas) const;
    [[nodiscard]] OnRim nearest_on_rim(PlanePoint at) const;
    void weigh_cell(const Cell& cell, const SideAreas& areas, SiteShares& shares) const;
    void weigh_bands(PlanePoint at, SiteShares& shares) const;
    /// What counts on a side of the rim, at a part of its way.
    void weigh_rim(std::size_t side, double along, SiteShares& shares) const;
    /// The other corners of a cell that has the side between `from` and `to`, if all of them all but lie on that side
    /// of the rim.
    [[nodiscard]] KeptList<OnSide> corners_along(const Cell& cell, std::size_t side, OnSide from, OnSide to) const;
    void find_flat_cells();
    void index_cells();

    static constexpr int grid = 16; ///< squares a side of the table that says which cells to look at
    KeptList<PlanePoint> sites_;
    KeptList<Cell> cells_;
    KeptList<std::array<std::uint16_t, 2>> rim_;
    KeptList<KeptList<OnSide>> on_sides_; ///< a side of the rim each, in order, its ends included
    KeptList<int> flat_;                  ///< a cell each: the side of the rim that it lies along; -1: it is not flat
    KeptList<Stretch> stretches_;
    KeptList<std::uint32_t> first_in_square_; ///< into `in_square_`, a square each, and the end
    KeptList<std::uint16_t> in_square_;       ///< cells that may reach into it, that in its middle first
    PlanePoint low_, high_, squares_;         ///< of the sites, and how many squares a unit of each axis is
    PlaneMethod method_ = PlaneMethod::cells;
};

} // namespace gait::detail
