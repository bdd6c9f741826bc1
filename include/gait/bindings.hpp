/// \file
/// What a game ties to its performers once: where parameters come from, and who hears of events.
#pragma once

#include "gait/api.hpp"
#include "gait/character.hpp"
#include "gait/events.hpp"
#include "gait/no_index.hpp"
#include "gait/performer.hpp"

#include <functional>
#include <string_view>
#include <vector>

namespace gait {

/// Getters and callbacks of one character, held outside its performers: those stay plain bytes. One `Bindings` serves
/// one performer, or several whose getters are told apart by what they capture. Not to be changed while it advances.
///
///     gait::Bindings bindings(*character);
///     bindings.number("speed", [&] { return body.ground_speed(); });
///     bindings.on_mark("left_down", [&](const gait::Event& e) { sounds.step(e.weight); });
///     bindings.advance(performer, dt);
class GAIT_API Bindings {
public:
    /// For performers of `character`, which must outlive it.
    explicit Bindings(const Character& character) : character_(&character) {}

    /// Asks `get` for a number or angle before each step. False when there is no such parameter, it is computed, or
    /// `get` is empty.
    bool number(std::string_view name, std::function<float()> get);
    /// The same for a flag.
    bool flag(std::string_view name, std::function<bool()> get);
    /// The same for a choice, by the names of its values.
    bool choice(std::string_view name, std::function<std::string_view()> get);
    /// Sends a signal in each step before which `sent` says so.
    bool signal(std::string_view name, std::function<bool()> sent);

    /// Called for each event.
    void on_event(std::function<void(const Event&)> call);
    /// Called as a clip passes a mark of that name. False when no clip has one.
    bool on_mark(std::string_view name, std::function<void(const Event&)> call);
    /// Called as a span of that name begins and ends. False when no clip has one.
    bool on_span(std::string_view name, std::function<void(const Event&)> call);
    /// Called as a state is entered. False when there is none.
    bool on_enter(std::string_view state, std::function<void(const Event&)> call);
    /// Called as a state is left. False when there is none.
    bool on_leave(std::string_view state, std::function<void(const Event&)> call);

    /// Asks the getters, advances the performer, and makes the calls, in the order of the events. What a call sets on
    /// the performer counts in the next step. False as by `Performer::advance`; and, counted as a refused step, for a
    /// performer of another character.
    bool advance(Performer& performer, double seconds);

    /// What happened in the last step.
    [[nodiscard]] const EventList& events() const { return events_; }

private:
    struct Getter {
        std::uint16_t parameter = 0;
        std::function<void(Performer&, std::uint16_t)> set;
    };
    struct Listener {
        EventKind kind = EventKind::mark;
        bool every = false; ///< any kind, whatever it is about
        std::uint16_t about = no_index;
        std::function<void(const Event&)> call;
    };
    bool add(std::uint16_t parameter, std::function<void(Performer&, std::uint16_t)> set);
    bool listen(EventKind kind, std::uint16_t about, std::function<void(const Event&)> call);

    const Character* character_;
    std::vector<Getter> getters_;
    std::vector<Listener> listeners_;
    EventList events_;
};

} // namespace gait
