/// \file
/// What happened in a frame: states entered, left and finished, marks passed, spans begun and ended.
#pragma once

#include "gait/api.hpp"
#include "gait/no_index.hpp"

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace gait {

/// What an event tells. At one instant spans end, then marks are passed, then spans begin, then a state is finished,
/// left and entered: what went on before what comes.
enum class EventKind : std::uint8_t { span_ended, mark, span_begun, finished, left, entered };

/// One thing that happened.
struct Event {
    double time = 0; ///< seconds since the performer's start or reset
    EventKind kind = EventKind::mark;
    std::uint16_t what = no_index; ///< of a mark or span: an index into `Character::marks()` or `spans()`
    std::uint16_t state = 0;       ///< an index into `Character::states()`: whose motion it is, or what was entered
    std::uint16_t clip = no_index; ///< of a mark or span: an index into `Character::clips()`
    float weight = 1;              ///< of a mark or span: its clip's share of the pose at that instant, 0 to 1
};

/// The events of one step, in order of time. A game keeps one and hands it to `Performer::advance`, which empties it
/// first. It allocates when it is made, and again only for a step with more events than ever before.
class GAIT_API EventList {
public:
    /// Room for `capacity` events without allocating. Throws std::bad_alloc without memory.
    explicit EventList(std::size_t capacity = 64) { events_.reserve(capacity); }

    /// What happened, in order.
    [[nodiscard]] std::span<const Event> events() const { return events_; }
    /// How many could not be kept for want of memory, since it was made.
    [[nodiscard]] std::size_t lost() const { return lost_; }
    /// Empties it; keeps its room.
    void clear() { events_.clear(); }

    /// Adds one. Throws nothing.
    void add(const Event& event) noexcept;
    /// Puts the events from `first` on in order of time, and at one time in the order of their kinds.
    void sort_from(std::size_t first) noexcept;
    /// Puts all in order of time; those of one time stay in the order in which they were added.
    void sort_by_time() noexcept;

private:
    std::vector<Event> events_;
    std::size_t lost_ = 0;
};

} // namespace gait
