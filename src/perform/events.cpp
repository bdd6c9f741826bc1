#include "gait/events.hpp"

#include <algorithm>
#include <new>
#include <span>
#include <tuple>
#include <utility>

namespace gait {

void EventList::add(const Event& event) noexcept {
    try {
        events_.push_back(event);
    } catch (const std::bad_alloc&) { ++lost_; }
}

namespace {

/// Sorts without allocating, as a stable sort of the library would. By insertion, as long as they are few; of many,
/// those that `before` leaves alike are told apart by all they say, so that their order does not hang on the sort.
template <typename Before> void sort(std::span<Event> events, Before before) {
    constexpr std::size_t few = 64;
    if (events.size() > few) {
        const auto key = [](const Event& e) { return std::tuple(e.time, e.kind, e.what, e.state, e.clip, e.weight); };
        return std::sort(events.begin(), events.end(), [&](const Event& a, const Event& b) {
            return before(a, b) || (!before(b, a) && key(a) < key(b));
        });
    }
    for (std::size_t i = 1; i < events.size(); ++i) {
        const Event event = events[i];
        std::size_t at = i;
        for (; at > 0 && before(event, events[at - 1]); --at) { events[at] = events[at - 1]; }
        events[at] = event;
    }
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
