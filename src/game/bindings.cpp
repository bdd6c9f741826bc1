#include "gait/bindings.hpp"

#include <algorithm>

namespace gait {
namespace {

std::uint16_t index_of(std::span<const KeptText> names, std::string_view name) {
    const auto found = std::find(names.begin(), names.end(), name);
    return found == names.end() ? no_index : std::uint16_t(found - names.begin());
}

bool is_about_state(EventKind kind) {
    return kind == EventKind::finished || kind == EventKind::left || kind == EventKind::entered;
}

} // namespace

bool Bindings::add(std::uint16_t parameter, std::function<void(Performer&, std::uint16_t)> set) {
    if (parameter >= character_->parameters().size() || character_->parameters()[parameter].computed) { return false; }
    getters_.push_back({parameter, std::move(set)});
    return true;
}

bool Bindings::number(std::string_view name, std::function<float()> get) {
    return get &&
           add(character_->number(name).index, [get = std::move(get)](Performer& performer, std::uint16_t parameter) {
               performer.set(NumberParameter{parameter}, get());
           });
}

bool Bindings::flag(std::string_view name, std::function<bool()> get) {
    return get &&
           add(character_->flag(name).index, [get = std::move(get)](Performer& performer, std::uint16_t parameter) {
               performer.set(FlagParameter{parameter}, get());
           });
}

bool Bindings::choice(std::string_view name, std::function<std::string_view()> get) {
    return get &&
           add(character_->choice(name).index, [get = std::move(get)](Performer& performer, std::uint16_t parameter) {
               performer.set(ChoiceParameter{parameter}, get());
           });
}

bool Bindings::signal(std::string_view name, std::function<bool()> sent) {
    return sent &&
           add(character_->signal(name).index, [sent = std::move(sent)](Performer& performer, std::uint16_t parameter) {
               if (sent()) { performer.send(SignalParameter{parameter}); }
           });
}

void Bindings::on_event(std::function<void(const Event&)> call) {
    if (call) { listeners_.push_back({EventKind::mark, true, no_index, std::move(call)}); }
}

bool Bindings::listen(EventKind kind, std::uint16_t about, std::function<void(const Event&)> call) {
    if (about == no_index || !call) { return false; }
    listeners_.push_back({kind, false, about, std::move(call)});
    return true;
}

bool Bindings::on_mark(std::string_view name, std::function<void(const Event&)> call) {
    return listen(EventKind::mark, index_of(character_->marks(), name), std::move(call));
}

bool Bindings::on_span(std::string_view name, std::function<void(const Event&)> call) {
    const std::uint16_t span = index_of(character_->spans(), name);
    return listen(EventKind::span_begun, span, call) && listen(EventKind::span_ended, span, std::move(call));
}

bool Bindings::on_enter(std::string_view state, std::function<void(const Event&)> call) {
    return listen(EventKind::entered, character_->state(state).index, std::move(call));
}

bool Bindings::on_leave(std::string_view state, std::function<void(const Event&)> call) {
    return listen(EventKind::left, character_->state(state).index, std::move(call));
}

bool Bindings::advance(Performer& performer, double seconds) {
    // Another character's parameters are others, whatever their numbers: a step that cannot be is counted.
    if (&performer.character() != character_) { return performer.advance(-1, events_); }
    for (const Getter& getter : getters_) { getter.set(performer, getter.parameter); }
    const bool advanced = performer.advance(seconds, events_);
    for (const Event& event : events_.events()) {
        for (const Listener& listener : listeners_) {
            const std::uint16_t about = is_about_state(event.kind) ? event.state : event.what;
            if (listener.every || (listener.kind == event.kind && listener.about == about)) { listener.call(event); }
        }
    }
    return advanced;
}

} // namespace gait
