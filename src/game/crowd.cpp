#include "gait/crowd.hpp"

#include "perform/block_of.hpp"
#include "perform/fetch_ahead.hpp"

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <hwy/cache_control.h>

namespace gait {
using namespace detail;
namespace {

/// So many of a crowd are put in order at a time.
constexpr std::size_t most_sorted = 4096;

/// Members in the order in which they are advanced: those of one character follow one another, for each one's frame
/// reads much that all of them share.
class Order {
public:
    /// Of at most `most_sorted` members, those without a performer left out.
    explicit Order(std::span<const CrowdMember> members) : members_(members) {
        bool grouped = true;
        for (std::size_t i = 0; i < members.size(); ++i) {
            if (members[i].performer == nullptr) { continue; }
            order_[count_++] = std::uint16_t(i);
            if (count_ > 1 && character_of(count_ - 2) != character_of(count_ - 1)) { grouped = false; }
        }
        if (grouped) { return; }
        std::sort(order_.begin(), order_.begin() + std::ptrdiff_t(count_), [&](std::uint16_t a, std::uint16_t b) {
            const void *of_a = &members[a].performer->character(), *of_b = &members[b].performer->character();
            return of_a != of_b ? std::less<>{}(of_a, of_b) : a < b;
        });
    }

    [[nodiscard]] std::size_t size() const { return count_; }
    [[nodiscard]] const CrowdMember& operator[](std::size_t place) const { return members_[order_[place]]; }

    /// Asks for where a performer stands.
    void fetch(std::size_t place) const {
        if (place + 1 < count_) { hwy::Prefetch(&(*this)[place + 1]); }
        if (place < count_) { hwy::Prefetch((*this)[place].performer); }
    }

private:
    [[nodiscard]] const void* character_of(std::size_t place) const { return &(*this)[place].performer->character(); }

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
