/// \file
/// Opens packed characters: what a game ships in the place of documents, rigs and clips. `gait pack` and `gait::pack`
/// make them.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>
#include <string>

namespace gait {

/// Why bytes cannot be opened.
enum class PackFault : std::uint8_t {
    none,
    unreadable, ///< the file cannot be read
    not_a_pack, ///< it begins otherwise
    byte_order, ///< it was packed for machines that write numbers the other way about
    version,    ///< another version of the library packed it
    cut_short,  ///< it ends before its end, or goes on after it
    damaged,    ///< it is not as it was written, or holds what cannot be played
};

/// A character, or why there is none.
struct OpenedPack {
    std::shared_ptr<const Character> character; ///< null where there is a fault
    PackFault fault = PackFault::none;
    std::string problem;         ///< the fault in a sentence that says what to do; empty where there is none
    std::uint64_t made_from = 0; ///< as its maker said (`PackOptions::made_from`)
};

/// How a pack is opened.
struct OpenOptions {
    /// Keeps the bytes for as long as the character lives, which then plays clips where they lie, if they begin on
    /// a multiple of 64 bytes. Null: what is needed of the bytes is copied, and they may go.
    std::shared_ptr<const void> keeps_bytes = {};
    /// Another character, whose clips are played in the place of those that are the same to the last bit: many casts
    /// of one set of clips hold them once.
    std::shared_ptr<const Character> shares_with = {};
};

/// Opens a packed character. Everything in it is looked at before anything is played: whatever the bytes, what opens
/// plays without harm. Never throws but std::bad_alloc.
[[nodiscard]] GAIT_API OpenedPack open(std::span<const std::byte> bytes, const OpenOptions& options = {});
/// The same from a file, which is mapped and not read: its clips are played where they lie.
[[nodiscard]] GAIT_API OpenedPack open_file(const std::filesystem::path& path,
                                            const std::shared_ptr<const Character>& shares_with = {});

} // namespace gait
