// Calls of a performer's whole face in any order, with any arguments.
#include "fuzz.hpp"
#include "hostile.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    static const gait::Performer fresh(support::rich_character());
    gait::Performer performer = fresh;
    support::Choices choices({bytes, size});
    fuzz::require(support::play_hard(performer, choices, 24, true).empty());
    return 0;
}
