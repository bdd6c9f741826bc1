/// The cells of a blend space on two parameters: found from its sites, or written by hand and checked.
#pragma once

#include "character/blend_plane.hpp"

#include <array>
#include <optional>
#include <string>
#include <vector>

namespace gait::detail {

/// Cells of the Delaunay tessellation of `sites`: no site lies inside the circle through a cell's corners. Where
/// more than three sites share a circle the cell has more than three corners, so that what is symmetric stays so.
[[nodiscard]] GAIT_API KeptList<Cell> tessellate(std::span<const PlanePoint> sites);

/// Cuts them anew so that two sites are neighbours, where no side that is to stay lies between them: `kept` [pairs].
/// False, and nothing changed, where that cannot be.
bool join_sites(std::span<const PlanePoint> sites, KeptList<Cell>& cells, std::uint16_t a, std::uint16_t b,
                const std::vector<std::array<std::uint16_t, 2>>& kept);

/// Whether a side joins them.
[[nodiscard]] bool are_neighbours(std::span<const Cell> cells, std::uint16_t a, std::uint16_t b);

/// What is wrong with cells that somebody wrote: they overlap, leave a part of the hull open, or are not convex.
/// Corners are brought into order. Nothing when they are right.
[[nodiscard]] GAIT_API std::optional<std::string> faults_of_cells(std::span<const PlanePoint> sites,
                                                                  KeptList<Cell>& cells);

} // namespace gait::detail
