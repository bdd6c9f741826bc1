#include "gait/events.hpp"

#include <algorithm>
#include <cstddef>
#include <new>
#include <span>
#include <utility>

namespace gait {

void EventList::add(const Event& event) noexcept {
    try {
        events_.push_back(event);
    } catch (const std::bad_alloc&) { ++lost_; }
}

namespace {

/// Merges the stretches before and from `middle` on, each in order: the middle of the longer finds its place in the
/// other, and what lies between changes sides by a rotation (Dudzinski and Dydek 1981).
template <typename Before> void merge(std::span<Event> events, std::size_t middle, Before before) {
    if (middle == 0 || middle == events.size() || !before(events[middle], events[middle - 1])) { return; }
    if (events.size() == 2) { return std::swap(events[0], events[1]); }
    const auto begin = events.begin(), between = begin + std::ptrdiff_t(middle);
    auto left = begin, right = between;
    if (middle > events.size() - middle) {
        left += std::ptrdiff_t(middle / 2);
        right = std::lower_bound(between, events.end(), *left, before);
    } else {
        right += std::ptrdiff_t((events.size() - middle) / 2);
        left = std::upper_bound(begin, between, *right, before);
    }
    const auto first = std::size_t(left - begin), last = std::size_t(right - begin), moved = last - middle;
    std::rotate(left, between, right);
    merge(events.first(first + moved), first, before);
    merge(events.subspan(first + moved), middle - first, before);
}

/// Sorts and leaves alike ones in order, as a stable sort of the library does, but without allocating.
template <typename Before> void sort(std::span<Event> events, Before before) {
    if (events.size() < 2) { return; }
    const std::size_t middle = events.size() / 2;
    sort(events.first(middle), before);
    sort(events.subspan(middle), before);
    merge(events, middle, before);
}

} // namespace

void EventList::sort_from(std::size_t first) noexcept {
    sort(std::span(events_).subspan(first),
         [](const Event& a, const Event& b) { return std::pair(a.time, a.kind) < std::pair(b.time, b.kind); });
}

void EventList::sort_by_time() noexcept {
    sort(std::span(events_), [](const Event& a, const Event& b) { return a.time < b.time; });
}

} // namespace gait
