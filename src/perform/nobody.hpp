/// The character of a performer that was moved from: no joints, no layers, no parameters.
#pragma once

#include "gait/api.hpp"
#include "gait/shared_character.hpp"

#include <cstddef>

namespace gait::detail {

/// Made by the first performer, so that moving one needs no memory.
[[nodiscard]] const SharedCharacter& nobody();
/// Where its performers' blocks would be: a header that nobody keeps, the thread's own. Shown, for checks read blocks.
[[nodiscard]] GAIT_API std::byte* block_of_nobody() noexcept;

} // namespace gait::detail
