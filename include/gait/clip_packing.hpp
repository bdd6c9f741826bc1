/// \file
/// The two ways in which a packed character holds its clips.
#pragma once

#include <cstdint>

namespace gait {

/// How clips are written into a pack.
enum class ClipPacking : std::uint8_t {
    fast,  ///< as they are played: opened without a copy
    small, ///< a fraction of that, made anew as the pack is opened
};

} // namespace gait
