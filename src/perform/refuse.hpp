/// What becomes of a call that cannot be: it is counted, kept, and told to whoever listens.
#pragma once

#include "gait/performer.hpp"
#include "gait/refused_call.hpp"

#include <cmath>
#include <cstdint>
#include <string_view>

namespace gait::detail {

/// What a call asks for, to be refused.
struct Asked {
    std::string_view call, kind;
    std::string_view word = {};
    double value = 0;
};

/// Refuses a call about something of that name: it is counted, kept and told. False, as what the call returns.
bool refuse_name(const Performer& performer, const Asked& asked, std::string_view name, Refusal why);
/// Refuses a call without a name.
bool refuse(const Performer& performer, const Asked& asked, Refusal why);
/// Refuses what a parameter's handle asks for; a reason that lies in the handle comes first.
bool refuse_parameter(const Performer& performer, const Asked& asked, std::uint16_t index, Refusal why);
/// What is wrong with a number that is out of bounds or none.
[[nodiscard]] inline Refusal fault_of_number(double value) {
    return std::isfinite(value) ? Refusal::out_of_bounds : Refusal::not_a_number;
}

} // namespace gait::detail
