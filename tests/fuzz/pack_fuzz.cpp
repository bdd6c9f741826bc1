// Bytes as a packed character: what opens plays without harm.
#include "character/pack_format.hpp"
#include "fuzz.hpp"
#include "hostile.hpp"

#include <cstring>
#include <vector>

namespace {

/// Makes the checksum that of the bytes, so that what is behind it is looked at.
void put_right(std::vector<std::byte>& pack) {
    gait::detail::PackHeader header;
    if (pack.size() < sizeof header) { return; }
    std::memcpy(&header, pack.data(), sizeof header);
    header.bytes = pack.size();
    header.checksum =
        gait::detail::checksum_of(std::span(pack).subspan(offsetof(gait::detail::PackHeader, fingerprint)));
    std::memcpy(pack.data(), &header, sizeof header);
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size) {
    static const std::vector<std::byte> fast = gait::pack(*support::rich_character()).bytes;
    static const std::vector<std::byte> small =
        gait::pack(*support::rich_character(), {.clips = gait::ClipPacking::small}).bytes;
    // Mostly it is a good one, a few places of it changed: (where, what) by (where, what).
    support::Choices choices({bytes, size});
    std::vector<std::byte> pack = choices.one_in(2) ? fast : small;
    if (choices.one_in(16)) {
        for (std::byte& byte : pack) { byte = std::byte{choices.byte()}; }
    } else {
        for (std::size_t changes = 1 + choices.below(8); changes > 0 && !choices.ended(); --changes) {
            const std::size_t at = choices.below(pack.size());
            // Near what is there, or anything.
            pack[at] = choices.one_in(2) ? std::byte{choices.byte()}
                                         : std::byte(std::uint8_t(pack[at]) + std::uint8_t(choices.below(5)) - 2);
        }
        if (choices.one_in(16)) { pack.resize(choices.below(pack.size() + 64)); }
    }
    if (!choices.one_in(16)) { put_right(pack); }
    const gait::OpenedPack opened = gait::open(pack);
    fuzz::require((opened.character == nullptr) == (opened.fault != gait::PackFault::none));
    fuzz::require(opened.problem.empty() == (opened.fault == gait::PackFault::none));
    if (opened.character) {
        gait::Performer performer(opened.character);
        support::Choices further(static_cast<std::uint32_t>(size));
        // Numbers within bounds may still make a body that cannot be: it is enough that nothing is harmed.
        (void)support::play_hard(performer, further, 12, true);
    }
    return 0;
}
