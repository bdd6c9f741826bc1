/// Which joints a body seen from afar does without: they stand last in the rig, the first to go at its very end.
#pragma once

#include "diagnostics/sink.hpp"
#include "gait/document.hpp"
#include "gait/rig.hpp"

#include <vector>

namespace gait::detail {

/// The rig's joints in another order, and how many are left as each level of detail is given up.
struct OrderedRig {
    Rig rig;
    std::vector<std::size_t> joints_left; ///< [level]
};

/// The rig as a document's `details` have it; what is wrong with them is said. `rig` is sound.
[[nodiscard]] OrderedRig order_by_details(const std::vector<std::vector<Text>>& details, const Rig& rig,
                                          DiagnosticSink& sink);

} // namespace gait::detail
