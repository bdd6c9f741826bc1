/// Counting and cutting UTF-8 by characters.
#pragma once

namespace gait::detail {

/// Whether a character begins at this byte: it is none that only continues one.
constexpr bool begins_character(char byte) { return (static_cast<unsigned char>(byte) & 0xC0U) != 0x80U; }

} // namespace gait::detail
