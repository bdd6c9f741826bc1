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
constexpr std::size_t most_sorted = std::size_t{1} << 14U;
/// And into so many groups at most.
constexpr std::size_t most_groups = 1024;

/// Members in the order in which they are advanced: those of one character follow one another, for each one's frame
/// reads much that all of them share. Characters come as they stand in the crowd: where they are dealt out one beside
/// the other, what finds the memory of one member is still at hand for its neighbours.
class Order {
public:
    /// Of at most `most_sorted` members, those without a performer left out.
    explicit Order(std::span<const CrowdMember> members)
        : members_(members), groups_(std::min(std::bit_ceil(members.size() / 4 + 1), most_groups)) {
        std::fill_n(first_.begin(), groups_, nobody);
        for (std::size_t i = members.size(); i-- > 0;) {
            if (members[i].performer == nullptr) { continue; }
            const std::size_t group = group_of(members[i].performer->character());
            if (first_[group] == nobody) { after_group_[group] = std::exchange(group_, std::uint16_t(group)); }
            after_[i] = std::exchange(first_[group], std::uint16_t(i));
        }
    }

    Order(const Order&) = delete;
    Order& operator=(const Order&) = delete;

    /// The next one; null when all were taken.
    [[nodiscard]] const CrowdMember* take() {
        while (next_ == nobody) {
            if (group_ == nobody) { return nullptr; }
            next_ = first_[std::exchange(group_, after_group_[group_])];
        }
        return &members_[std::exchange(next_, after_[next_])];
    }

private:
    static constexpr std::uint16_t nobody = 0xFFFF;
    static_assert(most_sorted <= nobody);

    /// That of a character's members, found by its address. Where that is taken by those of another one, the next: that
    /// two share one is rare, and does no harm.
    [[nodiscard]] std::size_t group_of(const Character& character) const {
        const auto address = std::uint64_t(reinterpret_cast<std::uintptr_t>(&character));
        auto group = std::size_t((address * 0x9E3779B97F4A7C15U) >> 40U) % groups_;
        constexpr int most_looks = 8;
        for (int look = 0; look < most_looks; ++look, group = (group + 1) % groups_) {
            const std::uint16_t first = first_[group];
            if (first == nobody || &members_[first].performer->character() == &character) { break; }
        }
        return group;
    }

    std::span<const CrowdMember> members_;
    std::size_t groups_;
    std::uint16_t group_ = nobody; ///< which is begun next
    std::uint16_t next_ = nobody;  ///< of the one that was begun
    // NOLINTBEGIN: filled as they are needed
    std::array<std::uint16_t, most_groups> first_, after_group_; ///< of each group, and which comes after it
    std::array<std::uint16_t, most_sorted> after_;               ///< the next of its group, a member each
    // NOLINTEND
};

bool is_posed(const CrowdMember& member) { return member.pose || !member.skinning.empty(); }

void advance_in_order(std::span<const CrowdMember> members) {
    Order order(members);
    const CrowdMember* member = order.take();
    const CrowdMember *next = order.take(), *second = order.take();
    while (member != nullptr) {
        // Where those stand that come later.
        const CrowdMember* const third = order.take();
        if (third != nullptr) { hwy::Prefetch(third); }
        if (second != nullptr) { hwy::Prefetch(second->performer); }
        // What the next frame reads is fetched while this one is under way.
        Performer& performer = *member->performer;
        if (next != nullptr) { fetch_what_all_read(next->performer->character().data(), block_of(*next->performer)); }
        if (is_posed(*member)) { fetch_pose(performer.character().data(), block_of(performer)); }
        if (member->events != nullptr) {
            performer.advance(member->seconds, *member->events);
        } else {
            performer.advance(member->seconds);
        }
        if (next != nullptr) {
            fetch_what_it_reads(next->performer->character().data(), block_of(*next->performer), is_posed(*next));
        }
        if (!member->skinning.empty()) {
            performer.skinning_matrices(member->skinning);
        } else if (member->pose) {
            performer.pose({});
        }
        member = std::exchange(next, std::exchange(second, third));
    }
}

} // namespace

void advance_all(std::span<const CrowdMember> members, const RunInParts& run) {
    const auto part = [&](std::size_t from, std::size_t to) {
        const std::size_t end = std::min(to, members.size());
        for (std::size_t first = from; first < end; first += most_sorted) {
            advance_in_order(members.subspan(first, std::min(most_sorted, end - first)));
        }
    };
    if (run) {
        run(members.size(), part);
    } else {
        part(0, members.size());
    }
}

} // namespace gait
