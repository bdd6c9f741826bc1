#include "gait/crowd.hpp"

#include "perform/block_of.hpp"
#include "perform/fetch_ahead.hpp"

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdint>
#include <hwy/cache_control.h>

namespace gait {
using namespace detail;
namespace {

/// Where a member stands, in so many bits of a key.
constexpr unsigned place_bits = 12;
/// So many of a crowd are put in order at a time.
constexpr std::size_t most_sorted = std::size_t{1} << place_bits;

/// A number of its character's in the upper bits: sorted, those of one follow one another. That two characters share
/// one is rare, and does no harm.
std::uint32_t key_of(const CrowdMember& member, std::size_t place) {
    const auto address = std::uint64_t(reinterpret_cast<std::uintptr_t>(&member.performer->character()));
    const auto scattered = std::uint32_t((address * 0x9E3779B97F4A7C15U) >> 32U);
    return (scattered & ~std::uint32_t(most_sorted - 1)) | std::uint32_t(place);
}

/// Members in the order in which they are advanced: those of one character follow one another, for each one's frame
/// reads much that all of them share.
class Order {
public:
    /// Of at most `most_sorted` members, those without a performer left out.
    explicit Order(std::span<const CrowdMember> members) : members_(members) {
        bool grouped = true;
        for (std::size_t i = 0; i < members.size(); ++i) {
            if (members[i].performer == nullptr) { continue; }
            keys_[count_] = key_of(members[i], i);
            grouped = grouped && (count_ == 0 || (keys_[count_] ^ keys_[count_ - 1]) < most_sorted);
            ++count_;
        }
        if (!grouped) { std::sort(keys_.begin(), keys_.begin() + std::ptrdiff_t(count_)); }
    }

    [[nodiscard]] std::size_t size() const { return count_; }
    [[nodiscard]] const CrowdMember& operator[](std::size_t place) const {
        return members_[keys_[place] % most_sorted];
    }
    /// Asks for where a performer stands.
    void fetch(std::size_t place) const {
        if (place + 1 < count_) { hwy::Prefetch(&(*this)[place + 1]); }
        if (place < count_) { hwy::Prefetch((*this)[place].performer); }
    }

private:
    std::span<const CrowdMember> members_;
    std::array<std::uint32_t, most_sorted> keys_; // NOLINT: only the first `count_` hold anything
    std::size_t count_ = 0;
};

/// What a member's frame reads is fetched while the one before has its own.
template <typename Fetch> void fetch_for(const Order& order, std::size_t place, Fetch fetch) {
    if (place >= order.size()) { return; }
    const CrowdMember& member = order[place];
    fetch(member.performer->character().data(), block_of(*member.performer), member.pose || !member.skinning.empty());
}

void advance_in_order(const Order& order) {
    for (std::size_t place = 0; place < order.size(); ++place) {
        const CrowdMember& member = order[place];
        order.fetch(place + 2);
        fetch_for(order, place + 1, fetch_what_all_read);
        if (member.events != nullptr) {
            member.performer->advance(member.seconds, *member.events);
        } else {
            member.performer->advance(member.seconds);
        }
        fetch_for(order, place + 1, fetch_what_it_reads);
        if (!member.skinning.empty()) {
            member.performer->skinning_matrices(member.skinning);
        } else if (member.pose) {
            member.performer->pose({});
        }
    }
}

} // namespace

void advance_all(std::span<const CrowdMember> members, const RunInParts& run) {
    const auto part = [&](std::size_t from, std::size_t to) {
        const std::size_t end = std::min(to, members.size());
        for (std::size_t first = from; first < end; first += most_sorted) {
            advance_in_order(Order(members.subspan(first, std::min(most_sorted, end - first))));
        }
    };
    if (run) {
        run(members.size(), part);
    } else {
        part(0, members.size());
    }
}

} // namespace gait
