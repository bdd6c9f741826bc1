#include "gait/crowd.hpp"

#include "perform/block_of.hpp"
#include "perform/fetch_ahead.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cstddef>
#include <cstdint>
#include <hwy/cache_control.h>
#include <utility>

namespace gait {
using namespace detail;
namespace {

/// So many of a crowd are put in order at a time.
constexpr std::size_t most_sorted = 4096;
/// And into so many groups at most.
constexpr std::size_t most_groups = most_sorted / 4;

/// Members in the order in which they are advanced: those of one character follow one another, for each one's frame
/// reads much that all of them share.
class Order {
public:
    /// Of at most `most_sorted` members, those without a performer left out.
    explicit Order(std::span<const CrowdMember> members) : members_(members) {
        // Each goes into a group by its character's address. That two characters share one is rare, and does no harm.
        const std::size_t groups = std::min(std::bit_ceil(members.size() / 4 + 1), most_groups);
        std::array<std::uint16_t, most_sorted> group; // NOLINT: of those that have one
        std::array<std::uint16_t, most_groups> place; // NOLINT: where the next of each group goes
        std::fill_n(place.begin(), groups, std::uint16_t{0});
        for (std::size_t i = 0; i < members.size(); ++i) {
            if (members[i].performer == nullptr) { continue; }
            group[i] = std::uint16_t(scattered(&members[i].performer->character()) % groups);
            ++place[group[i]];
        }
        for (std::size_t g = 0; g < groups; ++g) { place[g] = std::uint16_t(std::exchange(count_, count_ + place[g])); }
        for (std::size_t i = 0; i < members.size(); ++i) {
            if (members[i].performer != nullptr) { order_[place[group[i]]++] = std::uint16_t(i); }
        }
    }

    [[nodiscard]] std::size_t size() const { return count_; }
    [[nodiscard]] const CrowdMember& operator[](std::size_t place) const { return members_[order_[place]]; }
    /// Asks for where a performer stands.
    void fetch(std::size_t place) const {
        if (place + 1 < count_) { hwy::Prefetch(&(*this)[place + 1]); }
        if (place < count_) { hwy::Prefetch((*this)[place].performer); }
    }

private:
    /// A number of a character's own.
    static std::size_t scattered(const Character* character) {
        return std::size_t((std::uint64_t(reinterpret_cast<std::uintptr_t>(character)) * 0x9E3779B97F4A7C15U) >> 40U);
    }

    std::span<const CrowdMember> members_;
    std::array<std::uint16_t, most_sorted> order_; // NOLINT: only the first `count_` hold anything
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
