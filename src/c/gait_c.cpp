#include "gait/character.hpp"
#include "gait/gait.h"

#include "gait/events.hpp"
#include "gait/open.hpp"
#include "gait/performer.hpp"
#include "gait/refused_call.hpp"

#include <algorithm>
#include <cstring>
#include <exception>
#include <new>
#include <string>

static_assert(sizeof(gait_transform) == sizeof(gait::Transform) && sizeof(gait::Matrix4) == 16 * sizeof(float));
static_assert(GAIT_ENTERED == int(gait::EventKind::entered) && GAIT_NOTHING == gait::no_index);

struct gait_character {
    std::shared_ptr<const gait::Character> held;
};
struct gait_performer {
    explicit gait_performer(const std::shared_ptr<const gait::Character>& character) : performer(character) {}
    gait::Performer performer;
    gait::EventList events; ///< of the step that was told last
};

namespace {

std::string& problem() {
    thread_local std::string text;
    return text;
}

gait_result fail(gait_result result, const char* why) {
    try {
        problem() = why;
    } catch (const std::exception&) { problem().clear(); }
    return result;
}

/// Runs what may throw; nothing gets out.
template <typename Work> gait_result guarded(Work work) {
    try {
        return work();
    } catch (const std::bad_alloc&) {
        return fail(GAIT_NO_MEMORY, "there is not enough memory");
    } catch (const std::exception& thrown) { return fail(GAIT_REFUSED, thrown.what()); } catch (...) {
        return fail(GAIT_REFUSED, "something went wrong");
    }
}

gait_result refuse_null() { return fail(GAIT_REFUSED, "a pointer is null"); }

/// The answer of a call that takes or refuses.
gait_result answer(bool taken, const char* why) { return taken ? GAIT_OK : fail(GAIT_REFUSED, why); }

gait_result result_of(gait::PackFault fault) {
    switch (fault) {
    case gait::PackFault::none:
        return GAIT_OK;
    case gait::PackFault::unreadable:
        return GAIT_UNREADABLE;
    case gait::PackFault::not_a_pack:
    case gait::PackFault::byte_order:
    case gait::PackFault::version:
        return GAIT_NOT_A_PACK;
    case gait::PackFault::cut_short:
    case gait::PackFault::damaged:
        break;
    }
    return GAIT_DAMAGED;
}

gait_result give(const gait::OpenedPack& opened, gait_character** out) {
    if (!opened.character) { return fail(result_of(opened.fault), opened.problem.c_str()); }
    *out = new gait_character{opened.character};
    return GAIT_OK;
}

/// What `find(character, name)` finds.
template <typename Find> gait_handle found(const gait_character* character, const char* name, Find find) {
    if (character == nullptr || name == nullptr) { return GAIT_NOTHING; }
    gait_handle handle = GAIT_NOTHING;
    guarded([&] {
        handle = find(*character->held, name).index;
        return GAIT_OK;
    });
    return handle;
}

template <typename List> const char* name_at(const List& list, std::size_t index) {
    return index < list.size() ? list[index].c_str() : nullptr;
}

/// Asks a performer for something that has a place for each joint.
template <typename Fill> gait_result filled(const gait_performer* performer, const void* out, size_t room, Fill fill) {
    if (performer == nullptr || out == nullptr) { return refuse_null(); }
    if (room < performer->performer.character().joint_count()) {
        return fail(GAIT_REFUSED, "there is room for fewer joints than the rig has");
    }
    fill(performer->performer, performer->performer.character().joint_count());
    return GAIT_OK;
}

template <typename Handle> Handle handle_of(gait_handle index) {
    Handle handle;
    handle.index = index;
    return handle;
}

/// Calls `work` on a performer, if there is one.
template <typename Work> gait_result asked(gait_performer* performer, const char* why, Work work) {
    if (performer == nullptr) { return refuse_null(); }
    return guarded([&] { return answer(work(performer->performer), why); });
}

} // namespace

const char* gait_problem(void) { return problem().c_str(); }

gait_result gait_open(const void* bytes, size_t count, gait_character** out) {
    if (bytes == nullptr || out == nullptr) { return refuse_null(); }
    return guarded([&] { return give(gait::open({static_cast<const std::byte*>(bytes), count}), out); });
}

gait_result gait_open_file(const char* path, gait_character** out) { return gait_open_file_like(path, nullptr, out); }

gait_result gait_open_file_like(const char* path, const gait_character* other, gait_character** out) {
    if (path == nullptr || out == nullptr) { return refuse_null(); }
    return guarded([&] { return give(gait::open_file(path, other == nullptr ? nullptr : other->held), out); });
}

void gait_close(gait_character* character) { delete character; }

size_t gait_joint_count(const gait_character* character) {
    return character == nullptr ? 0 : character->held->joint_count();
}
const char* gait_joint_name(const gait_character* character, size_t joint) {
    if (character == nullptr || joint >= character->held->joint_count()) { return nullptr; }
    return character->held->rig().joints[joint].name.c_str();
}
int32_t gait_joint_parent(const gait_character* character, size_t joint) {
    if (character == nullptr || joint >= character->held->joint_count()) { return -1; }
    return character->held->rig().joints[joint].parent;
}

gait_handle gait_find_number(const gait_character* character, const char* name) {
    return found(character, name, [](const gait::Character& c, const char* n) { return c.number(n); });
}
gait_handle gait_find_flag(const gait_character* character, const char* name) {
    return found(character, name, [](const gait::Character& c, const char* n) { return c.flag(n); });
}
gait_handle gait_find_choice(const gait_character* character, const char* name) {
    return found(character, name, [](const gait::Character& c, const char* n) { return c.choice(n); });
}
gait_handle gait_find_signal(const gait_character* character, const char* name) {
    return found(character, name, [](const gait::Character& c, const char* n) { return c.signal(n); });
}
gait_handle gait_find_state(const gait_character* character, const char* name) {
    return found(character, name, [](const gait::Character& c, const char* n) { return c.state(n); });
}
gait_handle gait_find_one_shot(const gait_character* character, const char* name) {
    return found(character, name, [](const gait::Character& c, const char* n) { return c.one_shot(n); });
}
gait_handle gait_find_number_value(const gait_character* character, const char* name) {
    return found(character, name, [](const gait::Character& c, const char* n) { return c.number_value(n); });
}
gait_handle gait_find_flag_value(const gait_character* character, const char* name) {
    return found(character, name, [](const gait::Character& c, const char* n) { return c.flag_value(n); });
}
gait_handle gait_find_choice_value(const gait_character* character, const char* name) {
    return found(character, name, [](const gait::Character& c, const char* n) { return c.choice_value(n); });
}

const char* gait_state_name(const gait_character* character, gait_handle state) {
    if (character == nullptr || state >= character->held->states().size()) { return nullptr; }
    return character->held->states()[state].name.c_str();
}
const char* gait_mark_name(const gait_character* character, gait_handle mark) {
    return character == nullptr ? nullptr : name_at(character->held->marks(), mark);
}
const char* gait_span_name(const gait_character* character, gait_handle span) {
    return character == nullptr ? nullptr : name_at(character->held->spans(), span);
}

gait_result gait_create(const gait_character* character, gait_performer** out) {
    if (character == nullptr || out == nullptr) { return refuse_null(); }
    return guarded([&] {
        *out = new gait_performer(character->held);
        return GAIT_OK;
    });
}
void gait_destroy(gait_performer* performer) { delete performer; }
gait_result gait_copy(gait_performer* to, const gait_performer* from) {
    if (to == nullptr || from == nullptr) { return refuse_null(); }
    return guarded([&] {
        to->performer = from->performer;
        return GAIT_OK;
    });
}
void gait_reset(gait_performer* performer) {
    if (performer != nullptr) { performer->performer.reset(); }
}
void gait_set_seed(gait_performer* performer, uint64_t seed) {
    if (performer != nullptr) { performer->performer.set_seed(seed); }
}
gait_result gait_set_scale(gait_performer* performer, float scale) {
    return asked(performer, "a scale is 0.001 to 1000", [&](gait::Performer& p) { return p.set_scale(scale); });
}
gait_result gait_set_detail(gait_performer* performer, size_t joints, unsigned every) {
    return asked(
        performer,
        "a pose is made of a joint at least, every 1 to 8 steps; less than all where the document has 'details'",
        [&](gait::Performer& p) {
            return p.set_detail({joints, every});
        });
}

gait_result gait_set_number(gait_performer* performer, gait_handle parameter, float value) {
    return asked(performer, "no such number or angle, or a value that is no number",
                 [&](gait::Performer& p) { return p.set(handle_of<gait::NumberParameter>(parameter), value); });
}
gait_result gait_set_flag(gait_performer* performer, gait_handle parameter, int value) {
    return asked(performer, "no such flag",
                 [&](gait::Performer& p) { return p.set(handle_of<gait::FlagParameter>(parameter), value != 0); });
}
gait_result gait_set_choice(gait_performer* performer, gait_handle parameter, const char* value) {
    if (value == nullptr) { return refuse_null(); }
    return asked(performer, "no such choice, or no such word of it", [&](gait::Performer& p) {
        return p.set(handle_of<gait::ChoiceParameter>(parameter), std::string_view(value));
    });
}
gait_result gait_send(gait_performer* performer, gait_handle signal) {
    return asked(performer, "no such signal",
                 [&](gait::Performer& p) { return p.send(handle_of<gait::SignalParameter>(signal)); });
}
gait_result gait_play_once(gait_performer* performer, gait_handle one_shot) {
    return asked(performer, "no such one-shot",
                 [&](gait::Performer& p) { return p.play_once(handle_of<gait::OneShotHandle>(one_shot)); });
}
gait_result gait_enter(gait_performer* performer, gait_handle state, double fade) {
    return asked(performer, "no such state, or a fade that is not 0 to 60 seconds",
                 [&](gait::Performer& p) { return p.enter(handle_of<gait::StateHandle>(state), fade); });
}

gait_result gait_advance(gait_performer* performer, double seconds) {
    return asked(performer, "a step is 0 to 3600 seconds", [&](gait::Performer& p) { return p.advance(seconds); });
}
gait_result gait_advance_and_tell(gait_performer* performer, double seconds, gait_event* events, size_t room,
                                  size_t* count) {
    if (performer == nullptr || (events == nullptr && room > 0)) { return refuse_null(); }
    gait::EventList& list = performer->events;
    const gait_result result =
        asked(performer, "a step is 0 to 3600 seconds", [&](gait::Performer& p) { return p.advance(seconds, list); });
    const auto told = list.events();
    for (std::size_t e = 0; e < std::min(room, told.size()); ++e) {
        events[e] = {told[e].time, std::int32_t(told[e].kind), told[e].what, told[e].state, told[e].weight};
    }
    if (count != nullptr) { *count = told.size(); }
    return result;
}

gait_result gait_get_travel(const gait_performer* performer, gait_travel* out) {
    if (performer == nullptr || out == nullptr) { return refuse_null(); }
    const gait::Travel travel = performer->performer.travel();
    *out = {{travel.move.x, travel.move.y, travel.move.z}, travel.turn, travel.share};
    return GAIT_OK;
}
gait_result gait_plant_feet(gait_performer* performer, const gait_travel* moved) {
    if (moved == nullptr) { return refuse_null(); }
    return asked(performer, "the document holds no feet, or the body moved too far", [&](gait::Performer& p) {
        return p.plant_feet({{moved->move[0], moved->move[1], moved->move[2]}, moved->turn, moved->share});
    });
}

gait_result gait_pose(const gait_performer* performer, gait_transform* out, size_t room) {
    return filled(performer, out, room, [&](const gait::Performer& p, std::size_t joints) {
        p.pose({reinterpret_cast<gait::Transform*>(out), joints});
    });
}
gait_result gait_model_pose(const gait_performer* performer, gait_transform* out, size_t room) {
    return filled(performer, out, room, [&](const gait::Performer& p, std::size_t joints) {
        p.model_pose({reinterpret_cast<gait::Transform*>(out), joints});
    });
}
gait_result gait_model_matrices(const gait_performer* performer, float* out, size_t room) {
    return filled(performer, out, room, [&](const gait::Performer& p, std::size_t joints) {
        p.model_matrices({reinterpret_cast<gait::Matrix4*>(out), joints});
    });
}
gait_result gait_skinning_matrices(const gait_performer* performer, float* out, size_t room) {
    return filled(performer, out, room, [&](const gait::Performer& p, std::size_t joints) {
        p.skinning_matrices({reinterpret_cast<gait::Matrix4*>(out), joints});
    });
}

double gait_time(const gait_performer* performer) { return performer == nullptr ? 0 : performer->performer.time(); }
gait_handle gait_state(const gait_performer* performer, size_t layer) {
    return performer == nullptr ? GAIT_NOTHING : performer->performer.state(layer);
}
int gait_is_active(const gait_performer* performer, gait_handle state) {
    return performer != nullptr && performer->performer.is_active(handle_of<gait::StateHandle>(state)) ? 1 : 0;
}
float gait_number_value(const gait_performer* performer, gait_handle value) {
    return performer == nullptr ? 0 : performer->performer.get(handle_of<gait::NumberValue>(value));
}
int gait_flag_value(const gait_performer* performer, gait_handle value) {
    return performer != nullptr && performer->performer.get(handle_of<gait::FlagValue>(value)) ? 1 : 0;
}
size_t gait_choice_value(const gait_performer* performer, gait_handle value, char* out, size_t room) {
    const std::string_view word =
        performer == nullptr ? std::string_view() : performer->performer.get(handle_of<gait::ChoiceValue>(value));
    if (out != nullptr && room > 0) {
        const std::size_t count = std::min(room - 1, word.size());
        std::copy_n(word.data(), count, out);
        out[count] = 0;
    }
    return word.size();
}
uint64_t gait_fault_count(const gait_performer* performer) {
    if (performer == nullptr) { return 0; }
    const gait::Faults faults = performer->performer.faults();
    return std::uint64_t{faults.refused_values} + faults.refused_steps + faults.cut_chains;
}

void gait_hear_refusals(gait_refusal_listener listener, void* context) {
    static gait_refusal_listener hears = nullptr;
    hears = listener;
    const auto tell = [](const gait::RefusedCall& call, void* told) noexcept {
        guarded([&] {
            hears(gait::describe(call).c_str(), told);
            return GAIT_OK;
        });
    };
    if (listener == nullptr) {
        gait::hear_refusals(nullptr);
    } else {
        gait::hear_refusals(tell, context);
    }
}

size_t gait_bytes(const gait_performer* performer, const void** out) {
    if (performer == nullptr) { return 0; }
    const auto bytes = performer->performer.bytes();
    if (out != nullptr) { *out = bytes.data(); }
    return bytes.size();
}
gait_result gait_restore(gait_performer* performer, const void* bytes, size_t count) {
    if (performer == nullptr || bytes == nullptr) { return refuse_null(); }
    return guarded([&] {
        return performer->performer.restore({static_cast<const std::byte*>(bytes), count})
                   ? GAIT_OK
                   : fail(GAIT_DAMAGED, "these bytes are no state of this character");
    });
}

gait_result gait_pin_target(const char* name) {
    return guarded([&] {
        return answer(gait::pin_target(name == nullptr ? "" : name), "this machine has no such instruction set");
    });
}
