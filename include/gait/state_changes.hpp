/// \file
/// What has changed in a performer since an earlier state that both sides know: to be sent.
#pragma once

#include "gait/api.hpp"
#include "gait/performer.hpp"

#include <cstddef>
#include <span>
#include <vector>

namespace gait {

/// The changes from `earlier`, which is what `bytes` of a performer of the same character gave, to the performer as it
/// is: some ninety bytes while one strolls, and more as motions are entered. The pose is not among them, it follows
/// from the rest. Empty where `earlier` is no state of this character. Throws std::bad_alloc without memory.
[[nodiscard]] GAIT_API std::vector<std::byte> changes_since(const Performer& performer,
                                                            std::span<const std::byte> earlier);

/// Brings the performer to where the changes lead from `earlier`. Its pose is that of its clips: feet are planted by
/// the next `plant_feet`. False, and nothing changes, for bytes that are no changes from there, or lead to no state of
/// this character. Throws std::bad_alloc without memory.
[[nodiscard]] GAIT_API bool apply_changes(Performer& performer, std::span<const std::byte> earlier,
                                          std::span<const std::byte> changes);

} // namespace gait
