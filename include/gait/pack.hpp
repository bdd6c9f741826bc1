/// \file
/// Packs a compiled character into one block of bytes, which the runtime opens by itself (gait/open.hpp).
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/clip_packing.hpp"

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace gait {

/// What is packed, and how.
struct PackOptions {
    /// Leaves out what only people and checks read: places in the document, conditions in words, notes, units. Names
    /// stay, for a game finds its handles by them.
    bool strip = false;
    ClipPacking clips = ClipPacking::fast;
    double tolerance = 0.1;      ///< millimetres that a joint of a small clip may be off in model space
    std::uint64_t made_from = 0; ///< what the maker counts its sources by; `OpenedPack::made_from` gives it back
};

/// What became of a clip.
struct PackedClip {
    std::string name;
    std::size_t bytes_as_played = 0;
    std::size_t bytes = 0;        ///< in the pack
    double worst_millimetres = 0; ///< the most that a joint is off, in model space; 0 for a fast pack
};

/// A packed character.
struct Packed {
    std::vector<std::byte> bytes;
    std::vector<PackedClip> clips; ///< one each, and after them what is added to others
};

/// Packs a character. The same character gives the same bytes on every run and machine.
[[nodiscard]] GAIT_API Packed pack(const Character& character, const PackOptions& options = {});

} // namespace gait
