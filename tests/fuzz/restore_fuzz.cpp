// Bytes as a stored block: what is taken over plays on.
#include "fuzz.hpp"
#include "hostile.hpp"

#include <algorithm>
#include <vector>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    static const gait::Performer played = [] {
        gait::Performer performer(support::rich_character());
        support::Choices choices(8);
        (void)support::play_hard(performer, choices, 60, false);
        return performer;
    }();
    // Mostly it is a block that was played, a few places of it changed: (where, what) by (where, what).
    std::vector<std::byte> block(played.bytes().begin(), played.bytes().end());
    support::Choices choices({bytes, size});
    const bool whole = choices.one_in(8);
    if (whole) {
        for (std::byte& byte : block) { byte = std::byte{choices.byte()}; }
    } else {
        for (std::size_t changes = 1 + choices.below(8); changes > 0 && !choices.ended(); --changes) {
            block[choices.below(block.size())] = std::byte{choices.byte()};
        }
    }
    gait::Performer performer(support::rich_character());
    if (performer.restore(block)) {
        support::Choices further(static_cast<std::uint32_t>(size));
        fuzz::require(support::play_hard(performer, further, 8, false).empty());
    }
    return 0;
}
