/// Whether a rig and its clips are what they say: a program may fill them too.
#pragma once

#include "compile/context.hpp"

namespace gait::detail {

/// False, and said, when the rig has no joints or too many, a joint stands before its parent, or a number of it is not
/// one that a pose may hold.
[[nodiscard]] bool check_rig(const Rig& rig, DiagnosticSink& sink);

/// What is wrong with a clip's tracks, in words: their counts, the order of their times, their numbers; empty when all
/// is well.
[[nodiscard]] std::string fault_of(const ClipSource& clip);

} // namespace gait::detail
