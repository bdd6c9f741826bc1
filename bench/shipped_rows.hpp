/// The documents that ship, played by their own cue sheets: what their frames take, beside the bare kernels of what is
/// mixed in each of them and beside a textbook that mixes the same.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace bench {

/// Nanoseconds of a row's frames, each the least of several runs.
struct ShippedRow {
    std::string name;
    std::size_t frames = 0;
    double mean = 0, ninety_ninth = 0, worst = 0; ///< of our frames; the second is the 99th percentile
    double advance = 0;                           ///< `advance` alone, on the mean: no inputs are set, no pose made
    double worst_over_second = 0;                 ///< the dearest frame against the mean of the second around it
    double again_over_second = 0; ///< the same frame, when it has just been done a hundred times: what it takes where
                                  ///< its code is at hand, which what falls once a second never has
    double floor = 0;             ///< the kernels alone, on the mean
    double textbook = 0;          ///< on the mean
};

/// Plays `demo`'s lamplighter standing, strolling, strolling with her feet planted, on her round and through her
/// evening, and the crossing.
[[nodiscard]] std::vector<ShippedRow> shipped_rows(const std::filesystem::path& demo);

} // namespace bench
