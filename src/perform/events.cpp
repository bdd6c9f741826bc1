#include "gait/events.hpp"

#include <algorithm>
#include <new>
#include <tuple>

namespace gait {

void EventList::add(const Event& event) noexcept {
    try {
        events_.push_back(event);
    } catch (const std::bad_alloc&) { ++lost_; }
}

void EventList::sort_from(std::size_t first) noexcept {
    constexpr std::size_t few = 64;
    if (events_.size() > first + few) {
        // Those at one instant are told apart by all they say, so that their order does not hang on the sort.
        const auto key = [](const Event& e) { return std::tuple(e.time, e.kind, e.what, e.state, e.clip, e.weight); };
        return std::sort(events_.begin() + std::ptrdiff_t(first), events_.end(),
                         [&](const Event& a, const Event& b) { return key(a) < key(b); });
    }
    // By insertion: they are few, and a stable sort of the library would allocate.
    for (std::size_t i = first + 1; i < events_.size(); ++i) {
        const Event event = events_[i];
        std::size_t at = i;
        const auto before = [&](const Event& other) {
            return event.time < other.time || (event.time == other.time && event.kind < other.kind);
        };
        for (; at > first && before(events_[at - 1]); --at) { events_[at] = events_[at - 1]; }
        events_[at] = event;
    }
}

} // namespace gait
