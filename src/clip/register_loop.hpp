/// Loops laid over each other in time by the likeness of their poses, where no footfalls tell how.
#pragma once

#include "clip/joint_cloud.hpp"

#include <vector>

namespace gait::detail {

/// Where the half strides of a loop begin, `2 * strides` of them, in cycles from its start and rising; the first may
/// lie before it. `clip`: poses at even places of the loop, its end left out; `stride`: poses at even phases of one
/// stride of the loop it is laid over, an even number of them. What is found is the shift, and the share of each
/// stride's first half between 0.3 and 0.7, at which the poses lie nearest (registration: Kovar and Gleicher 2003).
[[nodiscard]] std::vector<double> register_loop(const std::vector<JointCloud>& clip,
                                                const std::vector<JointCloud>& stride, int strides);

} // namespace gait::detail
