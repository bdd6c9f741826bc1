/// What an interrupted program leaves behind: nothing.
#pragma once

#include <functional>

namespace gait::tool {

/// From now on SIGINT, SIGTERM and SIGHUP remove what is unfinished before they end the program, as they do by
/// themselves. To be called before any other thread is begun: they are blocked, and a thread of its own waits for them.
void clean_up_when_interrupted();

/// The first of them calls `end` instead, from a thread of its own; the next one ends the program.
void end_when_interrupted(std::function<void()> end);

} // namespace gait::tool
