/// Makes the rotations of a clip small: character/small_rows.hpp says how they lie.
#pragma once

#include "gait/rig.hpp"

#include <cstddef>
#include <span>
#include <vector>

namespace gait::detail {

/// What is to be made small: [frame][x y z w][lane], unit quaternions or, of what is added, rotation vectors.
struct RowsToPack {
    std::span<const float> floats;
    std::size_t lanes = 0;
    const Rig& rig;
    bool vectors = false;
};

struct SmallRows {
    std::vector<std::byte> bytes;
    double worst_millimetres = 0; ///< that a joint is off in model space
};

/// Within so many millimetres.
[[nodiscard]] SmallRows make_small(const RowsToPack& rows, double tolerance);

} // namespace gait::detail
