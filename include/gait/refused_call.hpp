/// \file
/// Calls that performers refuse, told as they happen: for a game that wants to hear of its slips while it is built.
#pragma once

#include "gait/api.hpp"
#include "gait/records.hpp"

#include <string>
#include <string_view>

namespace gait {

class Performer;

/// A call that was refused. What it names is there as long as the listener runs.
struct RefusedCall {
    const Performer& performer;
    std::string_view call; ///< `set`, `send`, `play_once`, `enter`, `advance`, ...
    std::string_view kind; ///< what it wanted: `number`, `flag`, `choice`, `signal`, `one-shot`, `state`, `step`, ...
    Refusal why = Refusal::none;
    std::string_view name; ///< as it was given, or of what the handle refers to; empty where it refers to nothing
    std::string_view word; ///< the value asked of a choice
    double value = 0;      ///< the number that was given; 0 where none was
};

/// Hears of refused calls: on the thread that made them, before they return. It must not throw.
using RefusalListener = void (*)(const RefusedCall& call, void* context) noexcept;

/// Who hears of every refused call in this process from now on; null for nobody, as at first. `Performer::faults`
/// counts them all the same. Set it while no performer is in use.
GAIT_API void hear_refusals(RefusalListener listener, void* context = nullptr);

/// The call in a sentence, with the nearest name where one was misspelt: "set: there is no number 'sped' to set to 1.5;
/// did you mean 'speed'?". Allocates.
[[nodiscard]] GAIT_API std::string describe(const RefusedCall& call);

} // namespace gait
