#include <gait/character.hpp>
#include <gait/crowd.hpp>
#include <gait/performer.hpp>

#include <cstdio>

int main() {
    gait::advance_all({}, gait::RunInParts());
    std::printf("%zu instruction sets\n", gait::runnable_targets().size());
    return 0;
}
