#include "compile/check_size.hpp"

#include <fmt/core.h>

namespace gait::detail {
namespace {

// Far beyond what a person writes, and small enough that looking through a whole list costs nothing.
constexpr std::size_t most_clips = 10'000;
constexpr std::size_t most_named = 2'000;        ///< of another list with names
constexpr std::size_t most_states = 5'000;       ///< written, in all machines
constexpr std::size_t most_transitions = 20'000; ///< of all states
constexpr std::size_t most_rules = 500;          ///< one-shots, and lines of `forbid`
constexpr std::size_t most_choices = 500;        ///< that one parameter, or one value, is one of
constexpr std::size_t most_events = 1'000;       ///< marks, and spans, of a clip

class SizeCheck {
public:
    SizeCheck(const Document& document, DiagnosticSink& sink) : document_(document), sink_(sink) {}

    [[nodiscard]] bool run() {
        const auto named = [](const auto& entry) -> Place { return entry.name.place; };
        list(document_.clips, most_clips, "clips", named);
        list(document_.fits, most_named, "fits", named);
        list(document_.parameters, most_named, "parameters", named);
        list(document_.values, most_named, "values", named);
        list(document_.masks, most_named, "masks", named);
        list(document_.motions, most_named, "motions", named);
        list(document_.machines, most_named, "machines", named);
        list(document_.one_shots, most_rules, "one_shots", named);
        list(document_.forbid, most_rules, "forbid", [](const ForbidDefinition& f) { return f.yields.place; });
        for (const ClipDefinition& clip : document_.clips) {
            list(clip.marks, most_events, "marks", named);
            list(clip.spans, most_events, "spans", named);
        }
        const auto is_text = [](const Text& text) -> Place { return text.place; };
        for (const ParameterDefinition& parameter : document_.parameters) {
            list(parameter.of, most_choices, "choices", is_text);
        }
        for (const ValueDefinition& value : document_.values) { list(value.of, most_choices, "choices", is_text); }
        for (const NamedMachine& named_machine : document_.machines) { machine(named_machine.machine); }
        for (const LayerDefinition& layer : document_.layers) { machine(layer.machine); }
        return fits_;
    }

private:
    template <typename Entry, typename PlaceOf>
    void list(const std::vector<Entry>& entries, std::size_t most, const char* what, PlaceOf place_of) {
        if (entries.size() > most) { too_many(entries.size(), most, what, place_of(entries[most])); }
    }

    void machine(const MachineDefinition& definition) {
        if (!fits_) { return; }
        transitions(definition.always);
        for (const StateDefinition& state : definition.states) {
            if (++states_ > most_states) { return too_many(states_, most_states, "states", state.name.place); }
            transitions(state.go);
            if (state.machine) { machine(*state.machine); }
        }
    }

    void transitions(const std::vector<TransitionDefinition>& list) {
        for (const TransitionDefinition& transition : list) {
            if (++transitions_ > most_transitions) {
                return too_many(transitions_, most_transitions, "transitions", transition.place);
            }
        }
    }

    void too_many(std::size_t count, std::size_t most, const char* what, Place place) {
        if (!fits_) { return; }
        fits_ = false;
        sink_.error(place, "too-many",
                    fmt::format("there are {} {} or more here, and {} are possible; make several documents of them",
                                count, what, most),
                    what);
    }

    const Document& document_;
    DiagnosticSink& sink_;
    std::size_t states_ = 0, transitions_ = 0;
    bool fits_ = true;
};

} // namespace

bool check_size(const Document& document, DiagnosticSink& sink) { return SizeCheck(document, sink).run(); }

} // namespace gait::detail
