/// The lamplighter who ships, in crowds and in less detail: what one of many takes against one alone.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace bench {

/// Some performers strolling, an input set in each frame.
struct CrowdRow {
    std::size_t performers = 1;
    std::size_t casts = 1; ///< characters among which they are dealt: packs of one set of clips, which they share
    bool mixed = false;    ///< neighbours are of unlike characters
    std::size_t threads = 1;
    bool matrices = false;    ///< their skinning matrices are made as well
    double nanoseconds = 0;   ///< a performer and a frame, times the threads; the least of several runs
    double over_single = 0;   ///< against one that is alone
    double bytes_touched = 0; ///< a performer: its block, and what of its clips a frame reads
    double lines_changed = 0; ///< cache lines of its block that a frame writes
    double lines_only_read = 0;
    double over_beside_lines = 0; ///< against one alone that reads and writes those of each beside its own frames
};

/// One strolling performer in less detail.
struct DetailRow {
    std::string name;
    double nanoseconds = 0; ///< a frame with skinning matrices
    double instead_of = 0;  ///< the same in full detail
};

/// `casts` are opened for the rows that need as many.
[[nodiscard]] std::vector<CrowdRow> crowd_rows(const std::filesystem::path& demo);
[[nodiscard]] std::vector<DetailRow> detail_rows(const std::filesystem::path& demo);

} // namespace bench
