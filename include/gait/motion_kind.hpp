/// \file
/// What a motion may be made of.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <string_view>

namespace gait {

/// A clip or a named motion; a blend space; motions by weights; one added to another; several in turn; one of several;
/// or nothing, which lets the layers below show.
enum class MotionKind : std::uint8_t { clip, blend, mix, add, pick, choose, nothing };

/// A row of `motion_kinds`.
struct MotionKindInfo {
    MotionKind kind = MotionKind::clip;
    std::string_view key;      ///< as a document writes it; of `nothing` the word that is played
    std::string_view to_write; ///< with what belongs to it, for messages
    bool plays_clips = false; ///< it has a rate and keeps step; it may stand inside a blend space, a mix or an addition
};

/// A row for each kind, in their order.
inline constexpr std::array<MotionKindInfo, 7> motion_kinds{{
    {MotionKind::clip, "clip", "'clip: NAME'", true},
    {MotionKind::blend, "blend", "'blend: PARAMETER' with 'points'", true},
    {MotionKind::mix, "mix", "'mix'", true},
    {MotionKind::add, "add", "'add'", true},
    {MotionKind::pick, "pick", "'pick'", false},
    {MotionKind::choose, "choose", "'choose'", false},
    {MotionKind::nothing, "nothing", "'nothing'", false},
}};

/// The row of a kind.
[[nodiscard]] constexpr const MotionKindInfo& info_of(MotionKind kind) { return motion_kinds[std::size_t(kind)]; }

} // namespace gait
