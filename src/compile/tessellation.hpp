/// The cells of a blend space on two parameters: found from its sites, or written by hand and checked.
#pragma once

#include "character/blend_plane.hpp"

#include <optional>
#include <string>
#include <vector>

namespace gait::detail {

/// Cells of the Delaunay tessellation of `sites`: no site lies inside the circle through a cell's corners. Where
/// more than three sites share a circle the cell has more than three corners, so that what is symmetric stays so.
[[nodiscard]] GAIT_API std::vector<Cell> tessellate(const std::vector<PlanePoint>& sites);

/// What is wrong with cells that somebody wrote: they overlap, leave a part of the hull open, or are not convex.
/// Corners are brought into order. Nothing when they are right.
[[nodiscard]] GAIT_API std::optional<std::string> faults_of_cells(const std::vector<PlanePoint>& sites,
                                                                  std::vector<Cell>& cells);

} // namespace gait::detail
