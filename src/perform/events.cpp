#include "gait/events.hpp"

#include <algorithm>
#include <new>

namespace gait {

void EventList::add(const Event& event) noexcept {
    try {
        events_.push_back(event);
    } catch (const std::bad_alloc&) { ++lost_; }
}

void EventList::sort_from(std::size_t first) noexcept {
    // By insertion: there are few, and a stable sort of the library would allocate.
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
