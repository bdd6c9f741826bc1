#include "gait/state_changes.hpp"

#include "perform/blend_layers.hpp"
#include "perform/block_of.hpp"

#include <algorithm>
#include <cstdint>
#include <cstring>

namespace gait {
using namespace detail;
namespace {

// Changes are: a sum of four bytes over what they lead from and to, then for each run of bytes that differ how many
// before it do not, how many do, and those. Counts are seven bits a byte, the lowest first; the eighth says that more
// follow.

constexpr std::size_t sum_bytes = 4;

/// Bytes that stand for the state: all but the pose, which is last.
std::size_t state_bytes(const Performer& performer) { return performer.character().data().layout.pose; }

/// FNV-1a (Fowler, Noll and Vo 1991), 32 bits.
std::uint32_t sum_of(std::span<const std::byte> a, std::span<const std::byte> b) {
    std::uint32_t sum = 2166136261U;
    for (const auto part : {a, b}) {
        for (const std::byte byte : part) { sum = (sum ^ std::uint32_t(byte)) * 16777619U; }
    }
    return sum;
}

void put_count(std::vector<std::byte>& out, std::size_t count) {
    for (; count >= 128; count >>= 7) { out.push_back(std::byte(count & 127U) | std::byte{128}); }
    out.push_back(std::byte(count));
}

/// Takes a count off the front; false where there is none.
bool take_count(std::span<const std::byte>& from, std::size_t& count) {
    count = 0;
    for (unsigned shift = 0; shift < 35; shift += 7) {
        if (from.empty()) { return false; }
        const auto byte = std::size_t(from.front());
        from = from.subspan(1);
        count |= (byte & 127U) << shift;
        if (byte < 128) { return true; }
    }
    return false;
}

} // namespace

std::vector<std::byte> changes_since(const Performer& performer, std::span<const std::byte> earlier) {
    if (performer.fault_of(earlier) != SnapshotFault::none) { return {}; }
    Performer as_played = performer;
    as_played.unbend_legs();
    const std::size_t count = state_bytes(performer);
    const auto from = earlier.first(count), to = as_played.bytes().first(count);
    std::vector<std::byte> out(sum_bytes);
    const std::uint32_t sum = sum_of(from, to);
    std::memcpy(out.data(), &sum, sum_bytes);
    for (std::size_t at = 0, last = 0; at < count;) {
        if (from[at] == to[at]) {
            ++at;
            continue;
        }
        std::size_t end = at + 1;
        // One byte that is alike costs less than another run.
        constexpr std::size_t apart = 2;
        for (std::size_t same = 0; end + same < count && same <= apart;) {
            if (from[end + same] == to[end + same]) {
                ++same;
            } else {
                end += same + 1;
                same = 0;
            }
        }
        put_count(out, at - last);
        put_count(out, end - at);
        out.insert(out.end(), to.begin() + std::ptrdiff_t(at), to.begin() + std::ptrdiff_t(end));
        at = last = end;
    }
    return out;
}

bool apply_changes(Performer& performer, std::span<const std::byte> earlier, std::span<const std::byte> changes) {
    if (performer.fault_of(earlier) != SnapshotFault::none || changes.size() < sum_bytes) { return false; }
    const std::size_t count = state_bytes(performer);
    std::vector<std::byte> state(earlier.begin(), earlier.end());
    std::uint32_t sum = 0;
    std::memcpy(&sum, changes.data(), sum_bytes);
    changes = changes.subspan(sum_bytes);
    for (std::size_t at = 0; !changes.empty();) {
        std::size_t alike = 0, run = 0;
        if (!take_count(changes, alike) || !take_count(changes, run) || alike > count - at ||
            run > count - at - alike || run > changes.size()) {
            return false;
        }
        at += alike;
        std::copy_n(changes.begin(), run, state.begin() + std::ptrdiff_t(at));
        changes = changes.subspan(run);
        at += run;
    }
    if (sum != sum_of(earlier.first(count), std::span(state).first(count)) || !performer.restore(state)) {
        return false;
    }
    evaluate_pose(performer.character().data(), block_of(performer));
    return true;
}

} // namespace gait
