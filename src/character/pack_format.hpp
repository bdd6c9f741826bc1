/// How a packed character lies in a file.
///
///     header                 PackHeader
///     the character          its fields in a row (character/pack_fields.hpp), numbers least byte first
///     notes                  the same for what only people read; nothing of a stripped pack
///     rows                   a PackedRows for each clip's rotations, in the order in which the clips stand
///     rotations              of each clip, from a cache line on
///
/// Numbers are whole, or IEEE 754; a text and a list begin with their length. Nothing in it hangs on where it lies.
#pragma once

#include "character/character_data.hpp"
#include "gait/ease.hpp"
#include "gait/fade_style.hpp"

#include <array>
#include <bit>
#include <cstdint>
#include <cstring>
#include <span>

namespace gait::detail {

inline constexpr std::array<char, 8> pack_magic{'g', 'a', 'i', 't', 'p', 'a', 'c', 'k'};
inline constexpr std::uint32_t pack_version = 5;
inline constexpr std::uint32_t pack_byte_order = 0x01020304;

struct PackHeader {
    std::array<char, 8> magic{};
    std::uint32_t byte_order = 0; ///< reads as `pack_byte_order` where it can be played
    std::uint32_t version = 0;
    std::uint64_t bytes = 0;       ///< of the whole
    std::uint64_t checksum = 0;    ///< of all that comes after it
    std::uint64_t fingerprint = 0; ///< of the character: performers' blocks fit it
    std::uint64_t made_from = 0;   ///< of what it was made from, as its maker counts it
    std::uint64_t notes_at = 0, rows_at = 0, rows_count = 0;
};
static_assert(sizeof(PackHeader) == 72);

/// How the rotations of a clip are written.
enum class RowCoding : std::uint32_t { as_played, small };

struct PackedRows {
    std::uint64_t at = 0, bytes = 0; ///< where they stand
    std::uint64_t floats = 0;        ///< as played
    std::uint64_t content = 0;       ///< `checksum_of` the numbers as played
    RowCoding coding = RowCoding::as_played;
    std::uint32_t spare = 0;
};
static_assert(sizeof(PackedRows) == 40);

/// FNV-1a (Fowler, Noll and Vo 1991) over words of eight bytes, and over what is left in one more.
[[nodiscard]] inline std::uint64_t checksum_of(std::span<const std::byte> bytes) {
    std::uint64_t sum = 14695981039346656037ULL;
    const auto add = [&](std::uint64_t word) {
        sum = (sum ^ word) * 1099511628211ULL;
        sum ^= sum >> 32; // high bits come down, or they would never change a low one
    };
    std::size_t at = 0;
    for (; at + 8 <= bytes.size(); at += 8) {
        std::uint64_t word = 0;
        std::memcpy(&word, bytes.data() + at, 8);
        add(word);
    }
    std::uint64_t last = 0;
    if (at < bytes.size()) { std::memcpy(&last, bytes.data() + at, bytes.size() - at); }
    add(last ^ std::uint64_t(bytes.size()));
    return sum;
}

// The last of each kind of thing: what is read from a file is held against it.
constexpr ParameterKind last_of(ParameterKind /*unused*/) { return ParameterKind::signal; }
constexpr LayerMode last_of(LayerMode /*unused*/) { return LayerMode::add; }
constexpr LayerSpace last_of(LayerSpace /*unused*/) { return LayerSpace::model; }
constexpr TransitionKind last_of(TransitionKind /*unused*/) { return TransitionKind::yield; }
constexpr Ease last_of(Ease /*unused*/) { return Ease::out; }
constexpr FadeStyle last_of(FadeStyle /*unused*/) { return FadeStyle::inertial; }
constexpr PickOrder last_of(PickOrder /*unused*/) { return PickOrder::in_turn; }
constexpr ValueType last_of(ValueType /*unused*/) { return ValueType::signal; }
constexpr Operation last_of(Operation /*unused*/) { return Operation(std::uint8_t(Operation::count) - 1); }
constexpr Reading last_of(Reading /*unused*/) { return Reading::ended; }
constexpr EnterAt last_of(EnterAt /*unused*/) { return EnterAt::footfall; }
constexpr NodeKind last_of(NodeKind /*unused*/) { return NodeKind::choose; }
constexpr ParameterSource last_of(ParameterSource /*unused*/) { return ParameterSource::layer_reading; }
constexpr PartKind last_of(PartKind /*unused*/) { return PartKind::shared; }
constexpr PlaneMethod last_of(PlaneMethod /*unused*/) { return PlaneMethod::bands; }
constexpr StepTrack::Target last_of(StepTrack::Target /*unused*/) { return StepTrack::Target::scale; }

} // namespace gait::detail
