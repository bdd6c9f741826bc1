/// The rotations of a clip in few bytes: joints that never turn are one value or none; of the others the keys that a
/// smooth curve needs, each component in as many bits as its range asks for, and a quaternion's greatest component not
/// at all.
///
///     frames, lanes          two numbers of 32 bits
///     a track for each lane:
///       how                  8 bits: `Track`
///       still                four floats
///       keyed                8 bits: frames from key to key; 8 bits: the component left out and its sign, or 8 for
///       none;
///                            for each component its least and greatest value in parts of 1/8192, 16 bits each, and 8
///                            bits for how many bits a key takes of it; then the keys, bit after bit, the lowest first
///
/// Between keys runs a Catmull-Rom curve (Catmull and Rom 1974); the last key is the last frame.
#pragma once

#include "gait/api.hpp"
#include "math/aligned.hpp"

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace gait::detail::small_rows {

enum class Track : std::uint8_t { zero, identity, still, keyed };

/// A component's place in a key.
struct Component {
    float low = 0, step = 0; ///< key = low + step * number
    unsigned bits = 0;
};
inline constexpr float range_unit = 1.0F / 8192;
inline constexpr unsigned most_bits = 16;
inline constexpr std::uint8_t none_left_out = 8;

/// The component with its least and greatest value in parts of `range_unit`, in so many bits.
[[nodiscard]] inline Component component_of(std::int16_t low, std::int16_t high, unsigned bits) {
    const auto range = float(high - low) * range_unit;
    return {float(low) * range_unit, bits == 0 ? 0 : range / float((1U << bits) - 1), bits};
}

/// How many keys a track has.
[[nodiscard]] inline std::size_t key_count(std::size_t frames, std::size_t step) {
    return frames <= 1 ? 1 : (frames - 2) / step + 2;
}

/// All `frames` [frame][x y z w] of a track by its keys [key][component]; `left_out`: see above.
GAIT_API void frames_of(std::span<const std::array<float, 4>> keys, std::size_t step, std::uint8_t left_out,
                        std::span<std::array<float, 4>> frames);

/// What decoding needs for a while, to be used again for the next clip.
struct Scratch {
    std::vector<std::array<float, 4>> keys, frames; ///< of a track
};

/// The numbers as they are played, [frame][x y z w][lane], of which there are `floats`, in `memory` or the heap;
/// nothing where the bytes are not those of so many.
[[nodiscard]] GAIT_API std::optional<AlignedFloats> decode(std::span<const std::byte> bytes, std::uint64_t floats,
                                                           Scratch& scratch, KeptMemory* memory = nullptr);

} // namespace gait::detail::small_rows
